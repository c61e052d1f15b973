"""The life of a subscription, what it was promised, changes of plan, and what is to come."""
