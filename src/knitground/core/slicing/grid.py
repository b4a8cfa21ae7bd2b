"""Cutting a sheet by numbers: what is legal, what is left over, the tiles themselves."""

from __future__ import annotations

from dataclasses import dataclass, fields

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import SlicingError
from knitground.core.base.tongue import say
from knitground.core.model.limits import MAX_PIECES, MAX_SIDE_PX
from knitground.core.model.slicing import Slicing
from knitground.core.model.tileset import Picture

MAX_TILES = 262_144


@dataclass(frozen=True)
class Grid:
    """A slicing as it falls on a sheet of a given size, in tiles and pixels."""

    slicing: Slicing
    columns: int
    rows: int
    leftover_x: int
    leftover_y: int

    @property
    def count(self) -> int:
        """Number of whole tiles."""
        return self.columns * self.rows

    def tile_at(self, x: float, y: float) -> tuple[int, int] | None:
        """Row and column of the tile that holds a pixel of the sheet; None between tiles."""
        at = self.slicing.tile_at(x, y)
        if at is None or not (0 <= at[0] < self.rows and 0 <= at[1] < self.columns):
            return None
        return at


def lay_grid(slicing: Slicing, width: int, height: int) -> Grid:
    """Lay a slicing over a sheet of width × height pixels.

    Leftover pixels are those right of and below the last whole tile; a margin as wide as the one at
    the left (or top) is not counted as left over.

    Raises
    ------
    SlicingError
        A number is out of bounds, the first tile does not fit, or there are more than
        262 144 tiles.

    Examples
    --------
    >>> grid = lay_grid(Slicing(16, 16, 4, 4, 2, 2), 226, 64)
    >>> grid.columns, grid.rows, grid.leftover_x, grid.leftover_y
    (12, 3, 4, 4)
    """
    _check_numbers(slicing)
    _check_area(slicing, width, height)
    if slicing.pieces:
        _check_pieces(slicing, width, height)
        return Grid(slicing, len(slicing.pieces), 1, 0, 0)
    width, height = slicing.right_of(width), slicing.bottom_of(height)
    for axis, tile, first, side in (
        (say("width"), slicing.tile_width, slicing.left(0), width),
        (say("height"), slicing.tile_height, slicing.top(0), height),
    ):
        if first + tile > side:
            raise SlicingError(
                say(
                    "tile {axis} {tile} px from {first} px on does not fit the {axis} that ends "
                    "at {side} px: make the tile, the margin or the start smaller",
                    axis=axis,
                    tile=tile,
                    first=first,
                    side=side,
                )
            )
    columns, rows = slicing.columns_of(width), slicing.rows_of(height)
    if columns * rows > MAX_TILES:
        raise SlicingError(
            say(
                "{columns} × {rows} tiles are more than {max_tiles}: make the tile larger "
                "than {tile_width} × {tile_height} px",
                columns=columns,
                rows=rows,
                max_tiles=MAX_TILES,
                tile_width=slicing.tile_width,
                tile_height=slicing.tile_height,
            )
        )
    rest_x = width - (slicing.left(columns) - slicing.spacing_x)
    rest_y = height - (slicing.top(rows) - slicing.spacing_y)
    return Grid(
        slicing,
        columns,
        rows,
        max(0, rest_x - slicing.margin_x),
        max(0, rest_y - slicing.margin_y),
    )


def _check_area(slicing: Slicing, width: int, height: int) -> None:
    if slicing.area is None:
        return
    left, top, wide, high = slicing.area
    if not (0 <= left < width and 0 <= top < height and wide > 0 and high > 0):
        raise SlicingError(
            say(
                "region {wide} × {high} px at {left}, {top} lies outside the sheet's {width} "
                "× {height} px: draw it anew",
                wide=wide,
                high=high,
                left=left,
                top=top,
                width=width,
                height=height,
            )
        )


