"""The atlas: the pictures of a map's legend, at full size and at each smaller level."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from knitground.core.model.layers import MarkerLayer
from knitground.core.model.map import Map
from knitground.core.model.marker import Marker
from knitground.core.model.project import Project
from knitground.core.model.tileset import TileRef
from knitground.core.render.free import turned_freely
from knitground.core.render.pixels import Pixels, shrunk
from knitground.core.render.tiles import overhang, tile_pixels

_GAP_A, _GAP_B = 0xFFE07A5F, 0xFF2B2A33
_MISSING_A, _MISSING_B = 0xFFB9B2A4, 0xFF8A8479


@dataclass(frozen=True)
class Reach:
    """How many cells beyond its own the largest picture of an atlas covers, on each side."""

    up: int = 0
    left: int = 0
    down: int = 0
    right: int = 0

    def __bool__(self) -> bool:
        return any((self.up, self.left, self.down, self.right))


@dataclass(frozen=True, eq=False)
class Big:
    """A picture that reaches beyond its cell, and where it begins from the cell's upper left."""

    pixels: Pixels
    down: int
    across: int


@dataclass(frozen=True, eq=False)
class Pictures:
    """The pictures of one level.

    `tiles` (legend + 1, h, w) premultiplied: place 0 blank, the last one the gap, so that place -1
    finds it; blank too for places in `big`.
    """

    tiles: Pixels
    big: dict[int, Big] = field(default_factory=dict)
    reach: Reach = Reach()


def level_count(map_: Map) -> int:
    """Levels there are: the last one has tiles of 1 px on their longer side."""
    return max(map_.tile_height, map_.tile_width).bit_length()


def tile_size(map_: Map, level: int) -> tuple[int, int]:
    """Height and width of a tile at a level, in pixels."""
    return max(1, map_.tile_height >> level), max(1, map_.tile_width >> level)


