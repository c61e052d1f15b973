"""Answers about tax numbers, and sums of tax."""
