"""A map: its size, its layers, and the legend of the tiles they use."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import lru_cache
from threading import Lock
from typing import Annotated

import numpy as np
from annotated_types import MaxLen

from knitground.core.base.window import Box
from knitground.core.model.lattice import SQUARE, Grid, Lattice
from knitground.core.model.layers import (
    GAP,
    Cells,
    GroundLayer,
    GrownLayer,
    Holds,
    Layer,
    MarkerLayer,
    TileLayer,
    TintLayer,
)
from knitground.core.model.limits import MAX_LAYERS, CellSide, HexColour, Name, TileSide
from knitground.core.model.properties import Properties
from knitground.core.model.recipe import Recipe
from knitground.core.model.terrain import SetKind
from knitground.core.model.tile import TileRef


@lru_cache(maxsize=256)  # it is asked for a hundred times a frame
def _lattice(grid: Grid, rows: int, columns: int, high: int, wide: int, wrap: bool) -> Lattice:
    return grid.lattice(rows, columns, high, wide, wrap)


class Legend:
    """The tiles that a map's cells stand for; it only ever grows while the program runs.

    Place 0 is empty. Files keep a small legend of their own for each layer.
    """

    def __init__(self) -> None:
        self._tiles: list[TileRef | None] = [None]
        self._places: dict[TileRef, int] = {}
        self._lock = Lock()

    def __len__(self) -> int:
        return len(self._tiles)

    def place(self, tile: TileRef) -> int:
        """Return the place of a tile, giving it one if it has none."""
        with self._lock:  # recipes run beside the window
            known = self._places.get(tile)
            if known is None:
                known = len(self._tiles)
                self._tiles.append(tile)
                self._places[tile] = known
        return known

    def place_of(self, tile: TileRef) -> int | None:
        """Return the place of a tile, if it has one."""
        return self._places.get(tile)

    def tile(self, place: int) -> TileRef | None:
        """Return the tile at a place; None for empty cells and gaps."""
        return self._tiles[place] if 0 < place < len(self._tiles) else None

    @property
    def tiles(self) -> list[TileRef | None]:
        """All tiles by place, place 0 (empty) first; a copy."""
        return list(self._tiles)


@dataclass(eq=False)
class Map:
    """A map of height × width cells, each cell_height × cell_width pixels; `lattice` says where.

    On a `grid` of diamonds these are the sides of the rectangle round one, the base on which
    pictures stand. Height and width are those of the arrays in which cells lie; of a staggered grid
    not all of these exist, and people count others (`lattice.counted`).

    `background` is the colour #rrggbb behind all layers, if it has one; `screen` the width and
    height in pixels of what a player sees at a time; `properties` are what a game should know. `of`
    is set on what `grid_of` gives: the map that it is a look at.
    """

    name: Name
    height: CellSide
    width: CellSide
    cell_height: TileSide
    cell_width: TileSide
    wrap: bool = False
    layers: Annotated[list[Layer], MaxLen(MAX_LAYERS)] = field(default_factory=list)
    recipe: Recipe = field(default_factory=Recipe)
    legend: Legend = field(default_factory=Legend)
    background: HexColour | None = None
    screen: tuple[TileSide, TileSide] = (320, 180)
    properties: Properties = ()
    of: Map | None = None
    grid: Grid = SQUARE

    @property
    def lattice(self) -> Lattice:
        """Where its cells lie."""
        return _lattice(
            self.grid, self.height, self.width, self.cell_height, self.cell_width, self.wrap
        )

    def blank(self) -> Map:
        """Make a map of the same name and size, without layers."""
        return Map(
            self.name, self.height, self.width, self.cell_height, self.cell_width, self.wrap,
            grid=self.grid,
        )  # fmt: skip

    def copy(self, name: str | None = None) -> Map:
        """Copy it, with layers and a legend of its own."""
        legend = Legend()
        for tile in self.legend.tiles[1:]:
            assert tile is not None
            legend.place(tile)
        return replace(self, name=self.name if name is None else name, legend=legend,
                       layers=[each.copy() for each in self.layers])  # fmt: skip

    def layer_numbered(self, number: int) -> Layer | None:
        """Return the layer with that number, or None."""
        return next((each for each in self.layers if each.number == number), None)

    def free_number(self) -> int:
        """Return a layer number that is not in use."""
        return max((layer.number for layer in self.layers), default=0) + 1

    def new_tile_layer(self, name: str, cell: tuple[int, int] | None = None) -> TileLayer:
        """Make an empty tile layer of this map's size; it is not added.

        `cell` is the height and width of its own cells in pixels, if they are not the map's.
        """
        if cell in (None, self.lattice.cell_size):
            return TileLayer(name, self.free_number(), cells=self._no_cells())
        assert cell is not None
        own = self.lattice.divided(*cell)
        cells = np.zeros((own.rows, own.columns), np.int32)
        return TileLayer(name, self.free_number(), cells=cells, cell=cell)

    def new_grown_layer(self, name: str) -> GrownLayer:
        """Make an empty grown layer of this map's size; it is not added."""
        pinned = np.zeros((self.height, self.width), np.bool_)
        return GrownLayer(name, self.free_number(), cells=self._no_cells(), pinned=pinned)

    def new_tint_layer(self, name: str) -> TintLayer:
        """Make a tint layer without any colour; it is not added."""
        return TintLayer(name, self.free_number(), cells=self._no_cells())

    def new_marker_layer(self, name: str) -> MarkerLayer:
        """Make a marker layer without markers; it is not added."""
        return MarkerLayer(name, self.free_number(), cells=self._no_cells())

    def _no_cells(self) -> Cells:
        return np.zeros((self.height, self.width), np.int32)

    def new_ground_layer(
        self, name: str, tileset: str, set_name: str, kind: SetKind = SetKind.CORNER
    ) -> GroundLayer:
        """Make an empty ground layer of this map's size; it is not added."""
        number = self.free_number()
        return GroundLayer(
            name,
            number,
            cells=np.zeros((self.height, self.width), np.int32),
            tileset=tileset,
            set_name=set_name,
            seed=number,
            kind_of_set=kind,
            terrain=np.zeros((self.height + 1, self.width + 1), kind.dtype),
            pinned=np.zeros((self.height, self.width), np.bool_),
        )


