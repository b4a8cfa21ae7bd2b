"""Choosing the tiles of ground layers from their terrain."""
