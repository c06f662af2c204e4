"""Timing has no rows of its own: placements follow from takes, slots and the edition's settings."""
