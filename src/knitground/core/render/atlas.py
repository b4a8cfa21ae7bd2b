"""The atlas: the pictures of a map's legend, at full size and at each smaller level."""

from __future__ import annotations

import numpy as np

from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.tileset import TileRef
from knitground.core.render.pixels import Pixels, shrunk
from knitground.core.render.tiles import tile_pixels

_GAP_A, _GAP_B = 0xFFE07A5F, 0xFF2B2A33
_MISSING_A, _MISSING_B = 0xFFB9B2A4, 0xFF8A8479


class Atlas:
    """Pictures by place of the legend; the last one is the gap, so that place -1 finds it.

    Level n holds tiles of 1 / 2ⁿ the size (at least 1 px). Pictures of another size than the map's
    cells keep their size, stand at the cell's lower left and are cut off at its borders.
    """

    def __init__(self, project: Project, map_: Map) -> None:
        self._project = project
        self._map = map_
        self._levels: list[Pixels] = []
        self._size = 0
        self.refresh()

    @property
    def level_count(self) -> int:
        """Levels there are: the last one has tiles of 1 px on their longer side."""
        return max(self._map.tile_height, self._map.tile_width).bit_length()

    def tile_size(self, level: int) -> tuple[int, int]:
        """Height and width of a tile at a level, in pixels."""
        return max(1, self._map.tile_height >> level), max(1, self._map.tile_width >> level)

    def pictures(self, level: int = 0) -> Pixels:
        """Pictures at a level: (legend + 1, h, w) premultiplied uint32."""
        if len(self._map.legend) != self._size:
            self._extend()
        while len(self._levels) <= level:
            height, width = self.tile_size(len(self._levels))
            self._levels.append(shrunk(self._levels[-1], height, width))
        return self._levels[level]

    def refresh(self) -> None:
        """Read every picture again: after another slicing or sheet."""
        self._size = 0
        self._levels = [np.stack([self._blank(), self._hatch(_GAP_A, _GAP_B)])]
        self._extend()

    def _extend(self) -> None:
        tiles = self._map.legend.tiles
        start = max(1, self._size)
        fresh = [self._picture(tile) for tile in tiles[start:] if tile is not None]
        if fresh:
            stack = np.stack(fresh)
            full = self._levels[0]
            self._levels = [np.concatenate([full[:-1], stack, full[-1:]])]
        self._size = len(tiles)

    def _picture(self, tile: TileRef) -> Pixels:
        owner = self._project.tileset_named(tile.tileset)
        pixels = tile_pixels(owner, tile) if owner else None
        return self._hatch(_MISSING_A, _MISSING_B) if pixels is None else self._fitted(pixels)

    def _fitted(self, tile: Pixels) -> Pixels:
        out = self._blank()
        high, wide = min(out.shape[0], tile.shape[0]), min(out.shape[1], tile.shape[1])
        out[out.shape[0] - high :, :wide] = tile[tile.shape[0] - high :, :wide]
        return out

    def _blank(self) -> Pixels:
        return np.zeros((self._map.tile_height, self._map.tile_width), np.uint32)

    def _hatch(self, ink: int, paper: int) -> Pixels:
        height, width = self._map.tile_height, self._map.tile_width
        diagonal = np.add.outer(np.arange(height), np.arange(width)) % 6 < 2
        return np.where(diagonal, np.uint32(ink), np.uint32(paper))
