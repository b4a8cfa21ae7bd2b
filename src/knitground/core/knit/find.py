"""Finding a cell that asks for a combination."""

from __future__ import annotations

import numpy as np

from knitground.core.base.window import Box
from knitground.core.knit.keys import Key
from knitground.core.knit.knit import terrain_of, without_rim
from knitground.core.knit.table import KnitTable
from knitground.core.model.layers import GroundLayer

_BAND = 64


def find_key(table: KnitTable, layer: GroundLayer, key: Key, wrap: bool) -> tuple[int, int] | None:
    """Find the first cell, row by row, that asks for a key; None if none does."""
    height, width = layer.cells.shape
    for top in range(0, height, _BAND):
        box = Box(top, 0, min(height, top + _BAND), width)
        ground = terrain_of(table, layer, box, wrap)
        ground = without_rim(ground, table.margin - table.kind.margin)
        places = np.argwhere(table.keys.asking(table, ground, key))
        if len(places):
            return top + int(places[0][0]), int(places[0][1])
    return None
