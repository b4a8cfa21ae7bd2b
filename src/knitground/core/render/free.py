"""Free pictures: turned by any angle and scaled, pixels kept hard."""

from __future__ import annotations

from math import ceil, cos, radians, sin

import numpy as np

from knitground.core.render.pixels import Pixels


def turned_freely(pixels: Pixels, degrees: float, scale: float) -> Pixels:
    """Turn a picture clockwise round its middle and scale it.

    Parameters
    ----------
    pixels : (h, w)
    degrees : any angle
    scale : over 0

    Returns
    -------
    the smallest picture that holds all of it, with the same middle

    Notes
    -----
    Each new pixel takes the old one under its middle: no colours are mixed, so pixel art stays
    pixel art. Quarter turns are exact.
    """
    high, wide = pixels.shape
    angle = radians(degrees % 360)
    c, s = round(cos(angle), 12), round(sin(angle), 12)
    new_wide = max(1, ceil(round(scale * (abs(c) * wide + abs(s) * high), 6)))
    new_high = max(1, ceil(round(scale * (abs(s) * wide + abs(c) * high), 6)))
    y = (np.arange(new_high) + 0.5 - new_high / 2)[:, None] / scale
    x = (np.arange(new_wide) + 0.5 - new_wide / 2)[None, :] / scale
    col = np.floor(c * x + s * y + wide / 2 + 1e-9).astype(np.intp)
    row = np.floor(-s * x + c * y + high / 2 + 1e-9).astype(np.intp)
    inside = (row >= 0) & (row < high) & (col >= 0) & (col < wide)
    out = np.zeros((new_high, new_wide), np.uint32)
    out[inside] = pixels[row[inside], col[inside]]
    return out
