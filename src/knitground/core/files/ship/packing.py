"""Putting the pictures that a map shows together on one sheet, nothing else, with their borders."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from math import ceil, sqrt
from typing import NamedTuple

import numpy as np

from knitground.core.base.errors import PlaceError
from knitground.core.base.tongue import say
from knitground.core.model.tileset import Picture

_MOST_SIDE = 16_384


class Cut(NamedTuple):
    """Where a picture is: on which sheet, and its rectangle in pixels."""

    sheet: int
    x: int
    y: int
    width: int
    height: int


def packed(
    sheets: Sequence[Picture],
    cuts: Iterable[Cut],
    border: int = 0,
    *,
    margin: int = 0,
    spacing: int = 0,
    powers: bool = False,
) -> tuple[Picture, dict[Cut, tuple[int, int]]]:
    """Put pictures together, the tall ones first, in rows on a sheet that is about square.

    Parameters
    ----------
    border : pixels round each picture that repeat its outermost ones, so that nothing of a
        neighbour shows where a game draws it between pixels
    margin, spacing : empty pixels round all of them, and between two
    powers : whether both sides are powers of two

    Returns
    -------
    the sheet, and where each picture begins on it, without its border

    Raises
    ------
    PlaceError
        A side would have more than 16 384 pixels.
    """
    every = sorted(set(cuts), key=lambda each: (-each.height, -each.width, each))
    more = 2 * border + spacing
    area = sum((each.width + more) * (each.height + more) for each in every)
    widest = max([1, *(each.width + 2 * border for each in every)]) + 2 * margin
    across = max(widest, ceil(sqrt(area)) + 2 * margin - spacing)
    across = _power(across) if powers else across
    places: dict[Cut, tuple[int, int]] = {}
    x = y = margin
    line = 0
    for each in every:
        wide, high = each.width + more, each.height + more
        if x + wide - spacing + margin > across:
            x, y, line = margin, y + line, 0
        places[each] = x + border, y + border
        x, line = x + wide, max(line, high)
    down = max(1, y + line - (spacing if every else 0) + margin)
    down = _power(down) if powers else down
    if max(across, down) > _MOST_SIDE:
        raise PlaceError(
            say(
                "the tiles of the map would be a sheet of {across} × {down} px, more than "
                "{most_side}: ship the sheets as they are",
                across=across,
                down=down,
                most_side=_MOST_SIDE,
            )
        )
    out = np.zeros((down, across, 4), np.uint8)
    for each, (left, top) in places.items():
        part = sheets[each.sheet][each.y : each.y + each.height, each.x : each.x + each.width]
        if not part.size:
            continue
        rim = ((border, border), (border, border), (0, 0))
        high, wide = part.shape[0] + 2 * border, part.shape[1] + 2 * border
        out[top - border : top - border + high, left - border : left - border + wide] = np.pad(
            part, rim, "edge")  # fmt: skip
    return out, places


def _power(side: int) -> int:
    return 1 << (side - 1).bit_length()
