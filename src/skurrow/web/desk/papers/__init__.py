"""Papers at the desk."""
