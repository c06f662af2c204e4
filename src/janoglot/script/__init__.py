"""Script: parts, speakers and lines, and bringing them in from files."""
