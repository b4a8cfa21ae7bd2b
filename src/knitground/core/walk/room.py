"""Where in a rectangle of a map a figure fits: all of its pixels at once."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from knitground.core.walk.figure import Figure

Mask = NDArray[np.bool_]


def stops_for(solid: Mask, figure: Figure) -> Mask:
    """Tell where a figure can not stand.

    Parameters
    ----------
    solid : pixels that nobody goes through; beyond them all is solid

    Returns
    -------
    for each pixel whether a figure is stopped whose feet stand on the lower edge of it
    """
    across = _widened(solid.T, figure.wide, figure.wide // 2, beyond=True).T
    return _widened(across, figure.stands, figure.stands - 1, beyond=True)


def covered_by(stands: Mask, figure: Figure) -> Mask:
    """Tell which pixels a figure covers that stands wherever it can, as `stops_for` has places."""
    across = _widened(stands.T, figure.wide, figure.wide - 1 - figure.wide // 2, beyond=False).T
    return _widened(across, figure.stands, 0, beyond=False)


def _widened(mask: Mask, count: int, before: int, *, beyond: bool) -> Mask:
    """Tell for each line whether any of `count` lines is set, the first of them `before` it.

    Windows of 1, 2, 4… lines are put together.
    """
    wide = np.pad(mask, ((before, count - 1 - before), (0, 0)), constant_values=beyond)
    size = 1
    while size < count:
        step = min(size, count - size)
        wide = wide[:-step] | wide[step:]
        size += step
    return wide
