"""Rules: which tile a cell gets by what lies round it, and blocks of cells replaced by blocks."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import Annotated, NamedTuple, TypeVar

from annotated_types import MaxLen, MinLen

from knitground.core.base.tongue import later
from knitground.core.model.limits import (
    MAX_BLOCK,
    MAX_RULES,
    CellsAway,
    Every,
    HalfCells,
    Number,
    Part,
    Weight,
    Word,
)
from knitground.core.model.mix import MixEntry
from knitground.core.model.patch import Patch
from knitground.core.model.tile import TileRef

_Kind = TypeVar("_Kind")


def _strict(kind: type[_Kind]) -> type[_Kind]:
    """Let files refuse fields that the model does not know."""
    kind.__pydantic_config__ = {"extra": "forbid", "allow_inf_nan": False}  # type: ignore[attr-defined]
    return kind


class AskKind(StrEnum):
    """What a place of a stencil asks for; a place that is not there may be anything."""

    SAME = later("same")
    OTHER = later("other")
    TERRAIN = later("terrain")
    TAG = later("tag")
    TILES = later("tiles")
    NOT_TILES = later("not tiles")
    EMPTY = later("empty")
    OFF = later("off the map")


@dataclass(frozen=True)
@_strict
class Ask:
    """One thing that is asked of a place.

    `name` is a terrain's (“” is nothing) or a tag; `tiles` are those that fit, or do not;
    `any_turn` tells whether a tile fits however it is turned.
    """

    kind: AskKind
    name: Word = ""
    tiles: Annotated[tuple[TileRef, ...], MaxLen(MAX_BLOCK)] = ()
    any_turn: bool = True


SAME, OTHER, OFF = Ask(AskKind.SAME), Ask(AskKind.OTHER), Ask(AskKind.OFF)


class Spot(NamedTuple):
    """A place of a stencil and what it asks.

    `y` and `x` count half cells down and across from the upper left corner of the rule's own cell:
    (1, 1) is the cell itself, (0, 0) and (2, 2) two of its corners, (0, 1) the side north of it,
    (3, 1) the cell below.
    """

    y: HalfCells
    x: HalfCells
    ask: Ask


Stencil = Annotated[tuple[Spot, ...], MaxLen(MAX_BLOCK)]


class Ways(StrEnum):
    """In which ways a rule is tried: as drawn, turned, mirrored left to right, or both."""

    AS_DRAWN = later("as drawn")
    TURNED = later("turned")
    MIRRORED = later("mirrored")
    BOTH = later("turned and mirrored")

    @property
    def turns(self) -> tuple[int, ...]:
        """The turns, each as of a tile: quarter turns clockwise, + 4 mirrored before them."""
        return {
            Ways.AS_DRAWN: (0,),
            Ways.TURNED: (0, 1, 2, 3),
            Ways.MIRRORED: (0, 4),
            Ways.BOTH: (0, 1, 2, 3, 4, 5, 6, 7),
        }[self]


class ResultKind(StrEnum):
    """What a rule does with its cell."""

    TILES = later("tiles")
    PATCH = later("patch")
    MIX = later("mix")
    LEAVE = later("leave as it is")
    GAP = later("gap")


@dataclass(frozen=True)
@_strict
class Result:
    """What a cell gets: one of some tiles by weight, a patch laid in order, a mix, or none."""

    kind: ResultKind = ResultKind.TILES
    tiles: Annotated[tuple[MixEntry, ...], MaxLen(MAX_BLOCK)] = ()
    patch: Patch | None = None
    mix: Word = ""


@dataclass(frozen=True)
@_strict
class NeighbourRule:
    """A tile for a cell, by what lies round it.

    Parameters
    ----------
    number : its own in its list, for good: its chance depends on it
    subject : which cells it is about: a terrain, or tiles; None: any terrain, or any tile.
        “same” and “other” are meant against it
    chance : part of the fitting cells that it takes
    every : only every so many rows and columns, from which row and column on
    turns_result : whether the result is turned with the stencil
    """

    number: Number
    stencil: Stencil
    name: Word = ""
    result: Result = Result()
    subject: Ask | None = None
    ways: Ways = Ways.AS_DRAWN
    turns_result: bool = False
    chance: Part = 1.0
    every: tuple[Every, Every, Number, Number] = (1, 1, 0, 0)
    on: bool = True
    group: Word = ""


class BlockCell(NamedTuple):
    """A cell of the block that a rewrite rule looks for; `layer` “” is the list's own source."""

    row: CellsAway
    col: CellsAway
    layer: Word
    ask: Ask


class LaidCell(NamedTuple):
    """A cell that a rewrite rule writes; `layer` “” is the list's own output, None empties it."""

    row: CellsAway
    col: CellsAway
    layer: Word
    tile: TileRef | None


@dataclass(frozen=True)
@_strict
class Outcome:
    """One of the blocks that a rewrite rule may write."""

    cells: Annotated[tuple[LaidCell, ...], MaxLen(MAX_BLOCK)] = ()
    weight: Weight = 1.0


@dataclass(frozen=True)
@_strict
class RewriteRule:
    """A block of cells found on some layers, replaced by another block.

    Parameters
    ----------
    block : what to look for; cells that are not there may be anything
    outcomes : what to write, one of them by weight
    overlap : whether places that share cells are all replaced; else each cell once at most
    turns_tiles : whether the tiles that are read and written are turned with the block
    """

    number: Number
    block: Annotated[tuple[BlockCell, ...], MaxLen(MAX_BLOCK)]
    name: Word = ""
    outcomes: Annotated[tuple[Outcome, ...], MinLen(0), MaxLen(64)] = ()
    ways: Ways = Ways.AS_DRAWN
    turns_tiles: bool = False
    chance: Part = 1.0
    overlap: bool = False
    on: bool = True
    group: Word = ""


Rule = NeighbourRule | RewriteRule


@dataclass(frozen=True)
@_strict
class RuleList:
    """Rules in order: the first that fits a cell wins; an edit replaces the list as a whole.

    `first` tells, in a terrain set, whether rules come before its marks; `default` is the tile
    that a cell shows which neither rules nor marks take. A terrain set's own list has no name.
    """

    name: Word = ""
    rules: Annotated[tuple[Rule, ...], MaxLen(MAX_RULES)] = ()
    first: bool = True
    default: TileRef | None = None

    def free_number(self) -> int:
        """Return a rule number that is not in use."""
        return max((rule.number for rule in self.rules), default=0) + 1
