"""The one compositor: cells of layers to pixels, for the screen, for export and for tests."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from knitground.core.model.layers import Cells
from knitground.core.render.pixels import Pixels, over


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


def compose(tiles: Pixels, stack: Sequence[Cells]) -> Pixels:
    """Lay layers over one another, the back one first.

    Parameters
    ----------
    tiles : (n, tile height, tile width) premultiplied, place 0 blank, the last one the gap
    stack : cells of the visible layers, all (h, w)

    Returns
    -------
    (h · tile height, w · tile width) premultiplied pixels, a new array

    Notes
    -----
    Upper layers are blended only where they are not empty; tiles that hide all beneath them are
    copied instead.
    """
    if not stack:
        raise ValueError("compose needs at least one layer of cells")
    out = lay_out(tiles, stack[0])
    high, wide = tiles.shape[1:]
    height, width = stack[0].shape
    view = out.reshape(height, high, width, wide)
    for cells in stack[1:]:
        rows, cols = np.nonzero(cells)
        if rows.size:
            top = tiles[_safe(cells, len(tiles))[rows, cols]]
            view[rows, :, cols] = over(top, view[rows, :, cols])
    return out
