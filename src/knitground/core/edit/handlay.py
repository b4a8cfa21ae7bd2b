"""What is in hand, in every cell of a region."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.window import Box
from knitground.core.edit.desk import Desk
from knitground.core.edit.hand import (
    PatchInHand,
    TileInHand,
    TilesInHand,
)
from knitground.core.grow.patchwork import mix_cells
from knitground.core.grow.taking import Lie, taken_cells
from knitground.core.model.layers import (
    Cells,
    GroundLayer,
    Layer,
)
from knitground.core.model.map import Map
from knitground.core.model.mix import Mix


def hand_values(
    desk: Desk,
    hand: TilesInHand,
    map_: Map,
    layer: Layer,
    box: Box,
    anchor: tuple[int, int] | None = None,
    dealt: NDArray[np.bool_] | None = None,
    mask: NDArray[np.bool_] | None = None,
) -> Cells:
    """Give what is in hand lays in every cell of a box: places of the map's legend, 0 for holes.

    `anchor` is where a patch that repeats begins; by default the box's own corner. `dealt` are the
    cells among which a mix that falls in exact shares is dealt; a brush deals in blocks of the map.
    `mask` are the cells that are to be laid: patches of a mix lie in them as a whole.
    """
    if isinstance(hand, PatchInHand):
        patch = hand.patch
        places = np.array(
            [[map_.legend.place(t) if t else 0 for t in row] for row in patch.rows], np.int32
        )
        top, left = anchor if anchor is not None else (box.top, box.left)
        rows = (np.arange(box.top, box.bottom) - top) % patch.height
        cols = (np.arange(box.left, box.right) - left) % patch.width
        return places[np.ix_(rows, cols)]
    if isinstance(hand, TileInHand):
        return np.full((box.height, box.width), map_.legend.place(hand.tile), np.int32)
    every = np.ones((box.height, box.width), np.bool_) if mask is None else mask
    current = None
    if hand.mix.has_patches and not isinstance(layer, GroundLayer):
        current = layer.cells
    seed = desk.options.seed
    return mix_cells(map_, hand.mix, layer.number, box, seed, every, dealt, current)


def mix_mask(desk: Desk, map_: Map, layer: Layer, mix: Mix, box: Box) -> NDArray[np.bool_]:
    """Give the cells of a box that a mix takes, as it is set to: all of them, or some."""
    lie = Lie(desk.project, map_, lambda each, part: desk.doc.cells(map_.of or map_, each, part))
    return taken_cells(lie, mix.fall, layer.number, box, desk.options.seed)
