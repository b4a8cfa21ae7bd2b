"""LevelPictures that stand alone: on cells of another size, free ones, and each of them smaller."""

from __future__ import annotations

import numpy as np

from knitground.core.model.lattice import Lattice
from knitground.core.model.layers import MarkerLayer
from knitground.core.model.map import Map
from knitground.core.model.marker import Marker
from knitground.core.model.project import Project
from knitground.core.model.tile import TileRef
from knitground.core.render.free import turned_freely
from knitground.core.render.pages import Big
from knitground.core.render.pixels import Pixels, shrunk
from knitground.core.render.tiles import overhang, tile_pixels

GAP_INKS = 0xFFE07A5F, 0xFF2B2A33
MISSING_INKS = 0xFFB9B2A4, 0xFF8A8479


def hatch(lattice: Lattice, inks: tuple[int, int]) -> Pixels:
    """Draw slanting stripes in two colours on a cell: what stands where there is no picture."""
    size = lattice.cell_size
    diagonal = np.add.outer(np.arange(size[0]), np.arange(size[1])) % 6 < 2
    stripes = np.where(diagonal, np.uint32(inks[0]), np.uint32(inks[1]))
    return np.where(lattice.mask(), stripes, np.uint32(0))


class SinglePictures:
    """Makes and remembers single pictures of a map, until they are forgotten."""

    def __init__(self, project: Project, map_: Map) -> None:
        self._project, self._map = project, map_
        self.forget()

    def forget(self) -> None:
        """Forget all of them: tiles may look different now."""
        self._on_cell: dict[tuple[int, tuple[int, int]], Big] = {}
        self._free: dict[int, tuple[tuple[Marker, ...], list[Big]]] = {}
        self._turned: dict[tuple[TileRef | None, float, float], Pixels] = {}
        self._shrunk: dict[tuple[int, float, float], tuple[Pixels, Pixels]] = {}

    def on_cell(self, place: int, own: Lattice) -> Big:
        """Give a picture as it stands on the cells of another lattice."""
        key = (place, own.cell_size)
        if key not in self._on_cell:
            tile = self._map.legend.tile(place)
            owner = self._project.tileset_named(tile.tileset) if tile else None
            pixels = tile_pixels(owner, tile) if owner and tile else None
            if owner is None or tile is None or pixels is None:
                self._on_cell[key] = Big(hatch(own, MISSING_INKS), 0, 0)
            else:
                down, across = overhang(owner, tile, own)
                self._on_cell[key] = Big(np.ascontiguousarray(pixels), down, across)
        return self._on_cell[key]

    def free_pictures(self, layer: MarkerLayer) -> list[Big]:
        """Give the free pictures of a marker layer, measured from the map's upper left."""
        known = self._free.get(layer.number)
        if known is None or known[0] is not layer.markers:
            made = [self._free_picture(each) for each in layer.markers if each.tile is not None]
            known = self._free[layer.number] = (layer.markers, made)
        return known[1]

    def _free_picture(self, marker: Marker) -> Big:
        tile = marker.tile
        owner = self._project.tileset_named(tile.tileset) if tile else None
        pixels = tile_pixels(owner, tile) if owner and tile else None
        if pixels is None:
            pixels = hatch(self._map.lattice, MISSING_INKS)
        key = (tile, marker.turn, marker.scale)
        if key not in self._turned:
            self._turned[key] = turned_freely(pixels, marker.turn, marker.scale)
        shown = self._turned[key]
        (x, y), high = marker.points[0], pixels.shape[0] * marker.scale
        # The point is the lower middle of the picture before it is turned round its own middle.
        return Big(shown, round(y - high / 2 - shown.shape[0] / 2), round(x - shown.shape[1] / 2))

    def smaller(self, pixels: Pixels, down: float, across: float) -> Pixels:
        """Shrink a single picture; each is remembered for as long as the atlas is."""
        if down >= 1 and across >= 1:
            return pixels
        key = (id(pixels), down, across)
        known = self._shrunk.get(key)
        if known is None or known[0] is not pixels:
            size = (round(pixels.shape[0] * down), round(pixels.shape[1] * across))
            small = shrunk(pixels[None], max(1, size[0]), max(1, size[1]))[0]
            known = self._shrunk[key] = (pixels, small)
        return known[1]
