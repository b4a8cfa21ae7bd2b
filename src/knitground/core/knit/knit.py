"""Knitting: the tile of every cell, from the terrain round it."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.bands import in_bands
from knitground.core.base.hashing import column_numbers, join, row_numbers
from knitground.core.base.window import Box, read
from knitground.core.knit.keys import Ground, keys_of
from knitground.core.knit.ring import STEPS
from knitground.core.knit.table import KnitTable
from knitground.core.model.lattice import Lattice
from knitground.core.model.layers import GAP, Cells, GroundLayer
from knitground.core.model.standing import standing_of
from knitground.core.rules.apply import Window, apply_rules


def knit(
    table: KnitTable, terrain: Ground, rows: NDArray[Any], cols: NDArray[Any], seed: int, layer: int
) -> Cells:
    """Choose the tile of every cell of a rectangle.

    Parameters
    ----------
    table : the set's look-up table; terrain numbers that it does not know give gaps
    terrain : (h + 1 + 2 m, w + 1 + 2 m), the terrain on the rectangle's places and on
        m = `table.mark_margin` more on each side: rules are not applied here
    rows, cols : (h,) and (w,) the cells' own rows and columns in the map
    seed, layer : int, of the ground layer

    Returns
    -------
    (h, w) int32: places of the legend, 0 for empty cells, -1 for gaps.

    Notes
    -----
    A part gives what the whole gives, bit for bit: nothing but a cell's own surroundings and place
    is read. Works through bands of rows, all processors helping; no loop over cells.

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
    terrain = table.keys.known(terrain, table.base)
    row_part, col_part = row_numbers(rows, seed, layer), column_numbers(cols, seed, layer)
    more = 1 + 2 * table.mark_margin

    def knit_rows(top: int, bottom: int) -> None:
        places = _starts(table, terrain[top : bottom + more])
        numbers = join(row_part[top:bottom], col_part, np.empty(places.shape, np.uint32))
        numbers >>= np.uint32(24)
        places += numbers.view(np.int32)
        np.take(table.slots, places, out=out[top:bottom], mode="clip")

    in_bands(knit_rows, height, width)
    return out


def _starts(table: KnitTable, near: Ground) -> NDArray[np.int32]:
    """Give where the slots of each cell begin; (h, w) from (h + 1 + 2 m, w + 1 + 2 m)."""
    codes = codes_in(table, near)
    if table.inside is None:
        return np.take(table.first, codes, mode="clip")
    middle = codes[1:-1, 1:-1]
    among = np.ones(middle.shape, np.bool_)
    for down, across in STEPS.values():
        there = codes[
            1 + down : codes.shape[0] - 1 + down, 1 + across : codes.shape[1] - 1 + across
        ]
        among &= there == middle
    starts = np.take(table.first, middle, mode="clip")
    starts[among] = table.inside[middle[among]]
    return starts


def codes_in(table: KnitTable, near: Ground) -> NDArray[np.int32]:
    """Give the code of every cell in a window of terrain.

    Parameters
    ----------
    near : (h + 1, w + 1) of corner and edge sets, (h + 3, w + 3) of ring sets

    Returns
    -------
    (h, w) int32
    """
    return table.keys.codes_in(table, near)


def knit_box(
    table: KnitTable,
    layer: GroundLayer,
    box: Box,
    terrain: Ground | None = None,
    *,
    keep_pins: bool = True,
    wrap: bool = False,
) -> Cells:
    """Knit a box of a layer's cells; pinned cells keep what they hold. Returns a new array.

    Parameters
    ----------
    box : cells; may reach over the border of a map that wraps
    terrain : of this box as `terrain_of` gives it, instead of the layer's own, to try something out
    keep_pins : False to see what the cells beneath the pins would be
    wrap : whether the map does
    """
    height, width = layer.cells.shape
    rows, cols = box.rows(height), box.cols(width)
    if terrain is None:
        terrain = terrain_of(table, layer, box, wrap)
    marked = without_rim(terrain, table.margin - table.mark_margin)
    cells = knit(table, marked, rows, cols, layer.seed, layer.number)
    if table.rules is not None:
        window = rule_window(table, layer, box, wrap, terrain)
        cells = apply_rules(table.rules, window, cells, layer.seed, layer.number, GAP)
    if table.exists is not None:
        cells[~read(table.exists, box)] = 0
    pinned = read(layer.pinned, box)
    if keep_pins and pinned.any():
        cells[pinned] = read(layer.cells, box)[pinned]
    return cells


def without_rim(terrain: Ground, by: int) -> Ground:
    """Leave out so many places on each side of a window of terrain."""
    return terrain[by:-by, by:-by] if by else terrain


