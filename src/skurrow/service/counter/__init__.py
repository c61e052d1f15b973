"""A buyer at the counter: visits, paying, confirmation, and whether new orders are taken."""
