"""The `ramulus` command."""
