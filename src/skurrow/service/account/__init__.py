"""The account page of a customer."""
