"""Orders under way and paid: holding, settling, refunds, transfers, and their books."""
