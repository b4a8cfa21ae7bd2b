"""The swatches of Slice: tiles edge to edge as they stand, and one tile repeated."""

from __future__ import annotations

import numpy as np

from knitground.core.model.tileset import Picture
from knitground.core.render.pixels import Pixels, premultiplied
from knitground.core.slicing.grid import Grid, clear_see_through


def swatch_pixels(picture: Picture, grid: Grid, side: int = 150) -> Pixels:
    """Lay a sheet's first tiles edge to edge, so that a wrong grid shows.

    Only the tiles that are shown are cut: the cost does not grow with the sheet.
    """
    cut = grid.slicing
    rows = min(grid.rows, max(1, side // cut.tile_height))
    cols = min(grid.columns, max(1, side // cut.tile_width))
    ys = (cut.top(0) + np.arange(rows) * cut.pitch_y)[:, None] + np.arange(cut.tile_height)
    xs = (cut.left(0) + np.arange(cols) * cut.pitch_x)[:, None] + np.arange(cut.tile_width)
    part = picture[ys.ravel()][:, xs.ravel()]
    return premultiplied(clear_see_through(part, cut))


def repeated_pixels(picture: Picture, grid: Grid, row: int, col: int) -> Pixels:
    """Lay one tile three by three."""
    cut = grid.slicing
    top, left = cut.top(row), cut.left(col)
    tile = picture[top : top + cut.tile_height, left : left + cut.tile_width].copy()
    return np.tile(premultiplied(clear_see_through(tile, cut)), (3, 3))
