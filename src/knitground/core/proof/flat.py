"""Tiles as they are seen from straight above, whatever the grid: squares, side to side."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.window import Box
from knitground.core.model.lattice import Lattice
from knitground.core.model.shapes import ShapeForm, Shapes, TileShape
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Tileset
from knitground.core.render.tiles import overhang
from knitground.core.shapes.geometry import outline, turned_shape
from knitground.core.slicing.base import SEEN, wall_height
from knitground.core.slicing.grid import cut_tile

_LIES = 0.15
"""Heights of a base up to which what rises still lies flat: blades of grass."""


class Flat:
    """Looks at tiles of a grid from straight above.

    On upright grids that is the picture as it is. On diamonds the base is drawn out to a square,
    half as many pixels wide as the diamond; what lies outside of it is left out.
    """

    def __init__(self, lattice: Lattice) -> None:
        self.lattice = lattice
        one, cell = lattice.one(), Box(0, 0, 1, 1)
        corners = np.array(one.outline(cell), float) - one.bounds(cell)[:2]
        self.side = lattice.cell_size[1] // 2
        self._first = corners[0]
        self._ways = np.stack([corners[1] - corners[0], corners[3] - corners[0]]) / self.side

    def picture(self, owner: Tileset, tile: TileRef) -> NDArray[np.uint8] | None:
        """Give what a tile that lies flat shows of its cell: (height, width, 4).

        None if it rises, if it is of another size than the cells, or if there is no picture.
        """
        if owner.picture is None or owner.slicing.pieces:
            return None
        pixels = cut_tile(owner.picture, owner.slicing, tile.row, tile.col)
        if not self.lattice.slanted:
            return pixels if pixels.shape[:2] == self.lattice.cell_size else None
        if wall_height(pixels[..., 3] > SEEN, self.lattice) > _LIES * self.lattice.cell_size[0]:
            return None
        # A pixel within the line between two cells, for that line is a stair.
        along = 1 + (np.arange(self.side) + 0.5) * (1 - 2 / self.side)
        down, across = overhang(owner, tile, self.lattice)
        places = self._first + along[None, :, None] * self._ways[0] \
            + along[:, None, None] * self._ways[1] - (across, down)  # fmt: skip
        cols, rows = (np.floor(places[..., n]).astype(int) for n in (0, 1))
        inside = (rows >= 0) & (rows < pixels.shape[0]) & (cols >= 0) & (cols < pixels.shape[1])
        out = np.zeros((self.side, self.side, 4), np.uint8)
        out[inside] = pixels[rows[inside], cols[inside]]
        return out

    def shapes(self, owner: Tileset, tile: TileRef) -> tuple[Shapes, tuple[int, int]]:
        """Give the shapes of a tile, and the height and width of what they lie on."""
        _, _, wide, high = owner.slicing.tile_area(tile.row, tile.col)
        shapes = owner.fact(tile.row, tile.col).shapes
        if tile.turn:
            shapes = tuple(turned_shape(each, tile.turn, wide, high) for each in shapes)
            wide, high = (high, wide) if tile.turn % 2 else (wide, high)
        if not self.lattice.slanted:
            return shapes, (high, wide)
        down, across = overhang(owner, tile, self.lattice)
        back = np.linalg.inv(self._ways)
        flat = []
        for each in shapes:
            begins = np.array((across, down)) - self._first
            points = (np.array(outline(each), float) + begins) @ back
            corners = tuple((round(x, 3), round(y, 3)) for x, y in points.tolist())
            flat.append(TileShape(each.kind, ShapeForm.POLYGON, corners))
        return tuple(flat), (self.side, self.side)
