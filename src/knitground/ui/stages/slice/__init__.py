"""Slice: how a sheet is cut."""
