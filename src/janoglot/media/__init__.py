"""Recordings: brought in, copied to what a page plays, played and drawn."""
