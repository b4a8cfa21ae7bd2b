"""Sides of cells: painting for edge sets, along a path or on whole cells."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.window import Box
from knitground.core.knit.repair import CellPlaces, Problem
from knitground.core.knit.table import KnitTable

SideMask = tuple[Box, NDArray[np.bool_], NDArray[np.bool_]]
"""A box (h, w) of places, which sides north of its cells, and which sides west of them, (h, w)."""


def sides_of(box: Box, mask: NDArray[np.bool_]) -> SideMask:
    """Give all four sides of the cells where a mask is true."""
    full = Box(box.top, box.left, box.bottom + 1, box.right + 1)
    north = np.zeros((full.height, full.width), np.bool_)
    west = north.copy()
    north[:-1, :-1] |= mask
    north[1:, :-1] |= mask
    west[:-1, :-1] |= mask
    west[:-1, 1:] |= mask
    return full, north, west


def sides_along(cells: Sequence[tuple[int, int]]) -> SideMask:
    """Give the sides that a path through cells crosses: it joins only what it passes through.

    Parameters
    ----------
    cells : rows and columns; steps may be long, and are then taken down first and across after

    Examples
    --------
    >>> box, north, west = sides_along([(0, 0), (0, 2)])
    >>> (box.height, box.width), west.astype(int).tolist(), north.any()
    ((2, 4), [[0, 1, 1, 0], [0, 0, 0, 0]], np.False_)
    """
    norths: list[tuple[int, int]] = []
    wests: list[tuple[int, int]] = []
    for (row, col), (to_row, to_col) in pairwise(cells):
        low, high = sorted((row, to_row))
        norths += [(r, col) for r in range(low + 1, high + 1)]
        low, high = sorted((col, to_col))
        wests += [(to_row, c) for c in range(low + 1, high + 1)]
    rows = [row for row, _ in cells]
    cols = [col for _, col in cells]
    box = Box(min(rows), min(cols), max(rows) + 2, max(cols) + 2)
    north = np.zeros((box.height, box.width), np.bool_)
    west = north.copy()
    for row, col in norths:
        north[row - box.top, col - box.left] = True
    for row, col in wests:
        west[row - box.top, col - box.left] = True
    return box, north, west


def with_sides(
    sides: NDArray[np.uint16],
    north: NDArray[np.bool_],
    west: NDArray[np.bool_],
    value: int,
) -> NDArray[np.uint16]:
    """Give sides some of a value: a new array like `sides`."""
    low = np.where(north, np.uint16(value), sides & 255)
    high = np.where(west, np.uint16(value), sides >> 8)
    return np.asarray(low | high << 8, np.uint16)


def mend_sides(
    table: KnitTable,
    before: NDArray[np.uint16],
    after: NDArray[np.uint16],
    north: NDArray[np.bool_],
    west: NDArray[np.bool_],
    torus: tuple[bool, bool] = (False, False),
    searches: int = 400,
) -> NDArray[np.uint16]:
    """Change as few other sides as may be, so that every cell near painted ones has a tile.

    Parameters
    ----------
    before, after : (h, w) sides as they were and with the painting; see `GroundLayer.terrain`
    north, west : (h, w) what was painted
    torus : whether the window is the whole of a map that wraps, down and across

    Returns
    -------
    (h, w) uint16; `after` itself where nothing fits: its gaps are shown
    """
    planes = _planes(before), _planes(after)
    cells = side_cells(before.shape[0], before.shape[1], torus)
    fixed = np.stack([north, west])
    for axis, closed in enumerate(torus):
        if not closed:
            ends = [slice(None)] * 3
            for end in (0, -1):
                ends[axis + 1] = slice(end, None if end else 1)
                fixed[tuple(ends)] = True
    problem = Problem(table, cells, planes[0], fixed, planes[1])
    if not problem.conflicts(planes[1].ravel()).any():
        return after
    found = problem.search(planes[1], searches)
    if found is None:
        return after
    return np.asarray(found[0] | found[1] << 8, np.uint16)


def _planes(sides: NDArray[np.uint16]) -> NDArray[np.uint16]:
    return np.stack([sides & 255, sides >> 8])


def side_cells(height: int, width: int, torus: tuple[bool, bool] = (False, False)) -> CellPlaces:
    """Give the sides north, west, south and east of every cell in a window of places.

    Places are numbered north sides first, (height, width), then west sides.
    """
    at = np.arange(height * width).reshape(height, width)
    below = np.roll(at, -1, axis=0)
    right = np.roll(at, -1, axis=1)
    rows = slice(None) if torus[0] else slice(0, -1)
    cols = slice(None) if torus[1] else slice(0, -1)
    parts = (at, at + at.size, below, right + at.size)
    return np.stack([part[rows, cols].ravel() for part in parts], axis=1)
