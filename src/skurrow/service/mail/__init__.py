"""Mails and their words."""
