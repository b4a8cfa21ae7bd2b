"""Signatures and variants: from four terrains to the tiles that show them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from knitground.core.chance.draw import VARIANT_SLOTS, slot_table
from knitground.core.model.layers import EMPTY, GAP
from knitground.core.model.terrain import NOTHING, SetKind

CORNERS = 4


@dataclass(frozen=True, eq=False)
class KnitTable:
    """All that knitting looks up, worked out once for a terrain set.

    `base` is the number of terrains and one for nothing; the key of a cell with the marks
    NW NE SW SE is ((NW·base + NE)·base + SW)·base + SE. `first[key]` is where the key's 256 slots
    begin in `slots`, which hold places of the map's legend. Slots 0 … 255 are empty cells,
    256 … 511 are gaps.
    """

    base: int
    first: NDArray[np.int32]
    slots: NDArray[np.int32]
    variants: dict[int, tuple[tuple[int, float], ...]]

    def marks_of(self, key: int) -> tuple[int, int, int, int]:
        """Return the marks NW NE SW SE that a key stands for."""
        base = self.base
        north, south = divmod(key, base * base)
        return (*divmod(north, base), *divmod(south, base))

    def key_of(self, marks: Sequence[int]) -> int:
        """Return the key of the marks NW NE SW SE."""
        key = 0
        for mark in marks:
            key = key * self.base + int(mark)
        return key


def build_table(
    marks: NDArray[np.uint8],
    places: Sequence[int],
    weights: Sequence[float],
    terrain_count: int,
    kind: SetKind = SetKind.CORNER,
) -> KnitTable:
    """Group tiles with the same marks and lay out their slots.

    A tile without any mark, or with weight 0, is never chosen. Cells whose four vertices hold no
    terrain stay empty. Cells that touch nothing *and* terrain stay empty too, as long as the set
    has no tile that shows such a border; once it has one, a missing border is a gap like any other.

    Parameters
    ----------
    marks : (n, 8) uint8. The order of the tiles counts: it decides which draw gives which
        variant, so it must be that of the sheet, not that of the legend, which differs from
        session to session
    places : (n,) places of the tiles in the map's legend
    weights : (n,) 0 or more
    terrain_count : 1 to 16
    """
    base = terrain_count + 1
    corners = np.asarray(marks, np.int64)[:, list(kind.slots)]
    usable = (corners.max(axis=1) <= terrain_count) & corners.any(axis=1)
    keys = ((corners[:, 0] * base + corners[:, 1]) * base + corners[:, 2]) * base + corners[:, 3]
    variants: dict[int, list[tuple[int, float]]] = {}
    for tile in np.flatnonzero(usable).tolist():
        if weights[tile] > 0:
            variants.setdefault(int(keys[tile]), []).append((places[tile], weights[tile]))
    blocks = [np.full(VARIANT_SLOTS, EMPTY, np.int32), np.full(VARIANT_SLOTS, GAP, np.int32)]
    first = np.full(base**CORNERS, VARIANT_SLOTS, np.int32)
    has_border = any(NOTHING in _marks(key, base) for key in variants)
    if not has_border:
        first[_touching_nothing(base)] = 0
    first[0] = 0
    for key, tiles in variants.items():
        first[key] = VARIANT_SLOTS * len(blocks)
        kept = tiles[:VARIANT_SLOTS]
        values = np.array([place for place, _ in kept], np.int32)
        blocks.append(slot_table(values, [weight for _, weight in kept], VARIANT_SLOTS))
    frozen = {key: tuple(tiles) for key, tiles in variants.items()}
    return KnitTable(base, first, np.concatenate(blocks), frozen)


def _marks(key: int, base: int) -> tuple[int, ...]:
    return tuple(key // base**power % base for power in (3, 2, 1, 0))


def _touching_nothing(base: int) -> NDArray[np.bool_]:
    terrain = np.indices((base,) * CORNERS).reshape(CORNERS, -1)
    touching: NDArray[np.bool_] = (terrain == NOTHING).any(axis=0)
    return touching


def links(table: KnitTable) -> set[tuple[int, int]]:
    """Find pairs of terrains that some tile shows together, smaller number first.

    Nothing (0) counts as a terrain here: a set may have tiles that border on nothing.
    """
    found: set[tuple[int, int]] = set()
    for key in table.variants:
        kinds = sorted(set(table.marks_of(key)))
        if len(kinds) == 2:
            found.update(pairwise(kinds))
    return found
