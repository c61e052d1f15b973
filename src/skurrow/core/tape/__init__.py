"""The tape, and prices beside each other."""
