"""Laying a sheet out anew: other margin, spacing and columns, borders repeated outwards."""

from __future__ import annotations

import numpy as np

from knitground.core.base.errors import SlicingError
from knitground.core.base.tongue import say
from knitground.core.model.limits import sheet_words
from knitground.core.model.slicing import Slicing
from knitground.core.model.tileset import Picture
from knitground.core.slicing.grid import Grid, cut, each_tile
from knitground.core.slicing.pieces import pack


def relay(
    picture: Picture, grid: Grid, *, margin: int, spacing: int, columns: int, extrude: int = 0
) -> tuple[Picture, Slicing]:
    """Lay the tiles of a sheet out anew, in the same order.

    Parameters
    ----------
    picture, grid : the sheet as it is
    margin, spacing : pixels round and between the tiles of the new one
    columns : tiles side by side
    extrude : how many pixels each tile's border is repeated outwards, so that filtered drawing in
        a game does not bleed; they take their room from margin and spacing, which must be at least
        `extrude` and twice `extrude`

    Returns
    -------
    the new sheet (H, W, 4) uint8, see-through where nothing lies, and its slicing

    Raises
    ------
    SlicingError
        A number is negative, the extrusion has no room, or the sheet would be too large.
    """
    if grid.slicing.pieces:
        return _packed_anew(picture, grid, spacing, extrude)
    for name, value, low in (
        ("margin", margin, extrude),
        ("spacing", spacing, 2 * extrude),
        ("columns", columns, 1),
        ("extrude", extrude, 0),
    ):
        if value < low:
            raise SlicingError(
                say(
                    "{name} {value} is too small here: give at least {low}",
                    name=name,
                    value=value,
                    low=low,
                )
            )
    columns = min(columns, max(1, grid.count))
    old = grid.slicing
    new = Slicing(old.tile_width, old.tile_height, margin, margin, spacing, spacing)
    height, width = _size(new, grid.count, columns)
    tiles = cut(picture, grid)
    out = np.zeros((height, width, 4), np.uint8)
    around = ((extrude, extrude), (extrude, extrude), (0, 0))
    for number, tile in enumerate(tiles):
        row, col = divmod(number, columns)
        top, left = new.top(row) - extrude, new.left(col) - extrude
        grown = np.pad(tile, around, mode="edge") if extrude else tile
        out[top : top + grown.shape[0], left : left + grown.shape[1]] = grown
    return out, new


def _packed_anew(
    picture: Picture, grid: Grid, spacing: int, extrude: int
) -> tuple[Picture, Slicing]:
    """Pack the pieces of a sheet anew; the same pieces in the same order."""
    if extrude < 0 or spacing < 2 * extrude:
        raise SlicingError(
            say(
                "spacing {spacing} is too small here: give at least {extrude}",
                spacing=spacing,
                extrude=2 * extrude,
            )
        )
    around = ((extrude, extrude), (extrude, extrude), (0, 0))
    grown = [np.pad(tile, around, mode="edge") for tile in each_tile(picture, grid)]
    sheet, places = pack(grown, spacing - 2 * extrude)
    pieces = tuple(
        (x + extrude, y + extrude, wide - 2 * extrude, high - 2 * extrude)
        for x, y, wide, high in places
    )
    old = grid.slicing
    return sheet, Slicing(old.tile_width, old.tile_height, pieces=pieces)


def _size(new: Slicing, count: int, columns: int) -> tuple[int, int]:
    rows = -(-count // columns)
    width = 2 * new.margin_x + columns * new.pitch_x - new.spacing_x
    height = 2 * new.margin_y + rows * new.pitch_y - new.spacing_y
    why = sheet_words(width, height)
    if why:
        raise SlicingError(say("a sheet of {why}: take other columns", why=why))
    return height, width
