"""``./janoglot trial``: long searches for what the tests do not know yet, run by hand."""
