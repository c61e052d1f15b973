"""Skurrow adds sales to the website that a small business already has."""
