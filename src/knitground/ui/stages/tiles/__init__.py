"""Tiles: what each tile is, for one or many at once."""
