"""What cells ask of tiles: one object for each kind of set, and no other part of knitting asks.

A cell's *key* says what a tile has to show, its *code* is a small number that stands for it:

- corner and edge sets read four marks, in two pairs: north-west and north-east, then south-west and
  south-east; or north and west, then south and east. Each pair is looked up in a table of the pairs
  that tiles have, so that 64 terrains need no table of 65⁴ places.
- ring sets read the cell's terrain and eight bits, one for each neighbour of the same terrain; a
  corner counts only where both its sides do, which leaves 47 of 256.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Collection, Iterator, Sequence
from itertools import combinations, product
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.tongue import say
from knitground.core.chance.draw import VARIANT_SLOTS
from knitground.core.knit.ring import RING_BITS, STEPS, patterns_of, reduced
from knitground.core.model.terrain import ANY, NOTHING, SetKind, Slot, TerrainSet

Key = tuple[int, ...]
"""Four marks in the order of the kind's slots; of ring sets the terrain and the reduced bits."""
Ground = NDArray[Any]
"""Terrain as a ground layer holds it: uint8, of edge sets uint16 (`GroundLayer.terrain`)."""


class PairCodes(Protocol):
    """Of a table, what makes codes of marks: see `KnitTable`."""

    @property
    def base(self) -> int:
        """Number of terrains, and one for nothing."""

    @property
    def north(self) -> NDArray[np.int32]:
        """By the marks of the upper two corners."""

    @property
    def south(self) -> NDArray[np.int32]:
        """By the marks of the lower two."""


Codes = NDArray[np.int32]
Group = tuple[tuple[int, ...], Key]
"""Terrains that a key is listed under, and the key."""

_MOST_EXPANDED = 70_000
_MOST_LISTED = 20_000


class Keys(ABC):
    """What cells of one kind of set ask."""

    kind: SetKind
    more = 1
    """How many rows and columns of terrain there are beyond those of cells."""

    # One key

    @abstractmethod
    def plain(self, terrain: int) -> Key:
        """Give what a cell with nothing but a terrain round it asks for."""

    @abstractmethod
    def of_marks(self, marks: Sequence[int], terrain_count: int) -> tuple[int, list[Key]]:
        """Give how many slots of a tile may be anything, and the keys that its marks fit.

        Parameters
        ----------
        marks : (8 or 9,)
        """

    @abstractmethod
    def code(self, table: PairCodes, key: Key) -> int:
        """Return the code of a key."""

    def codes(self, table: PairCodes, key: Key) -> list[int]:
        """List all codes that stand for a key."""
        return [self.code(table, key)]

    @abstractmethod
    def told(self, kit: TerrainSet, key: Key) -> tuple[tuple[str, ...], tuple[str, ...]]:
        """Name what a key reads, and what is there."""

    @abstractmethod
    def words(self, kit: TerrainSet, key: Key) -> str:
        """Say a key in words: what a tile would have to show."""

    # Tables

    @abstractmethod
    def pair_codes(self, keys: Collection[Key], base: int) -> tuple[Codes, Codes]:
        """Number the pairs of marks that tiles have, north and south, so that their sum is a code.

        Parameters
        ----------
        base : terrains and one for nothing; it stands for numbers that the set does not know
        """

    @abstractmethod
    def without_tiles(
        self, keys: Collection[Key], north: Codes, south: Codes, base: int
    ) -> NDArray[np.int32]:
        """Say for every code whether a cell without a tile is empty (0) or a gap."""

    def links(self, keys: Collection[Key]) -> set[tuple[int, int]]:
        """Find pairs of terrains, or of one and nothing, that a key holds together."""
        del keys
        return set()

    # A window of terrain

    def known(self, terrain: Ground, base: int) -> Ground:
        """Give every number that the set does not know the same one, which has no tile."""
        if not terrain.size or int(terrain.max()) <= base:
            return terrain
        return np.minimum(terrain, np.uint8(base))

    @abstractmethod
    def codes_in(self, table: PairCodes, near: Ground) -> Codes:
        """Give the code of every cell: (h, w) from (h + 1, w + 1), of ring sets (h + 3, w + 3)."""

    @abstractmethod
    def keys_at(
        self, table: PairCodes, near: Ground, rows: NDArray[Any], cols: NDArray[Any]
    ) -> list[Key]:
        """Give the keys of some cells of a window."""

    @abstractmethod
    def asking(self, table: PairCodes, near: Ground, key: Key) -> NDArray[np.bool_]:
        """Tell which cells of a window ask for a key."""

    # What maps can ask for

    @abstractmethod
    def wanted(self, kit: TerrainSet, linked: set[tuple[int, int]]) -> Iterator[Group]:
        """List what maps ask for of terrains that some tile shows together."""

    def beyond(self, linked: set[tuple[int, int]], keys: Collection[Key]) -> Iterator[Group]:
        """List what they can ask for where more terrains meet that all go together."""
        del linked, keys
        return iter(())


