"""Terrains, and which tile shows which terrain at which slot."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import IntEnum, StrEnum
from typing import Annotated, ClassVar

import numpy as np
from annotated_types import MaxLen
from numpy.typing import NDArray

from knitground.core.base.tongue import say
from knitground.core.model.limits import MAX_TERRAINS, HexColour, Index, Letter, Name
from knitground.core.model.rules import RuleList

NOTHING = 0
ANY = 254
"""Mark of a slot that may be anything. Tiles that say more come first."""
UNKNOWN = 255
"""Mark of a slot that is not known yet; only while marks are guessed."""
SLOTS = 9

Marks = NDArray[np.uint8]
"""(rows, columns, 9): the marks of a tileset's tiles, by slot."""


class Slot(IntEnum):
    """A place of a tile that can carry a mark, clockwise from the top; the middle comes last."""

    N = 0
    NE = 1
    E = 2
    SE = 3
    S = 4
    SW = 5
    W = 6
    NW = 7
    MIDDLE = 8

    @property
    def title(self) -> str:
        """Its name, as people read it."""
        return say(self.name) if self is not Slot.MIDDLE else say("middle")


_ROUND = (Slot.N, Slot.NE, Slot.E, Slot.SE, Slot.S, Slot.SW, Slot.W, Slot.NW)


class SetKind(StrEnum):
    """Which slots a terrain set uses.

    corner: terrain stands on the vertices where four tiles meet. edge: on the sides between two
    tiles. ring: on cells; a tile says its own terrain in the middle, and at the eight slots round
    it which neighbours are of the same terrain.
    """

    CORNER = "corner"
    EDGE = "edge"
    RING = "ring"

    @property
    def slots(self) -> tuple[Slot, ...]:
        """The slots in use, in the order in which knitting reads them."""
        if self is SetKind.CORNER:
            return (Slot.NW, Slot.NE, Slot.SW, Slot.SE)
        if self is SetKind.EDGE:
            return (Slot.N, Slot.W, Slot.S, Slot.E)
        return (Slot.MIDDLE, *_ROUND)

    @property
    def margin(self) -> int:
        """How many cells further than a cell itself knitting looks."""
        return 1 if self is SetKind.RING else 0

    @property
    def dtype(self) -> type[np.uint8] | type[np.uint16]:
        """Type of a layer's terrain: two sides stand in one number of an edge set."""
        return np.uint16 if self is SetKind.EDGE else np.uint8


@dataclass(frozen=True)
class Terrain:
    """One kind of ground: a name, a colour #rrggbb and a letter that stand for it.

    `picture` is the tile (row, column of the set's own sheet) that stands for it, if one was
    chosen.
    """

    __pydantic_config__: ClassVar[dict[str, object]] = {"extra": "forbid"}

    name: Name
    colour: HexColour
    letter: Letter
    picture: tuple[Index, Index] | None = None


def no_marks(rows: int = 0, columns: int = 0) -> Marks:
    """Return the marks of a grid on which nothing is marked."""
    return np.zeros((rows, columns, SLOTS), np.uint8)


@dataclass(eq=False)
class TerrainSet:
    """Terrains and the marks of the tiles that show them.

    Index n of `terrains` is written as n + 1 in `marks`, 0 is nothing and 254 anything. Marks
    follow the sheet's grid and are kept for places that a smaller grid hides. `guests` are marks of
    tiles of other tilesets, by name. `rules` say what marks can not.
    """

    name: Name
    kind: SetKind = SetKind.CORNER
    terrains: Annotated[tuple[Terrain, ...], MaxLen(MAX_TERRAINS)] = ()
    marks: Marks = field(default_factory=no_marks)
    guests: dict[Name, Marks] = field(default_factory=dict)
    rules: RuleList = field(default_factory=RuleList)

    def marks_within(self, rows: int, columns: int, guest: str | None = None) -> Marks:
        """Copy the marks of a grid of this size: (rows, columns, 9); of a guest's, if named."""
        marks = self.marks if guest is None else self.guests.get(guest, no_marks())
        out = no_marks(rows, columns)
        high, wide = min(rows, marks.shape[0]), min(columns, marks.shape[1])
        out[:high, :wide] = marks[:high, :wide]
        return out

    def name_of(self, mark: int) -> str:
        """Name of a mark: a terrain's, “nothing” or “any”."""
        if mark == ANY:
            return say("any")
        known = 0 < mark <= len(self.terrains)
        return self.terrains[mark - 1].name if known else say("nothing")

    def number_of(self, name: str) -> int:
        """Return the mark that stands for a terrain's name, 0 if the set has none of that name."""
        names = [terrain.name for terrain in self.terrains]
        return names.index(name) + 1 if name in names else NOTHING