def _check_pieces(slicing: Slicing, width: int, height: int) -> None:
    if len(slicing.pieces) > MAX_PIECES:
        raise SlicingError(
            say(
                "{count} pieces are more than {max_pieces}: join small ones, or draw a "
                "region round those that are wanted",
                count=len(slicing.pieces),
                max_pieces=MAX_PIECES,
            )
        )
    for number, (left, top, wide, high) in enumerate(slicing.pieces):
        inside = left >= 0 and top >= 0 and left + wide <= width and top + high <= height
        if not inside or wide < 1 or high < 1:
            raise SlicingError(
                say(
                    "piece {number}, {wide} × {high} px at {left}, {top}, lies outside the "
                    "sheet's {width} × {height} px: find the pieces anew",
                    number=number,
                    wide=wide,
                    high=high,
                    left=left,
                    top=top,
                    width=width,
                    height=height,
                )
            )


def _check_numbers(slicing: Slicing) -> None:
    for item in fields(slicing):
        value = getattr(slicing, item.name)
        if not isinstance(value, int):
            continue
        low = 1 if item.name.startswith("tile_") else 0
        high = 255 * 3 if item.name == "tolerance" else MAX_SIDE_PX
        if not low <= value <= high:
            label = item.name.replace("_", " ")
            raise SlicingError(
                say(
                    "{label} {value} px is out of bounds: give a whole number from {low} to {high}",
                    label=label,
                    value=value,
                    low=low,
                    high=high,
                )
            )


def cut_tile(picture: Picture, slicing: Slicing, row: int, col: int) -> Picture:
    """Cut one tile: (height, width, 4) uint8, a copy; see-through colours have alpha 0."""
    left, top, wide, high = slicing.tile_area(row, col)
    return clear_see_through(picture[top : top + high, left : left + wide].copy(), slicing)


def each_tile(picture: Picture, grid: Grid) -> list[Picture]:
    """Cut a sheet into its tiles, row by row, whatever their sizes."""
    if not grid.slicing.pieces:
        return list(cut(picture, grid))
    return [cut_tile(picture, grid.slicing, 0, n) for n in range(grid.columns)]


def cut(picture: Picture, grid: Grid) -> NDArray[np.uint8]:
    """Cut a sheet into the tiles of its grid, row by row; not for pieces (`each_tile`).

    Parameters
    ----------
    picture : (H, W, 4) uint8, straight alpha
    grid : as `lay_grid` gives it for this picture's size

    Returns
    -------
    (n, tile height, tile width, 4) uint8, a copy; see-through colours have alpha 0.
    """
    slicing = grid.slicing
    y_of_row = slicing.top(0) + np.arange(grid.rows) * slicing.pitch_y
    x_of_col = slicing.left(0) + np.arange(grid.columns) * slicing.pitch_x
    ys = (y_of_row[:, None] + np.arange(slicing.tile_height)).ravel()
    xs = (x_of_col[:, None] + np.arange(slicing.tile_width)).ravel()
    flat = picture[ys][:, xs]
    tiles = flat.reshape(grid.rows, slicing.tile_height, grid.columns, slicing.tile_width, 4)
    stack = np.ascontiguousarray(tiles.transpose(0, 2, 1, 3, 4)).reshape(
        -1, slicing.tile_height, slicing.tile_width, 4
    )
    return clear_see_through(stack, slicing)


def clear_see_through(pixels: NDArray[np.uint8], slicing: Slicing) -> NDArray[np.uint8]:
    """Make the slicing's see-through colours transparent, in place; returns the same array.

    A pixel counts as a colour if its three differences add up to no more than the tolerance.
    """
    for colour in slicing.see_through:
        if slicing.tolerance == 0:
            hit = (pixels[..., :3] == np.array(colour, np.uint8)).all(axis=-1)
        else:
            apart = np.abs(pixels[..., :3].astype(np.int16) - np.array(colour, np.int16))
            hit = apart.sum(axis=-1) <= slicing.tolerance
        pixels[hit] = 0
    return pixels