def gaps_of(map_: Map) -> dict[str, int]:
    """Count the cells that no tile fits, by the names of the layers that have any."""
    found: dict[str, int] = {}
    for layer in map_.layers:
        if layer.holds is Holds.TILES:
            count = int(np.count_nonzero(layer.cells == GAP))
            if count:
                found[layer.name] = found.get(layer.name, 0) + count
    return found


def grid_of(map_: Map, layer: Layer | None) -> Map:
    """Give the map as a layer's cells divide it: itself, but for layers with cells of their own."""
    if layer is None or layer.own_cell is None or map_.of is not None:
        return map_
    (height, width), (high, wide) = layer.cells.shape, layer.own_cell
    own = map_.grid.lattice(height, width, high, wide)
    fits = own.extent == map_.lattice.extent
    return replace(
        map_,
        height=height,
        width=width,
        cell_height=high,
        cell_width=wide,
        wrap=map_.wrap and fits,
        of=map_,
    )


def as_laid(map_: Map) -> Callable[[Layer, Box], Cells]:
    """Give what copies the cells of a layer of a map in a box, as they are now."""
    return lambda layer, box: grid_of(map_, layer).lattice.read(layer.cells, box)


def cells_under(map_: Map, layer: Layer | None, box: Box) -> Box:
    """Give the cells of a map that a box of a layer's cells lies on."""
    grid = grid_of(map_, layer)
    if grid is map_:
        return box
    return map_.lattice.cells_in(grid.lattice.bounds(box))
