"""Cutting sheets into tiles."""
