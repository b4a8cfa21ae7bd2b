"""Errors, coordinates and the counted hash."""
