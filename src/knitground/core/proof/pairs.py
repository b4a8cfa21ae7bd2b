"""Which tiles of a layer lie side by side, and how often."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from knitground.core.model.lattice import Lattice

_COUNTED = 1 << 22
"""Pairs that could be up to which they are counted without being sorted, which is faster."""


class Neighbours(NamedTuple):
    """Cells, and those that lie beside each in one direction; cells without a tile are 0."""

    one: NDArray[np.int32]
    other: NDArray[np.int32]

    def pairs(self) -> Iterator[tuple[int, int, int]]:
        """Give each pair of tiles that there is, in order, and how often it is."""
        both = (self.one > 0) & (self.other > 0)
        size = int(self.other.max(initial=0)) + 1
        if (int(self.one.max(initial=0)) + 1) * size <= _COUNTED:
            counts = np.bincount((self.one * np.int32(size) + self.other)[both])
            codes = np.flatnonzero(counts)
            often = counts[codes]
        else:
            codes, often = np.unique(self.one[both].astype(np.int64) * size + self.other[both],
                                     return_counts=True)  # fmt: skip
        for code, count in zip(codes.tolist(), often.tolist()):
            yield code // size, code % size, count

    def where(self, one: int, other: int) -> NDArray[np.bool_]:
        """Tell on which cells a pair lies: the first of the two."""
        return np.asarray((self.one == one) & (self.other == other))


def neighbours(lattice: Lattice, cells: NDArray[np.int32], down: int, across: int) -> Neighbours:
    """Lay cells beside those that lie one row down, or one column across, from each."""
    cells = np.maximum(cells, 0)
    return Neighbours(cells, lattice.beside(cells, down, across))
