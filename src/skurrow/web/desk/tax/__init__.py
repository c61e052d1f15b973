"""Tax and delivery at the desk."""
