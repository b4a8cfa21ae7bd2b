"""Which piece fits here: the tiles whose pixels join best with what lies round a cell."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.window import Box
from knitground.core.edit.document import Document
from knitground.core.model.lattice import Lattice
from knitground.core.model.layers import Layer
from knitground.core.model.map import Map, grid_of
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Tileset
from knitground.core.render.pixels import Pixels
from knitground.core.render.tiles import filled_tiles, overhang, tile_pixels
from knitground.core.slicing.base import SEEN, wall_height

MOST_TILES = 4096
_ALONG = 32
"""Places along a side that are compared."""
_BESIDE = 0.75
"""Pixels from the side at which they are, inside of the picture's own cell."""
_WITHIN = 0.55
"""Part of the way to a diamond's middle within which what a picture shows counts as at the side:
blades and stones in front reach over the foot of what is behind, so it is often left out there."""
_FULL = 0.7
"""Part of a diamond that ground covers."""
_LOOKED_AT = 200
_OPEN = 0.35
"""What a side counts at which nothing lies on the other side, against one where something does."""
_GRAIN = 3
"""Places on both sides over which colours are taken together."""
_LOW = 0.6
"""Heights of bases up to which what rises may be blades on flat ground: both levels are tried."""

Strip = NDArray[np.float32]
"""What a picture shows along a side of its cell: (places, 7) red, green, blue, alpha, 0 to 1; then
the same colours as the mean of the places near."""
_COLOURS = (0, 1, 2, 4, 5, 6)

_SIDES = ((-1, 0), (0, 1), (1, 0), (0, -1))
"""To the cell across the sides north, east, south, west."""


class Piece(NamedTuple):
    """A tile, and how badly it joins: 0 where what it shows goes straight on."""

    tile: TileRef
    cost: float


class Fitting:
    """Finds the tiles of a sheet that fit on cells of a layer; what was compared is known then.

    Notes
    -----
    Own derivation. Along each of a cell's four sides what a candidate shows just inside is compared
    with what lies just outside, on the level of their tops. Where both are see-through nothing is
    compared; where only one is, they differ wholly. What rises over its cell hides, at the two
    sides that are seen, what is behind it: there it reaches the side if it does so on the ground.
    A side beside which nothing lies counts about a third: pieces may end there, or not.
    """

    def __init__(self, doc: Document, map_: Map, layer: Layer, owner: Tileset) -> None:
        self._doc, self._map, self._layer = doc, map_, layer
        self._grid = grid_of(map_, layer)
        self._look = _Strips(doc, self._grid.lattice)
        self._low = _LOW * self._grid.lattice.cell_size[0]
        self._tiles = _candidates(owner)
        self._look.of_ground = self._grid.lattice.slanted and self._look.are_ground(self._tiles)
        self._weights = [owner.fact(tile.row, tile.col).weight for tile in self._tiles]
        self._costs: dict[tuple[int, TileRef | None], NDArray[np.float64]] = {}

    def on(self, at: tuple[int, int], most: int = 12) -> list[Piece]:
        """List those for one cell, a row and column of the layer's own grid, the best first.

        None if nothing lies beside it: any piece fits there.
        """
        beside = [self._beside(at, step) for step in _SIDES]
        if not any(tile is not None for tile in beside):
            return []
        parts = [1.0 if other is not None else _OPEN for other in beside]
        costs = sum((part * self._cost(side, other)
                     for side, (part, other) in enumerate(zip(parts, beside))),
                    np.zeros(len(self._tiles))) / sum(parts)  # fmt: skip
        order = sorted(zip(costs.tolist(), (-each for each in self._weights), self._tiles))
        return [Piece(tile, round(cost, 4)) for cost, _, tile in order[:most]]

    def _beside(self, at: tuple[int, int], step: tuple[int, int]) -> TileRef | None:
        """Give the tile on the cell across a side, if there is one."""
        row, col = at[0] + step[0], at[1] + step[1]
        if not self._grid.wrap and not self._grid.lattice.holds(row, col):
            return None
        cells = self._doc.cells(self._map, self._layer, Box(row, col, row + 1, col + 1))
        return self._map.legend.tile(int(cells[0, 0])) if cells[0, 0] > 0 else None

    def _cost(self, side: int, other: TileRef | None) -> NDArray[np.float64]:
        """Tell how badly each of the tiles joins with another one across a side."""
        if (side, other) not in self._costs:
            high = self._look.height(other)
            heights = np.array([max(self._look.height(tile), high) for tile in self._tiles], int)
            out = np.ones(len(self._tiles))
            for up in np.unique(heights).tolist():
                here = np.flatnonzero(heights == up)
                for at in {up} if up >= self._low else {0, up}:
                    strips = np.stack([self._look.of(self._tiles[n], side, at) for n in here])
                    apart = _differ(strips, self._look.of(other, (side + 2) % 4, at))
                    out[here] = np.minimum(out[here], apart)
            self._costs[side, other] = out
        return self._costs[side, other]


def _candidates(owner: Tileset) -> list[TileRef]:
    filled = np.argwhere(filled_tiles(owner)).tolist()
    return [
        TileRef(owner.name, row, col) for row, col in filled if (row, col) not in owner.left_out
    ][:MOST_TILES]


