"""Mixing: levels, limits, loudness and the finished track."""
