"""Placing lines in time: natural pacing where a script has no times, the fit where it has."""
