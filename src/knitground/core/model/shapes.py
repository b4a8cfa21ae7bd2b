"""Collision shapes and other areas of tiles, and the kinds that a project has of them."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import Annotated, ClassVar

from annotated_types import MaxLen, MinLen

from knitground.core.model.limits import HexColour, Letter, Name, ShapePx

Corner = tuple[ShapePx, ShapePx]
"""Pixels right of and below a tile's upper left corner."""
MAX_SHAPE_CORNERS = 256


class ShapeForm(StrEnum):
    """How a shape's corners are meant."""

    BOX = "box"
    POLYGON = "polygon"
    ROUND = "round"


@dataclass(frozen=True)
class TileShape:
    """An area of a tile.

    Parameters
    ----------
    kind : name of one of the project's kinds; a kind that is gone is kept, and drawn in ink
    form, corners : of a box and of what is round two opposite corners of the frame, upper left and
        lower right; of a polygon its corners in order, at least three
    """

    __pydantic_config__: ClassVar[dict[str, object]] = {"extra": "forbid"}

    kind: Name
    form: ShapeForm
    corners: Annotated[tuple[Corner, ...], MinLen(2), MaxLen(MAX_SHAPE_CORNERS)]


Shapes = Annotated[tuple[TileShape, ...], MaxLen(64)]
"""Of one tile, in order."""


@dataclass(frozen=True)
class ShapeKind:
    """A kind of area: what a game makes of it is its own affair."""

    __pydantic_config__: ClassVar[dict[str, object]] = {"extra": "forbid"}

    name: Name
    letter: Letter
    colour: HexColour


ShapeKinds = Annotated[tuple[ShapeKind, ...], MaxLen(64)]
FIRST_KINDS: ShapeKinds = (
    ShapeKind("solid", "S", "#B4472F"),
    ShapeKind("one-way", "O", "#B97E14"),
    ShapeKind("water", "W", "#2F8FA8"),
    ShapeKind("ladder", "L", "#8A5A9E"),
    ShapeKind("walkable", "K", "#5E7D3A"),
    ShapeKind("blocks light", "B", "#3B4C8C"),
)
"""What a new project begins with."""
