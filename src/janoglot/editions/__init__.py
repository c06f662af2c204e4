"""Editions as they stand: the core's model of one, loaded from the tables, that every stage reads."""
