"""Project files, pictures and what a game reads."""
