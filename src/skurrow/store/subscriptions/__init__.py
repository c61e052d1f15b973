"""Subscriptions with what happened to them."""
