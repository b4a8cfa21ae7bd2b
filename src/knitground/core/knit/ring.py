"""The eight neighbours of a cell, and the 47 ways in which they can be of its terrain."""

from __future__ import annotations

from functools import cache

from knitground.core.model.terrain import Slot

RING_BITS = (Slot.N, Slot.NE, Slot.E, Slot.SE, Slot.S, Slot.SW, Slot.W, Slot.NW)
STEPS = {
    Slot.N: (-1, 0), Slot.NE: (-1, 1), Slot.E: (0, 1), Slot.SE: (1, 1),
    Slot.S: (1, 0), Slot.SW: (1, -1), Slot.W: (0, -1), Slot.NW: (-1, -1),
}  # fmt: skip
"""Rows down and columns across to each neighbour."""


@cache
def reduced(bits: int) -> int:
    """Leave out corners that have not both their sides: 256 patterns become 47.

    Examples
    --------
    >>> reduced(0b00000010), reduced(0b00000111), len({reduced(n) for n in range(256)})
    (0, 7, 47)
    """
    out = bits
    for corner in (1, 3, 5, 7):
        sides = (1 << (corner - 1)) | (1 << ((corner + 1) % 8))
        if bits & sides != sides:
            out &= ~(1 << corner)
    return out


@cache
def patterns_of(bits: int) -> tuple[int, ...]:
    """List the patterns of the 256 that come to one of the 47.

    Examples
    --------
    >>> len(patterns_of(0)), patterns_of(0b11111111)
    (16, (255,))
    """
    return tuple(each for each in range(256) if reduced(each) == bits)
