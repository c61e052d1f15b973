"""The computation: pure functions over frozen models, without database, network, clock or randomness."""
