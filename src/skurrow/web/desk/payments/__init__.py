"""Gateways at the desk, bank transfers, and what was set aside."""
