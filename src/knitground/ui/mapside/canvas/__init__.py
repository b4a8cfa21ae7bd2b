"""The map on the screen."""
