"""The layers of a map."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Annotated, Any, ClassVar

import numpy as np
from annotated_types import MaxLen
from numpy.typing import NDArray

from knitground.core.model.laid import LaidMixes
from knitground.core.model.limits import (
    MAX_MARKERS,
    Name,
    Number,
    Part,
    Seed,
    Shift,
    TileSide,
    Word,
)
from knitground.core.model.marker import Marker
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

    name: Name
    number: Number
    visible: bool = True
    locked: bool = False
    cells: Cells = field(default_factory=no_cells)
    opacity: Part = field(default=1.0, kw_only=True)
    """How much of what lies behind is hidden: 0 is see-through, 1 hides it."""
    offset: tuple[Shift, Shift] = field(default=(0, 0), kw_only=True)
    """Pixels by which it is drawn further right and further down than its cells lie."""
    height: Shift = field(default=0, kw_only=True)
    """Pixels above the ground: it is drawn that much higher, and a game sorts depth by it."""

    kind: ClassVar[str] = ""
    """One word for the kind of layer, as the interface shows it."""
    holds_tiles: ClassVar[bool] = True
    """Whether its cells are places of the map's legend."""

    @property
    def shift(self) -> tuple[int, int]:
        """Pixels by which it is drawn further down and further right: offset and height."""
        return self.offset[1] - self.height, self.offset[0]


@dataclass(eq=False)
class TileLayer(Layer):
    """A layer of tiles laid by hand.

    With `cell`, the height and width of its own cells in pixels, it has its own grid from the map's
    upper left corner on, as many cells as it takes to cover the map.
    """

    cell: tuple[TileSide, TileSide] | None = field(default=None, kw_only=True)
    laid: LaidMixes = field(default=(), kw_only=True)
    """Fills with mixes that can be laid anew."""

    kind: ClassVar[str] = "tiles"


@dataclass(eq=False)
class PinnedLayer(Layer):
    """A layer whose cells are made, but for those laid by hand: its pins.

    Where `pinned` (height, width) is true, the cell was laid by hand, and neither knitting nor
    growing changes it.
    """

    pinned: NDArray[np.bool_] = field(
        default_factory=lambda: np.zeros((0, 0), np.bool_), kw_only=True
    )


@dataclass(eq=False)
class GrownLayer(PinnedLayer):
    """A layer whose cells a recipe makes."""

    kind: ClassVar[str] = "grown"


@dataclass(eq=False)
class TintLayer(Layer):
    """A colour a cell, multiplied over what lies beneath.

    `cells` hold strength << 24 | red << 16 | green << 8 | blue; strength is 0 (no tint) to
    `FULL_TINT`, at which it multiplies by its colour itself.
    """

    kind: ClassVar[str] = "tint"
    holds_tiles: ClassVar[bool] = False


@dataclass(eq=False)
class MarkerLayer(Layer):
    """Points, areas and free pictures, the hindmost first. Its cells are all empty."""

    markers: Annotated[tuple[Marker, ...], MaxLen(MAX_MARKERS)] = ()

    kind: ClassVar[str] = "markers"
    holds_tiles: ClassVar[bool] = False


@dataclass(eq=False)
class GroundLayer(PinnedLayer):
    """A layer that remembers terrain; its tiles are knitted from that.

    `terrain` has shape (height + 1, width + 1) whatever the kind of set; a map that wraps keeps the
    last row and column equal to the first.

    - corner set: uint8, the mark on every vertex
    - ring set: uint8, the mark on cell (row, column); the last row and column are not used
    - edge set: uint16, the mark on the side north of cell (row, column) in the low byte, on the
      side west of it in the high byte
    """

    tileset: Word = ""
    set_name: Word = ""
    seed: Seed = 1
    kind_of_set: SetKind = SetKind.CORNER
    terrain: NDArray[Any] = field(default_factory=lambda: np.zeros((1, 1), np.uint8))

    kind: ClassVar[str] = "ground"
