"""Patches: blocks of tiles of any shape, picked from a sheet or a map, turned and mirrored."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from annotated_types import MaxLen, MinLen

from knitground.core.model.limits import Name
from knitground.core.model.tile import TileRef

Row = Annotated[tuple[TileRef | None, ...], MinLen(1), MaxLen(65_536)]


def turn_tile(tile: TileRef, by: int) -> TileRef:
    """Turn a tile further.

    Parameters
    ----------
    by : 0–3 quarter turns clockwise; with 4, mirrored left to right before them

    Examples
    --------
    >>> tile = TileRef("t", 0, 0)
    >>> turn_tile(turn_tile(tile, 1), 3).turn, turn_tile(turn_tile(tile, 1), 4).turn
    (0, 7)
    """
    quarter, mirrored = tile.turn & 3, tile.turn & 4
    if by & 4:
        quarter, mirrored = -quarter, mirrored ^ 4
    return tile._replace(turn=((quarter + (by & 3)) & 3) | mirrored)


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

    def turned(self, by: int) -> Patch:
        """Turn it: quarter turns clockwise, with 4 mirrored left to right first."""
        rows = self.rows
        if by & 4:
            rows = tuple(row[::-1] for row in rows)
        for _ in range(by & 3):
            rows = tuple(zip(*rows[::-1]))
        turned = tuple(tuple(turn_tile(t, by) if t else None for t in row) for row in rows)
        return Patch(self.name, turned)
