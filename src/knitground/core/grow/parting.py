"""Parting terrains that touch without tiles in common, on a whole map at once.

Terrains are put in a tree. Where two that may not touch are neighbours, one is given back to a
terrain nearer to the root, until none are left; depth only ever falls, so that it ends. (Own
derivation.)
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.window import whole
from knitground.core.knit.bridge import FAR, TerrainGraph
from knitground.core.model.lattice import Lattice
from knitground.core.model.standing import Homes, close_seam, standing_of
from knitground.core.model.terrain import SetKind

_RIM, _SEAM_ROUNDS = 6, 6
"""Places beyond a border that are looked at, and how often, where what lies there is a copy."""


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
        # Of two that may not touch those give way that lie deeper than what both lie in.
        self.gives = tree.apart() & (tree.depth[:, None] != tree.meet)
        # All work is on the flat field with a rim of one: a neighbour is then a fixed step away.
        self._wide = size[1] + 2
        places = np.arange(size[0] * size[1], dtype=np.int32)
        self._places = self.rimmed(places).ravel()
        # Eight terrains at a time, a bit each: what they are, and to which of them each gives way.
        # Those that are not in the tree are all alike: one bit is theirs.
        outside = np.ones(len(tree.depth), np.bool_)
        outside[list(tree.order)] = False
        kinds = [np.array([t]) for t in tree.order] + [np.flatnonzero(outside)]
        self._bits: list[tuple[NDArray[np.uint8], NDArray[np.uint8]]] = []
        for start in range(0, len(kinds), 8):
            bits = np.zeros(len(tree.depth), np.uint8)
            for n, some in enumerate(kinds[start : start + 8]):
                bits[some] = 1 << n
            apart = np.where(self.gives, bits, np.uint8(0))
            self._bits.append((bits, np.bitwise_or.reduce(apart, axis=1)))

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
            at = self._giving_way(field)
            if at.size == 0:
                return ground
            mine, places = field[at], self._places[at]
            limit, first = tree.depth[mine], mine.astype(np.intp) * len(tree.depth)
            for step in self.steps():
                theirs = field[at + step]
                # Strengths are looked up only where two clash, and this one can give way.
                n = np.flatnonzero(self.gives.take(first + theirs))
                there = theirs[n]
                meet = tree.meet[mine[n], there]
                place, near = places[n], self._places[at[n] + step]
                own, other = strength[place], strength[near]
                weaker = (own < other) | ((own == other) & (place < near))
                weaker &= tree.depth[there] != meet
                limit[n] = np.minimum(limit[n], np.where(weaker, meet, meet + 1))
            ground[places] = tree.ancestor[mine, limit]

    def _giving_way(self, field: NDArray[np.uint8]) -> NDArray[np.intp]:
        """Find the places of a flat rimmed field with a neighbour to which they may give way."""
        clash = np.zeros(self.size, np.bool_)
        for bits, apart in self._bits:
            kinds = bits.take(field).reshape(-1, self._wide)
            rows = kinds[:-2] | kinds[1:-1]
            rows |= kinds[2:]
            near = rows[:, :-2] | rows[:, 1:-1]
            near |= rows[:, 2:]
            near &= apart.take(field).reshape(-1, self._wide)[1:-1, 1:-1]
            clash |= near != 0
        at = np.flatnonzero(clash)
        at += 2 * (at // self.size[1]) + self._wide + 1  # from the field to the rimmed one
        return at


def mend_layer(
    graph: TerrainGraph, terrain: NDArray[np.uint8], lattice: Lattice
) -> NDArray[np.uint8]:
    """Mend all of a corner set's terrain (rows + 1, columns + 1), over the border of its map too.

    Returns
    -------
    a new array, both ends of the seam the same
    """
    out, torus = terrain.copy(), lattice.torus
    if not lattice.wrap or torus is not None:
        part = out[: torus[0], : torus[1]] if torus is not None else out
        part[:] = mend(graph, part, torus is not None)
        return close_seam(out, lattice)
    homes, there = standing_of(SetKind.CORNER).homes(lattice), lattice.exists
    assert homes is not None
    assert there is not None
    own = np.pad(there, ((0, 1), (0, 1)))
    mended = over_seam(out, homes, own, lambda seen, way: mend(graph, seen, False, way))
    return close_seam(mended, lattice)


def over_seam(
    places: NDArray[np.uint8],
    homes: Homes,
    own: NDArray[np.bool_],
    mended: Callable[[NDArray[np.uint8], NDArray[np.int64]], NDArray[np.uint8]],
) -> NDArray[np.uint8]:
    """Mend terrain on a map whose copies lie aslant in its array, as it is seen round it.

    Parameters
    ----------
    places : (h, w) of the array
    own : (h, w) the places that are no copies of others
    mended : mends what is seen of the array and round it; it gets a number for each place by which
        the same one of two gives way wherever they are seen
    """
    wide, inner = whole(places).grown(_RIM), slice(_RIM, -_RIM)
    way = homes.of(wide).astype(np.int64) * 0x9E3779B1 & 0xFFFF_FFFF
    out = places
    for _ in range(_SEAM_ROUNDS):  # what is mended at one side is seen at the other
        before, out = out, np.where(own, mended(homes.read(out, wide), way)[inner, inner], out)
        if (before == out).all():
            break
    return out


def mend(
    graph: TerrainGraph,
    terrain: NDArray[np.uint8],
    wrap: bool,
    strength: NDArray[np.int64] | None = None,
) -> NDArray[np.uint8]:
    """Put bridges wherever terrains touch without tiles in common.

    Parameters
    ----------
    terrain : (h, w) uint8, vertices of one period; nothing (0) is left as it is
    strength : (h, w) of two places that touch the one with the smaller number gives way

    Returns
    -------
    (h, w) uint8, a new array; the same values if there was nothing to mend
    """
    odd = terrain >= graph.apart.shape[0]
    if (
        odd.any()
    ):  # of a terrain that the set does not have: its cells are gaps, and stay as they are
        mended = mend(graph, np.where(odd, np.uint8(0), terrain), wrap, strength)
        return np.where(odd, terrain, mended)
    counts = np.bincount(terrain.ravel(), minlength=graph.apart.shape[0])
    known = {t: float(n) for t, n in enumerate(counts[: graph.apart.shape[0]]) if t and n}
    if len(known) < 2:
        return terrain.copy()
    parting = Parting(plant_tree(graph, known), (terrain.shape[0], terrain.shape[1]), wrap)
    flat = terrain.ravel().copy()
    weak = np.zeros(flat.size, np.int64) if strength is None else strength.ravel()
    return parting.part(flat, weak).reshape(terrain.shape)
