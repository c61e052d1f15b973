"""Rates, tax numbers, and which tax a line bears."""
