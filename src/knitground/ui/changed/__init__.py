"""What changed: the project beside another state of it, and what is taken back."""
