"""Cells that belong together, as findings name them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from knitground.core.proof.proving import Cell

MOST = 256


def first_places(mask: NDArray[np.bool_]) -> tuple[Cell, ...]:
    """List the first cells of a mask, row by row."""
    rows, cols = np.nonzero(mask)
    return tuple(zip(rows[:MOST].tolist(), cols[:MOST].tolist()))


def parts(mask: NDArray[np.bool_], least: int = 1) -> list[NDArray[np.bool_]]:
    """Part a mask into what hangs together over sides, the largest first; at most 64 parts."""
    from scipy.ndimage import label  # late: it is slow to import

    numbers, count = label(mask)
    sizes = np.bincount(numbers.ravel(), minlength=count + 1)
    order = sorted(range(1, count + 1), key=lambda n: (-sizes[n], n))
    return [numbers == n for n in order[:64] if sizes[n] >= least]
