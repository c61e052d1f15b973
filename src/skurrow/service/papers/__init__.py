"""Papers given out, as PDF and as electronic invoices."""
