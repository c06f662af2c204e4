"""Recordings and pictures that come from outside: what they are, and copies that a browser plays."""
