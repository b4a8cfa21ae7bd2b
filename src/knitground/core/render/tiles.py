"""Single tiles of a tileset as pixels: cut when they are asked for, whatever the sheet's size."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from knitground.core.model.lattice import Lattice
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import PLAIN, Tileset
from knitground.core.model.turns import is_mirrored, lies_across, quarters, turned_array
from knitground.core.render.pixels import Pixels, premultiplied
from knitground.core.slicing.grid import clear_see_through, cut_tile


def tile_pixels(tileset: Tileset, tile: TileRef) -> Pixels | None:
    """Cut one tile: premultiplied (h, w), turned as the reference says.

    Returns None if the sheet is missing or has no such tile.
    """
    if tileset.picture is None or not tileset.has(tile.row, tile.col):
        return None
    _, _, wide, high = tileset.slicing.tile_area(tile.row, tile.col)
    part = cut_tile(tileset.picture, tileset.slicing, tile.row, tile.col)
    if part.shape[:2] != (high, wide):
        return None
    return _turned(tileset, premultiplied(part), tile.turn)


def tiles_pixels(
    tileset: Tileset, rows: NDArray[np.intp], cols: NDArray[np.intp], turn: int = 0
) -> Pixels:
    """Cut tiles of a grid at once: premultiplied (n, h, w), all turned alike.

    Parameters
    ----------
    rows, cols : (n,) of tiles that the tileset, which has its picture, has
    """
    assert tileset.picture is not None
    cut = tileset.slicing
    ys = cut.top(0) + rows[:, None] * cut.pitch_y + np.arange(cut.tile_height)
    xs = cut.left(0) + cols[:, None] * cut.pitch_x + np.arange(cut.tile_width)
    parts = clear_see_through(tileset.picture[ys[:, :, None], xs[:, None, :]], cut)
    return _turned(tileset, premultiplied(parts), turn, (1, 2))


def _turned(tileset: Tileset, pixels: Pixels, turn: int, axes: tuple[int, int] = (0, 1)) -> Pixels:
    if tileset.is_relief:
        return turned_facing(pixels, turn, axes)
    out: Pixels = turned_array(pixels, turn, axes)
    return out


def turned_facing(pixels: Pixels, turn: int, axes: tuple[int, int] = (0, 1)) -> Pixels:
    """Turn premultiplied pixels that say which way they face: what they say is turned too."""
    out: Pixels = turned_array(pixels, turn, axes)
    # As far right as up, both halves of what a colour can be: its opposite is what is left of it.
    alpha, blue = out >> np.uint32(24), out & np.uint32(255)
    right, up = (out >> np.uint32(16)) & np.uint32(255), (out >> np.uint32(8)) & np.uint32(255)
    if is_mirrored(turn):
        right = alpha - np.minimum(right, alpha)
    for _ in range(quarters(turn)):
        right, up = up, alpha - np.minimum(right, alpha)
    return np.asarray(alpha << np.uint32(24) | right << np.uint32(16) | up << np.uint32(8) | blue)


def overhang(tileset: Tileset, tile: TileRef, lattice: Lattice) -> tuple[int, int]:
    """Tell where a tile's picture begins, from the upper left of the rectangle round its cell.

    Returns
    -------
    pixels down and across, less than 0 where it begins above or left of the cell. A turned picture
    stands with the middle of its lower side where the unturned one's anchor is, or, without an
    anchor, as pictures of its size stand on such cells.
    """
    _, _, wide, high = tileset.slicing.tile_area(tile.row, tile.col)
    anchor = tileset.fact(tile.row, tile.col).anchor
    if lies_across(tile.turn):
        high, wide = wide, high
    if anchor is None:
        return lattice.begins(high, wide)
    x, y = anchor if tile.turn == 0 else (wide // 2, high)
    if tile.turn == 4:
        x, y = wide - anchor[0], anchor[1]
    down, across = lattice.anchored()
    return down - y, across - x


def is_empty(tileset: Tileset, row: int, col: int) -> bool:
    """Tell whether a tile has no pixel that can be seen."""
    pixels = tile_pixels(tileset, TileRef(tileset.name, row, col))
    return pixels is not None and not pixels.any()


_SINGLY = 1000


def filled_tiles(tileset: Tileset) -> NDArray[np.bool_]:
    """Tell for all tiles (rows, columns) at once whether they have a pixel that can be seen.

    Of sheets with more than 1000 tiles the see-through colours are not looked at, only alpha.
    """
    rows, columns = tileset.rows, tileset.columns
    picture, cut = tileset.picture, tileset.slicing
    if picture is None:
        return np.ones((rows, columns), np.bool_)
    if rows * columns <= _SINGLY:
        filled = [[not is_empty(tileset, r, c) for c in range(columns)] for r in range(rows)]
        return np.array(filled, np.bool_).reshape(rows, columns)
    if cut.pieces:
        return np.array(
            [[bool(cut_tile(picture, cut, 0, n)[..., 3].any()) for n in range(columns)]]
        )
    ys = (cut.top(0) + np.arange(rows) * cut.pitch_y)[:, None] + np.arange(cut.tile_height)
    xs = (cut.left(0) + np.arange(columns) * cut.pitch_x)[:, None] + np.arange(cut.tile_width)
    seen = picture[:, xs.ravel(), 3][ys.ravel()] > 0
    blocks = seen.reshape(rows, cut.tile_height, columns, cut.tile_width)
    return np.asarray(blocks.any(axis=(1, 3)))


def plain_tiles(owner: Tileset | None, high: int, wide: int) -> Callable[[TileRef], bool]:
    """Tell of a sheet's tiles whether they fit cells of a size, stand still and can be cut."""
    if owner is None or owner.picture is None or owner.slicing.pieces:
        return lambda _: False
    if owner.picture.shape[:2] != (owner.height, owner.width):
        return lambda _: False
    cut, facts = owner.slicing, owner.facts
    rows, columns = owner.rows, owner.columns
    fits = (
        cut.tile_height <= high and cut.tile_width <= wide,
        cut.tile_width <= high and cut.tile_height <= wide,
    )

    def plain(tile: TileRef) -> bool:
        fact = facts.get((tile.row, tile.col), PLAIN)
        return (
            fits[lies_across(tile.turn)]
            and 0 <= tile.row < rows
            and 0 <= tile.col < columns
            and fact.anchor is None
            and not fact.frames
        )

    return plain


def first_picture(tileset: Tileset) -> Pixels | None:
    """Draw the first tile of a sheet that is not empty; None if there is none."""
    filled = np.argwhere(filled_tiles(tileset))
    if tileset.picture is None or not len(filled):
        return None
    return tile_pixels(tileset, TileRef(tileset.name, *filled[0].tolist()))
