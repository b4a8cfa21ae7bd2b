"""What rules of tiles read: the layers of a map, over its borders too."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.base.window import Box, read
from knitground.core.model.layers import Cells, GroundLayer, Layer, PinnedLayer
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.rules import Ask, AskKind
from knitground.core.model.standing import standing_of
from knitground.core.model.tile import TileRef

Plane = NDArray[np.bool_]
_FITS_OFF = {AskKind.EMPTY, AskKind.NOT_TILES, AskKind.OTHER}
Terrains = Mapping[int, NDArray[Any]]
"""Terrain of ground layers, by their number, that is to be looked at instead of the layers' own."""


def terrain_slots(map_: Map, ground: GroundLayer, box: Box, terrain: NDArray[Any]) -> Any:
    """Give what the cells of a box show at their corners or sides, or in their middle.

    Returns
    -------
    (slots, h, w) uint8; on a map that wraps the box may reach over the border
    """
    wide = Box(box.top, box.left, box.bottom + 1, box.right + 1)
    if map_.wrap:
        part = map_.lattice.read(terrain[:-1, :-1], wide)
    else:
        part = read(terrain, wide)
    return standing_of(ground.kind_of_set).slots(part)


class Board:
    """The layers of a map by name, and what of their cells fits an ask.

    Parameters
    ----------
    source : the layer that is meant where a rule names none
    cells : cells to look at instead of a layer's own, by its number
    terrains : the same of terrain
    """

    def __init__(
        self,
        project: Project,
        map_: Map,
        source: Layer | None,
        cells: Mapping[int, Cells] | None = None,
        terrains: Terrains | None = None,
    ) -> None:
        self.project, self.map, self.source = project, map_, source
        self._cells, self._terrains = cells or {}, terrains or {}
        self.patches: dict[int, tuple[Box, Cells]] = {}
        """Cells that are tried out in a box of a layer, by its number."""
        self.pins_only: frozenset[int] = frozenset()
        """Numbers of layers of which only what was laid by hand is read."""
        self._luts: dict[Ask, tuple[int, Plane]] = {}

    def with_cells(self, cells: Mapping[int, Cells]) -> Board:
        """Give a board that looks at other cells of some layers, by number."""
        both = {**self._cells, **cells}
        made = Board(self.project, self.map, self.source, both, self._terrains)
        made.pins_only, made.patches = self.pins_only, self.patches
        return made

    def with_patches(self, patches: Mapping[int, tuple[Box, Cells]]) -> Board:
        """Give a board on which other cells are tried out in boxes of some layers."""
        made = self.with_cells({})
        made.patches = {**self.patches, **patches}
        return made

    def layer(self, name: str) -> Layer:
        """Give the layer of a name, “” the source.

        Raises
        ------
        EditError
            The map has none of that name, or it has cells of its own.
        """
        found = next((each for each in self.map.layers if each.name == name), None)
        found = found if name else self.source
        if found is None:
            words = say("layer “{name}”", name=name) if name else say("the layer it reads")
            raise EditError(
                say(
                    "{words} is not on map “{name}”: choose another layer",
                    words=words,
                    name=self.map.name,
                )
            )
        if found.cells.shape != (self.map.height, self.map.width):
            raise EditError(
                say(
                    "“{name}” has cells of its own size: rules read the map's cells",
                    name=found.name,
                )
            )
        return found

    def check(self, name: str, ask: Ask) -> None:
        """Refuse an ask that a layer can not answer.

        Raises
        ------
        EditError
        """
        layer = self.layer(name)
        if ask.kind is AskKind.TERRAIN:
            self._mark(layer, ask)
        elif ask.kind not in (AskKind.OFF,) and not layer.holds_tiles:
            raise EditError(
                say(
                    "“{name}” holds {kind}, no tiles: choose another layer",
                    name=layer.name,
                    kind=layer.kind,
                )
            )

    def cells(self, name: str, box: Box) -> Cells:
        """Copy the cells of a layer in a box: 0 off a map that does not wrap."""
        layer, read_from = self.layer(name), self.map.lattice.read
        if layer.number in self.pins_only and isinstance(layer, PinnedLayer):
            pinned = read_from(layer.pinned, box)
            return np.where(pinned, read_from(layer.cells, box), 0).astype(np.int32)
        cells = read_from(self._cells.get(layer.number, layer.cells), box)
        if layer.number in self.patches:
            self.map.lattice.lay_over(cells, box, *self.patches[layer.number])
        return cells

    def off(self, box: Box) -> Plane:
        """Tell which cells of a box are off the map."""
        out = np.ones((box.height, box.width), np.bool_)
        if self.map.wrap:
            out[:] = False
            return out
        inside = box.clipped(self.map.height, self.map.width)
        top, left = inside.top - box.top, inside.left - box.left
        out[top : top + inside.height, left : left + inside.width] = False
        there = self.map.lattice.part(box)
        return out if there is None else ~there

    def terrain_fits(self, name: str, ask: Ask, box: Box) -> Plane:
        """Tell which cells of a box show nothing but a terrain; none off the map."""
        layer = self.layer(name)
        mark = self._mark(layer, ask)
        assert isinstance(layer, GroundLayer)
        map_ = self.map
        inner = box if map_.wrap else box.clipped(map_.height, map_.width)
        out = np.zeros((box.height, box.width), np.bool_)
        if inner.is_empty:
            return out
        terrain = self._terrains.get(layer.number, layer.terrain)
        fits = (terrain_slots(map_, layer, inner, terrain) == mark).all(axis=0)
        top, left = inner.top - box.top, inner.left - box.left
        out[top : top + inner.height, left : left + inner.width] = fits
        there = None if map_.wrap else map_.lattice.part(box)
        return out if there is None else out & there

    def tiles_fit(self, asks: Sequence[Ask], cells: Cells, off: Plane) -> list[Plane]:
        """Tell for each ask which cells hold a tile that fits: (h, w) each. Gaps hold no tile.

        Off the map lies no tile, so what asks for none of some fits there too. Eight asks are
        looked up at a time, a bit each.
        """
        out: list[Plane] = []
        tiles = self.map.legend.tiles  # of all asks: it may grow in another thread
        for start in range(0, len(asks), 8):
            some = asks[start : start + 8]
            luts = np.stack([self._lut(ask, tiles) for ask in some])
            packed = np.packbits(luts, axis=0, bitorder="little")[0]
            bits = np.take(packed, cells, mode="clip")
            beyond = sum(1 << n for n, ask in enumerate(some) if ask.kind in _FITS_OFF)
            bits[off] = beyond
            out += [(bits & np.uint8(1 << n)).astype(np.bool_) for n in range(len(some))]
        return out

    def _mark(self, layer: Layer, ask: Ask) -> int:
        if not isinstance(layer, GroundLayer):
            raise EditError(
                say(
                    "“{name}” holds {kind}, but terrain “{name2}” is asked of it: choose a "
                    "ground layer",
                    name=layer.name,
                    kind=layer.kind,
                    name2=ask.name,
                )
            )
        found = self.project.set_of(layer.tileset, layer.set_name)
        mark = found[1].number_of(ask.name) if found else 0
        if ask.name and not mark:
            raise EditError(
                say(
                    "terrain “{name}” is not in the set of “{name2}”: choose another",
                    name=ask.name,
                    name2=layer.name,
                )
            )
        return mark

    def _lut(self, ask: Ask, tiles: Sequence[TileRef | None]) -> Plane:
        """Say for every place of the legend whether it fits: (n,)."""
        known = self._luts.get(ask)
        if known is not None and known[0] == len(tiles):
            return known[1]
        lut = np.array([self._fits(ask, tile) for tile in tiles], np.bool_)
        self._luts[ask] = (len(tiles), lut)
        return lut

    def _fits(self, ask: Ask, tile: TileRef | None) -> bool:
        if ask.kind is AskKind.EMPTY or ask.kind is AskKind.OTHER:
            return tile is None
        if ask.kind is AskKind.SAME:
            return tile is not None
        if ask.kind is AskKind.TAG:
            owner = self.project.tileset_named(tile.tileset) if tile else None
            return bool(tile and owner and ask.name in owner.fact(tile.row, tile.col).tags)
        among = tile is not None and any(
            tile[:3] == each[:3] and (ask.any_turn or tile.turn == each.turn) for each in ask.tiles
        )
        return among if ask.kind is AskKind.TILES else not among
