"""Which tiles fit side by side, by their marks."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from knitground.core.knit.ring import RING_BITS
from knitground.core.model.terrain import ANY, SetKind, Slot

Marks = NDArray[np.int64]

_CORNERS = {
    Slot.N: ((Slot.NW, Slot.SW), (Slot.NE, Slot.SE)),
    Slot.S: ((Slot.SW, Slot.NW), (Slot.SE, Slot.NE)),
    Slot.W: ((Slot.NW, Slot.NE), (Slot.SW, Slot.SE)),
    Slot.E: ((Slot.NE, Slot.NW), (Slot.SE, Slot.SW)),
}
"""The slots of a tile at a side, and those that they meet of the tile there."""


def opposite(side: Slot) -> Slot:
    """Give the side that meets another tile's side."""
    return Slot((int(side) + 4) % 8)


def fitting(kind: SetKind, own: Marks, marks: Marks, side: Slot) -> NDArray[np.bool_]:
    """Tell which tiles fit at a side of another.

    Parameters
    ----------
    own : (9,) marks of a tile
    marks : (n, 9) of those that might lie at its side

    Returns
    -------
    (n,)
    """

    def same(mine: Slot, theirs: Slot) -> NDArray[np.bool_]:
        found: NDArray[np.bool_] = np.isin(marks[:, theirs], (own[mine], ANY))
        return np.ones_like(found) if own[mine] == ANY else found

    if kind is SetKind.CORNER:
        (a, b), (c, d) = _CORNERS[side]
        return same(a, b) & same(c, d)
    if kind is SetKind.EDGE:
        return same(side, opposite(side))
    return _fitting_rings(own, marks, side)


def _fitting_rings(own: Marks, marks: Marks, side: Slot) -> NDArray[np.bool_]:
    middle = own[Slot.MIDDLE]
    mine = {slot: bool(own[slot] in (middle, ANY)) for slot in RING_BITS}
    theirs = {
        slot: (marks[:, slot] == marks[:, Slot.MIDDLE]) | (marks[:, slot] == ANY)
        for slot in RING_BITS
    }
    back = opposite(side)
    if not mine[side]:
        found: NDArray[np.bool_] = (marks[:, Slot.MIDDLE] != middle) & ~theirs[back]
        return found
    fits: NDArray[np.bool_] = (marks[:, Slot.MIDDLE] == middle) & theirs[back]
    for turn in (2, -2):  # the two sides beside it
        near = Slot((int(side) + turn) % 8)
        between, beyond = Slot((int(side) + turn // 2) % 8), Slot((int(back) - turn // 2) % 8)
        # The cell between both is the neighbour's own side, and mine is its corner.
        if mine[near]:
            fits &= theirs[near] == mine[between]
        fits &= ~theirs[near] | (theirs[beyond] == mine[near])
    return fits
