"""The picture of a fault: what the map shows round it, or the tile that it is about."""

from __future__ import annotations

from functools import partial

import numpy as np
from numpy.typing import NDArray

from knitground.core.edit.document import Document
from knitground.core.model.lattice import Cell, Rect
from knitground.core.model.map import Map, grid_of
from knitground.core.proof.finding import Finding
from knitground.core.render.atlas import Atlas
from knitground.core.render.stack import draw_map, stack_of
from knitground.core.render.tiles import tile_pixels

_ROUND = 1.5
"""Sides of a cell that are seen at least."""


def cell_on_map(map_: Map, finding: Finding, cell: Cell) -> Cell:
    """Give the cell of the map under one of the finding's layer, which may have its own grid."""
    layer = map_.layer_numbered(finding.layer)
    if layer is None or layer.own_cell is None:
        return cell
    return map_.lattice.cell_at(*grid_of(map_, layer).lattice.middle(*cell))


def place_picture(
    doc: Document, atlas: Atlas, map_: Map, finding: Finding, wide: int, high: int
) -> NDArray[np.uint32] | None:
    """Draw the map round a finding's first place.

    Parameters
    ----------
    wide, high : pixels to be seen; where cells are large, so many times as much

    Returns
    -------
    (high, wide) uint32, premultiplied, or a multiple of it; None if nothing of it lies on the map
    """
    row, col = cell_on_map(map_, finding, finding.places[0])
    x, y = map_.lattice.place(row + finding.spot[0], col + finding.spot[1])
    larger = max(1, -(-round(map_.lattice.longer * _ROUND) // wide))
    rect = Rect(round(x - wide * larger / 2), round(y - high * larger / 2),
                wide * larger, high * larger)  # fmt: skip
    seen = rect.shared(Rect(0, 0, *map_.lattice.extent))
    if seen.is_empty:
        return None
    stack = stack_of(map_, atlas, seen, 0, partial(doc.cells, map_))
    out = np.zeros((int(rect.height), int(rect.width)), np.uint32)
    top, left = int(seen.y - rect.y), int(seen.x - rect.x)
    drawn = draw_map(map_, atlas, stack)
    out[top : top + drawn.shape[0], left : left + drawn.shape[1]] = drawn
    return out


def tile_picture(doc: Document, finding: Finding) -> NDArray[np.uint32] | None:
    """Draw the tile that a finding is about; None if there is none, or its sheet is missing."""
    owner = doc.project.tileset_named(finding.tile.tileset) if finding.tile else None
    return tile_pixels(owner, finding.tile) if owner is not None and finding.tile else None
