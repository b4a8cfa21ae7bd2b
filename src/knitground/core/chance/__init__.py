"""Weights, shares and draws."""
