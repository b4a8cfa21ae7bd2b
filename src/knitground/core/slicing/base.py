"""The base of isometric pictures: the diamond that a tile stands on, measured from its pixels."""

from __future__ import annotations

from dataclasses import dataclass
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from knitground.core.model.lattice import Lattice
from knitground.core.model.slicing import Slicing
from knitground.core.model.tileset import Picture, Tileset
from knitground.core.slicing.grid import clear_see_through, cut_tile, lay_grid

SEEN = 100
"""Alpha over which a pixel counts as something that can be seen."""
_MOST = 128
"""Tiles that are looked at, evenly spread over the sheet."""
_PIXELS = 1 << 20
"""Pixels that are looked at, so that it can be done while a view is painted; larger tiles, none."""
_OFF = 1.3
"""Pixels by which a column's lowest pixel may leave a straight line."""
_LEAST_LINE = 0.3
"""Part of half a tile's width on which each of the two lines must be seen."""
_LEAST, _SURE = 0.5, 0.8
_IN_DOUBT = 0.13
"""Part of the columns that twice as wide as high may miss more than what is measured does."""
_ABOUT = 0.2
_NARROWEST = 16
"""Of narrower tiles a round foot looks like a diamond."""
_FLAT, _STEEP = 0.3, 1.2
"""How many pixels down for one across the sides of a diamond go."""


@dataclass(frozen=True)
class Base:
    """The rectangle round the diamond that pictures stand on.

    Parameters
    ----------
    width, height : of it, in pixels
    below : pixels of the tile below the diamond's lowest corner
    score : 0 to 1, the part of the columns whose lowest pixels lie on its two lower sides
    tiles : how many were looked at
    """

    width: int
    height: int
    below: int
    score: float
    tiles: int

    @property
    def is_sure(self) -> bool:
        """Whether it may be taken without asking."""
        return self.score >= _SURE


_KNOWN: WeakKeyDictionary[Tileset, tuple[Picture | None, Slicing, Base | None]] = (
    WeakKeyDictionary()
)


def base_of(tileset: Tileset, slicing: Slicing | None = None) -> Base | None:
    """Give the diamond on which a tileset's pictures stand, if that is sure; measured once.

    With a slicing, that of the sheet cut so.
    """
    known, cut = _KNOWN.get(tileset), slicing or tileset.slicing
    if known is None or known[0] is not tileset.picture or known[1] != cut:
        picture = tileset.picture
        found = None if picture is None else find_base(picture, cut)
        known = _KNOWN[tileset] = (picture, cut, found)
    return known[2] if known[2] is not None and known[2].is_sure else None


def find_base(picture: Picture, slicing: Slicing) -> Base | None:
    """Measure on which diamond the tiles of a sheet stand; None if they stand on none.

    Notes
    -----
    Own derivation. Whatever stands on diamonds ends below at their lower sides. So, over all
    tiles together, the lowest pixel of each column lies on two straight lines that meet in the
    middle, equally steep; floors show all of them, roads and rails parts. The steepness is about
    the median of those between columns a quarter of the way apart; of the heights near the width
    times it the one is taken that most columns speak for.
    """
    if slicing.tile_width < _NARROWEST or slicing.pieces:
        return None
    lowest, tiles = _lowest(picture, slicing)
    if tiles < 2:
        return None
    high, wide = slicing.tile_height, slicing.tile_width
    away = np.abs(np.arange(wide) + 0.5 - wide / 2)
    halves = [(lowest > 0) & (sign * (np.arange(wide) + 0.5 - wide / 2) > 0) for sign in (-1, 1)]
    steep = [_steepness(away[each], lowest[each], wide) for each in halves]
    if None in steep or abs(steep[0] - steep[1]) > 0.1:  # type: ignore[operator]
        return None
    slope = (steep[0] + steep[1]) / 2  # type: ignore[operator]
    if not _FLAT <= slope <= _STEEP:
        return None
    about, usual = 2 * round(wide * slope / 2), 2 * round(wide / 4)
    tried = {h: _on_lines(away, lowest, h / wide) for h in range(max(2, about - 6), about + 8, 2)}
    off = {h: np.abs(lowest + h / wide * away - low)[on].mean() for h, (on, low) in tried.items()}
    measured = max(tried, key=lambda h: (tried[h][0].sum() - 3 * off[h], -abs(h - about)))
    height, (on, deepest) = measured, tried[measured]
    half, lower = _on_lines(away, lowest, usual / wide)
    near = abs(measured - usual) <= max(2, _ABOUT * usual)
    if near and half.mean() >= on.mean() - _IN_DOUBT:  # cut off roads look flatter than floors
        height, on, deepest = usual, half, lower
    filled = lowest > 0
    if any((on & each).sum() < _LEAST_LINE * wide / 2 for each in halves):
        return None
    score = round(float(on[filled].mean()) * min(1.0, 0.5 + tiles / 12), 3)
    below = high - round(deepest)
    flat = height < _FLAT * wide
    if score < _LEAST or below < -1 or deepest < height * 0.75 or flat:
        return None
    return Base(wide, height, max(0, below), score, tiles)


