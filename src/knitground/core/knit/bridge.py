"""Bridging: terrain put in between two that have no tiles in common.

A painted vertex never changes. A vertex v at Chebyshev distance d from the painted ones must change
if the terrain painted and the one on v are more than d links apart; it then takes the terrain d
links along the way from the painted one to its own. For sets whose links make a tree and whose
pairs are complete this leaves no gap and changes as few vertices as possible (own derivation).

Where links make cycles the shortest way is not always open all along: then the same closed form is
tried with one or two links taken out, and what is still unmatched is left to a search in the window
(`repair`). Of all that leave no gap the one with the fewest changes is taken.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from itertools import combinations, pairwise

import numpy as np
from numpy.typing import NDArray

from knitground.core.knit.repair import Problem, corner_cells
from knitground.core.knit.table import KnitTable, links

FAR = 255


@dataclass(frozen=True, eq=False)
class TerrainGraph:
    """Which terrains have tiles in common, and the shortest ways between them.

    `apart[a, b]` counts links, 255 where there is no way. `steps[a, d, b]` is the terrain d links
    along the way from a to b, and b itself from there on. `cycles` tells whether links make cycles.
    """

    apart: NDArray[np.uint8]
    steps: NDArray[np.uint8]
    cycles: bool = False

    @property
    def reach(self) -> int:
        """Longest way between two terrains that have one, in links."""
        known = self.apart[self.apart < FAR]
        return int(known.max()) if known.size else 0

    def way(self, start: int, end: int) -> list[int]:
        """List the terrains from start to end, both included; empty where there is no way."""
        if self.apart[start, end] == FAR:
            return []
        return [int(self.steps[start, d, end]) for d in range(int(self.apart[start, end]) + 1)]


def build_graph(
    table: KnitTable, without: frozenset[tuple[int, int]] = frozenset()
) -> TerrainGraph:
    """Work the graph out of the tiles; ties go to the terrain with the smaller number.

    `without` names links to leave out, as if they had no tiles.
    """
    count = table.base
    near: list[list[int]] = [[] for _ in range(count)]
    found_links = links(table) - without
    for a, b in sorted(found_links):
        near[a].append(b)
        near[b].append(a)
    apart = np.full((count, count), FAR, np.uint8)
    ways = {start: _ways_from(start, near) for start in range(count)}
    for start, found in ways.items():
        for end, way in found.items():
            apart[start, end] = len(way) - 1
    known = apart[apart < FAR]
    steps = np.empty((count, int(known.max()) + 1, count), np.uint8)
    steps[:] = np.arange(count, dtype=np.uint8)
    for start, found in ways.items():
        for end, way in found.items():
            steps[start, : len(way), end] = way
    parts = sum(1 for t, found in ways.items() if min(found) == t)
    return TerrainGraph(apart, steps, len(found_links) > count - parts)


def _ways_from(start: int, near: list[list[int]]) -> dict[int, list[int]]:
    ways = {start: [start]}
    queue = [start]
    for here in queue:
        for there in sorted(near[here]):
            if there not in ways:
                ways[there] = [*ways[here], there]
                queue.append(there)
    return ways


def bridge(
    graph: TerrainGraph, terrain: NDArray[np.uint8], painted: NDArray[np.bool_], value: int
) -> NDArray[np.uint8]:
    """Lay one terrain on some vertices and put bridges round them.

    Parameters
    ----------
    graph : of the layer's terrain set
    terrain : (h, w) uint8, the vertices near; must reach `graph.reach` beyond the painted ones
        (less where the map ends)
    painted : (h, w) bool, the vertices that get `value`
    value : the terrain laid

    Returns
    -------
    (h, w) uint8, a new array
    """
    out = terrain.copy()
    out[painted] = value
    near = painted
    for distance in range(1, graph.reach):
        wider = _widened(near)
        fresh = wider & ~near
        old = terrain[fresh]
        apart = graph.apart[value][old]
        must = (apart > distance) & (apart < FAR)
        out[fresh] = np.where(must, graph.steps[value, distance][old], old)
        near = wider
    return out


def _widened(mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
    tall = mask.copy()
    tall[1:] |= mask[:-1]
    tall[:-1] |= mask[1:]
    out = tall.copy()
    out[:, 1:] |= tall[:, :-1]
    out[:, :-1] |= tall[:, 1:]
    return out


@dataclass(frozen=True)
class Sides:
    """Which sides of a window are the map's border: vertices there may change like any other."""

    top: bool = False
    left: bool = False
    bottom: bool = False
    right: bool = False


