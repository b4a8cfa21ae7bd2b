"""A terrain's colour from its art, kept apart from the others for eyes of every kind."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from knitground.core.model.tileset import Picture

_APART = 0.16
"""Least distance of two colours, in the space of `_seen`, for eyes that see the least."""
_EYES = np.array([
    [[1, 0, 0], [0, 1, 0], [0, 0, 1]],
    [[0.11238, 0.88762, 0], [0.11238, 0.88762, 0], [0.00401, -0.00401, 1]],
    [[0.29275, 0.70725, 0], [0.29275, 0.70725, 0], [-0.02234, 0.02234, 1]],
])  # fmt: skip
"""What linear red, green and blue become for all eyes, for those without red, without green cones
(F. Viénot, H. Brettel, J. Mollon, Digital video colourmaps for checking the legibility of displays
by dichromats, 1999)."""

Colour = NDArray[np.float64]
"""(3,) red, green and blue, 0 to 1."""


def art_colour(pixels: Picture, taken: Iterable[str]) -> str | None:
    """Give the colour #rrggbb that stands for a tile.

    It is the tile's middle colour, made lighter or darker until it is well apart from all those
    that are taken.

    Parameters
    ----------
    pixels : (h, w, 4) straight RGBA of a plain tile
    taken : colours #rrggbb of the other terrains

    Returns
    -------
    the colour; None if no pixel of the tile can be seen
    """
    seen = pixels[pixels[..., 3] > 127][:, :3]
    if not len(seen):
        return None
    middle = np.median(seen.astype(np.float64), axis=0) / 255
    others = [_parse(each) for each in taken]
    # Nearest first: as it is, then lighter and darker by turns.
    for part in sorted(np.linspace(-0.85, 0.85, 35), key=abs):
        goal = 1.0 if part > 0 else 0.0
        tried = middle + (goal - middle) * abs(part)
        if all(apart(tried, other) >= _APART for other in others):
            return _hex(tried)
    return _hex(middle)


def apart(one: Colour, other: Colour) -> float:
    """Tell how far two colours are from each other for the eyes that tell them apart least.

    Examples
    --------
    >>> red, green = np.array([0.8, 0.2, 0.1]), np.array([0.35, 0.45, 0.1])
    >>> bool(apart(red, green) < np.abs(red - green).max())
    True
    """
    return float(np.linalg.norm(_seen(one) - _seen(other), axis=1).min())


def _seen(colour: Colour) -> NDArray[np.float64]:
    """Give what each kind of eye makes of a colour: (3 kinds, 3), lightness counting most."""
    linear = np.clip(_EYES @ (colour**2.2), 0, 1) ** (1 / 2.2)
    light = linear @ np.array([0.3, 0.59, 0.11])
    tint = linear - light[:, None]
    return np.concatenate([light[:, None] * 1.2, tint[:, [0, 2]]], axis=1)


def _parse(colour: str) -> Colour:
    return np.array([int(colour[at : at + 2], 16) for at in (1, 3, 5)]) / 255


def _hex(colour: Colour) -> str:
    red, green, blue = (round(float(each) * 255) for each in colour)
    return f"#{red:02x}{green:02x}{blue:02x}"
