"""Cells that belong together: parts of a mask, and what is laid on one."""

from __future__ import annotations

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


def parts(mask: NDArray[np.bool_], least: int = 1) -> list[NDArray[np.bool_]]:
    """Part a mask into what hangs together over sides, the largest first; at most 64 parts."""
    from scipy.ndimage import label  # late: it is slow to import

    numbers, count = label(mask)
    sizes = np.bincount(numbers.ravel(), minlength=count + 1)
    order = sorted(range(1, count + 1), key=lambda n: (-sizes[n], n))
    return [numbers == n for n in order[:64] if sizes[n] >= least]
