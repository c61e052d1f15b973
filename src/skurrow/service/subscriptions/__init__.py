"""What payments make of subscriptions, what is told of them, and their books."""
