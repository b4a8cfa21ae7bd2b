"""Signatures and variants: from the terrain round a cell to the tiles that show it.

A cell's *code* is a small number that stands for what it asks of a tile:

- corner and edge sets read four marks, in two pairs: north-west and north-east, then south-west and
  south-east; or north and west, then south and east. Each pair is looked up in a table of the pairs
  that tiles have, so that 64 terrains need no table of 65⁴ places.
- ring sets read the cell's terrain and eight bits, one for each neighbour of the same terrain; a
  corner counts only where both its sides do, which leaves 47 of 256.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cache
from itertools import product

import numpy as np
from numpy.typing import NDArray

from knitground.core.chance.draw import VARIANT_SLOTS, slot_table
from knitground.core.model.layers import EMPTY, GAP
from knitground.core.model.terrain import ANY, NOTHING, SetKind, Slot
from knitground.core.rules.ruletable import RuleTable

Key = tuple[int, ...]
"""Four marks in the order of the kind's slots; of ring sets the terrain and the reduced bits."""
Variants = tuple[tuple[int, float], ...]
"""Place in the legend and weight of each."""

_MOST_EXPANDED = 70_000
RING_BITS = (Slot.N, Slot.NE, Slot.E, Slot.SE, Slot.S, Slot.SW, Slot.W, Slot.NW)


@cache
def reduced(bits: int) -> int:
    """Leave out corners that have not both their sides: 256 patterns become 47.

    Examples
    --------
    >>> reduced(0b00000010), reduced(0b00000111), len({reduced(n) for n in range(256)})
    (0, 7, 47)
    """
    out = bits
    for corner in (1, 3, 5, 7):
        sides = (1 << (corner - 1)) | (1 << ((corner + 1) % 8))
        if bits & sides != sides:
            out &= ~(1 << corner)
    return out


@cache
def patterns_of(bits: int) -> tuple[int, ...]:
    """List the patterns of the 256 that come to one of the 47.

    Examples
    --------
    >>> len(patterns_of(0)), patterns_of(0b11111111)
    (16, (255,))
    """
    return tuple(each for each in range(256) if reduced(each) == bits)


def plain_key(kind: SetKind, terrain: int) -> Key:
    """Give what a cell with nothing but a terrain round it asks for."""
    return (terrain, 255) if kind is SetKind.RING else (terrain,) * 4


