"""Values parted into heaps: which sides of tiles are alike."""

from __future__ import annotations

import numpy as np

from knitground.core.knit.faces import Floats

_SQUARINGS = 7


def main_axis(centred: Floats) -> Floats:
    """Give the direction along which points (n, features) round 0 differ most, of length 1.

    By squaring their products over and over: the largest eigenvalue outgrows all others (power
    iteration). A whole decomposition gives all axes, takes ten times as long, and on some machines
    much longer still, for it is shared among threads.
    """
    products = centred.T @ centred
    for _ in range(_SQUARINGS):
        largest = np.abs(products).max()
        if not largest > 0:
            break
        products = products / largest
        products = products @ products
    axis = products[:, np.abs(products).sum(axis=0).argmax()]
    length = float(np.sqrt((axis**2).sum()))
    return axis / length if length > 0 else np.eye(len(axis))[0]


def two_heaps(x: Floats) -> Floats:
    """Part points in two, begun along where they differ most: squared distances, (n, 2)."""
    centred = x - x.mean(axis=0)
    along = centred @ main_axis(centred[:: max(1, len(x) // 2000)])
    on = along > (along.min() + along.max()) / 2
    out = np.zeros((len(x), 2))
    for _ in range(12):
        if on.all() or not on.any():
            on = along > np.median(along)
            if on.all() or not on.any():
                return out
        for value in (0, 1):
            out[:, value] = ((x - x[on == value].mean(axis=0)) ** 2).sum(axis=1)
        new = out[:, 1] < out[:, 0]
        if (new == on).all():
            break
        on = new
    return out


def heaps(x: Floats, count: int) -> Floats:
    """Part points in so many, begun with those farthest from each other: squared distances."""
    middles = [x[((x - x.mean(axis=0)) ** 2).sum(axis=1).argmax()]]
    for _ in range(count - 1):
        far = np.min([((x - each) ** 2).sum(axis=1) for each in middles], axis=0)
        # Not the one farthest point, which may be a stray: the middle of those that lie far.
        most = far >= np.quantile(far, 0.9)
        middles.append(np.median(x[most], axis=0))
    out = np.zeros((len(x), count))
    own = np.full(len(x), -1)
    for _ in range(15):
        for value in range(count):
            out[:, value] = ((x - middles[value]) ** 2).sum(axis=1)
        new = out.argmin(axis=1)
        if (new == own).all():
            break
        own = new
        middles = [x[own == value].mean(axis=0) if (own == value).any() else middles[value]
                   for value in range(count)]  # fmt: skip
    return out
