"""Tables and results in words: how numbers are written, heads of columns, a simulation at a glance."""
