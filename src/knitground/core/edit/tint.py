"""Laying colour on a tint layer: all of it, or softly towards the brush's rim."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.model.layers import Cells
from knitground.core.model.limits import FULL_TINT

Weights = NDArray[np.float32]


def tint_value(colour: str, strength: int) -> int:
    """Give the cell of a tint layer for a colour #rrggbb and a strength of 0 to 127."""
    if not 0 <= strength <= FULL_TINT:
        raise EditError(
            say(
                "strength {strength} is out of bounds: give 0 to {full_tint}",
                strength=strength,
                full_tint=FULL_TINT,
            )
        )
    return strength << 24 | int(colour[1:], 16) if strength else 0


def blended(before: Cells, value: int, weights: Weights) -> Cells:
    """Blend a colour into cells of a tint.

    Parameters
    ----------
    before : (h, w) cells as a tint layer has them
    value : the colour to lay, 0 to take colour away
    weights : (h, w) how much of it, 0 to 1

    Returns
    -------
    (h, w) int32; strengths are blended, and colours by the strength that each brings along
    """
    old = before.astype(np.int64)
    old_part = (old >> 24) * (1 - weights.astype(np.float64))
    new_part = (value >> 24) * weights.astype(np.float64)
    total = old_part + new_part
    strength = np.rint(total).astype(np.int64)
    out = strength << 24
    safe = np.where(total > 0, total, 1)
    for shift in (16, 8, 0):
        mixed = ((old >> shift & 255) * old_part + (value >> shift & 255) * new_part) / safe
        out |= np.rint(mixed).astype(np.int64) << shift
    out[strength == 0] = 0
    kept = weights == 0
    out[kept] = old[kept]
    return out.astype(np.int32)


def soft_weights(size: int) -> Weights:
    """Give how much a soft round brush lays in each of its cells: 1 in the middle, less outwards.

    Examples
    --------
    >>> soft_weights(3)[1].tolist()
    [0.5625, 1.0, 0.5625]
    """
    place = np.arange(size) - (size - 1) / 2
    away = np.hypot(place[:, None], place[None, :]) / (size / 2 + 0.5)
    weights = np.clip(1 - away**2, 0, 1) ** 2
    return np.asarray(weights / weights.max(), np.float32)


def disc(size: int) -> NDArray[np.bool_]:
    """Give the cells of a round brush of a side: those whose middle lies in the circle.

    Examples
    --------
    >>> disc(4).astype(int).tolist()
    [[0, 1, 1, 0], [1, 1, 1, 1], [1, 1, 1, 1], [0, 1, 1, 0]]
    """
    place = np.arange(size) - (size - 1) / 2
    return np.asarray(place[:, None] ** 2 + place[None, :] ** 2 <= (size / 2) ** 2)
