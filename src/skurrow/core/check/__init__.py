"""What is wrong with a site, part by part, and what to do about it."""
