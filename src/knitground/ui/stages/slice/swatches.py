"""The swatches of Slice: tiles edge to edge as they stand, and one tile repeated."""

from __future__ import annotations

import numpy as np

from knitground.core.model.tileset import Picture
from knitground.core.render.pixels import Pixels, premultiplied
from knitground.core.slicing.grid import Grid, clear_see_through, cut_tile


def swatch_pixels(picture: Picture, grid: Grid, side: int = 150) -> Pixels:
    """Lay a sheet's first tiles edge to edge, so that a wrong grid shows.

    Only the tiles that are shown are cut: the cost does not grow with the sheet.
    """
    cut = grid.slicing
    if cut.pieces:
        return _pieces_pixels(picture, grid, side)
    rows = min(grid.rows, max(1, side // cut.tile_height))
    cols = min(grid.columns, max(1, side // cut.tile_width))
    ys = (cut.top(0) + np.arange(rows) * cut.pitch_y)[:, None] + np.arange(cut.tile_height)
    xs = (cut.left(0) + np.arange(cols) * cut.pitch_x)[:, None] + np.arange(cut.tile_width)
    part = picture[np.ix_(ys.ravel(), xs.ravel())]
    return premultiplied(clear_see_through(part, cut))


def repeated_pixels(picture: Picture, grid: Grid, row: int, col: int) -> Pixels:
    """Lay one tile three by three."""
    return np.tile(premultiplied(cut_tile(picture, grid.slicing, row, col)), (3, 3))


def _pieces_pixels(picture: Picture, grid: Grid, side: int) -> Pixels:
    """Stand the first pieces side by side on lines, as they would stand on the ground."""
    lines: list[list[Picture]] = [[]]
    wide, room = 0, side
    for n in range(min(grid.columns, 48)):
        tile = cut_tile(picture, grid.slicing, 0, n)
        if wide + tile.shape[1] > room and lines[-1]:
            lines.append([])
            wide = 0
        lines[-1].append(tile)
        wide += tile.shape[1] + 2
        if sum(max(t.shape[0] for t in line) + 2 for line in lines if line) > room:
            break
    widest = max(sum(t.shape[1] + 2 for t in line) for line in lines)
    heights = [max(t.shape[0] for t in line) + 2 for line in lines]
    out = np.zeros((sum(heights), widest, 4), np.uint8)
    bottom = 0
    for line, high in zip(lines, heights):
        bottom += high
        x = 0
        for tile in line:
            out[bottom - tile.shape[0] : bottom, x : x + tile.shape[1]] = tile
            x += tile.shape[1] + 2
    return premultiplied(out)
