"""Level tables to kernel to result: many players, encounter by encounter."""
