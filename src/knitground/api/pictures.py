"""Pictures of maps, as a notebook shows them."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from knitground.api.checks import check_kind, whole
from knitground.core.base.errors import EditError
from knitground.core.files.ship.png import MapPicture


def side_by_side(pictures: Iterable[MapPicture], columns: int = 5, gap: int = 4) -> MapPicture:
    """Lay pictures out in rows, to be looked at together.

    Parameters
    ----------
    columns : pictures in a row
    gap : see-through pixels between them
    """
    columns, gap = whole(columns, "the columns", 1, 1000), whole(gap, "the gap", 0, 1000)
    check_kind(pictures, (Iterable,), "pictures", "[map.look(seed) for seed in range(20)]")
    laid = list(pictures)
    for each in laid:
        check_kind(each, (MapPicture,), "a picture of a map", "map.picture()")
    if not laid:
        raise EditError("there is no picture to lay out: give at least one")
    high = max(each.pixels.shape[0] for each in laid)
    wide = max(each.pixels.shape[1] for each in laid)
    rows = -(-len(laid) // columns)
    across = min(columns, len(laid))
    size = (rows * (high + gap) - gap, across * (wide + gap) - gap, 4)
    if size[0] * size[1] > 256 * 1024 * 1024:
        raise EditError(f"that would be {size[1]} × {size[0]} px: look at a smaller level")
    out = np.zeros(size, np.uint8)
    for place, each in enumerate(laid):
        top, left = place // columns * (high + gap), place % columns * (wide + gap)
        out[top : top + each.pixels.shape[0], left : left + each.pixels.shape[1]] = each.pixels
    return MapPicture(out)
