"""A sample of a terrain set, laid by itself: blobs, rings and paths of every terrain."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.hashing import cell_numbers
from knitground.core.knit.bridge import TerrainGraph, build_bridges
from knitground.core.knit.keys import Ground
from knitground.core.knit.sides import mend_sides, sides_along, with_sides
from knitground.core.knit.table import KnitTable, links
from knitground.core.model.terrain import SetKind

_BLOCK = 10
"""Cells that one terrain's shapes take, in each direction."""


def lay_sample(table: KnitTable, graph: TerrainGraph, count: int, columns: int = 3) -> Ground:
    """Lay a sample of a set.

    Parameters
    ----------
    table, graph : of the set
    count : of its terrains
    columns : blocks side by side

    Returns
    -------
    terrain as a ground layer holds it, (h + 1, w + 1): for each terrain a blob with a hole, a ring
    and single places, on the terrain that goes with most others, of those with a plain tile
    """
    blocks = max(1, min(count, 12))
    columns = min(columns, blocks)
    rows = -(-blocks // columns)
    shape = (rows * _BLOCK + 1, columns * _BLOCK + 1)
    if table.kind is SetKind.EDGE:
        return _paths(table, shape, blocks, columns)
    ground = np.zeros(shape, np.uint8)
    base = _most_linked(table, count) if table.kind is SetKind.CORNER else 0
    ground[:] = base
    shown = [t for t in range(1, count + 1) if t != base or count == 1][:blocks]
    for place, terrain in enumerate(shown):
        row, col = divmod(place, columns)
        mask = np.zeros(shape, np.bool_)
        inner = mask[row * _BLOCK + 1 : (row + 1) * _BLOCK, col * _BLOCK + 1 : (col + 1) * _BLOCK]
        inner[:] = _shapes(terrain)
        if table.kind is SetKind.RING:
            ground[mask] = terrain
        else:
            ground = build_bridges(table, graph, ground, mask, terrain)
    return ground


def _most_linked(table: KnitTable, count: int) -> int:
    linked = [t for pair in links(table) for t in pair if t]
    # On ground without a plain tile there would be gaps all over.
    return max(
        range(1, count + 1), key=lambda t: (table.has_plain(t), linked.count(t), -t), default=0
    )


def _shapes(terrain: int) -> NDArray[np.bool_]:
    """Draw a blob with a hole, a thin arm, a lone place and two that touch at a corner."""
    rows, cols = np.indices((_BLOCK - 1, _BLOCK - 1))
    rough = (cell_numbers(np.arange(_BLOCK - 1), np.arange(_BLOCK - 1), terrain) >> 24) / 255
    blob = (rows - 3.2) ** 2 + (cols - 3.4) ** 2 < 9.5 + 3.5 * (rough - 0.5)
    blob &= (rows - 3) ** 2 + (cols - 3) ** 2 > 0.5
    blob |= (rows == 7) & (cols >= 2) & (cols <= 6)
    blob |= (cols == 6) & (rows >= 5) & (rows <= 7)
    blob[1, 7] = blob[8, 8] = blob[7, 7] = True
    return np.asarray(blob)


def _paths(table: KnitTable, shape: tuple[int, int], blocks: int, columns: int) -> Ground:
    """Draw, for each terrain, a loop with a cross, a fork, bends and dead ends."""
    sides: Ground = np.zeros(shape, np.uint16)
    for place in range(blocks):
        row, col = (at * _BLOCK for at in divmod(place, columns))
        for path in (
            [(1, 1), (1, 7), (7, 7), (7, 1), (1, 1)],
            [(1, 4), (8, 4)], [(4, 1), (4, 8)], [(2, 2), (3, 2)], [(5, 5), (5, 6), (6, 6)],
        ):  # fmt: skip
            box, north, west = sides_along([(r + row, c + col) for r, c in path])
            part = (slice(box.top, box.bottom), slice(box.left, box.right))
            before = sides[part].copy()
            after = with_sides(before, north, west, place + 1)
            sides[part] = mend_sides(table, before, after, north, west)
    return sides
