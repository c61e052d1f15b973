"""Papers as they were given out."""