def build_bridges(
    table: KnitTable,
    graph: TerrainGraph,
    terrain: NDArray[np.uint8],
    painted: NDArray[np.bool_],
    value: int,
    sides: Sides = Sides(),
    searches: int = 600,
) -> NDArray[np.uint8]:
    """Lay one terrain on some vertices so that every cell near has a tile.

    Parameters
    ----------
    table, graph : of the layer's terrain set
    terrain, painted, value : as of `bridge`
    sides : where the window ends because the map does
    searches : steps of the search, if it comes to that; a few hundred take some milliseconds

    Returns
    -------
    (h, w) uint8, a new array. Painted vertices hold `value` and the window's rim is as it was. If
    nothing without gaps was found, the plain closed form: its gaps are shown and named.

    Notes
    -----
    Gaps that were there before and that the painting does not touch count for nothing.
    """
    first = bridge(graph, terrain, painted, value)
    cells = corner_cells(*terrain.shape)
    problem = Problem(table, cells, terrain, painted | _rim(terrain.shape, sides), first)
    if not problem.conflicts(first.ravel()).any():
        return problem.trimmed(first) if graph.cycles else first
    best: NDArray[np.uint8] | None = None
    for other in _without_links(table, graph, terrain, first, value):
        trial = bridge(other, terrain, painted, value)
        if not problem.conflicts(trial.ravel()).any():
            trial = problem.trimmed(trial)
            if best is None or (trial != terrain).sum() < (best != terrain).sum():
                best = trial
    found = problem.search(first, searches)
    if found is not None and (best is None or (found != terrain).sum() < (best != terrain).sum()):
        best = found
    return first if best is None else best


def _rim(shape: tuple[int, ...], sides: Sides) -> NDArray[np.bool_]:
    out = np.zeros(shape, np.bool_)
    out[0] |= not sides.top
    out[-1] |= not sides.bottom
    out[:, 0] |= not sides.left
    out[:, -1] |= not sides.right
    return out


def _without_links(
    table: KnitTable,
    graph: TerrainGraph,
    terrain: NDArray[np.uint8],
    first: NDArray[np.uint8],
    value: int,
) -> list[TerrainGraph]:
    """Give graphs with one or two of the links taken out that lie near what is in the window."""
    count = graph.apart.shape[0]
    inside = {int(t) for t in np.unique(np.concatenate([terrain.ravel(), first.ravel()]))}
    inside = {t for t in inside | {value} if t < count}
    near = [
        (a, b)
        for a, b in sorted(links(table))
        if a in inside or b in inside
    ]  # fmt: skip
    on_ways = {
        tuple(sorted(pair)) for t in inside for pair in pairwise(graph.way(value, t))
    }  # fmt: skip
    near.sort(key=lambda link: link not in on_ways)
    pairs = [(a,) for a in near[:_LINKS]] + list(combinations(near[:_PAIRED], 2))
    return [_graph_without(table, frozenset(each)) for each in pairs[:_GRAPHS]]


@lru_cache(maxsize=256)
def _graph_without(table: KnitTable, without: frozenset[tuple[int, int]]) -> TerrainGraph:
    """Keep graphs with links out: a stroke asks for the same ones dab by dab."""
    return build_graph(table, without)


_LINKS, _PAIRED, _GRAPHS = 24, 8, 40
