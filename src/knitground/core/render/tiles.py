"""Single tiles of a tileset as pixels: cut when they are asked for, whatever the sheet's size."""

from __future__ import annotations

from knitground.core.model.tileset import TileRef, Tileset
from knitground.core.render.pixels import Pixels, premultiplied, turned
from knitground.core.slicing.grid import clear_see_through


def tile_pixels(tileset: Tileset, tile: TileRef) -> Pixels | None:
    """Cut one tile: premultiplied (h, w), turned as the reference says.

    Returns None if the sheet is missing or has no such tile.
    """
    if tileset.picture is None or not tileset.has(tile.row, tile.col):
        return None
    cut = tileset.slicing
    top, left = cut.top(tile.row), cut.left(tile.col)
    part = tileset.picture[top : top + cut.tile_height, left : left + cut.tile_width]
    if part.shape[:2] != (cut.tile_height, cut.tile_width):
        return None
    return turned(premultiplied(clear_see_through(part.copy(), cut)), tile.turn)


def is_empty(tileset: Tileset, row: int, col: int) -> bool:
    """Tell whether a tile has no pixel that can be seen."""
    pixels = tile_pixels(tileset, TileRef(tileset.name, row, col))
    return pixels is not None and not pixels.any()
