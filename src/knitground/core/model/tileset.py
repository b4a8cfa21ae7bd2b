"""A sheet with its slicing, and what is known of its tiles."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from knitground.core.model.slicing import Slicing
from knitground.core.model.terrain import TerrainSet

Picture = NDArray[np.uint8]
"""RGBA pixels, (height, width, 4), straight alpha."""


Anchor = tuple[int, int]
"""Pixels from a tile's left and top to the point that stands on its cell's lower middle."""


class Frame(NamedTuple):
    """One picture of an animation: a tile of the same tileset, and how long it shows."""

    row: int
    col: int
    ms: int


class TileRef(NamedTuple):
    """A tile by its place on its sheet, and how it is turned (0: as it stands; 1 to 7)."""

    tileset: str
    row: int
    col: int
    turn: int = 0


@dataclass(eq=False)
class Tileset:
    """A sheet, its slicing, and the tiles' facts, which are sparse.

    `picture` is None while the sheet's file can not be found; the tiles are then drawn as missing
    and everything else is kept. `origin` is where the sheet's file lies as long as it has not been
    copied into the project's folder; `unsaved` tells that the picture was made here and is
    written on the next save. A tile without an anchor stands with its lower left corner on its
    cell's; `labels` are names of single tiles, for finding them. A tile with `frames` shows these
    in turn, over and over, wherever it is laid. Tiles in `inner` are knitted only in cells whose
    eight neighbours ask for the same marks. `tags` are words by which tiles are found; `order` is
    the order of one's own in which tiles are offered, those that it leaves out after them.
    """

    name: str
    sheet: str
    width: int
    height: int
    slicing: Slicing
    weights: dict[tuple[int, int], float] = field(default_factory=dict)
    sets: list[TerrainSet] = field(default_factory=list)
    left_out: frozenset[tuple[int, int]] = frozenset()
    anchors: dict[tuple[int, int], Anchor] = field(default_factory=dict)
    labels: dict[tuple[int, int], str] = field(default_factory=dict)
    frames: dict[tuple[int, int], tuple[Frame, ...]] = field(default_factory=dict)
    inner: frozenset[tuple[int, int]] = frozenset()
    tags: dict[tuple[int, int], tuple[str, ...]] = field(default_factory=dict)
    order: tuple[tuple[int, int], ...] = ()
    picture: Picture | None = None
    origin: Path | None = None
    unsaved: bool = False

    @property
    def columns(self) -> int:
        """Whole tiles side by side."""
        return self.slicing.columns_of(self.width)

    @property
    def rows(self) -> int:
        """Whole tiles one below the other."""
        return self.slicing.rows_of(self.height)

    @property
    def count(self) -> int:
        """Number of tiles."""
        return self.rows * self.columns

    def weight(self, row: int, col: int) -> float:
        """Weight of a tile among its variants; 1 unless it was set; 0 is never."""
        return self.weights.get((row, col), 1.0)

    def number(self, row: int, col: int) -> int:
        """Number of a tile, counted row by row from 0."""
        return row * self.columns + col

    def has(self, row: int, col: int) -> bool:
        """Whether the present grid has a tile there."""
        return 0 <= row < self.rows and 0 <= col < self.columns

    def set_named(self, name: str) -> TerrainSet | None:
        """Return the terrain set of that name, or None."""
        return next((each for each in self.sets if each.name == name), None)
