"""Terrains that a recipe has laid and that have no plain tile: their inside is nothing but gaps."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from knitground.core.base.tongue import say
from knitground.core.grow.work import Grown
from knitground.core.knit.keys import keys_of
from knitground.core.knit.layer import layer_table, plain_terrains
from knitground.core.knit.missing import missing_keys
from knitground.core.model.layers import GroundLayer
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.recipe import Recipe
from knitground.core.model.terrain import TerrainSet
from knitground.core.model.tileset import Tileset


@dataclass(frozen=True, eq=False)
class Plainless:
    """A terrain of a set without a plain tile, and how many cells of a layer are gaps for it."""

    layer: GroundLayer
    owner: Tileset
    kit: TerrainSet
    terrain: int
    cells: int

    @property
    def name(self) -> str:
        """The terrain's name."""
        return self.kit.name_of(self.terrain)

    @property
    def words(self) -> str:
        """Say what is wrong, and the three cures."""
        cells = (
            say("1 cell is a gap")
            if self.cells == 1
            else say("{cells} cells are gaps", cells=self.cells)
        )
        return say(
            "terrain “{name}” of “{name2}” has no plain tile, so {cells} on “{name3}”: "
            "mark one, make one, or leave the terrain out",
            name=self.name,
            name2=self.kit.name,
            cells=cells,
            name3=self.layer.name,
        )


def find_plainless(project: Project, map_: Map, grown: Sequence[Grown]) -> list[Plainless]:
    """List the terrains without a plain tile of which steps have laid whole areas.

    Looks at what the last step has made of each ground layer; knits it, and changes nothing.
    """
    made: dict[int, Grown] = {
        each.layer.number: each for each in grown if isinstance(each.layer, GroundLayer)
    }
    out: list[Plainless] = []
    for each in made.values():
        layer = each.layer
        assert isinstance(layer, GroundLayer)
        found = project.set_of(layer.tileset, layer.set_name)
        if found is None:
            continue
        owner, kit = found
        without = set(range(1, len(kit.terrains) + 1)) - plain_terrains(project, owner, kit)
        if without:
            keys = {keys_of(kit.kind).plain(number): number for number in without}
            laid = replace(layer, terrain=each.made, cells=np.zeros_like(layer.cells))
            for key, cells in missing_keys(layer_table(project, map_, layer), laid, map_.wrap):
                if key in keys:
                    out.append(Plainless(layer, owner, kit, keys[key], cells))
    return out


def left_out(recipe: Recipe, layer: GroundLayer, name: str) -> Recipe | None:
    """Give a recipe whose steps have no share of a terrain on a layer any more; None if none has.

    A step keeps its only terrain.
    """
    steps: list[Any] = []
    for step in recipe.steps:
        shares = getattr(step, "shares", ())
        mine = getattr(step, "layer", None) == layer.number and shares
        kept = tuple(each for each in shares if each[0] != name) if mine else shares
        changes = bool(mine) and len(kept) != len(shares) and bool(kept)
        new: Any = step
        steps.append(replace(new, shares=kept) if changes else new)
    if all(new is old for new, old in zip(steps, recipe.steps)):
        return None
    return replace(recipe, steps=tuple(steps))
