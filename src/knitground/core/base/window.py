"""A rectangle of rows and columns, on a plain or a wrapping grid."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

Index = slice | NDArray[np.intp]


@dataclass(frozen=True)
class Box:
    """Rows top … bottom and columns left … right, ends not included.

    On a wrapping grid a box may reach over the border; its places are then taken modulo the size.
    """

    top: int
    left: int
    bottom: int
    right: int

    @property
    def height(self) -> int:
        """Number of rows."""
        return self.bottom - self.top

    @property
    def width(self) -> int:
        """Number of columns."""
        return self.right - self.left

    @property
    def is_empty(self) -> bool:
        """Whether it holds no place at all."""
        return self.bottom <= self.top or self.right <= self.left

    def grown(self, rows: int, cols: int | None = None) -> Box:
        """Return the box with so many rows and columns more on every side."""
        cols = rows if cols is None else cols
        return Box(self.top - rows, self.left - cols, self.bottom + rows, self.right + cols)

    def moved(self, rows: int, cols: int) -> Box:
        """Return the box so many rows further down and columns further right."""
        return Box(self.top + rows, self.left + cols, self.bottom + rows, self.right + cols)

    def clipped(self, height: int, width: int) -> Box:
        """Return the part inside a grid of this size; it is empty if there is none."""
        top, left = min(max(self.top, 0), height), min(max(self.left, 0), width)
        bottom, right = min(self.bottom, height), min(self.right, width)
        return Box(top, left, max(top, bottom), max(left, right))

    def shared(self, other: Box) -> Box:
        """Return the cells that lie in another box too; none if there are none."""
        top, left = max(self.top, other.top), max(self.left, other.left)
        bottom, right = min(self.bottom, other.bottom), min(self.right, other.right)
        return Box(top, left, max(top, bottom), max(left, right))

    def joined(self, other: Box) -> Box:
        """Return the smallest box that holds both."""
        if self.is_empty:
            return other
        if other.is_empty:
            return self
        return Box(
            min(self.top, other.top),
            min(self.left, other.left),
            max(self.bottom, other.bottom),
            max(self.right, other.right),
        )

    def fitted(self, height: int, width: int, wrap: bool) -> Box:
        """Cut the box to what the grid has: clipped, or at most one whole period if it wraps."""
        if not wrap:
            return self.clipped(height, width)
        top, bottom = (0, height) if self.height >= height else (self.top, self.bottom)
        left, right = (0, width) if self.width >= width else (self.left, self.right)
        return Box(top, left, bottom, right)

    def rows(self, height: int) -> NDArray[np.intp]:
        """Row numbers, modulo the grid's height."""
        return np.arange(self.top, self.bottom) % height

    def cols(self, width: int) -> NDArray[np.intp]:
        """Column numbers, modulo the grid's width."""
        return np.arange(self.left, self.right) % width

    def pieces(self, height: int, width: int) -> list[Box]:
        """Cut a box that reaches over the border into boxes inside the grid."""
        return [
            Box(top, left, bottom, right)
            for top, bottom in _spans(self.top, self.bottom, height)
            for left, right in _spans(self.left, self.right, width)
        ]


def _spans(start: int, end: int, size: int) -> list[tuple[int, int]]:
    spans = []
    while start < end:
        low = start % size
        length = min(size - low, end - start)
        spans.append((low, low + length))
        start += length
    return spans


def whole(array: NDArray[Any]) -> Box:
    """Return the box of a whole two-dimensional array."""
    return Box(0, 0, array.shape[0], array.shape[1])


def index(box: Box, height: int, width: int) -> tuple[Any, Any]:
    """Give what picks the box out of an array: slices where it lies inside, else index arrays."""
    inside = box.top >= 0 and box.left >= 0 and box.bottom <= height and box.right <= width
    if inside:
        return slice(box.top, box.bottom), slice(box.left, box.right)
    rows, cols = np.ix_(box.rows(height), box.cols(width))
    return rows, cols


def read(array: NDArray[Any], box: Box) -> NDArray[Any]:
    """Copy a box out of a grid, over its borders where the box reaches there."""
    return np.array(array[index(box, array.shape[0], array.shape[1])])


def lay_over(
    values: NDArray[Any],
    box: Box,
    patch_box: Box,
    patch: NDArray[Any],
    period: tuple[int, int] | None,
) -> NDArray[Any]:
    """Lay a patch over the values of a box, as far as both share places; in place.

    Parameters
    ----------
    values, patch : what lies in `box` and in `patch_box`
    period : height and width of a grid that wraps, on which both may lie beyond its borders

    Examples
    --------
    >>> lay_over(np.zeros(3, int)[None], Box(0, -1, 1, 2), Box(0, 3, 1, 4), np.ones((1, 1)), (1, 4))
    array([[1, 0, 0]])
    """
    rows, cols = np.arange(box.top, box.bottom), np.arange(box.left, box.right)
    rows, cols = rows - patch_box.top, cols - patch_box.left
    if period is not None:
        rows, cols = rows % period[0], cols % period[1]
    down = np.flatnonzero((rows >= 0) & (rows < patch_box.height))
    across = np.flatnonzero((cols >= 0) & (cols < patch_box.width))
    values[np.ix_(down, across)] = patch[np.ix_(rows[down], cols[across])]
    return values
