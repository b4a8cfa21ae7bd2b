"""Noise ground: terrain laid by noise in exact shares, with every border one that has tiles.

The wanted terrains, and those between them, are put in a tree: the one in the middle at its root,
each other one inside the terrain that it borders on. Every terrain takes the places where its own
noise is highest inside its parent's. Two that would touch without tiles in common are parted by
giving the one with the lower priority back to a parent; what a terrain then has too much or too
little is moved along borders where it does no harm. (Own derivation.)
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import GrowError
from knitground.core.base.hashing import mix_one
from knitground.core.grow.noise import noise_field
from knitground.core.grow.shares import exact_counts, ordered, top_places
from knitground.core.knit.bridge import FAR, TerrainGraph

_ROUNDS = 2


@dataclass(frozen=True)
class Noise:
    """What the noise looks like: cells from patch to patch, halvings of it, seed."""

    scale: float
    octaves: int
    seed: int


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


def noise_ground(
    graph: TerrainGraph, parts: dict[int, float], size: tuple[int, int], wrap: bool, noise: Noise
) -> NDArray[np.uint8]:
    """Lay terrain by noise.

    Parameters
    ----------
    graph : of the terrain set
    parts : asked-for part of each terrain, 0 or more, at least one over 0
    size : rows and columns of vertices (of one turn, if the map wraps)
    wrap : whether the far border meets the near one
    noise : scale, octaves and seed

    Returns
    -------
    (rows, columns) uint8. Shares are exact to the vertex as long as the borders leave room for
    it; terrains in between that were not asked for take what they need.
    """
    wanted = {terrain: part for terrain, part in parts.items() if part > 0}
    if not wanted:
        raise GrowError("every share is 0, so nothing can grow: give one terrain a share over 0")
    tree = plant_tree(graph, wanted)
    total = size[0] * size[1]
    names = sorted(wanted)
    goal = dict(zip(names, exact_counts([wanted[t] for t in names], total)))
    if len(tree.order) == 1:
        return np.full(size, tree.order[0], np.uint8)
    growth = _Growth(tree, goal, size, wrap, noise)
    return growth.run()


class _Growth:
    """One run: the keys of each terrain's noise, and how many places each asks for."""

    def __init__(
        self,
        tree: TerrainTree,
        goal: dict[int, int],
        size: tuple[int, int],
        wrap: bool,
        noise: Noise,
    ) -> None:
        self.tree, self.goal, self.size, self.wrap = tree, goal, size, wrap
        self.keys: dict[int, NDArray[np.int64]] = {}
        self.far = tree.apart()
        padded = np.pad(np.arange(size[0] * size[1]).reshape(size), 1, mode=self._edge())
        self._padded = padded
        # Two terrains share one field, from its two ends: a third of the time saved, and ground
        # that runs from one through the middle to the other.
        children = tree.order[1:]
        for pair in range(0, len(children), 2):
            seed = mix_one(noise.seed, pair)
            field = noise_field(*size, noise.scale, noise.octaves, seed)
            self.keys[children[pair]] = ordered(field)
            if pair + 1 < len(children):
                self.keys[children[pair + 1]] = ordered(-field)

    def _edge(self) -> Literal["wrap", "edge"]:
        return "wrap" if self.wrap else "edge"

    def run(self) -> NDArray[np.uint8]:
        """Lay, part, measure, ask again; then move the borders to the exact counts."""
        ask = {t: self._subtree_goal(t) for t in self.tree.order[1:]}
        ground = self._laid(ask)
        for _ in range(_ROUNDS - 1):
            laid = np.bincount(ground, minlength=len(self.tree.depth))
            lack = {t: self._subtree_goal(t) - self._subtree_laid(t, laid) for t in ask}
            if sum(abs(n) for n in lack.values()) <= ground.size // 25:
                break
            ask = {t: min(ground.size, max(0, ask[t] + lack[t])) for t in ask}
            ground = self._laid(ask)
        for terrain in reversed(self.tree.order[1:]):
            self._settle(ground, terrain)
        return ground.reshape(self.size)

    def _inside(self, terrain: int) -> list[int]:
        at = int(self.tree.depth[terrain])
        return [
            t
            for t in self.tree.order
            if self.tree.depth[t] >= at and self.tree.ancestor[t, at] == terrain
        ]

    def _subtree_goal(self, terrain: int) -> int:
        return sum(self.goal.get(t, 0) for t in self._inside(terrain))

    def _subtree_laid(self, terrain: int, laid: NDArray[np.int64]) -> int:
        return int(sum(laid[t] for t in self._inside(terrain)))

    def _laid(self, ask: dict[int, int]) -> NDArray[np.uint8]:
        tree = self.tree
        ground = np.full(self.size[0] * self.size[1], tree.order[0], np.uint8)
        strength = np.zeros(ground.size, np.int64)
        for terrain in tree.order[1:]:
            keys = self.keys[terrain]
            home = ground == tree.parent[terrain]
            same_parent = [t for t in tree.order[1:] if tree.parent[t] == tree.parent[terrain]]
            for sibling in same_parent[: same_parent.index(terrain)]:
                home |= ground == sibling
            chosen = np.flatnonzero(home)
            bound = _bound(keys[chosen], ask[terrain])
            above = keys[chosen] - bound
            wins = above >= 0
            rivals = ground[chosen] != tree.parent[terrain]
            wins &= ~rivals | (above > strength[chosen])
            places = chosen[wins]
            ground[places] = terrain
            strength[places] = above[wins]
        return self._parted(ground, strength)

    def _parted(self, ground: NDArray[np.uint8], strength: NDArray[np.int64]) -> NDArray[np.uint8]:
        """Give back to parents what touches without tiles in common; depth only ever falls."""
        tree = self.tree
        while True:
            places = self._touching(ground)
            if places.size == 0:
                return ground
            mine = ground[places]
            limit = np.full(places.size, 255, np.uint8)
            for near in self._around(places):
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

    def _around(self, places: NDArray[np.intp]) -> list[NDArray[np.intp]]:
        """Give the eight neighbours of places; over the border where the map wraps."""
        row, col = np.divmod(places, self.size[1])
        return [
            self._padded[row + 1 + down, col + 1 + across]
            for down in (-1, 0, 1)
            for across in (-1, 0, 1)
            if down or across
        ]

    def _settle(self, ground: NDArray[np.uint8], terrain: int) -> None:
        """Move a terrain's border with its parent until its own count is exact, where it can."""
        parent = self.tree.parent[terrain]
        goal = self.goal.get(terrain)
        if goal is None:
            return
        for _ in range(8):
            lack = goal - int((ground == terrain).sum())
            if lack == 0:
                return
            source, target = (parent, terrain) if lack > 0 else (terrain, parent)
            places = np.flatnonzero(ground == source)
            harmless = np.ones(places.size, np.bool_)
            touches = np.zeros(places.size, np.bool_)
            for near in self._around(places):
                theirs = ground[near]
                harmless &= (theirs == source) | (theirs == target)
                touches |= theirs == target
            free = places[harmless & touches] if (harmless & touches).any() else places[harmless]
            if free.size == 0:
                return
            keys = self.keys[terrain][free]
            ground[free[top_places(keys if lack > 0 else -keys, abs(lack))]] = target


def _bound(keys: NDArray[np.int64], count: int) -> np.int64:
    """Return the key that exactly `count` of these reach."""
    if count <= 0 or keys.size == 0:
        return np.int64(np.iinfo(np.int64).max // 4)
    if count >= keys.size:
        return np.int64(keys.min())
    return np.int64(np.partition(keys, keys.size - count)[keys.size - count])
