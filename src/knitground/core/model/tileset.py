"""A sheet with its slicing, and what is known of its tiles."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import Annotated, ClassVar, NamedTuple

import numpy as np
from annotated_types import MaxLen
from numpy.typing import NDArray

from knitground.core.model.limits import (
    MAX_FRAMES,
    AnchorPx,
    FileName,
    Index,
    Milliseconds,
    Name,
    TileSide,
    Weight,
    Word,
)
from knitground.core.model.properties import Properties, TagDefaults
from knitground.core.model.shapes import Shapes
from knitground.core.model.slicing import Slicing
from knitground.core.model.terrain import TerrainSet

Picture = NDArray[np.uint8]
"""RGBA pixels, (height, width, 4), straight alpha."""


Anchor = tuple[AnchorPx, AnchorPx]
"""Pixels from a tile's left and top to the point that stands on its cell's lower middle."""


@dataclass(frozen=True)
class Frame:
    """One picture of an animation: a tile, and how long it shows.

    `tileset` names another one than the animated tile's own.
    """

    __pydantic_config__: ClassVar[dict[str, object]] = {"extra": "forbid"}

    row: Index
    col: Index
    ms: Milliseconds
    tileset: Word = ""


class SheetFile(NamedTuple):
    """A picture as it was read: its pixels, its file byte for byte, and where that lies."""

    picture: Picture
    data: bytes
    path: Path


Frames = Annotated[tuple[Frame, ...], MaxLen(MAX_FRAMES)]
Tags = Annotated[tuple[Name, ...], MaxLen(64)]
At = tuple[int, int]
"""Row and column of a tile on its sheet."""


@dataclass(frozen=True)
class TileFacts:
    """What is known of one tile.

    Parameters
    ----------
    weight : among its variants; 0 is never
    name, tags : words by which it is found
    anchor : what of it stands on its cell's lower middle; None: its lower left corner on the cell's
    frames : pictures that it shows in turn, over and over, wherever it is laid
    properties : named values that a game should know
    inner : it is knitted only in cells whose eight neighbours ask for the same marks
    left_out : it is not offered and not knitted
    shapes : collision shapes and other areas
    apart : its frames begin at another one in each cell, by the cell's number
    """

    weight: Weight = 1.0
    name: Word = ""
    tags: Tags = ()
    anchor: Anchor | None = None
    frames: Frames = ()
    properties: Properties = ()
    inner: bool = False
    left_out: bool = False
    shapes: Shapes = ()
    apart: bool = False


PLAIN = TileFacts()
"""What is known of a tile of which nothing was said."""
FactsOf = dict[At, TileFacts]


@dataclass(frozen=True)
class Prints:
    """What all tiles of a sheet looked like once, and how it was cut: four letters a tile."""

    slicing: Slicing
    rows: tuple[str, ...] = ()


@dataclass(eq=False)
class Tileset:
    """A sheet, its slicing, and the tiles' facts, which are sparse.

    `picture` is None while the sheet's file can not be found; the tiles are then drawn as missing
    and everything else is kept. `data` is the file that the picture was read from, byte for byte;
    None if it was made here and not saved yet. `origin` is where that file lies as long as it has
    not been copied into the project's folder. `facts` is replaced by edits, never changed; `order`
    is the order of one's own in which tiles are offered, those that it leaves out after them.
    `defaults` are properties that all its tiles have, or all with a tag. `prints` are of when it
    was last saved, if it was. `relief` is a picture as large as the sheet that tells which way its
    pixels face (`core.render.relief`), `relief_data` its file; of one that `is_relief` the picture
    itself does.
    """

    name: Name
    sheet: FileName
    width: TileSide
    height: TileSide
    slicing: Slicing
    facts: FactsOf = field(default_factory=dict)
    sets: list[TerrainSet] = field(default_factory=list)
    order: tuple[At, ...] = ()
    defaults: TagDefaults = ()
    picture: Picture | None = None
    data: bytes | None = field(default=None, repr=False)
    origin: Path | None = None
    prints: Prints | None = field(default=None, repr=False)
    relief: Picture | None = field(default=None, repr=False)
    relief_data: bytes | None = field(default=None, repr=False)
    is_relief: bool = False
    _out: tuple[FactsOf, frozenset[At]] | None = field(default=None, repr=False)

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

    def fact(self, row: int, col: int) -> TileFacts:
        """What is known of a tile."""
        return self.facts.get((row, col), PLAIN)

    def properties_of(self, row: int, col: int) -> Properties:
        """Give what a game should know of a tile: its own properties, then defaults it lacks.

        A tag's defaults go before those of the whole tileset.
        """
        fact = self.fact(row, col)
        out = {each.name: each for each in fact.properties}
        known = {each.tag: each.properties for each in self.defaults}
        for tag in (*fact.tags, ""):
            for each in known.get(tag, ()):
                out.setdefault(each.name, each)
        return tuple(out.values())

    @property
    def left_out(self) -> frozenset[At]:
        """Tiles that are not offered and not knitted."""
        if self._out is None or self._out[0] is not self.facts:
            self._out = (self.facts, frozenset(at for at, f in self.facts.items() if f.left_out))
        return self._out[1]

    @property
    def unsaved(self) -> bool:
        """Whether the picture was made here and lies in no file yet."""
        return self.picture is not None and self.data is None

    @property
    def memory(self) -> int:
        """Bytes that its sheet takes: the pixels, and the file that they came from."""
        return (0 if self.picture is None else self.picture.nbytes) + len(self.data or b"")

    def number(self, row: int, col: int) -> int:
        """Number of a tile, counted row by row from 0."""
        return row * self.columns + col

    def has(self, row: int, col: int) -> bool:
        """Whether the present grid has a tile there."""
        return 0 <= row < self.rows and 0 <= col < self.columns

    def set_named(self, name: str) -> TerrainSet | None:
        """Return the terrain set of that name, or None."""
        return next((each for each in self.sets if each.name == name), None)
