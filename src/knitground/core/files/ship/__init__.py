"""What a game reads: one module a format."""
