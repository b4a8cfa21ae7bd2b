"""The layers of a map."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from enum import Enum, auto
from typing import Annotated, Any, ClassVar, Self

import numpy as np
from annotated_types import MaxLen
from numpy.typing import NDArray

from knitground.core.base.tongue import later
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


class Holds(Enum):
    """What the cells of a layer are."""

    TILES = auto()
    """Places of the map's legend."""
    COLOURS = auto()
    MARKERS = auto()
    """No cells at all: markers lie anywhere."""


@dataclass(eq=False)
class Layer:
    """What every kind of layer has. `number` stays the same when layers change places.

    A kind says what it holds in its class, so that nobody else has to ask which kind it is: files,
    pictures, plans and the window keep one object for each kind (`ARCHITECTURE.md` lists them).
    """

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
    interleaved: bool = field(default=False, kw_only=True)
    """Whether it is drawn line by line together with its neighbours that are so too."""

    kind: ClassVar[str] = ""
    """One word for the kind of layer, as the interface shows it."""
    holds: ClassVar[Holds] = Holds.TILES
    arrays: ClassVar[tuple[str, ...]] = ("cells",)
    """Its fields that are arrays, a place for each cell of the map or a row and column more."""
    grown: ClassVar[str] = "cells"
    """The field that a step of a recipe makes."""

    @property
    def holds_tiles(self) -> bool:
        """Whether its cells are places of the map's legend."""
        return self.holds is Holds.TILES

    @property
    def own_cell(self) -> tuple[int, int] | None:
        """Height and width in pixels of cells of its own; None where it has the map's."""
        return None

    def copy(self, name: str | None = None, number: int | None = None) -> Self:
        """Copy it, its arrays too."""
        made = replace(self, **{each: getattr(self, each).copy() for each in self.arrays})
        made.name = self.name if name is None else name
        made.number = self.number if number is None else number
        return made

    def with_grown(self, made: Any) -> Any:
        """Give what its field `grown` holds once a step has made something: pins stay."""
        return made

    def filled(self) -> NDArray[np.bool_]:
        """Tell which of its cells hold anything that would be lost with them."""
        return np.asarray(self.cells > 0)

    def stored(self) -> NDArray[np.bool_]:
        """Tell which of its cells hold a tile that does not follow from anything else."""
        return np.asarray(self.cells > 0)

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

    kind: ClassVar[str] = later("tiles")

    @property
    def own_cell(self) -> tuple[int, int] | None:
        """Its `cell`."""
        return self.cell


@dataclass(eq=False)
class PinnedLayer(Layer):
    """A layer whose cells are made, but for those laid by hand: its pins.

    Where `pinned` (height, width) is true, the cell was laid by hand, and neither knitting nor
    growing changes it.
    """

    pinned: NDArray[np.bool_] = field(
        default_factory=lambda: np.zeros((0, 0), np.bool_), kw_only=True
    )

    arrays: ClassVar[tuple[str, ...]] = ("cells", "pinned")


@dataclass(eq=False)
class GrownLayer(PinnedLayer):
    """A layer whose cells a recipe makes."""

    kind: ClassVar[str] = later("grown")

    def with_grown(self, made: Any) -> Any:
        """Give what a step has made, but for the pins."""
        return np.where(self.pinned, self.cells, made)


@dataclass(eq=False)
class TintLayer(Layer):
    """A colour a cell, multiplied over what lies beneath.

    `cells` hold strength << 24 | red << 16 | green << 8 | blue; strength is 0 (no tint) to
    `FULL_TINT`, at which it multiplies by its colour itself.
    """

    kind: ClassVar[str] = later("tint")
    holds: ClassVar[Holds] = Holds.COLOURS


@dataclass(eq=False)
class MarkerLayer(Layer):
    """Points, areas and free pictures, the hindmost first. Its cells are all empty."""

    markers: Annotated[tuple[Marker, ...], MaxLen(MAX_MARKERS)] = ()

    kind: ClassVar[str] = later("markers")
    holds: ClassVar[Holds] = Holds.MARKERS
    grown: ClassVar[str] = "markers"


@dataclass(eq=False)
class GroundLayer(PinnedLayer):
    """A layer that remembers terrain; its tiles are knitted from that.

    `terrain` has shape (height + 1, width + 1) whatever the kind of set; a map that wraps keeps the
    last row and column equal to the first.

    - corner set: uint8, the mark on every vertex
    - ring set: uint8, the mark on cell (row, column); the last row and column are not used
    - edge set: uint16, the mark on the side north of cell (row, column) in the low byte, on the
      side west of it in the high byte

    `painted`, of the same shape, is true where terrain was painted by hand since steps made it.
    """

    tileset: Word = ""
    set_name: Word = ""
    seed: Seed = 1
    kind_of_set: SetKind = SetKind.CORNER
    terrain: NDArray[Any] = field(default_factory=lambda: np.zeros((1, 1), np.uint8))
    painted: NDArray[np.bool_] = field(default_factory=lambda: np.zeros((0, 0), np.bool_))

    kind: ClassVar[str] = later("ground")
    arrays: ClassVar[tuple[str, ...]] = ("cells", "pinned", "terrain", "painted")
    grown: ClassVar[str] = "terrain"

    def __post_init__(self) -> None:
        """Nothing is painted, unless it is said."""
        if self.painted.shape != self.terrain.shape:
            self.painted = np.zeros(self.terrain.shape, np.bool_)

    def filled(self) -> NDArray[np.bool_]:
        """Tell where pins are, and where terrain begins."""
        return np.asarray(self.pinned | (self.terrain[:-1, :-1] > 0))

    def stored(self) -> NDArray[np.bool_]:
        """Tell where pins hold a tile: all others are knitted."""
        return np.asarray(self.pinned & (self.cells > 0))
