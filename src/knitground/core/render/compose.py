"""The one compositor: cells of layers to pixels, for the screen, for export and for tests."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from knitground.core.base.window import Box
from knitground.core.model.layers import Cells
from knitground.core.render.atlas import Pictures, Reach
from knitground.core.render.pixels import Pixels, over, weakened

Margin = tuple[int, int, int, int]


def lay_out(tiles: Pixels, cells: Cells) -> Pixels:
    """Put the pictures of cells (h, w) side by side: (h · tile height, w · tile width).

    Cells beyond the pictures, and -1, give the last picture (the gap).
    """
    high, wide = tiles.shape[1:]
    height, width = cells.shape
    out = np.empty((height, high, width, wide), np.uint32)
    np.copyto(out, tiles[_safe(cells, len(tiles))].transpose(0, 2, 1, 3))
    return out.reshape(height * high, width * wide)


def _safe(cells: Cells, count: int) -> Cells:
    if cells.size and int(cells.max()) >= count:
        return np.where(cells >= count, count - 1, cells)
    return cells


def around(box: Box, reach: Reach, height: int, width: int, wrap: bool) -> tuple[Box, Margin]:
    """Give the box of cells that a part of a map is composed from.

    Returns
    -------
    the box with as many cells more on each side as pictures may reach into it from there (none
    beyond the border of a map that does not wrap), and how many those are: above, left, below,
    right
    """
    wide = Box(
        box.top - reach.down, box.left - reach.right, box.bottom + reach.up, box.right + reach.left
    )
    if not wrap:
        wide = wide.clipped(height, width)
    margin = (box.top - wide.top, box.left - wide.left,
              wide.bottom - box.bottom, wide.right - box.right)  # fmt: skip
    return wide, margin


def compose(
    pictures: Pictures,
    stack: Sequence[Cells],
    margin: Margin = (0, 0, 0, 0),
    opacities: Sequence[float] = (),
) -> Pixels:
    """Lay layers over one another, the back one first.

    Parameters
    ----------
    pictures : of one level, as the atlas gives them
    stack : cells of the visible layers, all (h, w)
    margin : cells above, left, below and right that are in the stack only because their pictures
        may reach into what is asked for (`around`)
    opacities : of the layers, 0 to 1; all 1 if none are given

    Returns
    -------
    premultiplied pixels of the cells without the margin, a new array

    Notes
    -----
    Upper layers are blended only where they are not empty; tiles that hide all beneath them are
    copied instead. In each layer the pictures that reach beyond their cells come after those that
    do not, row by row from the top, so that the nearer one hides the farther.
    """
    if not stack:
        raise ValueError("compose needs at least one layer of cells")
    if any(part < 1 for part in opacities):
        return _faded(pictures, stack, margin, opacities)
    tiles = pictures.tiles
    up, left, down, right = margin
    height, width = stack[0].shape
    inner = (slice(up, height - down), slice(left, width - right))
    out = lay_out(tiles, stack[0][inner])
    high, wide = tiles.shape[1:]
    view = out.reshape(height - up - down, high, width - left - right, wide)
    for number, cells in enumerate(stack):
        seen = cells[inner]
        rows, cols = np.nonzero(seen) if number else (np.zeros(0, np.intp),) * 2
        if rows.size:
            top = tiles[_safe(seen, len(tiles))[rows, cols]]
            view[rows, :, cols] = over(top, view[rows, :, cols])
        if pictures.big:
            _lay_big(out, pictures, cells, up * high, left * wide)
    return out


def _faded(
    pictures: Pictures, stack: Sequence[Cells], margin: Margin, opacities: Sequence[float]
) -> Pixels:
    """Compose each layer for itself and lay them over one another, weakened as they ask."""
    out: Pixels | None = None
    for cells, part in zip(stack, opacities):
        layer = weakened(compose(pictures, [cells], margin), part)
        out = layer if out is None else over(layer, out)
    assert out is not None
    return out


def _lay_big(out: Pixels, pictures: Pictures, cells: Cells, up: int, left: int) -> None:
    """Lay the pictures that reach beyond their cells over what is there, in place."""
    high, wide = pictures.tiles.shape[1:]
    is_big = np.zeros(len(pictures.tiles) + 1, np.bool_)
    is_big[list(pictures.big)] = True
    rows, cols = np.nonzero(is_big[np.clip(cells, 0, len(pictures.tiles))])
    for row, col in zip(rows.tolist(), cols.tolist()):
        big = pictures.big[int(cells[row, col])]
        y, x = row * high - up + big.down, col * wide - left + big.across
        top, bottom = max(0, y), min(out.shape[0], y + big.pixels.shape[0])
        first, last = max(0, x), min(out.shape[1], x + big.pixels.shape[1])
        if top < bottom and first < last:
            part = big.pixels[top - y : bottom - y, first - x : last - x]
            out[top:bottom, first:last] = over(part, out[top:bottom, first:last])
