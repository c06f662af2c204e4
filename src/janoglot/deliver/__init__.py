"""Deliver: what is handed over."""