def wall_height(seen: NDArray[np.bool_], lattice: Lattice) -> int:
    """Tell by how many pixels what stands on a base rises over it; 0 of what lies flat.

    Parameters
    ----------
    seen : (h, w) which pixels of a picture can be seen; it stands as pictures of its size do
    """
    high, wide = seen.shape
    base = np.zeros_like(seen)
    mask, (down, across) = lattice.mask(), lattice.begins(high, wide)
    rows, cols = np.nonzero(mask)
    rows, cols = rows - down, cols - across
    inside = (rows >= 0) & (rows < high) & (cols >= 0) & (cols < wide)
    base[rows[inside], cols[inside]] = True
    rises = [
        int(np.argmax(base[:, col])) - int(np.argmax(seen[:, col]))
        for col in range(wide) if seen[:, col].any() and base[:, col].any()
    ]  # fmt: skip
    return max(0, *rises) if rises else 0


def _on_lines(
    away: NDArray[np.float64], lowest: NDArray[np.int64], slope: float
) -> tuple[NDArray[np.bool_], float]:
    """Tell which columns end on lines of a steepness, and how far down these meet.

    Of all places where they may meet, the one that most columns speak for is taken.
    """
    ends = lowest + slope * away
    tried = np.unique(np.round(ends[lowest > 0] * 2)) / 2
    votes = [(np.abs(ends - each) <= _OFF) & (lowest > 0) for each in tried]
    best = max(range(len(tried)), key=lambda n: (votes[n].sum(), tried[n]))
    return votes[best], float(tried[best])


def _lowest(picture: Picture, slicing: Slicing) -> tuple[NDArray[np.int64], int]:
    """Give, for each column, how far down any tile goes (0 for not at all), and how many tiles."""
    grid = lay_grid(slicing, picture.shape[1], picture.shape[0])
    every = [(r, c) for r in range(grid.rows) for c in range(grid.columns)]
    most = min(_MOST, _PIXELS // (slicing.tile_height * slicing.tile_width))
    found = []
    for row, col in every[:: -(-len(every) // most)] if most else []:
        pixels = cut_tile(picture, slicing, row, col)
        if slicing.see_through:
            pixels = clear_see_through(pixels.copy(), slicing)
        seen = pixels[..., 3] > SEEN
        if seen.any() and not seen.all():
            high = seen.shape[0]
            found.append(np.where(seen.any(axis=0), high - np.argmax(seen[::-1], axis=0), 0))
    if not found:
        return np.zeros(slicing.tile_width, np.int64), 0
    lines = np.sort(np.array(found), axis=0)
    # One tile may stick out at its foot; of many, the second lowest pixel counts.
    return lines[-1 - (len(lines) >= 8)], len(lines)


def _steepness(away: NDArray[np.float64], lowest: NDArray[np.int64], wide: int) -> float | None:
    """Give how fast a line falls towards the middle, whatever a part of its columns do."""
    if len(away) < _LEAST_LINE * wide / 2 or len(away) < 3:
        return None
    order = np.argsort(away)
    away, lowest = away[order], lowest[order]
    step = max(1, len(away) // 4)
    falls = (lowest[:-step] - lowest[step:]) / (away[step:] - away[:-step])
    return float(np.median(falls))
