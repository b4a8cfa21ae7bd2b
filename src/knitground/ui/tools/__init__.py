"""The tools of the map: one object from press to release."""
