"""What a tile of each kind of set can say: all combinations of marks that make sense."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import product

import numpy as np
from numpy.typing import NDArray

from knitground.core.knit.ring import reduced

Ints = NDArray[np.int64]


_MOST_CODES = 1200


@dataclass(frozen=True, eq=False)
class Codes:
    """All codes that a tile may have.

    Parameters
    ----------
    values : (k, slots) numbers of values, slots in the order of the description's groups
    states : (k, 4) numbers of the states of the borders N E S W
    count : of values
    """

    values: Ints
    states: Ints
    count: int


def corner_codes(count: int) -> Codes:
    """List the codes of corners NW NE SE SW; from five values on two different ones at most."""
    values = _products(count, 4)
    pairs = [(0, 1), (1, 2), (3, 2), (0, 3)]  # along N and S from the left, E and W from the top
    states = np.stack([values[:, a] * count + values[:, b] for a, b in pairs], axis=1)
    return Codes(values, states, count)


def edge_codes(count: int) -> Codes:
    """List the codes of four sides N E S W."""
    values = _products(count, 4)
    return Codes(values, values.copy(), count)


def ring_codes(terrains: int) -> Codes:
    """List the 47 codes of each terrain: value 2 t is another neighbour, 2 t + 1 its like.

    Slots are N E S W, then NW NE SE SW.
    """
    bits = sorted({reduced(each) for each in range(256)})
    order = [0, 2, 4, 6, 7, 1, 3, 5]
    rows = [[2 * t + (each >> slot & 1) for slot in order] for t in range(terrains)
            for each in bits]  # fmt: skip
    values = np.array(rows, np.int64)
    count = 2 * terrains
    along = [(4, 0, 5), (5, 1, 6), (7, 2, 6), (4, 3, 7)]
    raw = np.stack(
        [(values[:, a] * count + values[:, b]) * count + values[:, c] for a, b, c in along], axis=1
    )
    _, states = np.unique(raw, return_inverse=True)
    return Codes(values, states.reshape(raw.shape), count)


def _products(count: int, slots: int) -> Ints:
    if count <= 4:
        return np.array(list(product(range(count), repeat=slots)), np.int64)
    found = {(a,) * slots for a in range(count)}
    for a in range(count):
        for b in range(a + 1, count):
            if len(found) > _MOST_CODES:
                break
            found.update(product((a, b), repeat=slots))
    return np.array(sorted(found), np.int64)
