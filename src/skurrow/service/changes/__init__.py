"""What becomes of a running subscription: renewals, changes asked for, the calendar moved forward."""
