"""A tile by its place on its sheet."""

from __future__ import annotations

from typing import NamedTuple

from knitground.core.model.limits import Name, Place, Turn


class TileRef(NamedTuple):
    """A tile by its place on its sheet, and how it is turned (0: as it stands; 1 to 7)."""

    tileset: Name
    row: Place
    col: Place
    turn: Turn = 0
