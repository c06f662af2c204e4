"""Time: where every line of an edition sits."""
