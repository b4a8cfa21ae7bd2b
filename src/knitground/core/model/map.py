"""A map: its size, its layers, and the legend of the tiles they use."""

from __future__ import annotations

from dataclasses import dataclass, field
from threading import Lock

import numpy as np

from knitground.core.model.layers import GroundLayer, Layer, TileLayer
from knitground.core.model.recipe import Recipe
from knitground.core.model.terrain import SetKind
from knitground.core.model.tileset import TileRef

MAX_SIDE = 65_535
MAX_CELLS = 4096 * 4096


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

    def tile(self, place: int) -> TileRef | None:
        """Return the tile at a place; None for empty cells and gaps."""
        return self._tiles[place] if 0 < place < len(self._tiles) else None

    @property
    def tiles(self) -> list[TileRef | None]:
        """All tiles by place, place 0 (empty) first; a copy."""
        return list(self._tiles)


@dataclass(eq=False)
class Map:
    """A map of height × width cells, each tile_height × tile_width pixels.

    `background` is the colour #rrggbb behind all layers, if it has one; `screen` the width and
    height in pixels of what a player sees at a time.
    """

    name: str
    height: int
    width: int
    tile_height: int
    tile_width: int
    wrap: bool = False
    layers: list[Layer] = field(default_factory=list)
    recipe: Recipe = field(default_factory=Recipe)
    legend: Legend = field(default_factory=Legend)
    background: str | None = None
    screen: tuple[int, int] = (320, 180)

    def layer_numbered(self, number: int) -> Layer | None:
        """Return the layer with that number, or None."""
        return next((each for each in self.layers if each.number == number), None)

    def free_number(self) -> int:
        """Return a layer number that is not in use."""
        return max((layer.number for layer in self.layers), default=0) + 1

    def new_tile_layer(self, name: str) -> TileLayer:
        """Make an empty tile layer of this map's size; it is not added."""
        cells = np.zeros((self.height, self.width), np.int32)
        return TileLayer(name, self.free_number(), cells=cells)

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
