"""Noise ground: terrain laid by noise in exact shares, with every border one that has tiles.

The wanted terrains, and those between them, are put in a tree: the one in the middle at its root,
each other one inside the terrain that it borders on. Every terrain takes the places where its own
noise is highest inside its parent's. Two that would touch without tiles in common are parted by
giving the one with the lower priority back to a parent; what a terrain then has too much or too
little is moved along borders where it does no harm. (Own derivation.)
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import GrowError
from knitground.core.base.hashing import mix_one
from knitground.core.base.tongue import say
from knitground.core.grow.noise import noise_on
from knitground.core.grow.parting import Parting, TerrainTree, plant_tree
from knitground.core.grow.shares import exact_counts, ordered, top_places
from knitground.core.knit.bridge import TerrainGraph
from knitground.core.model.lattice import Lattice
from knitground.core.model.recipe import NoiseForm

_ROUNDS = 2


@dataclass(frozen=True)
class Noise:
    """What the noise looks like: cells from patch to patch, halvings, seed, form and direction."""

    scale: float
    octaves: int
    seed: int
    form: NoiseForm = NoiseForm.PLAIN
    stretch: float = 1.0
    turn: float = 0.0
    on: Lattice | None = None
    """The grid that it is made for; None: one whose rows and columns go round."""

    def field(self, size: tuple[int, int], number: int) -> NDArray[np.float64]:
        """Make the n-th field of this noise."""
        seed = mix_one(self.seed, number)
        made = noise_on(self.on, size, self.scale, self.octaves, seed, self.stretch, self.turn)
        if self.form is NoiseForm.RIDGED:
            return np.asarray(1 - np.abs(made))
        return np.abs(made) if self.form is NoiseForm.BILLOWED else made


def noise_ground(
    graph: TerrainGraph,
    parts: dict[int, float],
    size: tuple[int, int],
    wrap: bool,
    noise: Noise,
    only: NDArray[np.bool_] | None = None,
) -> NDArray[np.uint8]:
    """Lay terrain by noise.

    Parameters
    ----------
    graph : of the terrain set
    parts : asked-for part of each terrain, 0 or more, at least one over 0
    size : rows and columns of vertices (of one period, if the map wraps)
    wrap : whether the far border meets the near one
    noise : scale, octaves and seed
    only : (rows, columns) the vertices that shares are counted on; None: all of them

    Returns
    -------
    (rows, columns) uint8. Shares are exact to the vertex as long as the borders leave room for
    it; terrains in between that were not asked for take what they need.
    """
    wanted = {terrain: part for terrain, part in parts.items() if part > 0}
    if not wanted:
        raise GrowError(
            say("every share is 0, so nothing can grow: give one terrain a share over 0")
        )
    tree = plant_tree(graph, wanted)
    total = size[0] * size[1] if only is None else int(only.sum())
    names = sorted(wanted)
    goal = dict(zip(names, exact_counts([wanted[t] for t in names], total)))
    if len(tree.order) == 1:
        return np.full(size, tree.order[0], np.uint8)
    growth = _Growth(tree, goal, size, wrap, noise, None if only is None else only.ravel())
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
        only: NDArray[np.bool_] | None,
    ) -> None:
        self.tree, self.goal, self.size, self.only = tree, goal, size, only
        self.keys: dict[int, NDArray[np.int64]] = {}
        self.parting = Parting(tree, size, wrap)
        # Two terrains share one field, from its two ends: a third of the time saved, and ground
        # that runs from one through the middle to the other.
        children = tree.order[1:]
        for pair in range(0, len(children), 2):
            field = noise.field(size, pair)
            self.keys[children[pair]] = ordered(field)
            if pair + 1 < len(children):
                self.keys[children[pair + 1]] = ordered(-field)

    def run(self) -> NDArray[np.uint8]:
        """Lay, part, measure, ask again; then move the borders to the exact counts."""
        ask = {t: self._subtree_goal(t) for t in self.tree.order[1:]}
        ground = self._laid(ask)
        for _ in range(_ROUNDS - 1):
            laid = np.bincount(self._counted(ground), minlength=len(self.tree.depth))
            lack = {t: self._subtree_goal(t) - self._subtree_laid(t, laid) for t in ask}
            if sum(abs(n) for n in lack.values()) <= ground.size // 25:
                break
            ask = {t: min(ground.size, max(0, ask[t] + lack[t])) for t in ask}
            ground = self._laid(ask)
        for terrain in reversed(self.tree.order[1:]):
            self._settle(ground, terrain)
        return ground.reshape(self.size)

    def _counted(self, ground: NDArray[np.uint8]) -> NDArray[np.uint8]:
        return ground if self.only is None else ground[self.only]

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
            asked = home if self.only is None else home & self.only
            above = keys - _bound(keys if asked.all() else keys[asked], ask[terrain])
            wins = home & (above >= 0)
            wins &= (ground == tree.parent[terrain]) | (above > strength)
            ground[wins] = terrain
            np.copyto(strength, above, where=wins)
        return self.parting.part(ground, strength)

    def _settle(self, ground: NDArray[np.uint8], terrain: int) -> None:
        """Move a terrain's border with its parent until its own count is exact, where it can."""
        parent = self.tree.parent[terrain]
        goal = self.goal.get(terrain)
        if goal is None:
            return
        for _ in range(8):
            lack = goal - int((self._counted(ground) == terrain).sum())
            if lack == 0:
                return
            source, target = (parent, terrain) if lack > 0 else (terrain, parent)
            mine, theirs = ground == source, ground == target
            harmless = mine & ~self.parting.beside(~(mine | theirs))
            if self.only is not None:
                harmless &= self.only
            touching = harmless & self.parting.beside(theirs)
            free = np.flatnonzero(touching if touching.any() else harmless)
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
