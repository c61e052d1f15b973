"""Tapes, previews and the jump box."""
