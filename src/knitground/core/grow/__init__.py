"""Recipes: steps that make layers from a seed."""
