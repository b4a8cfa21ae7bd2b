"""Bridging: terrain put in between two that have no tiles in common.

A painted vertex never changes. A vertex v at Chebyshev distance d from the painted ones must change
if the terrain painted and the one on v are more than d links apart; it then takes the terrain d
links along the way from the painted one to its own. For sets whose links make a tree and whose
pairs are complete this leaves no gap and changes as few vertices as possible (own derivation).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from knitground.core.knit.table import KnitTable, links

FAR = 255


@dataclass(frozen=True, eq=False)
class TerrainGraph:
    """Which terrains have tiles in common, and the shortest ways between them.

    `apart[a, b]` counts links, 255 where there is no way. `steps[a, d, b]` is the terrain d links
    along the way from a to b, and b itself from there on.
    """

    apart: NDArray[np.uint8]
    steps: NDArray[np.uint8]

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


def build_graph(table: KnitTable) -> TerrainGraph:
    """Work the graph out of the tiles; ties go to the terrain with the smaller number."""
    count = table.base
    near: list[list[int]] = [[] for _ in range(count)]
    for a, b in sorted(links(table)):
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
    return TerrainGraph(apart, steps)


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
    ring = painted
    for distance in range(1, graph.reach):
        wider = _widened(ring)
        fresh = wider & ~ring
        old = terrain[fresh]
        apart = graph.apart[value][old]
        must = (apart > distance) & (apart < FAR)
        out[fresh] = np.where(must, graph.steps[value, distance][old], old)
        ring = wider
    return out


def _widened(mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
    tall = mask.copy()
    tall[1:] |= mask[:-1]
    tall[:-1] |= mask[1:]
    out = tall.copy()
    out[:, 1:] |= tall[:, :-1]
    out[:, :-1] |= tall[:, 1:]
    return out
