"""Mix: the finished track of an edition."""
