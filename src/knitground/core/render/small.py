"""A whole map small: one pixel for each cell, or for one cell in so many."""

from __future__ import annotations

import numpy as np

from knitground.core.model.layers import Cells, Holds, Layer
from knitground.core.model.map import Map, grid_of
from knitground.core.render.atlas import Atlas
from knitground.core.render.compose import lay_out, tint_factors
from knitground.core.render.pixels import Pixels, multiplied, over, weakened

SMALL_WIDE, SMALL_HIGH = 200, 150


def small_picture(map_: Map, atlas: Atlas) -> Pixels:
    """Draw a map with one pixel for each of its cells, or for one cell in so many.

    Ground is drawn as far as it has been knitted: the cost is that of the small picture.
    """
    step = max(1, -(-map_.width // SMALL_WIDE), -(-map_.height // SMALL_HIGH))
    high, wide = atlas.lattice(map_.lattice.level_count - 1).cell_size
    shape = (-(-map_.height // step), -(-map_.width // step))
    out = np.zeros((shape[0] * high, shape[1] * wide), np.uint32)
    for layer in map_.layers:
        if not layer.visible or layer.holds is Holds.MARKERS:
            continue
        cells = sampled_cells(map_, layer, step)
        if layer.holds is Holds.COLOURS:
            factors = tint_factors(cells, layer.opacity)
            out = multiplied(out, np.repeat(np.repeat(factors, high, 0), wide, 1))
        else:
            cells = np.maximum(cells, 0)
            out = over(weakened(lay_out(atlas.dots([cells]), cells), layer.opacity), out)
    return map_.lattice.spread(out)


def sampled_cells(map_: Map, layer: Layer, step: int) -> Cells:
    """Take one cell in so many of a layer, rows and columns of the map apart."""
    if layer.own_cell is None:
        return layer.cells[::step, ::step]
    begins = map_.lattice.origins(*np.mgrid[: map_.height : step, : map_.width : step])
    rows, cols = grid_of(map_, layer).lattice.cells_at(begins[..., 0], begins[..., 1])
    high, wide = layer.cells.shape
    return np.asarray(layer.cells[np.minimum(rows, high - 1), np.minimum(cols, wide - 1)])
