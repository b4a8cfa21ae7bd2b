"""Cells that belong together: parts of a mask, and what is laid on one."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.window import Box
from knitground.core.edit.atoms import Atom
from knitground.core.edit.laying import plan_cells
from knitground.core.model.layers import Layer
from knitground.core.model.map import Map


def lay_masked(
    map_: Map, layer: Layer, values: NDArray[np.int32], mask: NDArray[np.bool_]
) -> tuple[Atom, ...]:
    """Lay tiles on the cells of a mask, as one patch no larger than it has to be."""
    rows, cols = np.nonzero(mask)
    if not rows.size:
        return ()
    box = Box(int(rows.min()), int(cols.min()), int(rows.max()) + 1, int(cols.max()) + 1)
    part = np.s_[box.top : box.bottom, box.left : box.right]
    return plan_cells(map_, layer, box, values[part], mask[part], "").edit.atoms


def parts(mask: NDArray[np.bool_]) -> list[NDArray[np.int64]]:
    """Part a mask into what hangs together over sides, the largest first; at most 64 parts.

    Returns
    -------
    the cells of each: (n, 2) rows and columns
    """
    from scipy.ndimage import label  # late: it is slow to import

    numbers, count = label(mask)
    sizes = np.bincount(numbers.ravel(), minlength=count + 1)
    order = sorted(range(1, count + 1), key=lambda n: (-sizes[n], n))
    return numbered(numbers, order[:64])


def numbered(numbers: NDArray[np.integer], which: Sequence[int]) -> list[NDArray[np.int64]]:
    """Give the cells of each of some parts, (n, 2), by the array that says whose a cell is."""
    from scipy.ndimage import find_objects  # late: it is slow to import

    boxes = find_objects(numbers)
    return [np.argwhere(numbers[boxes[n - 1]] == n) + [side.start for side in boxes[n - 1]]
            for n in which]  # fmt: skip
