"""Which combinations of marks a layer asks for and the tileset lacks."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from knitground.core.knit.table import KnitTable
from knitground.core.model.terrain import TerrainSet


def missing_combinations(
    table: KnitTable, kit: TerrainSet, terrain: NDArray[np.uint8]
) -> list[tuple[tuple[str, ...], int]]:
    """Name the combinations that become gaps, most frequent first.

    Parameters
    ----------
    terrain : (h + 1, w + 1) uint8

    Returns
    -------
    list of (names at NW NE SW SE, cells)
    """
    ground = terrain.astype(np.int64)
    pairs = ground[:, :-1] * table.base + ground[:, 1:]
    keys = pairs[:-1] * table.base**2 + pairs[1:]
    counts = np.bincount(keys.ravel(), minlength=table.base**4)
    gaps = np.flatnonzero((counts > 0) & (table.first[: len(counts)] == 256))
    ordered = sorted(gaps, key=lambda key: -counts[key])
    return [
        (tuple(kit.name_of(mark) for mark in table.marks_of(int(key))), int(counts[key]))
        for key in ordered
    ]
