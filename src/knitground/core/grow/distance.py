"""Distances and connected parts, exact over the border of a map that wraps."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from knitground.core.model.lattice import Meeting

Mask = NDArray[np.bool_]


def far_from(mask: Mask, most: float, *, wrap: bool) -> NDArray[np.float32]:
    """Give the distance of every cell from the nearest one of a mask, between their middles.

    Parameters
    ----------
    mask : (h, w)
    most : distances beyond it may be told as infinite

    Returns
    -------
    (h, w) float32, in cells; infinite where the mask has nothing near
    """
    from scipy.ndimage import distance_transform_edt  # late: slow to import

    if not mask.any():
        return np.full(mask.shape, np.inf, np.float32)
    high, wide = mask.shape
    pad = int(most) + 2 if wrap else 0
    rows, cols = np.arange(-pad, high + pad) % high, np.arange(-pad, wide + pad) % wide
    far = distance_transform_edt(~mask[np.ix_(rows, cols)])
    out = far[pad : pad + high, pad : pad + wide].astype(np.float32)
    out[out > most + 1] = np.inf
    return out


def parts_of(
    mask: Mask, *, wrap: bool, corners: bool = True, meeting: Meeting | None = None
) -> tuple[NDArray[np.int32], int]:
    """Number the connected parts of a mask from 1 on, 0 outside; returns also how many.

    Parameters
    ----------
    corners : whether cells that touch at a corner only are connected
    meeting : cells that meet over sides across a border that goes round, but not straight
    """
    from scipy.ndimage import label

    near = np.ones((3, 3), int) if corners else None
    found, count = label(mask, near)
    numbers = np.asarray(found, np.int32)
    if not (wrap or meeting is not None) or count < 2:
        return numbers, count
    lead = np.arange(count + 1)

    def root(n: int) -> int:
        while lead[n] != n:
            lead[n] = lead[lead[n]]
            n = int(lead[n])
        return n

    if meeting is not None:
        ends = [(numbers[meeting[0]], numbers[meeting[1]])]
        corners = False
    else:
        ends = [(numbers[0], numbers[-1]), (numbers[:, 0], numbers[:, -1])]
    for a, b in ends:
        for shift in (-1, 0, 1) if corners else (0,):
            moved = np.roll(b, shift)
            both = (a > 0) & (moved > 0)
            for one, other in set(zip(a[both].tolist(), moved[both].tolist())):
                low, high = sorted((root(one), root(other)))
                lead[high] = low
    roots = np.array([root(n) for n in range(count + 1)])
    kept, new = np.unique(roots, return_inverse=True)
    return new.astype(np.int32)[numbers], len(kept) - 1
