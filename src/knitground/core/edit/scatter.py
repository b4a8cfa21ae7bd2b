"""What lies on a map as a mix, and tiles thinned out by chance."""

from __future__ import annotations

import numpy as np

from knitground.core.base.errors import EditError
from knitground.core.base.hashing import cell_numbers
from knitground.core.base.tongue import say
from knitground.core.edit.document import Document
from knitground.core.edit.laying import Plan, plan_cells
from knitground.core.edit.selecting import Selection
from knitground.core.model.layers import GroundLayer, Layer
from knitground.core.model.map import Map
from knitground.core.model.mix import Mix, MixEntry
from knitground.core.model.tile import TileRef

KNITTED = say("“{}” is knitted from its terrain: thin out a tile layer or a grown one")
THINNING = 0x7B1D
"""Put to the seed, so that the cells that go are not those that a mix of this seed chose by."""


def mix_of_cells(
    doc: Document, map_: Map, layer: Layer, chosen: Selection, name: str
) -> tuple[Mix, int]:
    """Make a mix of the chosen cells: each tile weighs as many as lie there, the most first.

    Returns
    -------
    tuple[Mix, int]
        the mix and how many cells were counted; empty cells are not

    Raises
    ------
    EditError
        No tile lies there.
    """
    cells = doc.cells(map_, layer, chosen.box)[chosen.mask]
    places, counts = np.unique(cells[cells > 0], return_counts=True)
    found: dict[TileRef, int] = {}
    for place, count in zip(places.tolist(), counts.tolist(), strict=True):
        tile = map_.legend.tile(place)
        if tile is not None:
            found[tile] = found.get(tile, 0) + count
    if not found:
        raise EditError(
            say("no tile of “{name}” lies there: select cells with tiles", name=layer.name)
        )
    most = sorted(found.items(), key=lambda each: (-each[1], each[0]))
    return Mix(name, tuple(MixEntry(tile, float(n)) for tile, n in most)), sum(found.values())


def plan_thin(
    doc: Document, map_: Map, layer: Layer, chosen: Selection, share: float, seed: int
) -> tuple[Plan, int]:
    """Plan taking away a share of the tiles that lie in the chosen cells, spread by chance.

    The same seed takes the same cells; a larger share takes those of a smaller one and more.

    Parameters
    ----------
    share : of the tiles that lie there, 0 to 1; to the nearest cell

    Returns
    -------
    tuple[Plan, int]
        the plan and how many tiles go

    Raises
    ------
    EditError
        The layer's tiles follow terrain, or the share takes nothing.
    """
    if isinstance(layer, GroundLayer):
        raise EditError(KNITTED.format(layer.name))
    if not 0 < share <= 1:
        raise EditError(say("{share:g} % is out of bounds: give 1 to 100 %", share=100 * share))
    rows, cols = np.nonzero((doc.cells(map_, layer, chosen.box) > 0) & chosen.mask)
    count = round(share * rows.size)
    if not count:
        raise EditError(
            say(
                "{share:g} % of the {size} tiles there is none: give more, or select more",
                share=100 * share,
                size=rows.size,
            )
        )
    box = chosen.box
    lines, columns = np.arange(box.top, box.bottom), np.arange(box.left, box.right)
    numbers = cell_numbers(lines, columns, seed ^ THINNING, layer.number)[rows, cols]
    gone = np.argsort(numbers, kind="stable")[:count]
    mask = np.zeros(chosen.mask.shape, np.bool_)
    mask[rows[gone], cols[gone]] = True
    empty = np.zeros(mask.shape, np.int32)
    return plan_cells(map_, layer, box, empty, mask, say("Thin out")), count
