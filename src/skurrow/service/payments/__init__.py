"""Gateways, ways to pay, and what they cost."""
