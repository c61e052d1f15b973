"""Attacks, each performed as somebody would who means harm: what it was to give is in its name, or beside it."""