class _Strips:
    """What tiles show along the sides of their cells, each looked at once."""

    def __init__(self, doc: Document, lattice: Lattice) -> None:
        self._project, self._lattice = doc.project, lattice
        self._pictures: dict[TileRef, tuple[Pixels, int, int, int] | None] = {}
        self._strips: dict[tuple[TileRef, int, int], Strip] = {}
        self.of_ground = False
        """Whether what lies near a side counts as at it (`_WITHIN`)."""
        one, cell = lattice.one(), Box(0, 0, 1, 1)
        self._corners = np.array(one.outline(cell)) - one.bounds(cell)[:2]
        self._middle = self._corners.mean(axis=0)

    def height(self, tile: TileRef | None) -> int:
        """Tell by how many pixels a picture rises over what it stands on."""
        found = self._picture(tile) if tile is not None else None
        return found[3] if found is not None else 0

    def _picture(self, tile: TileRef) -> tuple[Pixels, int, int, int] | None:
        """Give a picture, where it begins beside its cell, and by how much it rises."""
        if tile not in self._pictures:
            owner = self._project.tileset_named(tile.tileset)
            pixels = tile_pixels(owner, tile) if owner else None
            if owner is None or pixels is None:
                self._pictures[tile] = None
            else:
                rises = self._lattice.slanted  # upright cells are seen from above
                up = wall_height(pixels >> np.uint32(24) > SEEN, self._lattice) if rises else 0
                self._pictures[tile] = (pixels, *overhang(owner, tile, self._lattice), up)
        return self._pictures[tile]

    def of(self, tile: TileRef | None, side: int, up: int) -> Strip:
        """Give what a tile shows just inside of a side of its cell, so many pixels up."""
        if tile is None or (picture := self._picture(tile)) is None:
            return np.zeros((_ALONG, 7), np.float32)
        key = (tile, side, up)
        if key not in self._strips:
            strip = self._look(picture, side, up)
            if up and side in (1, 2):  # these two sides are seen
                strip[:, 3] *= self._look(picture, side, 1)[:, 3] > 0
            self._strips[key] = _with_coarse(strip)
        return self._strips[key]

    def are_ground(self, tiles: Sequence[TileRef]) -> bool:
        """Tell whether nearly all of some tiles lie on all of their diamond, but for its foot."""
        ys, xs = np.nonzero(self._lattice.one().mask())
        full = 0
        for found in map(self._picture, tiles[:_LOOKED_AT]):
            if found is not None:
                pixels, down, across, _ = found
                rows, cols = ys - down, xs - across
                inside = (rows >= 0) & (rows < pixels.shape[0])
                inside &= (cols >= 0) & (cols < pixels.shape[1])
                seen = pixels[rows[inside], cols[inside]] >> np.uint32(24) > SEEN
                full += bool(seen.sum() > _FULL * len(ys))
        return full >= 0.9 * len(tiles[:_LOOKED_AT])

    def _look(self, picture: tuple[Pixels, int, int, int], side: int, up: int) -> Strip:
        pixels, down, across, _ = picture
        start, end = self._corners[side], self._corners[(side + 1) % 4]
        if side >= 2:  # strips of both tiles at a side go the same way
            start, end = end, start
        part = ((np.arange(_ALONG) + 0.5) / _ALONG)[:, None]
        inward = self._middle - (start + end) / 2
        far = float(np.hypot(*inward))
        out = np.zeros((_ALONG, 4), np.float32)
        deepest = far * _WITHIN if self.of_ground else 0
        for depth in np.arange(_BESIDE, max(_BESIDE + 1, deepest)):
            places = start * (1 - part) + end * part + inward / far * depth
            xs = np.floor(places[:, 0] - across).astype(int)
            ys = np.floor(places[:, 1] - down).astype(int) - up
            inside = (ys >= 0) & (ys < pixels.shape[0]) & (xs >= 0) & (xs < pixels.shape[1])
            inside &= out[:, 3] <= 0.4
            out[inside] = _channels(pixels[ys[inside], xs[inside]])
        return out


def _channels(pixels: Pixels) -> NDArray[np.float32]:
    shifts: Sequence[int] = (16, 8, 0, 24)
    parts = [(pixels >> np.uint32(n)) & np.uint32(255) for n in shifts]
    return np.asarray(np.stack(parts, axis=-1) / 255, np.float32)


def _differ(strips: Strip, other: Strip) -> NDArray[np.float64]:
    """Tell how much strips, (n, places, 7), differ from one where either shows something, 0 to 1.

    It is the mean of the places at which either does; 0 where there is none.
    """
    a, b = strips[..., 3] > 0.4, other[:, 3] > 0.4
    either = a | b
    apart = np.abs(strips[..., _COLOURS] - other[:, _COLOURS])
    apart = (apart[..., :3].mean(axis=-1) + 2 * apart[..., 3:].mean(axis=-1)) / 3
    apart = np.where(a & b, np.minimum(1.0, 2.5 * apart), 1.0)
    sums = (apart * either).sum(axis=1, dtype=np.float64)
    return np.asarray(sums / np.maximum(1, either.sum(axis=1)))


def _with_coarse(strip: Strip) -> Strip:
    """Add the colours that are the mean of some places each: grain is compared less."""
    padded = np.pad(strip[:, :3] * strip[:, 3:], ((_GRAIN, _GRAIN), (0, 0)), mode="edge")
    sums = np.cumsum(np.pad(padded, ((1, 0), (0, 0))), axis=0)
    side = 2 * _GRAIN + 1
    return np.asarray(np.hstack([strip, (sums[side:] - sums[:-side]) / side]), np.float32)
