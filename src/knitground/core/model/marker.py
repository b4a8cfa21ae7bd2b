"""Markers: points, areas and free pictures on a map."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from functools import cached_property
from typing import Annotated

from annotated_types import MaxLen, MinLen

from knitground.core.base.tongue import say
from knitground.core.model.limits import (
    MAX_CORNERS,
    Coordinate,
    Degrees,
    MarkerNumber,
    Scale,
    Word,
)
from knitground.core.model.properties import Properties
from knitground.core.model.tile import TileRef

Point = tuple[Coordinate, Coordinate]
"""x to the right and y down, in pixels of the map."""


SPAWN, DOOR = "spawn point", "door"
"""Kinds that mean something here too: where a game begins, and what leads to another map."""


class Shape(Enum):
    """What a marker is on the map."""

    POINT = "point"
    BOX = "box"
    POLYGON = "polygon"
    PICTURE = "picture"


@dataclass(frozen=True)
class Marker:
    """A point, an area or a free picture, with what a game should know of it.

    Parameters
    ----------
    number : stays the same while the marker changes; no other of its layer has it
    kind : what a game takes it for, such as “spawn point”
    points : one for a point and a picture (the lower middle of it), two opposite corners of a box,
        three or more of a polygon
    properties : named values that a game should know
    turn : degrees clockwise, round the middle of an area and round a picture's own middle
    scale : of a picture: 1 is its own size
    tile : the picture's, None for all else
    """

    number: MarkerNumber
    shape: Shape
    points: Annotated[tuple[Point, ...], MinLen(1), MaxLen(MAX_CORNERS)]
    name: Word = ""
    kind: Word = ""
    properties: Properties = ()
    turn: Degrees = 0.0
    scale: Scale = 1.0
    tile: TileRef | None = None

    @property
    def title(self) -> str:
        """What it is called: its name, else its kind, else its shape."""
        return self.name or self.kind or say(self.shape.value)

    @cached_property
    def middle(self) -> Point:
        """Middle of the rectangle round its points; kept, for thousands are looked at."""
        xs, ys = [x for x, _ in self.points], [y for _, y in self.points]
        return (min(xs) + max(xs)) / 2, (min(ys) + max(ys)) / 2

    @property
    def leads_to(self) -> str:
        """Name of the map that it leads to, if it is a door; "" if it leads nowhere."""
        if self.kind != DOOR:
            return ""
        return next((each.value for each in self.properties if each.name == "map"), "")
