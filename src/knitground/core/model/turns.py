"""The eight ways to turn and mirror a square, and what they do to all that lies on one.

A turn is a number: 0–3 quarter turns clockwise; with 4, mirrored left to right before them.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import numpy as np
from numpy.typing import NDArray

Offset = tuple[int, int]


def quarters(turn: int) -> int:
    """Tell how many quarter turns clockwise it takes, after the mirror."""
    return turn & 3


def is_mirrored(turn: int) -> bool:
    """Whether it mirrors, left to right and first."""
    return bool(turn & 4)


def lies_across(turn: int) -> bool:
    """Whether what was wide is high then."""
    return bool(turn & 1)


def turned_on(turn: int, by: int) -> int:
    """Give the turn that is one turn after another.

    Examples
    --------
    >>> turned_on(turned_on(0, 1), 3), turned_on(1, 4)
    (0, 7)
    """
    quarter = -quarters(turn) if is_mirrored(by) else quarters(turn)
    return ((quarter + quarters(by)) & 3) | ((turn ^ by) & 4)


def turned_array(array: NDArray[Any], turn: int, axes: tuple[int, int] = (0, 1)) -> NDArray[Any]:
    """Turn cells, or pixels: a view of the array.

    Parameters
    ----------
    axes : those down and across

    Examples
    --------
    >>> turned_array(np.array([[1, 2], [3, 4]]), 1).tolist()
    [[3, 1], [4, 2]]
    """
    out = np.flip(array, axes[1]) if is_mirrored(turn) else array
    return np.rot90(out, -quarters(turn), axes)


def turned_rows(rows: tuple[tuple[Any, ...], ...], turn: int) -> tuple[tuple[Any, ...], ...]:
    """Turn rows of the same length."""
    if is_mirrored(turn):
        rows = tuple(row[::-1] for row in rows)
    for _ in range(quarters(turn)):
        rows = tuple(zip(*rows[::-1]))
    return rows


def turned_offset(offset: Offset, turn: int) -> Offset:
    """Turn what lies so far down and across from the middle.

    Examples
    --------
    >>> turned_offset((-1, 0), 1), turned_offset((0, 1), 4)
    ((0, 1), (0, -1))
    """
    down, across = offset
    if is_mirrored(turn):
        across = -across
    for _ in range(quarters(turn)):
        down, across = across, -down
    return down, across


def turned_points(
    points: Iterable[tuple[float, float]], turn: int, width: float, height: float
) -> list[tuple[float, float]]:
    """Turn points (x, y) with the rectangle, of a width and a height, on which they lie.

    Examples
    --------
    >>> turned_points([(0, 0), (4, 2)], 1, 16, 8)
    [(8, 0), (6, 4)]
    """
    out = [(width - x, y) for x, y in points] if is_mirrored(turn) else list(points)
    for _ in range(quarters(turn)):
        out = [(height - y, x) for x, y in out]
        width, height = height, width
    return out


def turned_ring(marks: NDArray[np.uint8], turn: int) -> NDArray[np.uint8]:
    """Turn the marks of a tile, slots N NE E SE S SW W NW and what comes after them: a new array.

    Examples
    --------
    >>> marks = np.zeros(9, np.uint8); marks[0] = 5
    >>> [int(np.argmax(turned_ring(marks, turn))) for turn in (0, 1, 2, 3, 4)]
    [0, 2, 4, 6, 0]
    """
    out = marks.copy()
    ring = marks[:8]
    if is_mirrored(turn):
        ring = ring[[(8 - n) % 8 for n in range(8)]]
    out[:8] = np.roll(ring, 2 * quarters(turn))
    return out
