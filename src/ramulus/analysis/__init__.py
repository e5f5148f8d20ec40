"""What a design says: level tables, effort and gain, checks."""
