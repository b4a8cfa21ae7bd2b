"""What a figure can not go through, pixel for pixel, made where it is asked for."""

from __future__ import annotations

from collections.abc import Collection

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.window import Box
from knitground.core.edit.document import Document
from knitground.core.model.lattice import Lattice, Rect
from knitground.core.model.layers import Layer
from knitground.core.model.map import Map, grid_of
from knitground.core.shapes.filled import stamp
from knitground.core.shapes.merge import OfTiles, laid_shapes

Mask = NDArray[np.bool_]
SOLID, ONE_WAY = "solid", "one-way"


class Solids:
    """Areas of chosen kinds on a map, as pixels.

    A pixel is solid if its middle lies in a shape of the kind. Beyond the map's border all is
    solid, unless the map wraps and its cells lie upright: then it goes on at the other side. On
    maps of diamonds all that lies on no diamond is beyond it.

    Parameters
    ----------
    kinds : of shapes that stop a figure
    one_way : of shapes that only bear one that comes from above
    side : pixels of the blocks that are made at once
    """

    def __init__(
        self, doc: Document, map_: Map, kinds: Collection[str] = (SOLID,),
        one_way: Collection[str] = (ONE_WAY,), side: int = 256,
    ) -> None:  # fmt: skip
        self._side = side
        self.doc, self.map = doc, map_
        self.kinds, self.one_way = frozenset(kinds), frozenset(one_way)
        self.wide, self.high = (round(each) for each in map_.lattice.extent)
        self.goes_round = map_.wrap and not map_.lattice.slanted
        self._known: OfTiles = {}
        self._blocks: dict[tuple[int, int], tuple[Mask, Mask]] = {}

    def forget(self, rect: Rect | None = None) -> None:
        """Make anew what is asked for next: in a rectangle of pixels, or everywhere."""
        if rect is None:
            self._known.clear()
            self._blocks.clear()
            return
        for row, col in list(self._blocks):
            block = Rect(col * self._side, row * self._side, self._side, self._side)
            if not block.shared(rect).is_empty:
                del self._blocks[row, col]

    def seen(self, x: int, y: int, wide: int, high: int, *, one_way: bool = False) -> Mask:
        """Give the solid pixels of a rectangle: (high, wide)."""
        row, col = y // self._side, x // self._side
        whole = 0 <= x <= self.wide - wide and 0 <= y <= self.high - high
        if whole and (y + high - 1) // self._side == row and (x + wide - 1) // self._side == col:
            up, left = y - row * self._side, x - col * self._side
            return self._block(row, col)[one_way][up : up + high, left : left + wide]
        ys, xs = np.arange(y, y + high), np.arange(x, x + wide)
        if self.goes_round:
            ys, xs = ys % self.high, xs % self.wide
        out = np.full((high, wide), not one_way, np.bool_)
        inside_y = np.flatnonzero((ys >= 0) & (ys < self.high))
        inside_x = np.flatnonzero((xs >= 0) & (xs < self.wide))
        for row in np.unique(ys[inside_y] // self._side).tolist():
            for down in _runs(inside_y[ys[inside_y] // self._side == row], ys):
                for col in np.unique(xs[inside_x] // self._side).tolist():
                    for across in _runs(inside_x[xs[inside_x] // self._side == col], xs):
                        up, left = ys[down][0] % self._side, xs[across][0] % self._side
                        block = self._block(row, col)[one_way]
                        part = out[down, across]
                        part[:] = block[up : up + part.shape[0], left : left + part.shape[1]]
        return out

    def _block(self, row: int, col: int) -> tuple[Mask, Mask]:
        if (row, col) not in self._blocks:
            self._blocks[row, col] = self._make(row, col)
        return self._blocks[row, col]

    def _make(self, row: int, col: int) -> tuple[Mask, Mask]:
        lattice = self.map.lattice
        rect = Rect(col * self._side, row * self._side, self._side, self._side)
        wide = shapes_reach(lattice, rect)
        box = lattice.cells_in(wide).clipped(self.map.height, self.map.width)
        solid, bearing = np.zeros((2, self._side, self._side), np.bool_)
        if lattice.slanted:
            solid |= self._off_map(rect)
        for layer in self.map.layers:
            if not layer.visible or not layer.holds_tiles:
                continue
            laid = laid_shapes(self.doc.project, self.map, box, [layer], self._cells, self._known)
            for kind, each in laid.items():
                mask = solid if kind in self.kinds else bearing if kind in self.one_way else None
                for corners in each if mask is not None else ():
                    assert mask is not None
                    stamp(mask, corners - (rect.x, rect.y))
        return solid, bearing

    def _off_map(self, rect: Rect) -> Mask:
        """Tell which pixels lie on no cell of a map that is no rectangle."""
        xs, ys = rect.x + np.arange(self._side) + 0.5, rect.y + np.arange(self._side) + 0.5
        lattice = self.map.lattice
        return np.asarray(~lattice.there(*lattice.cells_at(xs[None], ys[:, None])))

    def _cells(self, layer: Layer, box: Box) -> NDArray[np.int32]:
        return self.doc.cells(grid_of(self.map, layer), layer, box)


def shapes_reach(lattice: Lattice, rect: Rect) -> Rect:
    """Give from how far round a rectangle shapes can reach into it: by a tile's picture at most."""
    far = 2 * lattice.longer
    return Rect(rect.x - far, rect.y - far, rect.width + 2 * far, rect.height + 2 * far)


def _runs(places: NDArray[np.int64], of: NDArray[np.int64]) -> list[slice]:
    """Part places into runs without a hole, in themselves and in what `of` gives for them."""
    holes = (np.diff(places) != 1) | (np.diff(of[places]) != 1)
    parts = np.split(places, np.flatnonzero(holes) + 1)
    return [slice(int(each[0]), int(each[-1]) + 1) for each in parts if len(each)]
