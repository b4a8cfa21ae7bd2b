"""Coverage: which combinations of marks the map can ask for, and which the tiles have."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import combinations

from knitground.core.knit.bridge import FAR, TerrainGraph
from knitground.core.knit.keys import Key
from knitground.core.knit.table import KnitTable, Variants, links
from knitground.core.model.terrain import SetKind, TerrainSet


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
    linked, asks = links(table), table.keys
    pairs = [_combination(table, key, group) for group, key in asks.wanted(kit, linked)]
    beyond = [_combination(table, key, group) for group, key in asks.beyond(linked, table.variants)]
    bridges = []
    if kit.kind is SetKind.CORNER:
        for a, b in combinations(numbers, 2):
            if (a, b) not in linked:
                way = graph.way(a, b) if graph.apart[a, b] < FAR else []
                bridges.append((a, b, tuple(way)))
    return Coverage(tuple(pairs), tuple(beyond), tuple(bridges))


def _combination(table: KnitTable, key: Key, group: tuple[int, ...]) -> Combination:
    return Combination(key, group, table.variants.get(key, ()), table.inner.get(key, ()))
