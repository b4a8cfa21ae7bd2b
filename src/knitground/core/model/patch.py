"""Patches: blocks of tiles of any shape, picked from a sheet or a map, turned and mirrored."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from annotated_types import MaxLen, MinLen

from knitground.core.model.limits import Name
from knitground.core.model.tile import TileRef
from knitground.core.model.turns import turned_on, turned_rows

Row = Annotated[tuple[TileRef | None, ...], MinLen(1), MaxLen(65_536)]


def turn_tile(tile: TileRef, by: int) -> TileRef:
    """Turn a tile further."""
    return tile._replace(turn=turned_on(tile.turn, by))


@dataclass(frozen=True)
class Patch:
    """A named block of tiles: rows of the same length, None where it has a hole."""

    name: Name
    rows: Annotated[tuple[Row, ...], MinLen(1), MaxLen(65_536)]

    @property
    def height(self) -> int:
        """Number of rows."""
        return len(self.rows)

    @property
    def width(self) -> int:
        """Number of columns."""
        return len(self.rows[0]) if self.rows else 0

    def turned(self, by: int, tiles_by: int | None = None) -> Patch:
        """Turn it, and each of its tiles: these otherwise, if that is told."""
        tiles_by = by if tiles_by is None else tiles_by
        rows = turned_rows(self.rows, by)
        return Patch(
            self.name,
            tuple(tuple(turn_tile(t, tiles_by) if t else None for t in row) for row in rows),
        )
