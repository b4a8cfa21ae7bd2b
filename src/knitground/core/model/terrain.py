"""Terrains, and which tile shows which terrain at which slot."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import IntEnum, StrEnum

import numpy as np
from numpy.typing import NDArray

MAX_TERRAINS = 16
NOTHING = 0


class Slot(IntEnum):
    """A place of a tile that can carry a mark, clockwise from the top."""

    N = 0
    NE = 1
    E = 2
    SE = 3
    S = 4
    SW = 5
    W = 6
    NW = 7


class SetKind(StrEnum):
    """Which slots a terrain set uses."""

    CORNER = "corner"

    @property
    def slots(self) -> tuple[Slot, ...]:
        """The slots in use, in the order in which knitting reads them: NW NE SW SE."""
        return (Slot.NW, Slot.NE, Slot.SW, Slot.SE)


@dataclass(frozen=True)
class Terrain:
    """One kind of ground: a name, a colour #rrggbb and a letter that stand for it."""

    name: str
    colour: str
    letter: str


@dataclass(eq=False)
class TerrainSet:
    """Terrains and the marks of the tiles that show them.

    `marks` has shape (rows, columns, 8), uint8: place n of `terrains` is written as n + 1, and 0 is
    nothing. It follows the sheet's grid and keeps marks of places that a smaller grid hides.
    """

    name: str
    kind: SetKind = SetKind.CORNER
    terrains: tuple[Terrain, ...] = ()
    marks: NDArray[np.uint8] = field(default_factory=lambda: np.zeros((0, 0, 8), np.uint8))

    def marks_within(self, rows: int, columns: int) -> NDArray[np.uint8]:
        """Copy the marks of a grid of this size: (rows, columns, 8)."""
        out = np.zeros((rows, columns, 8), np.uint8)
        high, wide = min(rows, self.marks.shape[0]), min(columns, self.marks.shape[1])
        out[:high, :wide] = self.marks[:high, :wide]
        return out

    def name_of(self, mark: int) -> str:
        """Name of a mark: a terrain's, or 'nothing'."""
        return "nothing" if mark == NOTHING else self.terrains[mark - 1].name

    def number_of(self, name: str) -> int:
        """Return the mark that stands for a terrain's name, 0 if the set has none of that name."""
        names = [terrain.name for terrain in self.terrains]
        return names.index(name) + 1 if name in names else NOTHING
