"""Finding a cell that asks for a combination."""

from __future__ import annotations

import numpy as np

from knitground.core.base.window import Box
from knitground.core.knit.knit import codes_in, terrain_of, without_rim
from knitground.core.knit.table import Key, KnitTable, patterns_of
from knitground.core.model.layers import GroundLayer
from knitground.core.model.terrain import SetKind

_BAND = 64


def find_key(table: KnitTable, layer: GroundLayer, key: Key, wrap: bool) -> tuple[int, int] | None:
    """Find the first cell, row by row, that asks for a key; None if none does."""
    height, width = layer.cells.shape
    for top in range(0, height, _BAND):
        box = Box(top, 0, min(height, top + _BAND), width)
        ground = terrain_of(table, layer, box, wrap)
        ground = without_rim(ground, table.margin - table.kind.margin)
        if table.kind is SetKind.RING:
            codes = codes_in(table, ground)
            wanted = [key[0] * 256 + bits for bits in patterns_of(key[1])]
            hit = np.isin(codes, wanted)
        elif table.kind is SetKind.EDGE:
            here, south, east = ground[:-1, :-1], ground[1:, :-1], ground[:-1, 1:]
            hit = ((here & 255) == key[0]) & ((here >> 8) == key[1])
            hit &= ((south & 255) == key[2]) & ((east >> 8) == key[3])
        else:
            hit = (ground[:-1, :-1] == key[0]) & (ground[:-1, 1:] == key[1])
            hit &= (ground[1:, :-1] == key[2]) & (ground[1:, 1:] == key[3])
        places = np.argwhere(hit)
        if len(places):
            return top + int(places[0][0]), int(places[0][1])
    return None
