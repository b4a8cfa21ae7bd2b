"""Two states of a map side by side, what is different marked in both."""

from __future__ import annotations

from functools import partial

import numpy as np
from numpy.typing import NDArray

from knitground.core.edit.document import Document
from knitground.core.model.lattice import Rect
from knitground.core.model.map import Map
from knitground.core.render.atlas import Atlas
from knitground.core.render.pixels import straight
from knitground.core.render.stack import draw_map, stack_of

_MOST_PX = 1024
_MARK = np.array((180, 71, 47), np.float32)
"""The colour of what is different: madder."""
_GAP = 8


def drawn_small(doc: Document, map_: Map, most: int = _MOST_PX) -> NDArray[np.uint8]:
    """Draw a map so small that no side has more pixels than that: (h, w, 4) straight alpha."""
    level = 0
    while max(map_.lattice.at_level(level).extent) > most and level + 1 < map_.lattice.level_count:
        level += 1
    atlas = Atlas(doc.project, map_)
    whole = Rect(0, 0, *map_.lattice.at_level(level).extent)
    stack = stack_of(map_, atlas, whole, level, partial(doc.cells, map_))
    every = -(-max(whole.width, whole.height) // most)  # of a map of very many cells
    return straight(draw_map(map_, atlas, stack)[::every, ::every])


def marked(picture: NDArray[np.uint8], map_: Map, cells: NDArray[np.bool_]) -> NDArray[np.uint8]:
    """Mark cells of a map on its picture: all else grows pale, so that single cells are seen."""
    if cells.shape != (map_.height, map_.width):
        return picture
    high, wide = picture.shape[:2]
    full_wide, full_high = map_.lattice.extent
    xs = (np.arange(wide) + 0.5) * full_wide / wide
    ys = (np.arange(high) + 0.5) * full_high / high
    rows, cols = map_.lattice.cells_at(xs[None], ys[:, None])
    rows, cols = np.broadcast_arrays(rows, cols)
    on = map_.lattice.there(rows, cols)
    on[on] = cells[rows[on], cols[on]]
    # A cell may be less than a pixel: what the grid of pixels misses is put in by its middle.
    middle = np.argwhere(cells)
    places = map_.lattice.places_of(middle[:, 0] + 0.5, middle[:, 1] + 0.5)
    at_y = (places[:, 1] * high / full_high).astype(int).clip(0, high - 1)
    at_x = (places[:, 0] * wide / full_wide).astype(int).clip(0, wide - 1)
    on[at_y, at_x] = True
    out = picture.astype(np.float32)
    out[..., :3] = np.where(on[..., None], out[..., :3] * 0.5 + _MARK * 0.5,
                            out[..., :3] * 0.55 + 245 * 0.45)  # fmt: skip
    out[on, 3] = 255
    return out.astype(np.uint8)


def side_by_side(one: NDArray[np.uint8], other: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Lay two pictures beside each other, with a gap."""
    high = max(one.shape[0], other.shape[0])
    out = np.zeros((high, one.shape[1] + _GAP + other.shape[1], 4), np.uint8)
    out[: one.shape[0], : one.shape[1]] = one
    out[: other.shape[0], one.shape[1] + _GAP :] = other
    return out
