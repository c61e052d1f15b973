"""Orders, what they hold, refunds, reviews, disputes, and whether new ones are taken."""
