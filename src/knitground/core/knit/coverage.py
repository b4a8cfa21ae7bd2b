"""Coverage: which combinations of marks the map can ask for, and which the tiles have."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import combinations, product

from knitground.core.knit.bridge import FAR, TerrainGraph
from knitground.core.knit.table import Key, KnitTable, Variants, links, reduced
from knitground.core.model.terrain import NOTHING, SetKind, TerrainSet

_MOST_LISTED = 20_000


@dataclass(frozen=True)
class Combination:
    """What a cell can ask for, and the tiles that show it (places in the legend, weights)."""

    key: Key
    terrains: tuple[int, ...]
    variants: Variants
    inner: Variants = ()

    @property
    def had(self) -> bool:
        """Whether any tile shows it."""
        return bool(self.variants)

    @property
    def doubled(self) -> bool:
        """Whether several tiles show it, so that the choice falls by weight."""
        return len(self.variants) + len(self.inner) > 1


@dataclass(frozen=True)
class Coverage:
    """Combinations by the number of terrains in them, and pairs that need a bridge.

    `pairs` are plain ones and those of two terrains that have tiles in common; `beyond` those of
    three and four of which each two have. `bridges` names the way between terrains without tiles in
    common; an empty way if there is none.
    """

    pairs: tuple[Combination, ...]
    beyond: tuple[Combination, ...]
    bridges: tuple[tuple[int, int, tuple[int, ...]], ...]

    @property
    def missing(self) -> list[Combination]:
        """Combinations of one or two terrains that no tile shows."""
        return [each for each in self.pairs if not each.had]

    @property
    def had(self) -> int:
        """How many combinations of one or two terrains tiles show."""
        return sum(each.had for each in self.pairs)

    @property
    def doubled(self) -> list[Combination]:
        """Combinations that several tiles show."""
        return [each for each in (*self.pairs, *self.beyond) if each.doubled]


def cover(table: KnitTable, kit: TerrainSet, graph: TerrainGraph) -> Coverage:
    """Compare what a map can ask for with what there is.

    Parameters
    ----------
    table, graph : of the set
    """
    numbers = range(1, len(kit.terrains) + 1)
    linked = links(table)
    pairs = [_combination(table, key, group) for group, key in _pair_keys(kit, linked)]
    beyond = [_combination(table, key, group) for group, key in _more_keys(kit, linked, table)]
    bridges = []
    if kit.kind is SetKind.CORNER:
        for a, b in combinations(numbers, 2):
            if (a, b) not in linked:
                way = graph.way(a, b) if graph.apart[a, b] < FAR else []
                bridges.append((a, b, tuple(way)))
    return Coverage(tuple(pairs), tuple(beyond), tuple(bridges))


def _combination(table: KnitTable, key: Key, group: tuple[int, ...]) -> Combination:
    return Combination(key, group, table.variants.get(key, ()), table.inner.get(key, ()))


def _pair_keys(
    kit: TerrainSet, linked: set[tuple[int, int]]
) -> Iterator[tuple[tuple[int, ...], Key]]:
    numbers = range(1, len(kit.terrains) + 1)
    if kit.kind is SetKind.RING:
        patterns = sorted({reduced(bits) for bits in range(256)})
        for terrain in numbers:
            yield from (((terrain,), (terrain, bits)) for bits in patterns)
        return
    if kit.kind is SetKind.EDGE:
        for terrain in numbers:
            for key in product((NOTHING, terrain), repeat=4):
                if any(key):
                    yield (terrain,), key
        return
    for terrain in numbers:
        yield (terrain,), (terrain,) * 4
    for a, b in sorted(linked):
        for key in product((a, b), repeat=4):
            if len(set(key)) == 2:
                yield (a, b), key


def _more_keys(
    kit: TerrainSet, linked: set[tuple[int, int]], table: KnitTable
) -> Iterator[tuple[tuple[int, ...], Key]]:
    """List combinations of three and four terrains (two, of edge sets) that all go together."""
    if kit.kind is SetKind.RING:
        return
    if kit.kind is SetKind.EDGE:
        together = {tuple(sorted(set(key) - {NOTHING})) for key in table.variants}
        for group in sorted(each for each in together if len(each) > 1):
            for key in product((NOTHING, *group), repeat=4):
                if set(group) <= set(key):
                    yield group, key
        return
    numbers = sorted({t for pair in linked for t in pair})
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
