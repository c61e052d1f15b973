"""Connections to gateways, comparisons with their books, bank transfers, what was set aside."""
