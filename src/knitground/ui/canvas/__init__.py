"""The map as it is drawn on the screen."""
