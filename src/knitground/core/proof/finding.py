"""What a check finds, and what a check is."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property

from knitground.core.base.tongue import later
from knitground.core.edit.document import Edit
from knitground.core.model.lattice import Cell
from knitground.core.model.tile import TileRef
from knitground.core.proof.proving import Proving


class Group(StrEnum):
    """What a fault spoils."""

    LOOKS = later("Looks")
    SENSE = later("Sense")
    PLAY = later("Play")
    FILES = later("Files")


@dataclass(frozen=True)
class Finding:
    """One thing that a check found.

    Parameters
    ----------
    check : key of the check
    words : one line that says what is wrong
    what : what it is about, in letters that stay the same while the map is worked on: with the
        check, the map and the layer it tells one finding from all others
    map, layer : name of the map, and number of the layer, if it lies on one
    places : cells of the layer's grid, or of the map's, the first ones
    count : how many there are
    tile : a tile that it is about, if it lies on no map
    hurt : 0 to 1, how much it hurts
    spot : what of a place's cell is wrong: parts of it down and across; (0.5, 0.5) is its middle
    """

    check: str
    words: str
    what: str
    map: str = ""
    layer: int = 0
    places: tuple[Cell, ...] = ()
    count: int = 1
    tile: TileRef | None = None
    hurt: float = 0.5
    spot: tuple[float, float] = (0.5, 0.5)

    @cached_property
    def key(self) -> str:
        """What tells it from all others, also after the map was worked on."""
        return "|".join((self.check, self.map, str(self.layer), self.what))


@dataclass(frozen=True, eq=False)
class Check:
    """A check.

    Parameters
    ----------
    title, hint : what it looks for, in few words and in a sentence
    find : lists what it finds on a map, or with `of_map` false in the whole project
    cure_words, cure : what mends findings, all in one edit; "" if a person has to
    stage : key of the stage where such things are mended by hand
    of_map : whether it is made of each map, not of the project once
    of_cells : whether it reads what is drawn on maps: else drawing changes nothing of it
    """

    key: str
    group: Group
    title: str
    hint: str
    find: Callable[[Proving], Iterable[Finding]]
    cure_words: str = ""
    cure: Callable[[Proving, Sequence[Finding]], Edit] | None = None
    stage: str = "draw"
    of_map: bool = True
    of_cells: bool = True
