"""Which cells of a map nobody can stand on: something solid covers their middle."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from knitground.core.model.layers import Cells, Layer
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.shapes import Shapes
from knitground.core.model.tile import TileRef
from knitground.core.shapes.geometry import outline

SOLID = "solid"
"""The kind of shapes that nobody walks through."""


def blocked_cells(
    project: Project, map_: Map, cells_of: Callable[[Layer], Cells]
) -> NDArray[np.bool_] | None:
    """Tell which cells are blocked: (rows, columns) of the map; None if no tile of it is solid.

    Layers that are hidden, or have cells of their own, block nobody.
    """
    out = np.zeros((map_.height, map_.width), np.bool_)
    known = False
    for layer in map_.layers:
        if not layer.holds_tiles or not layer.visible or layer.own_cell is not None:
            continue
        cells = cells_of(layer)  # this may add to the legend
        solid = np.array([tile is not None and _is_solid(project, map_, tile)
                          for tile in map_.legend.tiles])  # fmt: skip
        if solid.any():
            known = True
            out |= solid.take(cells, mode="clip")  # what is no tile is less than 1: never solid
    return out if known else None


def _is_solid(project: Project, map_: Map, tile: TileRef) -> bool:
    owner = project.tileset_named(tile.tileset)
    if owner is None or not owner.has(tile.row, tile.col):
        return False
    fact = owner.fact(tile.row, tile.col)
    if not fact.shapes:
        return False
    high = owner.slicing.tile_area(tile.row, tile.col)[3]
    down, across = (side / 2 for side in map_.lattice.cell_size)
    return _covers(fact.shapes, fact.anchor or (across, high - down))


@lru_cache(maxsize=4096)
def _covers(shapes: Shapes, middle: tuple[float, float]) -> bool:
    """Tell whether something solid covers a pixel of a tile."""
    from shapely import Point, Polygon  # late: it is slow to import

    return any(Polygon(outline(each)).buffer(0.01).covers(Point(*middle))
               for each in shapes if each.kind == SOLID)  # fmt: skip
