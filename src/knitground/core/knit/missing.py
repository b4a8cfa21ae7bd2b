"""Which combinations of marks a layer asks for and the tileset lacks."""

from __future__ import annotations

import numpy as np

from knitground.core.base.window import Box
from knitground.core.knit.keys import Key, keys_of
from knitground.core.knit.knit import knit_box, terrain_of, without_rim
from knitground.core.knit.table import KnitTable
from knitground.core.model.layers import GAP, GroundLayer
from knitground.core.model.terrain import TerrainSet

_BAND = 256


def missing_keys(table: KnitTable, layer: GroundLayer, wrap: bool) -> list[tuple[Key, int]]:
    """List the keys that become gaps on a layer and how many cells ask for each, most first."""
    counts = [(key, cells) for key, cells, _, _ in gap_keys(table, layer, wrap)]
    return sorted(counts, key=lambda item: (-item[1], item[0]))


def gap_keys(table: KnitTable, layer: GroundLayer, wrap: bool) -> list[tuple[Key, int, int, int]]:
    """List what the gaps of a layer ask for: key, how many cells, and row and column of one.

    It knits the layer for that, band by band, and changes nothing.
    """
    height, width = layer.cells.shape
    counts: dict[Key, list[int]] = {}
    for top in range(0, height, _BAND):
        box = Box(top, 0, min(height, top + _BAND), width)
        cells = knit_box(table, layer, box, wrap=wrap)
        rows, cols = np.nonzero(cells == GAP)
        if not rows.size:
            continue
        ground = terrain_of(table, layer, box, wrap)
        ground = without_rim(ground, table.margin - table.kind.margin)
        keys = table.keys.keys_at(table, ground, rows, cols)
        for key, row, col in zip(keys, rows.tolist(), cols.tolist()):
            counts.setdefault(key, [0, top + row, col])[0] += 1
    return [(key, count, row, col) for key, (count, row, col) in counts.items()]


def key_words(kit: TerrainSet, key: Key) -> str:
    """Say a key in words: what a tile would have to show."""
    return keys_of(kit.kind).words(kit, key)
