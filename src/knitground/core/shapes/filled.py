"""Outlines as pixels: a pixel is in an area if its middle is."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Mask = NDArray[np.bool_]


def stamp(mask: Mask, outlines: NDArray[np.float64]) -> None:
    """Set the pixels whose middles lie in outlines of one form: (n, corners, 2), x before y."""
    base = np.floor(outlines[0].min(axis=0))
    form = filled(outlines[0] - base)
    high, wide = form.shape
    for at in np.floor(outlines.min(axis=1)).astype(np.int64).tolist():
        left, top = at
        up, before = max(0, -top), max(0, -left)
        down, on = min(high, mask.shape[0] - top), min(wide, mask.shape[1] - left)
        if down > up and on > before:
            part = form[up:down, before:on]
            mask[top + up : top + down, left + before : left + on] |= part


def filled(corners: NDArray[np.float64]) -> Mask:
    """Fill a polygon that begins at (0, 0), by even and odd crossings of each line of pixels."""
    wide, high = (int(np.ceil(each)) for each in corners.max(axis=0))
    ys = np.arange(high) + 0.5
    xs = np.arange(wide) + 0.5
    inside = np.zeros((high, wide), np.bool_)
    for (x0, y0), (x1, y1) in zip(corners.tolist(), np.roll(corners, -1, 0).tolist()):
        if y0 == y1:
            continue
        crossed = (ys >= min(y0, y1)) & (ys < max(y0, y1))
        at = x0 + (ys - y0) * (x1 - x0) / (y1 - y0)
        inside ^= crossed[:, None] & (xs[None] >= at[:, None])
    return inside
