"""The two books at the desk: orders, refunds, the test book, and whether new orders are taken."""
