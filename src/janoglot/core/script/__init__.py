"""Scripts: lines, speakers and parts, and the formats they come in."""
