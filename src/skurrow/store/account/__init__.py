"""How customers sign in to their account page."""
