"""Shapes of tiles: their geometry, how they are found, and how they meet on a map."""
