"""What was played, as tables: simulations, parties, saved runs."""
