"""A tile by its place on its sheet."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import fields, is_dataclass
from typing import NamedTuple

from knitground.core.model.limits import Index, Name, Turn


class TileRef(NamedTuple):
    """A tile by its place on its sheet, and how it is turned (0: as it stands; 1 to 7)."""

    tileset: Name
    row: Index
    col: Index
    turn: Turn = 0


def tiles_in(value: object) -> Iterator[TileRef]:
    """List all tiles that anything made of dataclasses, tuples and lists names."""
    if isinstance(value, TileRef):
        yield value
    elif isinstance(value, tuple | list):
        for each in value:
            yield from tiles_in(each)
    elif is_dataclass(value):
        for each in fields(value):
            yield from tiles_in(getattr(value, each.name))
