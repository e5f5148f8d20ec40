"""What needs no chance: levels, gain, effort, traces of awards, explanations."""
