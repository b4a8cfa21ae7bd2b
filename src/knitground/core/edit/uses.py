"""How often the maps use each tile."""

from __future__ import annotations

import numpy as np

from knitground.core.model.project import Project

_COUNTED_CELLS = 4_000_000


def count_uses(project: Project, tileset: str) -> dict[tuple[int, int], int]:
    """Count the cells that show each tile of a tileset, by row and column.

    Cells of ground layers count as far as they have been knitted. Of very large maps one row in so
    many is counted and the number scaled, so that asking stays quick.
    """
    uses: dict[tuple[int, int], int] = {}
    for map_ in project.maps:
        step = max(1, map_.height * map_.width * len(map_.layers) // _COUNTED_CELLS)
        tiles = map_.legend.tiles  # it may grow while this goes on beside the window
        counts = np.zeros(len(tiles), np.int64)
        for layer in map_.layers:
            if not layer.holds_tiles:
                continue
            seen = layer.cells[::step]
            counts += np.bincount(np.maximum(seen, 0).ravel(), minlength=len(counts))[: len(counts)]
        for place, tile in enumerate(tiles):
            if tile is not None and tile.tileset == tileset and counts[place]:
                at = (tile.row, tile.col)
                uses[at] = uses.get(at, 0) + int(counts[place]) * step
    return uses
