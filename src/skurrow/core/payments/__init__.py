"""Ways to pay, their costs and limits, transfers, refunds, and comparing books."""
