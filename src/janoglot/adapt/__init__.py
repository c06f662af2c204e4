"""Adapt: the words of every edition."""
