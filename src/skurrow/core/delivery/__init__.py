"""Zones, methods, and which of them a buyer may choose."""
