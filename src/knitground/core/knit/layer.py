"""The look-up table of a ground layer, from the project's marks and weights."""

from __future__ import annotations

import numpy as np

from knitground.core.base.window import whole
from knitground.core.knit.knit import knit_box
from knitground.core.knit.table import KnitTable, build_table
from knitground.core.model.layers import GAP, GroundLayer
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.tileset import TileRef


def layer_table(project: Project, map_: Map, layer: GroundLayer) -> KnitTable:
    """Build the table for a layer; a set that is not there makes one with no tiles."""
    found = project.set_of(layer.tileset, layer.set_name)
    if found is None:
        return build_table(np.zeros((0, 8), np.uint8), [], [], int(layer.terrain.max(initial=1)))
    owner, kit = found
    marks = kit.marks_within(owner.rows, owner.columns)
    for row, col in owner.left_out:
        if owner.has(row, col):
            marks[row, col] = 0
    rows, cols = np.nonzero(marks.any(axis=2))
    places = [
        map_.legend.place(TileRef(owner.name, int(row), int(col))) for row, col in zip(rows, cols)
    ]
    weights = [owner.weight(int(row), int(col)) for row, col in zip(rows, cols)]
    return build_table(marks[rows, cols], places, weights, max(1, len(kit.terrains)), kit.kind)


def knit_map(project: Project, map_: Map) -> int:
    """Knit all ground layers of a map afresh; returns the number of gaps."""
    gaps = 0
    for layer in map_.layers:
        if isinstance(layer, GroundLayer):
            layer.cells[:] = knit_box(layer_table(project, map_, layer), layer, whole(layer.cells))
            gaps += int((layer.cells == GAP).sum())
    return gaps
