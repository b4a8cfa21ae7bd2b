"""Parting terrains that touch without tiles in common, on a whole map at once.

Terrains are put in a tree. Where two that may not touch are neighbours, one is given back to a
terrain nearer to the root, until none are left; depth only ever falls, so that it ends. (Own
derivation.)
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from knitground.core.knit.bridge import FAR, TerrainGraph


@dataclass(frozen=True, eq=False)
class TerrainTree:
    """Terrains as a tree: `order` from the root outwards, `parent[t]`, `depth[t]`.

    `meet[a, b]` is the depth of the nearest terrain that both lie in (or are), and
    `ancestor[t, d]` the one at depth d on the way from the root to t, t itself beyond its depth.
    """

    order: tuple[int, ...]
    parent: dict[int, int]
    depth: NDArray[np.uint8]
    meet: NDArray[np.uint8]
    ancestor: NDArray[np.uint8]

    def apart(self) -> NDArray[np.bool_]:
        """Tell for each pair whether it may not touch."""
        depth = self.depth.astype(np.int16)
        links = depth[:, None] + depth[None, :] - 2 * self.meet.astype(np.int16)
        far: NDArray[np.bool_] = links > 1
        return far


def plant_tree(graph: TerrainGraph, parts: dict[int, float]) -> TerrainTree:
    """Put the wanted terrains, and those on the ways between them, in a tree.

    The root is the terrain from which the farthest wanted one is nearest; among those, the one with
    the largest part. A terrain with no way to the root hangs on it all the same: its border then
    has gaps, which are shown.
    """
    count = graph.apart.shape[0]
    wanted = sorted(parts)
    inside = sorted({t for a in wanted for b in wanted for t in graph.way(a, b)} | set(wanted))
    root = min(inside, key=lambda t: (_farthest(graph, t, wanted), -parts.get(t, 0.0), t))
    parent: dict[int, int] = {}
    order = [root]
    for terrain in sorted(inside, key=lambda t: (int(graph.apart[root, t]), t)):
        way = graph.way(root, terrain) or [root, terrain]
        for before, step in pairwise(way):
            if step not in parent:
                parent[step] = before
                order.append(step)
    paths = {root: [root]}
    for terrain in order[1:]:
        paths[terrain] = [*paths[parent[terrain]], terrain]
    deepest = max(len(path) for path in paths.values())
    depth = np.zeros(count, np.uint8)
    meet = np.zeros((count, count), np.uint8)
    ancestor = np.repeat(np.arange(count, dtype=np.uint8)[:, None], deepest, axis=1)
    for terrain, path in paths.items():
        depth[terrain] = len(path) - 1
        ancestor[terrain, : len(path)] = path
        for other, other_path in paths.items():
            shared = sum(1 for a, b in zip(path, other_path) if a == b)
            meet[terrain, other] = shared - 1
    return TerrainTree(tuple(order), parent, depth, meet, ancestor)


def _farthest(graph: TerrainGraph, start: int, among: list[int]) -> int:
    ways = [int(graph.apart[start, other]) for other in among]
    return max((way for way in ways if way < FAR), default=0) + FAR * sum(w == FAR for w in ways)


class Parting:
    """Finds and parts terrains that touch on a field of a given size."""

    def __init__(self, tree: TerrainTree, size: tuple[int, int], wrap: bool) -> None:
        self.tree, self.size, self.wrap = tree, size, wrap
        self.far = tree.apart()
        self._padded = np.pad(np.arange(size[0] * size[1]).reshape(size), 1, mode=self._edge())

    def _edge(self) -> Literal["wrap", "edge"]:
        return "wrap" if self.wrap else "edge"

    def part(self, ground: NDArray[np.uint8], strength: NDArray[np.int64]) -> NDArray[np.uint8]:
        """Give back to parents what touches without tiles in common; depth only ever falls."""
        tree = self.tree
        while True:
            places = self._touching(ground)
            if places.size == 0:
                return ground
            mine = ground[places]
            limit = np.full(places.size, 255, np.uint8)
            for near in self.around(places):
                theirs = ground[near]
                clash = self.far[mine, theirs]
                meet = tree.meet[mine, theirs]
                level = tree.depth[theirs] == meet
                weaker = strength[places] < strength[near]
                weaker |= (strength[places] == strength[near]) & (places < near)
                bound = np.where(level | ~weaker, meet + 1, meet)
                held = tree.depth[mine] == meet
                np.minimum(limit, np.where(clash & ~held, bound, 255), out=limit, casting="unsafe")
            deep = np.minimum(limit, tree.depth[mine])
            ground[places] = tree.ancestor[mine, deep]

    def _touching(self, ground: NDArray[np.uint8]) -> NDArray[np.intp]:
        """Find the places that have a neighbour which they may not touch."""
        field = np.pad(ground.reshape(self.size), 1, mode=self._edge())
        count = len(self.tree.depth)
        clash = np.zeros(self.size, np.bool_)
        # Terrain numbers differ between neighbours only along borders: look at those alone.
        core = field[1:-1, 1:-1]
        for down, across in ((0, 1), (1, -1), (1, 0), (1, 1)):
            other = field[1 + down : field.shape[0] - 1 + down, 1 + across :][:, : core.shape[1]]
            differ = np.flatnonzero((core != other).ravel())
            pair = core.ravel()[differ].astype(np.intp) * count + other.ravel()[differ]
            bad = differ[self.far.ravel()[pair]]
            clash.ravel()[bad] = True
            clash.ravel()[
                self._padded[1 + down :, 1 + across :][np.unravel_index(bad, self.size)]
            ] = True
        return np.flatnonzero(clash)

    def around(self, places: NDArray[np.intp]) -> list[NDArray[np.intp]]:
        """Give the eight neighbours of places; over the border where the map wraps."""
        row, col = np.divmod(places, self.size[1])
        return [
            self._padded[row + 1 + down, col + 1 + across]
            for down in (-1, 0, 1)
            for across in (-1, 0, 1)
            if down or across
        ]


def mend(graph: TerrainGraph, terrain: NDArray[np.uint8], wrap: bool) -> NDArray[np.uint8]:
    """Put bridges wherever terrains touch without tiles in common.

    Parameters
    ----------
    terrain : (h, w) uint8, vertices of one turn; nothing (0) is left as it is

    Returns
    -------
    (h, w) uint8, a new array; the same values if there was nothing to mend
    """
    odd = terrain >= graph.apart.shape[0]
    if (
        odd.any()
    ):  # of a terrain that the set does not have: its cells are gaps, and stay as they are
        mended = mend(graph, np.where(odd, np.uint8(0), terrain), wrap)
        return np.where(odd, terrain, mended)
    counts = np.bincount(terrain.ravel(), minlength=graph.apart.shape[0])
    known = {t: float(n) for t, n in enumerate(counts[: graph.apart.shape[0]]) if t and n}
    if len(known) < 2:
        return terrain.copy()
    parting = Parting(plant_tree(graph, known), (terrain.shape[0], terrain.shape[1]), wrap)
    flat = terrain.ravel().copy()
    return parting.part(flat, np.zeros(flat.size, np.int64)).reshape(terrain.shape)