class Atlas:
    """Pictures by place of the legend, at each level.

    Level n holds tiles of 1 / 2ⁿ the size (at least 1 px). A picture keeps its own size and stands
    with its anchor on the lower middle of its cell, or with its lower left corner on the cell's; it
    may reach beyond the cell.
    """

    def __init__(self, project: Project, map_: Map) -> None:
        self._project = project
        self._map = map_
        self._levels: list[Pixels] = []
        self._big: dict[int, Big] = {}
        self._big_levels: dict[int, dict[int, Big]] = {}
        self._reach = Reach()
        self._size = 0
        self._now = 0
        self._shown: dict[int, TileRef] = {}
        self.refresh()

    @property
    def moving(self) -> bool:
        """Whether any picture is an animation."""
        return bool(self._shown)

    @property
    def moving_places(self) -> list[int]:
        """Places of the legend whose picture is an animation."""
        return list(self._shown)

    def show_time(self, ms: int) -> bool:
        """Show animations as they are at a time; returns whether any picture is another one now."""
        self._now = ms
        changed = False
        for place, shown in list(self._shown.items()):
            tile = self._map.legend.tile(place)
            if tile is None or self._frame(tile) == shown:
                continue
            self._big.pop(place, None)
            self._levels[0][place] = self._picture(place, tile)
            changed = True
        if changed:
            del self._levels[1:]
            self._big_levels = {}
        return changed

    def _frame(self, tile: TileRef) -> TileRef:
        owner = self._project.tileset_named(tile.tileset)
        frames = owner.fact(tile.row, tile.col).frames if owner else None
        if not frames:
            return tile
        left = self._now % max(1, sum(each.ms for each in frames))
        for each in frames:
            left -= each.ms
            if left < 0:
                break
        return tile._replace(row=each.row, col=each.col)

    @property
    def level_count(self) -> int:
        """Levels there are: the last one has tiles of 1 px on their longer side."""
        return level_count(self._map)

    def tile_size(self, level: int) -> tuple[int, int]:
        """Height and width of a tile at a level, in pixels."""
        return tile_size(self._map, level)

    @property
    def reach(self) -> Reach:
        """How far pictures reach beyond their cells."""
        if len(self._map.legend) != self._size:
            self._extend()
        return self._reach

    def at(self, level: int = 0) -> Pictures:
        """Give the pictures at a level, those that reach beyond their cells among them."""
        tiles = self.pictures(level)
        if level not in self._big_levels:
            high, wide = self.tile_size(level)
            down, across = high / self._map.tile_height, wide / self._map.tile_width
            self._big_levels[level] = {
                place: _smaller(big, down, across) for place, big in self._big.items()
            }
        return Pictures(tiles, self._big_levels[level], self._reach)

    def pictures(self, level: int = 0) -> Pixels:
        """Give the pictures that fit their cells: (legend + 1, h, w) premultiplied uint32."""
        if len(self._map.legend) != self._size:
            self._extend()
        while len(self._levels) <= level:
            height, width = self.tile_size(len(self._levels))
            self._levels.append(shrunk(self._levels[-1], height, width))
        return self._levels[level]

    def picture(self, place: int) -> Pixels:
        """Give one picture at full size, all of it."""
        tiles = self.pictures()
        big = self._big.get(place)
        return big.pixels if big is not None else tiles[place]

    def on_cell(self, place: int, cell: tuple[int, int]) -> Big:
        """Give a picture as it stands on a cell of another size (height, width)."""
        key = (place, cell)
        if key not in self._on_cell:
            tile = self._map.legend.tile(place)
            owner = self._project.tileset_named(tile.tileset) if tile else None
            pixels = tile_pixels(owner, tile) if owner and tile else None
            if owner is None or tile is None or pixels is None:
                hatch = self._hatch(_MISSING_A, _MISSING_B)
                self._on_cell[key] = Big(np.resize(hatch, cell), 0, 0)
            else:
                down, across = overhang(owner, tile, *cell)
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
            pixels = self._hatch(_MISSING_A, _MISSING_B)
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

    def dots(self) -> Pixels:
        """Give each picture at the smallest level, for maps drawn very small."""
        level = self.level_count - 1
        size = self.tile_size(level)
        tiles = self.pictures(level)
        if not self._big:
            return tiles
        out = tiles.copy()
        for place, big in self._big.items():
            out[place] = shrunk(big.pixels[None], *size)[0]
        return out

    def refresh(self) -> None:
        """Read every picture again: after another slicing or sheet."""
        self._size = 0
        self._levels = [np.stack([self._blank(), self._hatch(_GAP_A, _GAP_B)])]
        self._big, self._big_levels, self._reach = {}, {}, Reach()
        self._shown = {}
        self._forget_single()
        self._extend()

    def _forget_single(self) -> None:
        self._on_cell: dict[tuple[int, tuple[int, int]], Big] = {}
        self._free: dict[int, tuple[tuple[Marker, ...], list[Big]]] = {}
        self._turned: dict[tuple[TileRef | None, float, float], Pixels] = {}
        self._shrunk: dict[tuple[int, float, float], tuple[Pixels, Pixels]] = {}

    def _extend(self) -> None:
        tiles = self._map.legend.tiles
        start = max(1, self._size)
        fresh = [
            self._picture(place, tile)
            for place, tile in enumerate(tiles[start:], start)
            if tile is not None
        ]
        if fresh:
            stack = np.stack(fresh)
            full = self._levels[0]
            self._levels = [np.concatenate([full[:-1], stack, full[-1:]])]
            self._big_levels = {}
        self._size = len(tiles)

    def _picture(self, place: int, tile: TileRef) -> Pixels:
        owner = self._project.tileset_named(tile.tileset)
        if owner is not None and owner.fact(tile.row, tile.col).frames:
            tile = self._shown[place] = self._frame(tile)
        pixels = tile_pixels(owner, tile) if owner else None
        if owner is None or pixels is None:
            return self._hatch(_MISSING_A, _MISSING_B)
        height, width = self._map.tile_height, self._map.tile_width
        down, across = overhang(owner, tile, height, width)
        high, wide = pixels.shape
        out = self._blank()
        if down >= 0 and across >= 0 and down + high <= height and across + wide <= width:
            out[down : down + high, across : across + wide] = pixels
            return out
        self._big_levels = {}
        self._big[place] = Big(np.ascontiguousarray(pixels), down, across)
        r = self._reach
        self._reach = Reach(
            max(r.up, -(down // height)),
            max(r.left, -(across // width)),
            max(r.down, -(-(down + high) // height) - 1),
            max(r.right, -(-(across + wide) // width) - 1),
        )
        return out

    def _blank(self) -> Pixels:
        return np.zeros((self._map.tile_height, self._map.tile_width), np.uint32)

    def _hatch(self, ink: int, paper: int) -> Pixels:
        height, width = self._map.tile_height, self._map.tile_width
        diagonal = np.add.outer(np.arange(height), np.arange(width)) % 6 < 2
        return np.where(diagonal, np.uint32(ink), np.uint32(paper))


def _smaller(big: Big, down: float, across: float) -> Big:
    height = max(1, round(big.pixels.shape[0] * down))
    width = max(1, round(big.pixels.shape[1] * across))
    pixels = shrunk(big.pixels[None], height, width)[0]
    return Big(pixels, round(big.down * down), round(big.across * across))
