"""The step of a recipe that solves: tiles laid by how they join."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum
from typing import Annotated, ClassVar, Literal

from annotated_types import Ge, Le, MaxLen

from knitground.core.base.tongue import later
from knitground.core.model.conditions import FORBID_MORE, AnyStep
from knitground.core.model.limits import (
    Number,
    Word,
)

Tries = Annotated[int, Ge(1), Le(600)]


class SolveFrom(StrEnum):
    """What tells which tiles may lie side by side."""

    MARKS = later("marks of a set")
    PIXELS = later("pixels of their sides")
    EXAMPLE = later("an example")


class SolveEdge(StrEnum):
    """What a solved area does at its border."""

    OPEN = later("open")
    CLOSED = later("closed")
    WRAPS = later("wraps")


Pair = tuple[Number, Number, Number, Number, bool]
"""Two tiles (row, column each) that are forbidden side by side, left and right or up and down."""


Most = tuple[Number, Number, Number]
"""A tile (row, column) and how many of it are laid at most."""


@dataclass(frozen=True)
class SolveStep(AnyStep):
    """Solve: fill cells with tiles so that all join.

    Parameters
    ----------
    layer : grown layer
    tileset : whose tiles are laid
    source : what tells how they join: marks of the set `set_name`, pixels within `tolerance` (0 to
        255), or what lies side by side on layer `example`
    edge : whether the border of the map, or of the area, may be anything, must be the same all
        round as it is outside, or meets itself
    blocks : side of the blocks of an example that are kept to: 1 for pairs, 2 or 3
    reach : a tag: tiles that have it are all to be reached from each other, side by side
    gaps : whether, where it is impossible, the cells that show it are left empty
    forbidden : pairs that are not to lie side by side, though they fit: row and column of a tile,
        those of the one right of it, or below it if the last is true
    allowed : pairs that may lie side by side though they do not fit, told as those; not of blocks
    most : row and column of a tile, and how many of it are laid at most
    seconds : given up after
    """

    __pydantic_config__: ClassVar[dict[str, object]] = FORBID_MORE

    layer: Number
    tileset: Word = ""
    source: SolveFrom = SolveFrom.MARKS
    set_name: Word = ""
    tolerance: Annotated[float, Ge(0), Le(255)] = 24.0
    example: Number = 0
    blocks: Annotated[int, Ge(1), Le(3)] = 1
    reach: Word = ""
    gaps: bool = False
    edge: SolveEdge = SolveEdge.OPEN
    forbidden: Annotated[tuple[Pair, ...], MaxLen(4096)] = ()
    allowed: Annotated[tuple[Pair, ...], MaxLen(4096)] = ()
    most: Annotated[tuple[Most, ...], MaxLen(4096)] = ()
    seconds: Tries = 20
    step: Literal["solve"] = field(default="solve", kw_only=True)
