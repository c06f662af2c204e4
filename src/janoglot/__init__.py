"""Janoglot: from a script and its translations to finished speech tracks, one for every language."""

__version__ = "0.1.0"