@dataclass(frozen=True, eq=False)
class KnitTable:
    """All that knitting looks up, worked out once for a terrain set.

    `first[code]` is where the code's 256 slots begin in `slots`, which hold places of the map's
    legend; slots 0 … 255 are empty cells, 256 … 511 are gaps. `inside[code]` is the same for cells
    whose eight neighbours have the same code; None if no tile is kept for those alone.
    `north[a · (base + 1) + b] + south[c · (base + 1) + d]` is the code of four marks; `base` is the
    number of terrains and one for nothing, and stands for every number that is too high.
    `variants` lists the tiles by key, `inner` those that are only for such cells. `rules` are those
    of the set, if it has any that can be used.
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
        key = plain_key(self.kind, terrain)
        return key in self.variants or key in self.inner

    def code_of(self, key: Key) -> int:
        """Return the code of a key."""
        if self.kind is SetKind.RING:
            return key[0] * 256 + key[1]
        side = self.base + 1
        north, south = key[0] * side + key[1], key[2] * side + key[3]
        return int(self.north[north]) + int(self.south[south])

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
            known[row] = tile_keys(row, terrain_count, kind)
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


def tile_keys(marks: Sequence[int], terrain_count: int, kind: SetKind) -> tuple[int, list[Key]]:
    """Give the keys that a tile's marks fit, and how many of its slots may be anything.

    Parameters
    ----------
    marks : (8 or 9,)
    """
    if kind is SetKind.RING:
        return _ring_keys(marks, terrain_count)
    own = [int(marks[slot]) for slot in kind.slots]
    vague = own.count(ANY)
    named = [mark for mark in own if mark != ANY]
    if any(mark > terrain_count for mark in named) or not any(own):
        return 0, []
    choices = [range(terrain_count + 1) if mark == ANY else (mark,) for mark in own]
    count = (terrain_count + 1) ** vague
    if count > _MOST_EXPANDED:
        # With very many terrains a tile that may be anything at all stands for plain cells.
        return vague, [(mark,) * 4 for mark in range(1, terrain_count + 1)]
    return vague, [key for key in product(*choices) if any(key)]


def _ring_keys(marks: Sequence[int], terrain_count: int) -> tuple[int, list[Key]]:
    if len(marks) <= Slot.MIDDLE:
        return 0, []
    middle = int(marks[Slot.MIDDLE])
    if not 0 < middle <= terrain_count:
        return 0, []
    vague = [n for n, slot in enumerate(RING_BITS) if marks[slot] == ANY]
    sure = sum(1 << n for n, slot in enumerate(RING_BITS) if marks[slot] == middle)
    patterns = {
        reduced(sure + sum(1 << n for n, on in zip(vague, chosen) if on))
        for chosen in product((False, True), repeat=len(vague))
    }
    return len(vague), [(middle, bits) for bits in sorted(patterns)]


def _table(groups: dict[Key, _Group], terrain_count: int, kind: SetKind) -> KnitTable:
    base = terrain_count + 1
    north, south = _pair_codes(groups, base, kind)
    blocks = [np.full(VARIANT_SLOTS, EMPTY, np.int32), np.full(VARIANT_SLOTS, GAP, np.int32)]
    first = _without_tiles(groups, north, south, base, kind)
    has_inner = any(group.inner for group in groups.values())
    inside = first.copy() if has_inner else None
    table = KnitTable(kind, base, north, south, first, inside, np.zeros(0, np.int32), {})

    def lay(tiles: list[tuple[int, float]]) -> int:
        kept = tiles[:VARIANT_SLOTS]
        values = np.array([place for place, _ in kept], np.int32)
        blocks.append(slot_table(values, [weight for _, weight in kept], VARIANT_SLOTS))
        return VARIANT_SLOTS * (len(blocks) - 1)

    for key, group in groups.items():
        codes = _codes_of(table, key)
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


def _codes_of(table: KnitTable, key: Key) -> list[int]:
    if table.kind is not SetKind.RING:
        return [table.code_of(key)]
    return [key[0] * 256 + bits for bits in patterns_of(key[1])]


def _pair_codes(
    groups: dict[Key, _Group], base: int, kind: SetKind
) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    """Number the pairs that tiles have; 0: both nothing, 1: one is nothing, 2: any other pair."""
    if kind is SetKind.RING:
        return np.zeros(0, np.int32), np.zeros(0, np.int32)
    plain = np.full((base + 1, base + 1), 2, np.int32)
    plain[0, :base] = plain[:base, 0] = 1
    plain[0, 0] = 0
    tables = []
    for part in (slice(0, 2), slice(2, 4)):
        codes = plain.copy()
        for number, pair in enumerate(sorted({key[part] for key in groups} - {(0, 0)}), 3):
            codes[pair] = number
        tables.append(codes.ravel())
    return tables[0] * (int(tables[1].max()) + 1), tables[1]


def _without_tiles(
    groups: dict[Key, _Group],
    north: NDArray[np.int32],
    south: NDArray[np.int32],
    base: int,
    kind: SetKind,
) -> NDArray[np.int32]:
    """Say for every code whether a cell without a tile is empty or a gap."""
    if kind is SetKind.RING:
        first = np.full((base + 1) * 256, VARIANT_SLOTS, np.int32)
        first[:256] = 0
        return first
    stride = int(south.max()) + 1
    first = np.full(int(north.max()) + stride, VARIANT_SLOTS, np.int32)
    has_border = kind is SetKind.EDGE or any(NOTHING in key for key in groups)
    if not has_border:
        grid = first.reshape(-1, stride)
        grid[:2] = 0
        grid[:, :2] = 0
    first[0] = 0
    return first


def links(table: KnitTable) -> set[tuple[int, int]]:
    """Find pairs of terrains that some tile shows together, smaller number first.

    Nothing (0) counts as a terrain here: a set may have tiles that border on nothing. Ring sets
    have none: a cell's terrain asks nothing of its neighbours' but whether it is the same.
    """
    found: set[tuple[int, int]] = set()
    if table.kind is SetKind.RING:
        return found
    for key in table.variants:
        kinds = sorted(set(key))
        if len(kinds) == 2:
            found.add((kinds[0], kinds[1]))
    return found
