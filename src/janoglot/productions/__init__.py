"""Productions: the whole job, its editions, who may do what, and the record of every change."""
