"""Who works on a site, and how they sign in."""
