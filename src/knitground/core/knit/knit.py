"""Knitting: the tile of every cell, from the terrain on its four vertices."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.hashing import column_numbers, join, row_numbers
from knitground.core.base.window import Box, read
from knitground.core.knit.table import KnitTable
from knitground.core.model.layers import Cells, GroundLayer

_CHUNK_CELLS = 32_768


def knit(
    table: KnitTable,
    terrain: NDArray[np.uint8],
    rows: NDArray[Any],
    cols: NDArray[Any],
    seed: int,
    layer: int,
) -> Cells:
    """Choose the tile of every cell of a rectangle.

    Parameters
    ----------
    table : the set's look-up table; terrain numbers above its base give gaps
    terrain : (h + 1, w + 1) uint8, the marks on the rectangle's vertices
    rows, cols : (h,) and (w,) the cells' own rows and columns in the map
    seed, layer : int, of the ground layer

    Returns
    -------
    (h, w) int32: places of the legend, 0 for empty cells, -1 for gaps.

    Notes
    -----
    A part gives what the whole gives, bit for bit: nothing but a cell's own vertices and place is
    read. Works through bands of about 32 K cells with buffers used again; no loop over cells.

    Examples
    --------
    >>> from knitground.core.knit.table import build_table
    >>> table = build_table(np.full((1, 8), 1, np.uint8), [7], [1.0], 1)
    >>> ground = np.array([[1, 1, 0], [1, 1, 0]], np.uint8)
    >>> knit(table, ground, np.arange(1), np.arange(2), 1, 1).tolist()
    [[7, 0]]
    """
    height, width = len(rows), len(cols)
    out = np.empty((height, width), np.int32)
    if out.size == 0:
        return out
    base = table.base
    key_dtype = np.uint16 if base**4 <= 65_536 else np.uint32
    band = max(1, min(height, _CHUNK_CELLS // width))
    pairs = np.empty((band + 1, width), key_dtype)
    keys = np.empty((band, width), key_dtype)
    places = np.empty((band, width), np.int32)
    numbers = np.empty((band, width), np.uint32)
    row_part, col_part = row_numbers(rows, seed, layer), column_numbers(cols, seed, layer)
    square = key_dtype(base * base)
    for top in range(0, height, band):
        n = min(band, height - top)
        near = terrain[top : top + n + 1]
        np.multiply(near[:, :-1], key_dtype(base), out=pairs[: n + 1], dtype=key_dtype)
        pairs[: n + 1] += near[:, 1:]
        np.multiply(pairs[:n], square, out=keys[:n])
        keys[:n] += pairs[1 : n + 1]
        np.take(table.first, keys[:n], out=places[:n], mode="clip")
        join(row_part[top : top + n], col_part, numbers[:n])
        numbers[:n] >>= np.uint32(24)
        places[:n] += numbers[:n].view(np.int32)
        np.take(table.slots, places[:n], out=out[top : top + n], mode="clip")
    return out


def knit_box(
    table: KnitTable,
    layer: GroundLayer,
    box: Box,
    terrain: NDArray[np.uint8] | None = None,
    *,
    keep_pins: bool = True,
) -> Cells:
    """Knit a box of a layer's cells; pinned cells keep what they hold. Returns a new array.

    Parameters
    ----------
    box : cells; may reach over the border of a map that wraps
    terrain : (h + 1, w + 1) of this box instead of the layer's own, to try something out
    keep_pins : False to see what the cells beneath the pins would be
    """
    height, width = layer.cells.shape
    rows, cols = box.rows(height), box.cols(width)
    if terrain is None:
        terrain = terrain_of(layer, box)
    cells = knit(table, terrain, rows, cols, layer.seed, layer.number)
    pinned = read(layer.pinned, box)
    if keep_pins and pinned.any():
        cells[pinned] = read(layer.cells, box)[pinned]
    return cells


def terrain_of(layer: GroundLayer, box: Box) -> NDArray[np.uint8]:
    """Copy the terrain on the vertices round a box of cells: (h + 1, w + 1)."""
    height, width = layer.cells.shape
    inside = box.top >= 0 and box.left >= 0 and box.bottom <= height and box.right <= width
    if inside:
        return layer.terrain[box.top : box.bottom + 1, box.left : box.right + 1].copy()
    around = Box(box.top, box.left, box.bottom + 1, box.right + 1)
    return read(layer.terrain[:height, :width], around)