class _Four(Keys):
    """Keys of four marks."""

    def plain(self, terrain: int) -> Key:
        return (terrain,) * 4

    def of_marks(self, marks: Sequence[int], terrain_count: int) -> tuple[int, list[Key]]:
        own = [int(marks[slot]) for slot in self.kind.slots]
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

    def code(self, table: PairCodes, key: Key) -> int:
        side = table.base + 1
        north, south = key[0] * side + key[1], key[2] * side + key[3]
        return int(table.north[north]) + int(table.south[south])

    def told(self, kit: TerrainSet, key: Key) -> tuple[tuple[str, ...], tuple[str, ...]]:
        names = tuple(slot.title for slot in self.kind.slots)
        return names, tuple(kit.name_of(mark) for mark in key)

    def words(self, kit: TerrainSet, key: Key) -> str:
        return " · ".join(f"{name} {there}" for name, there in zip(*self.told(kit, key)))

    def pair_codes(self, keys: Collection[Key], base: int) -> tuple[Codes, Codes]:
        # 0: both nothing, 1: one is nothing, 2: any other pair that no tile has.
        plain = np.full((base + 1, base + 1), 2, np.int32)
        plain[0, :base] = plain[:base, 0] = 1
        plain[0, 0] = 0
        tables = []
        for part in (slice(0, 2), slice(2, 4)):
            codes = plain.copy()
            for number, pair in enumerate(sorted({key[part] for key in keys} - {(0, 0)}), 3):
                codes[pair] = number
            tables.append(codes.ravel())
        return tables[0] * (int(tables[1].max()) + 1), tables[1]

    @abstractmethod
    def has_border(self, keys: Collection[Key]) -> bool:
        """Whether cells that touch nothing *and* terrain want a tile."""

    def without_tiles(
        self, keys: Collection[Key], north: Codes, south: Codes, base: int
    ) -> NDArray[np.int32]:
        stride = int(south.max()) + 1
        first = np.full(int(north.max()) + stride, VARIANT_SLOTS, np.int32)
        if not self.has_border(keys):
            grid = first.reshape(-1, stride)
            grid[:2] = 0
            grid[:, :2] = 0
        first[0] = 0
        return first

    def links(self, keys: Collection[Key]) -> set[tuple[int, int]]:
        pairs = (sorted(set(key)) for key in keys)
        return {(pair[0], pair[1]) for pair in pairs if len(pair) == 2}

    @abstractmethod
    def pairs_in(self, near: Ground, side: np.uint16) -> tuple[Ground, Ground]:
        """Give the two pairs of every cell, each as first · `side` + second: (h, w) uint16."""

    def codes_in(self, table: PairCodes, near: Ground) -> Codes:
        upper, lower = self.pairs_in(near, np.uint16(table.base + 1))
        codes = np.take(table.north, upper, mode="clip")
        codes += np.take(table.south, lower, mode="clip")
        return codes

    @abstractmethod
    def marks_in(self, near: Ground) -> tuple[Ground, Ground, Ground, Ground]:
        """Give the four marks of every cell, each (h, w)."""

    def keys_at(
        self, table: PairCodes, near: Ground, rows: NDArray[Any], cols: NDArray[Any]
    ) -> list[Key]:
        del table
        four = (each[rows, cols].tolist() for each in self.marks_in(near))
        return list(zip(*four))

    def asking(self, table: PairCodes, near: Ground, key: Key) -> NDArray[np.bool_]:
        del table
        one, two, three, four = self.marks_in(near)
        hit: NDArray[np.bool_] = (one == key[0]) & (two == key[1])
        hit &= (three == key[2]) & (four == key[3])
        return hit


