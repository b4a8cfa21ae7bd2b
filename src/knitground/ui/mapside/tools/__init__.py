"""The tools of the map."""
