"""People of the desk, and who works on which site."""