class _Corner(_Four):
    kind = SetKind.CORNER

    def has_border(self, keys: Collection[Key]) -> bool:
        # Cells at a border stay empty as long as no tile shows one; then a missing one is a gap.
        return any(NOTHING in key for key in keys)

    def pairs_in(self, near: Ground, side: np.uint16) -> tuple[Ground, Ground]:
        pairs = np.multiply(near[:, :-1], side, dtype=np.uint16)
        pairs += near[:, 1:]
        return pairs[:-1], pairs[1:]

    def marks_in(self, near: Ground) -> tuple[Ground, Ground, Ground, Ground]:
        return near[:-1, :-1], near[:-1, 1:], near[1:, :-1], near[1:, 1:]

    def wanted(self, kit: TerrainSet, linked: set[tuple[int, int]]) -> Iterator[Group]:
        for terrain in range(1, len(kit.terrains) + 1):
            yield (terrain,), self.plain(terrain)
        for pair in sorted(linked):
            yield from ((pair, key) for key in product(pair, repeat=4) if len(set(key)) == 2)

    def beyond(self, linked: set[tuple[int, int]], keys: Collection[Key]) -> Iterator[Group]:
        del keys
        numbers = sorted({terrain for pair in linked for terrain in pair})
        count = 0
        for size in (3, 4):
            for group in combinations(numbers, size):
                if any(pair not in linked for pair in combinations(group, 2)):
                    continue
                for key in product(group, repeat=4):
                    if set(key) == set(group):
                        yield group, key
                        count += 1
                if count > _MOST_LISTED:
                    return


class _Edge(_Four):
    kind = SetKind.EDGE

    def has_border(self, keys: Collection[Key]) -> bool:
        del keys
        return True  # a path that ends is asked for like any other

    def known(self, terrain: Ground, base: int) -> Ground:
        north, west = terrain & 255, terrain >> 8
        if not terrain.size or max(int(north.max()), int(west.max())) <= base:
            return terrain
        return np.asarray(np.minimum(north, base) | (np.minimum(west, base) << 8))

    def pairs_in(self, near: Ground, side: np.uint16) -> tuple[Ground, Ground]:
        north, west, south, east = self.marks_in(near)
        return north * side + west, south * side + east

    def marks_in(self, near: Ground) -> tuple[Ground, Ground, Ground, Ground]:
        north, west = near & 255, near >> 8
        return north[:-1, :-1], west[:-1, :-1], north[1:, :-1], west[:-1, 1:]

    def wanted(self, kit: TerrainSet, linked: set[tuple[int, int]]) -> Iterator[Group]:
        del linked
        for terrain in range(1, len(kit.terrains) + 1):
            keys = product((NOTHING, terrain), repeat=4)
            yield from (((terrain,), key) for key in keys if any(key))

    def beyond(self, linked: set[tuple[int, int]], keys: Collection[Key]) -> Iterator[Group]:
        del linked
        together = {tuple(sorted(set(key) - {NOTHING})) for key in keys}
        for group in sorted(each for each in together if len(each) > 1):
            for key in product((NOTHING, *group), repeat=4):
                if set(group) <= set(key):
                    yield group, key


