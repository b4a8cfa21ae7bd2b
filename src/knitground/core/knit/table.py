"""Variants: the tiles for all that cells of a set can ask for, laid out for looking up.

What cells ask for, and the codes that stand for it, is the matter of `keys.py`.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from knitground.core.chance.draw import VARIANT_SLOTS, slot_table
from knitground.core.knit.keys import Key, Keys, keys_of
from knitground.core.model.layers import EMPTY, GAP
from knitground.core.model.standing import Homes
from knitground.core.model.terrain import SetKind
from knitground.core.rules.ruletable import RuleTable

Variants = tuple[tuple[int, float], ...]
"""Place in the legend and weight of each."""


@dataclass(frozen=True, eq=False)
class KnitTable:
    """All that knitting looks up, worked out once for a terrain set.

    `first[code]` is where the code's 256 slots begin in `slots`, which hold places of the map's
    legend; slots 0 … 255 are empty cells, 256 … 511 are gaps. `inside[code]` is the same for cells
    whose eight neighbours have the same code; None if no tile is kept for those alone.
    `north[a · (base + 1) + b] + south[c · (base + 1) + d]` is the code of four marks; `base` is the
    number of terrains and one for nothing, and stands for every number that is too high.
    `variants` lists the tiles by key, `inner` those that are only for such cells. `rules` are those
    of the set, if it has any that can be used. `exists` tells which cells of the layer there are,
    if not all: the others stay empty; `homes` then gives for each place the one whose terrain
    counts, `shown` which places lie on or round such cells.
    """

    kind: SetKind
    base: int
    north: NDArray[np.int32]
    south: NDArray[np.int32]
    first: NDArray[np.int32]
    inside: NDArray[np.int32] | None
    slots: NDArray[np.int32]
    variants: dict[Key, Variants]
    inner: dict[Key, Variants] = field(default_factory=dict)
    rules: RuleTable | None = None
    exists: NDArray[np.bool_] | None = None
    homes: Homes | None = None
    shown: NDArray[np.bool_] | None = None

    @property
    def keys(self) -> Keys:
        """What cells of such a set ask."""
        return keys_of(self.kind)

    @property
    def margin(self) -> int:
        """How many cells further than a cell itself its tile depends on."""
        far = self.rules.margin if self.rules is not None else 0
        return max(self.mark_margin, far)

    @property
    def mark_margin(self) -> int:
        """How many cells further than a cell itself what marks give it depends on."""
        return self.kind.margin + (self.inside is not None)

    def has_plain(self, terrain: int) -> bool:
        """Whether a cell with nothing but a terrain round it has a tile."""
        key = self.keys.plain(terrain)
        return key in self.variants or key in self.inner

    def code_of(self, key: Key) -> int:
        """Return the code of a key."""
        return self.keys.code(self, key)

    def fits(self, key: Key) -> bool:
        """Tell whether a cell that asks for this gets a tile, or is empty as it should be."""
        return int(self.first[self.code_of(key)]) != VARIANT_SLOTS

    def candidates(self, key: Key, inside: bool = False) -> Variants:
        """List the tiles for a key; `inside`: with those kept for cells among their like."""
        both = self.variants.get(key, ())
        return both + self.inner.get(key, ()) if inside else both


@dataclass
class _Group:
    plain: list[tuple[int, float]] = field(default_factory=list)
    inner: list[tuple[int, float]] = field(default_factory=list)


def build_table(
    marks: NDArray[np.uint8],
    places: Sequence[int],
    weights: Sequence[float],
    terrain_count: int,
    kind: SetKind = SetKind.CORNER,
    inner: Sequence[bool] = (),
    ruled: Mapping[Key, Variants] | None = None,
) -> KnitTable:
    """Group tiles with the same marks and lay out their slots.

    A tile without any mark, or with weight 0, is never chosen. A mark “any” fits everything, but
    only where no tile fits whose marks say more. Cells that ask for nothing stay empty. Cells of a
    corner set that touch nothing *and* terrain stay empty too, as long as the set has no tile that
    shows such a border; once it has one, a missing border is a gap like any other.

    Parameters
    ----------
    marks : (n, 8 or 9) uint8. The order of the tiles counts: it decides which draw gives which
        variant, so it must be that of the sheet, not that of the legend, which differs from
        session to session
    places : (n,) places of the tiles in the map's legend
    weights : (n,) 0 or more
    terrain_count : 1 to 64
    inner : (n,) tiles that are only for cells whose eight neighbours ask for the same
    ruled : tiles that rules are sure to give to keys; they stand in where no tile is marked so
    """
    groups: dict[Key, _Group] = {}
    only = list(inner) or [False] * len(places)
    known: dict[tuple[int, ...], tuple[int, list[Key]]] = {}  # many tiles are marked alike
    keys: list[tuple[int, list[Key]]] = []
    for row in map(tuple, np.asarray(marks, np.int64).tolist()):
        if row not in known:
            known[row] = keys_of(kind).of_marks(row, terrain_count)
        keys.append(known[row])
    for vague in sorted({v for v, _ in keys}):
        fresh: dict[Key, _Group] = {}
        for tile, (loose, fitting) in enumerate(keys):
            if loose != vague or not weights[tile] > 0:
                continue
            for key in fitting:
                if key not in groups:
                    group = fresh.setdefault(key, _Group())
                    chosen = group.inner if only[tile] else group.plain
                    chosen.append((places[tile], weights[tile]))
        groups.update(fresh)
    for key, tiles in (ruled or {}).items():
        groups.setdefault(key, _Group(plain=list(tiles)))
    return _table(groups, terrain_count, kind)


def _table(groups: dict[Key, _Group], terrain_count: int, kind: SetKind) -> KnitTable:
    base = terrain_count + 1
    asks = keys_of(kind)
    north, south = asks.pair_codes(groups, base)
    blocks = [np.full(VARIANT_SLOTS, EMPTY, np.int32), np.full(VARIANT_SLOTS, GAP, np.int32)]
    first = asks.without_tiles(groups, north, south, base)
    has_inner = any(group.inner for group in groups.values())
    inside = first.copy() if has_inner else None
    table = KnitTable(kind, base, north, south, first, inside, np.zeros(0, np.int32), {})

    def lay(tiles: list[tuple[int, float]]) -> int:
        kept = tiles[:VARIANT_SLOTS]
        values = np.array([place for place, _ in kept], np.int32)
        blocks.append(slot_table(values, [weight for _, weight in kept], VARIANT_SLOTS))
        return VARIANT_SLOTS * (len(blocks) - 1)

    for key, group in groups.items():
        codes = asks.codes(table, key)
        if group.plain:
            first[codes] = lay(group.plain)
        if inside is not None:
            inside[codes] = lay(group.plain + group.inner) if group.inner else first[codes]
    return KnitTable(
        kind,
        base,
        north,
        south,
        first,
        inside,
        np.concatenate(blocks),
        {key: tuple(group.plain) for key, group in groups.items() if group.plain},
        {key: tuple(group.inner) for key, group in groups.items() if group.inner},
    )


def links(table: KnitTable) -> set[tuple[int, int]]:
    """Find pairs of terrains that some tile shows together, smaller number first.

    Nothing (0) counts as a terrain here: a set may have tiles that border on nothing. Ring sets
    have none: a cell's terrain asks nothing of its neighbours' but whether it is the same.
    """
    return table.keys.links(table.variants)
