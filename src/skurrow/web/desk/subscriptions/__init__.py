"""Subscriptions at the desk, acting for customers, and the calendar of the test book."""
