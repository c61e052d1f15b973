"""Tax at the desk: the map, the report, official rates, tax numbers."""
