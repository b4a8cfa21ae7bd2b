"""Ship: what a game reads."""
