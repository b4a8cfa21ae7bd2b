"""The layers of a map."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from knitground.core.model.terrain import SetKind

GAP = -1
EMPTY = 0

Cells = NDArray[np.int32]
"""(height, width): 0 is empty, n is place n of the map's legend, -1 is a gap: no tile fits."""


def no_cells() -> Cells:
    """Return the cells of a layer that has none yet."""
    return np.zeros((0, 0), np.int32)


@dataclass(eq=False)
class Layer:
    """What every kind of layer has. `number` stays the same when layers change places."""

    name: str
    number: int
    visible: bool = True
    locked: bool = False
    cells: Cells = field(default_factory=no_cells)
    opacity: float = field(default=1.0, kw_only=True)
    """How much of what lies behind is hidden: 0 is see-through, 1 hides it."""

    kind: ClassVar[str] = ""
    """One word for the kind of layer, as the interface shows it."""


@dataclass(eq=False)
class TileLayer(Layer):
    """A layer of tiles laid by hand."""

    kind: ClassVar[str] = "tiles"


@dataclass(eq=False)
class GroundLayer(Layer):
    """A layer that remembers terrain; its tiles are knitted from that.

    `terrain` has shape (height + 1, width + 1) whatever the kind of set; a map that wraps keeps the
    last row and column equal to the first.

    - corner set: uint8, the mark on every vertex
    - ring set: uint8, the mark on cell (row, column); the last row and column are not used
    - edge set: uint16, the mark on the side north of cell (row, column) in the low byte, on the
      side west of it in the high byte

    Where `pinned` (height, width) is true, the cell was laid by hand and knitting leaves it alone.
    """

    tileset: str = ""
    set_name: str = ""
    seed: int = 1
    kind_of_set: SetKind = SetKind.CORNER
    terrain: NDArray[Any] = field(default_factory=lambda: np.zeros((1, 1), np.uint8))
    pinned: NDArray[np.bool_] = field(default_factory=lambda: np.zeros((0, 0), np.bool_))

    kind: ClassVar[str] = "ground"
