"""Deliver has no rows of its own: what is handed over follows from mixes and wordings."""
