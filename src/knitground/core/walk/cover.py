"""What stands in front of a figure: pixels of it that are not seen."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.window import Box
from knitground.core.edit.document import Document
from knitground.core.model.lattice import Rect
from knitground.core.model.layers import GroundLayer, Layer
from knitground.core.model.map import Map, grid_of
from knitground.core.render.atlas import Atlas
from knitground.core.render.stack import draw_map, stack_of
from knitground.core.walk.figure import Figure, Stand

_SEEN = 128
"""Opacity from which on something hides what is behind it."""


def in_front(map_: Map) -> list[Layer]:
    """List the layers that a figure may go behind.

    On upright maps ground lies flat under its feet; on maps of diamonds what stands is ground too,
    and only the layer at the very back is none.
    """
    shown = [each for each in map_.layers if each.visible and each.holds_tiles]
    if map_.lattice.slanted:
        return shown[1:]
    return [each for each in shown if not isinstance(each, GroundLayer)]


def covered(
    doc: Document, map_: Map, atlas: Atlas, figure: Figure, at: Stand,
    front: list[Layer] | None = None,
) -> NDArray[np.bool_]:  # fmt: skip
    """Tell which pixels of a figure are hidden: (high, wide), its feet at the lower edge.

    A cell hides it if it begins nearer to the person who looks than the figure's feet are: on
    upright maps by the cell's lower edge, on diamonds by its middle; cells of a layer that is
    raised always do.

    Parameters
    ----------
    front : layers that it may go behind, by default those of `in_front`
    """
    out = np.zeros((figure.high, figure.wide), np.bool_)
    left, top = at.x - figure.wide // 2, at.y - figure.high
    rect = Rect(left, top, figure.wide, figure.high)
    seen = rect.shared(Rect(0, 0, *(round(each) for each in map_.lattice.extent)))
    if seen.is_empty:
        return out

    def cells_of(layer: Layer, box: Box) -> NDArray[np.int32]:
        grid = grid_of(map_, layer)
        cells = doc.cells(grid, layer, box)
        if layer.height > 0:
            return cells
        rows, cols = np.indices(cells.shape) + 0.5
        high = 0 if grid.lattice.slanted else grid.lattice.cell_size[0]
        begins = grid.lattice.places_of(rows + box.top, cols + box.left)[..., 1] + high / 2
        return np.where(begins > at.y, cells, 0)

    layers = in_front(map_) if front is None else front
    if layers:
        drawn = draw_map(map_, atlas, stack_of(map_, atlas, seen, 0, cells_of, layers))
        down, across = int(seen.y - top), int(seen.x - left)
        part = drawn >> 24 >= _SEEN
        out[down : down + part.shape[0], across : across + part.shape[1]] = part
    return out
