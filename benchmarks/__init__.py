"""Measurements: each against a floor that is measured beside it, in the same run."""
