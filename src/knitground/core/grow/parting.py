"""Parting terrains that touch without tiles in common, on a whole map at once.

Terrains are put in a tree. Where two that may not touch are neighbours, one is given back to a
terrain nearer to the root, until none are left; depth only ever falls, so that it ends. (Own
derivation.)
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Any

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
        # All work is on the flat field with a rim of one: a neighbour is then a fixed step away.
        self._wide = size[1] + 2
        places = np.arange(size[0] * size[1], dtype=np.int32)
        self._places = self.rimmed(places).ravel()

    def rimmed(self, flat: NDArray[Any]) -> NDArray[Any]:
        """Give a flat field a rim of one place, as its far side or as its nearest places."""
        return np.pad(flat.reshape(self.size), 1, mode="wrap" if self.wrap else "edge")

    def steps(self) -> list[int]:
        """Give how far each of the eight neighbours is away in a rimmed field, flat."""
        wide = self._wide
        return [-wide - 1, -wide, -wide + 1, -1, 1, wide - 1, wide, wide + 1]

    def beside(self, marked: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """Mark the places with one of these among their eight neighbours, or being one; flat."""
        field = self.rimmed(marked)
        rows = field[:-2] | field[1:-1] | field[2:]
        return np.asarray(rows[:, :-2] | rows[:, 1:-1] | rows[:, 2:]).ravel()

    def part(self, ground: NDArray[np.uint8], strength: NDArray[np.int64]) -> NDArray[np.uint8]:
        """Give back to parents what touches without tiles in common; depth only ever falls."""
        tree = self.tree
        while True:
            field = self.rimmed(ground).ravel()
            at = self._touching(field)
            if at.size == 0:
                return ground
            mine, places = field[at], self._places[at]
            limit = tree.depth[mine]
            for step in self.steps():
                theirs = field[at + step]
                # Strengths are looked up only where two clash, and this one can give way.
                n = np.flatnonzero(self.far[mine, theirs])
                here, there = mine[n], theirs[n]
                meet = tree.meet[here, there]
                gives = tree.depth[here] != meet
                n, there, meet = n[gives], there[gives], meet[gives]
                place, near = places[n], self._places[at[n] + step]
                own, other = strength[place], strength[near]
                weaker = (own < other) | ((own == other) & (place < near))
                weaker &= tree.depth[there] != meet
                limit[n] = np.minimum(limit[n], np.where(weaker, meet, meet + 1))
            ground[places] = tree.ancestor[mine, limit]

    def _touching(self, field: NDArray[np.uint8]) -> NDArray[np.intp]:
        """Find the places of a flat rimmed field that have a neighbour they may not touch."""
        count, far = len(self.tree.depth), self.far.ravel()
        clash = np.zeros((self.size[0] + 2, self._wide), np.bool_)
        flat = clash.ravel()
        for step in self.steps()[4:]:
            # Numbers differ between neighbours only along borders: look at those alone. Steps
            # from the rim to the rim of another row come along, and mark nothing but the rim.
            differ = np.flatnonzero(field[:-step] != field[step:])
            pair = field[differ].astype(np.intp) * count + field[differ + step]
            bad = differ[far[pair]]
            flat[bad] = True
            flat[bad + step] = True
        clash[[0, -1]] = False
        clash[:, [0, -1]] = False
        return np.flatnonzero(flat)


def mend(graph: TerrainGraph, terrain: NDArray[np.uint8], wrap: bool) -> NDArray[np.uint8]:
    """Put bridges wherever terrains touch without tiles in common.

    Parameters
    ----------
    terrain : (h, w) uint8, vertices of one period; nothing (0) is left as it is

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
