"""What tiles looked like, in a few letters each: so that one sees which were drawn anew."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from knitground.core.model.slicing import Slicing
from knitground.core.model.tileset import At, Picture, Prints
from knitground.core.slicing.grid import cut, each_tile, lay_grid

_DIGITS = 4


def prints_of(picture: Picture, slicing: Slicing) -> Prints:
    """Give what all tiles of a sheet look like: of 65 536 that were drawn anew one is missed.

    Notes
    -----
    Own derivation: pixels as whole numbers, each times an odd number of its place, added up.
    """
    grid = lay_grid(slicing, picture.shape[1], picture.shape[0])
    if slicing.pieces:
        sums = [int(_sums(each[None])[0]) for each in each_tile(picture, grid)]
    else:
        sums = _sums(cut(picture, grid)).tolist()
    letters = "".join(f"{each:0{_DIGITS}x}" for each in sums)
    wide = grid.columns * _DIGITS
    return Prints(slicing, tuple(letters[n : n + wide] for n in range(0, len(letters), wide)))


def _sums(tiles: NDArray[np.uint8]) -> NDArray[np.uint32]:
    """Add up tiles of one size, (n, height, width, 4): n of 16 bits."""
    pixels = tiles.reshape(len(tiles), -1).view("<u4").astype(np.uint32)
    places = np.arange(1, pixels.shape[1] + 1, dtype=np.uint32) * np.uint32(2654435761) | 1
    sums = (pixels * places).sum(axis=1, dtype=np.uint32)
    return np.asarray((sums ^ sums >> 16) & 0xFFFF)


def changed_tiles(before: Prints, now: Prints) -> list[At] | None:
    """List tiles that look otherwise; None if they can not be compared: they are cut otherwise."""
    if before.slicing != now.slicing or [*map(len, before.rows)] != [*map(len, now.rows)]:
        return None
    return [
        (row, col)
        for row, (one, other) in enumerate(zip(before.rows, now.rows)) if one != other
        for col in range(len(one) // _DIGITS)
        if one[col * _DIGITS : (col + 1) * _DIGITS] != other[col * _DIGITS : (col + 1) * _DIGITS]
    ]  # fmt: skip
