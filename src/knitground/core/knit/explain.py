"""Why this tile? — what chose the tile of a cell, in data and in words."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from knitground.core.base.hashing import cell_numbers
from knitground.core.base.window import Box
from knitground.core.chance.draw import shares
from knitground.core.knit.knit import terrain_of
from knitground.core.knit.table import KnitTable
from knitground.core.model.layers import EMPTY, GAP, GroundLayer
from knitground.core.model.map import Map
from knitground.core.model.terrain import TerrainSet
from knitground.core.model.tileset import TileRef


@dataclass(frozen=True)
class Candidate:
    """A tile that fits a cell, its weight, and the part of such cells that it takes."""

    tile: TileRef
    weight: float
    share: float
    chosen: bool


@dataclass(frozen=True)
class Why:
    """What chose the tile of a knitted cell.

    `corners` are the terrains' names at NW NE SW SE; `number` is the cell's draw, 0 to 255.
    """

    row: int
    col: int
    corners: tuple[str, ...]
    candidates: tuple[Candidate, ...]
    number: int
    seed: int
    pinned: bool
    gap: bool

    def sentence(self) -> str:
        """Say it in one line for a person."""
        around = " · ".join(
            f"{slot} {name}" for slot, name in zip(("NW", "NE", "SW", "SE"), self.corners)
        )
        if self.pinned:
            return f"pinned by hand; beneath it: {around}"
        if self.gap:
            return f"gap: no tile with a weight shows {around}"
        if not self.candidates:
            return "empty: no terrain at all its corners"
        if len(self.candidates) == 1:
            return f"{around}: the only tile with these marks"
        chosen = next((each for each in self.candidates if each.chosen), None)
        part = f"{chosen.share:.0%}" if chosen else "0 %"
        return (
            f"{around}: drawn from {len(self.candidates)} variants "
            f"(number {self.number} of 256, share {part}, seed {self.seed})"
        )


def explain(table: KnitTable, map_: Map, layer: GroundLayer, kit: TerrainSet, cell: Box) -> Why:
    """Tell what chose the tile of one cell.

    Parameters
    ----------
    table : the look-up table of `kit` for this map's legend
    cell : a box of one cell, inside the map
    """
    row, col = cell.top, cell.left
    corners = terrain_of(layer, cell)
    marks = [int(each) for each in corners.ravel()]
    key = table.key_of(marks)
    number = int(
        cell_numbers(np.array([row]), np.array([col]), layer.seed, layer.number)[0, 0] >> 24
    )
    place = int(layer.cells[row, col])
    found = table.variants.get(key, ())
    parts = shares([weight for _, weight in found])
    candidates = tuple(
        Candidate(tile, weight, part, place == at)
        for (at, weight), part in zip(found, parts)
        if (tile := map_.legend.tile(at)) is not None
    )
    return Why(
        row,
        col,
        tuple(kit.name_of(mark) for mark in marks),
        candidates,
        number,
        layer.seed,
        bool(layer.pinned[row, col]),
        place == GAP and not candidates and place != EMPTY,
    )
