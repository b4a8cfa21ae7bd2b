"""What checks look at: a project, one of its maps, and what lies there when all is knitted."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import cached_property
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import quoted, say
from knitground.core.base.window import Box
from knitground.core.edit.document import Document
from knitground.core.knit.table import KnitTable
from knitground.core.model.lattice import Cell
from knitground.core.model.layers import Cells, GroundLayer, Layer
from knitground.core.model.map import Map, grid_of
from knitground.core.model.project import Project
from knitground.core.model.terrain import TerrainSet
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import TileFacts, Tileset
from knitground.core.shapes.blocked import blocked_cells

Found = TypeVar("Found")
MOST_PLACES = 256
"""Cells that a finding names; it may count more. When it is mended it names all of them."""


class Proving:
    """A map, or a whole project, while it is checked; its cells are knitted as asked for."""

    def __init__(
        self, doc: Document, map_: Map | None = None, progress: Progress = no_progress,
        *, every_place: bool = False,
    ) -> None:  # fmt: skip
        self.doc, self.progress, self._map = doc, progress, map_
        self._every_place = every_place
        self._kept: dict[object, Any] = {}
        self._cells: dict[int, Cells] = {}

    @property
    def project(self) -> Project:
        """The project."""
        return self.doc.project

    @property
    def map(self) -> Map:
        """The map that is checked."""
        assert self._map is not None
        return self._map

    def cells(self, layer: Layer) -> Cells:
        """Give all cells of a layer, knitted and grown: (rows, columns) of its own grid."""
        if layer.number not in self._cells:
            grid = grid_of(self.map, layer)
            box = Box(0, 0, grid.height, grid.width)
            self._cells[layer.number] = self.doc.cells(grid, layer, box)
        return self._cells[layer.number]

    @cached_property
    def legend(self) -> list[TileRef | None]:
        """The tiles that cells stand for."""
        for layer in self.map.layers:
            if layer.holds_tiles:
                self.cells(layer)
        return self.map.legend.tiles

    def owner(self, tile: TileRef) -> Tileset | None:
        """Give the sheet of a tile, if it has it."""
        owner = self.project.tileset_named(tile.tileset)
        return owner if owner is not None and owner.has(tile.row, tile.col) else None

    def fact(self, tile: TileRef) -> TileFacts | None:
        """Give what is known of a tile."""
        owner = self.owner(tile)
        return owner.fact(tile.row, tile.col) if owner is not None else None

    def places(self, cells: NDArray[np.generic] | Sequence[Cell]) -> tuple[Cell, ...]:
        """Give the cells that a finding names: the first ones, or where it is mended all.

        Parameters
        ----------
        cells : a mask of the map, or their (n, 2) rows and columns
        """
        most = None if self._every_place else MOST_PLACES
        if isinstance(cells, np.ndarray):
            where = np.argwhere(cells) if cells.dtype == np.bool_ else cells
            return tuple((row, col) for row, col in where[:most].tolist())
        return tuple(cells[:most])

    def key(self, place: int) -> str:
        """Tell a tile from all others; places in the legend are others once the map was saved."""
        tile = self.map.legend.tile(place)
        return f"{tile.tileset} {tile.row},{tile.col},{tile.turn}" if tile is not None else ""

    def once(self, key: object, make: Callable[[], Found]) -> Found:
        """Make something that finding and mending both ask for."""
        if key not in self._kept:
            self._kept[key] = make()
        found: Found = self._kept[key]
        return found

    def title(self, tile: TileRef) -> str:
        """Call a tile: by its name, else by its number."""
        owner = self.owner(tile)
        if owner is None:
            return say("a tile of “{tileset}”", tileset=tile.tileset)
        name = owner.fact(tile.row, tile.col).name
        return (
            quoted(name)
            if name
            else say(
                "tile {number} of {name}", number=owner.number(tile.row, tile.col), name=owner.name
            )
        )

    def grounds(self) -> Iterator[tuple[GroundLayer, Tileset, TerrainSet, KnitTable]]:
        """List the ground layers whose set is there, and what they are knitted from."""
        for layer in self.map.layers:
            if not isinstance(layer, GroundLayer):
                continue
            found = self.project.set_of(layer.tileset, layer.set_name)
            if found is not None and found[1].kind is layer.kind_of_set:
                yield layer, *found, self.doc.knitter.table(self.map, layer)

    def own_grid(self, layer: Layer) -> bool:
        """Whether a layer has the map's cells."""
        return layer.own_cell is None

    def blocked(self) -> NDArray[np.bool_] | None:
        """Tell which cells of the map nobody can walk on: something solid covers their middle.

        None if no tile of the map is solid.
        """
        return blocked_cells(self.project, self.map, self.cells)
