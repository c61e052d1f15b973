"""Invoices and receipts as data."""
