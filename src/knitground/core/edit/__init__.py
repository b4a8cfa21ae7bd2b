"""The only way in which a model changes."""