def rule_window(
    table: KnitTable, layer: GroundLayer, box: Box, wrap: bool, terrain: Ground | None = None
) -> Window:
    """Give a box of a layer's cells as rules look at it; see `knit_box` for `terrain`."""
    assert table.rules is not None
    if terrain is None:
        terrain = terrain_of(table, layer, box, wrap)
    far = table.rules.margin
    height, width = layer.cells.shape
    return Window(
        table.kind,
        table.keys.known(without_rim(terrain, table.margin - far), table.base),
        far,
        box.rows(height),
        box.cols(width),
        None if wrap else (height, width),
        (height, width) if wrap and table.homes is None else None,
        None if wrap else table.shown,
    )


def wide_window(layer: GroundLayer, box: Box, lattice: Lattice, margin: int) -> Window:
    """Give a box of a layer's cells, and so many more round it, as rules look at it."""
    height, width = layer.cells.shape
    homes = standing_of(layer.kind_of_set).homes(lattice) if lattice.wrap else None
    if homes is not None:
        wide = box.grown(margin)
        near = homes.read(layer.terrain, Box(wide.top, wide.left, wide.bottom + 1, wide.right + 1))
    else:
        near = layer.terrain[np.ix_(*_places(layer, box, lattice.wrap, margin))]
    size = None if lattice.wrap else (height, width)
    return Window(layer.kind_of_set, near, margin, box.rows(height), box.cols(width), size)


def terrain_of(table: KnitTable, layer: GroundLayer, box: Box, wrap: bool) -> Ground:
    """Copy the terrain that a box of cells is knitted from.

    Returns
    -------
    (h + 1 + 2 m, w + 1 + 2 m) with m = `table.margin`. On a map that does not wrap, what lies
    beyond the border is as the nearest place inside.
    """
    more, source = table.margin, layer.terrain
    last = 1 - table.keys.more  # where terrain stands on cells the last row means nothing
    inner = Box(box.top - more, box.left - more, box.bottom + 1 + more, box.right + 1 + more)
    height, width = source.shape[0] - last, source.shape[1] - last
    inside = inner.top >= 0 and inner.left >= 0 and inner.bottom <= height and inner.right <= width
    if table.homes is not None:
        return table.homes.read(source, inner)
    if inside:
        return source[inner.top : inner.bottom, inner.left : inner.right].copy()
    rows, cols = _places(layer, box, wrap, table.margin)
    return source[np.ix_(rows, cols)]


def terrain_with(
    table: KnitTable, layer: GroundLayer, box: Box, wrap: bool, at: Box, patch: Ground
) -> Ground:
    """Give `terrain_of` as it would be with other values in a box of the terrain.

    Parameters
    ----------
    at, patch : where, and what would stand there; on a map that wraps it may reach over the border
    """
    if table.homes is not None:
        more = table.margin
        homes = table.homes.of(
            Box(box.top - more, box.left - more, box.bottom + 1 + more, box.right + 1 + more)
        )
        result: Ground = layer.terrain.reshape(-1)[homes]
        down, across = (n - a for n, a in zip(
            np.divmod(homes, layer.terrain.shape[1]), (at.top, at.left)))  # fmt: skip
        among = (down >= 0) & (down < at.height) & (across >= 0) & (across < at.width)
        result[among] = patch[down[among], across[among]]
        return result
    rows, cols = _places(layer, box, wrap, table.margin)
    out: Ground = layer.terrain[np.ix_(rows, cols)]
    down, across = rows - at.top, cols - at.left
    if wrap:
        down, across = down % layer.cells.shape[0], across % layer.cells.shape[1]
    hit = ((down >= 0) & (down < at.height), (across >= 0) & (across < at.width))
    out[np.ix_(*hit)] = patch[np.ix_(down[hit[0]], across[hit[1]])]
    return out


def _places(
    layer: GroundLayer, box: Box, wrap: bool, more: int
) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    rows = np.arange(box.top - more, box.bottom + 1 + more)
    cols = np.arange(box.left - more, box.right + 1 + more)
    height, width = layer.cells.shape
    if wrap:
        return rows % height, cols % width
    last = keys_of(layer.kind_of_set).more
    return np.clip(rows, 0, height - 1 + last), np.clip(cols, 0, width - 1 + last)


def cells_reached(table: KnitTable, at: Box) -> Box:
    """Give the cells whose tile may be another one once terrain in a box is."""
    more = table.margin
    if table.homes is not None and table.homes.nearest is not None:
        more *= 3  # what lies beyond the border is as the nearest place inside, which may be aslant
    near = table.keys.more
    return Box(at.top - near - more, at.left - near - more, at.bottom + more, at.right + more)
