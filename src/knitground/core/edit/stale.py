"""Which blocks of a grid are not as they should be, until somebody looks at them."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from threading import RLock

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.window import Box

BLOCK = 128
AT_ONCE = 4 * BLOCK * BLOCK
"""Cells that are made again at once; of more the blocks are left to whoever looks."""


class StaleBlocks:
    """The blocks of a grid of cells, each up to date or not; all are not to begin with.

    Work beside the interface brings blocks up to date too: each takes the lock for one at a time,
    and what is up to date is told only when it lies there.
    """

    def __init__(self, height: int, width: int) -> None:
        self._size = height, width
        self._stale: NDArray[np.bool_] = np.ones(
            (-(-height // BLOCK), -(-width // BLOCK)), np.bool_
        )
        self._lock = RLock()

    def __bool__(self) -> bool:
        return bool(self._stale.any())

    @property
    def shape(self) -> tuple[int, int]:
        """Rows and columns of blocks."""
        return self._stale.shape

    def touch_all(self) -> None:
        """Note that all of it is out of date."""
        self._stale[:] = True

    def touch(self, piece: Box) -> None:
        """Note that a box inside the grid is out of date."""
        rows, cols = _blocks(piece)
        self._stale[rows, cols] = True

    def within(self, piece: Box) -> list[tuple[int, int]]:
        """List the blocks out of date, by row and column, that a box inside the grid touches."""
        rows, cols = _blocks(piece)
        return [
            (rows.start + int(row), cols.start + int(col))
            for row, col in np.argwhere(self._stale[rows, cols])
        ]

    def some(self, count: int) -> list[tuple[int, int]]:
        """List so many blocks out of date, by row and column."""
        return [(int(row), int(col)) for row, col in np.argwhere(self._stale)[:count]]

    def bring(self, place: tuple[int, int], make: Callable[[Box], object]) -> None:
        """Have a block made, as a box of cells, unless somebody else has done it meanwhile."""
        with self._lock:
            if self._stale[place]:
                make(self.box(place))
                self._stale[place] = False

    def box(self, place: tuple[int, int]) -> Box:
        """Give the cells of a block."""
        top, left = place[0] * BLOCK, place[1] * BLOCK
        return Box(top, left, top + BLOCK, left + BLOCK).clipped(*self._size)

    def touched(self, piece: Box) -> Iterator[tuple[int, int]]:
        """List all blocks that a box inside the grid touches, up to date or not."""
        rows, cols = _blocks(piece)
        return ((row, col) for row in range(rows.start, rows.stop)
                for col in range(cols.start, cols.stop))  # fmt: skip


def _blocks(piece: Box) -> tuple[slice, slice]:
    return (
        slice(piece.top // BLOCK, -(-piece.bottom // BLOCK)),
        slice(piece.left // BLOCK, -(-piece.right // BLOCK)),
    )
