"""Tapes at the desk."""