class _Ring(Keys):
    kind, more = SetKind.RING, 0

    def plain(self, terrain: int) -> Key:
        return terrain, 255

    def of_marks(self, marks: Sequence[int], terrain_count: int) -> tuple[int, list[Key]]:
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

    def code(self, table: PairCodes, key: Key) -> int:
        del table
        return key[0] * 256 + key[1]

    def codes(self, table: PairCodes, key: Key) -> list[int]:
        del table
        return [key[0] * 256 + bits for bits in patterns_of(key[1])]

    def told(self, kit: TerrainSet, key: Key) -> tuple[tuple[str, ...], tuple[str, ...]]:
        same = [slot.title for n, slot in enumerate(RING_BITS) if key[1] >> n & 1]
        return (say("middle"), say("same at")), (
            kit.name_of(key[0]),
            ", ".join(same) or say("none"),
        )

    def words(self, kit: TerrainSet, key: Key) -> str:
        same = bin(key[1]).count("1")
        return say(
            "{name} with {same} of 8 neighbours the same", name=kit.name_of(key[0]), same=same
        )

    def pair_codes(self, keys: Collection[Key], base: int) -> tuple[Codes, Codes]:
        del keys, base
        return np.zeros(0, np.int32), np.zeros(0, np.int32)

    def without_tiles(
        self, keys: Collection[Key], north: Codes, south: Codes, base: int
    ) -> NDArray[np.int32]:
        del keys, north, south
        first = np.full((base + 1) * 256, VARIANT_SLOTS, np.int32)
        first[:256] = 0
        return first

    def codes_in(self, table: PairCodes, near: Ground) -> Codes:
        """Compare each cell with its eight neighbours: four planes, each used for two of them."""
        del table
        field = near[:-1, :-1]  # a row and a column more come along for all kinds alike
        height, width = field.shape[0] - 2, field.shape[1] - 2
        bits = np.zeros((height, width), np.uint8)
        place = {slot: n for n, slot in enumerate(RING_BITS)}
        for slot, opposite in (
            (Slot.W, Slot.E), (Slot.N, Slot.S), (Slot.NW, Slot.SE), (Slot.NE, Slot.SW),
        ):  # fmt: skip
            down, across = -STEPS[slot][0], -STEPS[slot][1]
            if across >= 0:
                high, wide = field.shape
                same = field[down:, across:] == field[: high - down, : wide - across]
                first, second = (1 - down, 1 - across), (1, 1)
            else:
                same = field[down:, :across] == field[:-down, -across:]
                first, second = (1 - down, 1), (1, 1 + across)
            own = same[first[0] : first[0] + height, first[1] : first[1] + width].view(np.uint8)
            far = same[second[0] : second[0] + height, second[1] : second[1] + width].view(np.uint8)
            bits |= own << np.uint8(place[slot])
            bits |= far << np.uint8(place[opposite])
        codes = np.left_shift(field[1:-1, 1:-1], 8, dtype=np.int32)
        codes |= bits
        return codes

    def keys_at(
        self, table: PairCodes, near: Ground, rows: NDArray[Any], cols: NDArray[Any]
    ) -> list[Key]:
        codes = self.codes_in(table, near)[rows, cols].tolist()
        return [(code >> 8, reduced(code & 255)) for code in codes]

    def asking(self, table: PairCodes, near: Ground, key: Key) -> NDArray[np.bool_]:
        return np.isin(self.codes_in(table, near), self.codes(table, key))

    def wanted(self, kit: TerrainSet, linked: set[tuple[int, int]]) -> Iterator[Group]:
        del linked
        patterns = sorted({reduced(bits) for bits in range(256)})
        for terrain in range(1, len(kit.terrains) + 1):
            yield from (((terrain,), (terrain, bits)) for bits in patterns)


_ALL: dict[SetKind, Keys] = {each.kind: each for each in (_Corner(), _Edge(), _Ring())}


def keys_of(kind: SetKind) -> Keys:
    """Tell what cells of a kind of set ask."""
    return _ALL[kind]
