"""Grow: recipes."""
