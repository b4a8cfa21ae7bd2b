"""Pixel arithmetic: premultiplied 32-bit pixels, blending, turning, shrinking.

A pixel is a uint32 0xAARRGGBB with its colours multiplied by its alpha, as the screen takes it.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from knitground.core.model.tileset import Picture

Pixels = NDArray[np.uint32]

OPAQUE = np.uint32(0xFF000000)
"""The least pixel that covers what is beneath it."""
_RB = np.uint32(0x00FF00FF)
_HALF = np.uint32(0x00800080)
_EIGHT = np.uint32(8)


def premultiplied(rgba: Picture) -> Pixels:
    """Turn straight RGBA (…, 4) uint8 into premultiplied pixels (…) uint32."""
    wide = rgba.astype(np.uint32)
    alpha = wide[..., 3]
    colour = wide[..., :3] * alpha[..., None] + 127
    colour //= 255
    packed: Pixels = (
        (alpha << np.uint32(24))
        | (colour[..., 0] << np.uint32(16))
        | (colour[..., 1] << _EIGHT)
        | colour[..., 2]
    )
    return packed


def straight(pixels: Pixels) -> Picture:
    """Turn premultiplied pixels (…) uint32 into straight RGBA (…, 4) uint8."""
    alpha = pixels >> np.uint32(24)
    out = np.empty((*pixels.shape, 4), np.uint8)
    divisor = np.maximum(alpha, 1)
    for place, shift in enumerate((16, 8, 0)):
        value = (pixels >> np.uint32(shift)) & np.uint32(255)
        out[..., place] = np.minimum((value * 255 + divisor // 2) // divisor, 255)
    out[..., 3] = alpha
    return out


def over(top: Pixels, beneath: Pixels) -> Pixels:
    """Lay pixels over others of the same shape; returns a new array.

    Red and blue, alpha and green are each worked on as two channels of one word; the division by
    255 is (x + 128 + ((x + 128) >> 8)) >> 8, exact for all products of two bytes.
    """
    rest = np.uint32(255) - (top >> np.uint32(24))
    low = (beneath & _RB) * rest + _HALF
    low = ((low + ((low >> _EIGHT) & _RB)) >> _EIGHT) & _RB
    high = ((beneath >> _EIGHT) & _RB) * rest + _HALF
    high = (high + ((high >> _EIGHT) & _RB)) & ~_RB
    blended: Pixels = top + (low | high)
    return blended


def cover(room: Pixels, top: Pixels, *, hard: bool = False) -> None:
    """Lay pixels over others of the same shape, in place.

    Parameters
    ----------
    hard : whether each of them is opaque or blank: nothing has to be blended
    """
    if hard:
        np.copyto(room, top, where=top != 0)
    else:
        room[...] = over(top, room)


def weakened(pixels: Pixels, part: float) -> Pixels:
    """Multiply premultiplied pixels, alpha and all, by a part from 0 to 1; 1 gives them as are."""
    if part >= 1:
        return pixels
    by = np.uint32(round(min(max(part, 0.0), 1.0) * 255))
    low = (pixels & _RB) * by + _HALF
    low = ((low + ((low >> _EIGHT) & _RB)) >> _EIGHT) & _RB
    high = ((pixels >> _EIGHT) & _RB) * by + _HALF
    high = (high + ((high >> _EIGHT) & _RB)) & ~_RB
    faded: Pixels = low | high
    return faded


def multiplied(pixels: Pixels, factors: Pixels) -> Pixels:
    """Multiply colours, not alpha, by factors 0xFFRRGGBB (255 is 1); returns a new array."""
    out = pixels & np.uint32(0xFF000000)
    for shift in (np.uint32(16), _EIGHT, np.uint32(0)):
        value = ((pixels >> shift) & np.uint32(255)) * ((factors >> shift) & np.uint32(255))
        value += np.uint32(128)
        out |= ((value + (value >> _EIGHT)) >> _EIGHT) << shift
    return out


def shrunk(tiles: Pixels, height: int, width: int) -> Pixels:
    """Shrink tiles (n, H, W) to (n, height, width) by area, each for itself."""
    if tiles.shape[1:] == (height, width):
        return tiles
    channels = tiles[..., None].view(np.uint8).reshape(*tiles.shape, 4).astype(np.float32)
    down = _area_weights(tiles.shape[1], height)
    across = _area_weights(tiles.shape[2], width)
    small = np.einsum("ay,nyxc,bx->nabc", down, channels, across, optimize=True)
    packed = np.clip(np.rint(small), 0, 255).astype(np.uint8)
    return np.ascontiguousarray(packed).view(np.uint32)[..., 0]


def _area_weights(old: int, new: int) -> NDArray[np.float32]:
    """Weights (new, old) by which old pixels make up new ones; rows add up to 1."""
    edges = np.linspace(0, old, new + 1)
    low = np.maximum(edges[:-1, None], np.arange(old)[None])
    high = np.minimum(edges[1:, None], np.arange(1, old + 1)[None])
    weights: NDArray[np.float32] = (np.maximum(high - low, 0) * (new / old)).astype(np.float32)
    return weights
