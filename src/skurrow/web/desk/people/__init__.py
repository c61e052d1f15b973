"""Who works on a site, and signing in."""
