"""What a slicing makes of a sheet: empty tiles, tiles that are there twice, tiles cut by a line."""

from __future__ import annotations

from dataclasses import dataclass
from hashlib import blake2b

import numpy as np
from numpy.typing import NDArray

from knitground.core.model.tileset import Picture
from knitground.core.slicing.evidence import Codes, backgrounds, colour_codes
from knitground.core.slicing.grid import Grid, each_tile

_SEE_THROUGH_SHEET = 0.1


@dataclass(frozen=True, eq=False)
class GridFacts:
    """Facts of each tile, in rows and columns of the grid.

    `empty`: nothing but background or see-through. `first[row, col]`: number of the first tile with
    the same pixels (its own number if it is that one). `crossed`: art goes on over its border.
    """

    empty: NDArray[np.bool_]
    first: NDArray[np.int32]
    crossed: NDArray[np.bool_]

    @property
    def doubles(self) -> NDArray[np.bool_]:
        """Tiles that look like an earlier one, empty ones apart."""
        own = np.arange(self.first.size, dtype=np.int32).reshape(self.first.shape)
        return np.asarray((self.first != own) & ~self.empty)

    @property
    def mostly_crossed(self) -> bool:
        """Whether art goes on over the border of most tiles: pictures span several of them."""
        shown = int((~self.empty).sum())
        return shown > 0 and int(self.crossed.sum()) > shown / 2


def grid_facts(picture: Picture, grid: Grid) -> GridFacts:
    """Find empty, double and crossed tiles of a sheet.

    Parameters
    ----------
    picture : (H, W, 4) uint8
    grid : of this picture's size
    """
    if grid.slicing.pieces:
        return _piece_facts(picture, grid)
    shape = (grid.rows, grid.columns)
    codes = colour_codes(picture)
    between = backgrounds(codes)[:1]
    plain = np.array([0, *between], np.uint32)
    empty, numbers = np.zeros(shape, np.bool_), np.zeros(shape, np.int32)
    first: dict[bytes, int] = {}
    for row in range(grid.rows):  # a copy of all tiles of a large sheet would be as large as it
        tiles = _tiles_of_row(codes, grid, row)
        empty[row] = (tiles == tiles[:, :1]).all(axis=1) & np.isin(tiles[:, 0], plain)
        own = row * grid.columns
        numbers[row] = [
            first.setdefault(blake2b(tile, digest_size=16).digest(), own + col)
            for col, tile in enumerate(tiles)
        ]
    return GridFacts(empty, numbers, _crossed(codes, between[0] if between else np.uint32(0), grid))


def _tiles_of_row(codes: Codes, grid: Grid, row: int) -> Codes:
    """Give the pixels of a row of tiles: (columns, pixels of a tile)."""
    cut = grid.slicing
    top, starts = cut.top(row), cut.left(0) + np.arange(grid.columns) * cut.pitch_x
    lines = codes[top : top + cut.tile_height, starts[:, None] + np.arange(cut.tile_width)]
    return np.ascontiguousarray(lines.swapaxes(0, 1)).reshape(grid.columns, -1)


def _piece_facts(picture: Picture, grid: Grid) -> GridFacts:
    """Find pieces that are there twice; none is empty, and no line cuts any."""
    first: dict[bytes, int] = {}
    numbers = [
        first.setdefault(repr(tile.shape).encode() + tile.tobytes(), number)
        for number, tile in enumerate(each_tile(picture, grid))
    ]
    none = np.zeros((1, grid.columns), np.bool_)
    return GridFacts(none, np.array([numbers], np.int32), none.copy())


def _crossed(codes: Codes, background: np.uint32, grid: Grid) -> NDArray[np.bool_]:
    """Find tiles beyond whose border the same colour goes on; only on sheets with background."""
    out = np.zeros((grid.rows, grid.columns), np.bool_)
    if float((codes == background).mean()) < _SEE_THROUGH_SHEET:
        return out
    slicing = grid.slicing
    for lines, first, tile, pitch, count, axis in (
        (codes, slicing.left(0), slicing.tile_width, slicing.pitch_x, grid.columns, 1),
        (codes.T, slicing.top(0), slicing.tile_height, slicing.pitch_y, grid.rows, 0),
    ):
        starts = first + np.arange(count) * pitch
        for inner, outer in ((starts, starts - 1), (starts + tile - 1, starts + tile)):
            ok = (outer >= 0) & (outer < lines.shape[1])
            a, b = lines[:, inner[ok]], lines[:, outer[ok]]
            across = (a == b) & (a != background)
            view = out if axis == 1 else out.T
            view[:, ok] |= _by_tile(across, grid, axis)
    return out


def _by_tile(across: NDArray[np.bool_], grid: Grid, axis: int) -> NDArray[np.bool_]:
    """Bring pixels along the borders together by tile: at least two make a crossing."""
    cut_ = grid.slicing
    first, tile, pitch, count = (
        (cut_.top(0), cut_.tile_height, cut_.pitch_y, grid.rows)
        if axis == 1
        else (cut_.left(0), cut_.tile_width, cut_.pitch_x, grid.columns)
    )
    at = first + np.arange(count)[:, None] * pitch + np.arange(tile)
    return np.asarray(across[at].sum(axis=1) >= 2)
