"""The one compositor: cells of layers to pixels, for the screen, for export and for tests."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from knitground.core.model.layers import Cells
from knitground.core.model.limits import FULL_TINT
from knitground.core.render.pages import Big, Pictures
from knitground.core.render.pixels import Pixels, multiplied, over, weakened

Size = tuple[int, int]
"""Height and width in pixels."""


@dataclass(frozen=True, eq=False)
class Plane:
    """What one layer brings to a picture.

    Parameters
    ----------
    cells : (h, w) places of the legend, or colours of a tint
    down, across : where the picture of the first cell begins, in pixels of what is composed
    opacity : 0 to 1
    tint : whether `cells` are colours that are multiplied over what lies beneath
    placed : free pictures, measured from the upper left of what is composed, drawn after the cells
    """

    cells: Cells
    down: int = 0
    across: int = 0
    opacity: float = 1.0
    tint: bool = False
    placed: tuple[Big, ...] = ()


def lay_out(tiles: Pixels, cells: Cells) -> Pixels:
    """Put the pictures of cells (h, w) side by side: (h · tile height, w · tile width).

    Cells beyond the pictures, and -1, give the last picture (the gap).
    """
    high, wide = tiles.shape[1:]
    height, width = cells.shape
    out = np.empty((height, high, width, wide), np.uint32)
    np.copyto(out, tiles[_safe(cells, len(tiles))].transpose(0, 2, 1, 3))
    return out.reshape(height * high, width * wide)


def _safe(cells: Cells, count: int) -> Cells:
    if cells.size and int(cells.max()) >= count:
        return np.where(cells >= count, count - 1, cells)
    return cells


def compose(pictures: Pictures, planes: Sequence[Plane], size: Size) -> Pixels:
    """Lay layers over one another, the back one first.

    Parameters
    ----------
    pictures : of one level, as the atlas gives them
    planes : of the visible layers; what of them lies beyond the picture is left out

    Returns
    -------
    premultiplied pixels of that size, a new array

    Notes
    -----
    Upper layers are blended only where they are not empty. In each layer the pictures that reach
    beyond their cells come after those that do not, row by row from the top, so that the nearer
    one hides the farther.
    """
    out: Pixels | None = None
    for plane in planes:
        if plane.tint:
            if out is not None and plane.cells.any():
                out = multiplied(out, _tint(pictures, plane, size))
        elif out is not None and plane.opacity >= 1:
            _lay(out, pictures, plane)
        else:
            layer = _alone(pictures, plane, size)
            out = layer if out is None else over(layer, out)
    return np.zeros(size, np.uint32) if out is None else out


def _alone(pictures: Pictures, plane: Plane, size: Size) -> Pixels:
    """Compose a plane for itself, weakened as its opacity asks."""
    seen, y, x = _seen(pictures, plane, size)
    if (y, x) == (0, 0) and (seen.shape[0] * pictures.high, seen.shape[1] * pictures.wide) == size:
        out = lay_out(pictures.tiles, seen)  # nothing lies beneath: most are so
        _lay_large(out, pictures, plane)
    else:
        out = np.zeros(size, np.uint32)
        _lay(out, pictures, plane)
    return out if plane.opacity >= 1 else weakened(out, plane.opacity)


def _seen(pictures: Pictures, plane: Plane, size: Size) -> tuple[Cells, int, int]:
    """Give the cells whose own places are in the picture, and where the first of them begins."""
    high, wide = pictures.high, pictures.wide
    top, left = max(0, -plane.down // high), max(0, -plane.across // wide)
    bottom = max(top, -(-(size[0] - plane.down) // high))
    right = max(left, -(-(size[1] - plane.across) // wide))
    y, x = plane.down + top * high, plane.across + left * wide
    return plane.cells[top:bottom, left:right], y, x


def _lay(out: Pixels, pictures: Pictures, plane: Plane) -> None:
    """Lay a plane over what is there, in place."""
    high, wide = pictures.high, pictures.wide
    seen, y, x = _seen(pictures, plane, out.shape)
    rows, cols = np.nonzero(seen)
    if rows.size:
        if (y, x) == (0, 0) and (seen.shape[0] * high, seen.shape[1] * wide) == out.shape:
            above = pictures.tiles[_safe(seen, len(pictures.tiles))[rows, cols]]
            view = out.reshape(seen.shape[0], high, seen.shape[1], wide)
            view[rows, :, cols] = over(above, view[rows, :, cols])
        else:
            lay_one(out, lay_out(pictures.tiles, seen), y, x)
    _lay_large(out, pictures, plane)


def _lay_large(out: Pixels, pictures: Pictures, plane: Plane) -> None:
    """Lay the pictures that reach beyond their cells, and the free ones, over what is there."""
    if pictures.big:
        is_big = np.zeros(len(pictures.tiles) + 1, np.bool_)
        is_big[list(pictures.big)] = True
        rows, cols = np.nonzero(is_big[np.clip(plane.cells, 0, len(pictures.tiles))])
        for row, col in zip(rows.tolist(), cols.tolist()):
            big = pictures.big[int(plane.cells[row, col])]
            y, x = plane.down + row * pictures.high, plane.across + col * pictures.wide
            lay_one(out, big.pixels, y + big.down, x + big.across)
    for each in plane.placed:
        lay_one(out, each.pixels, each.down, each.across)


def _tint(pictures: Pictures, plane: Plane, size: Size) -> Pixels:
    """Give what each pixel is multiplied by; 255 in every channel beyond the tint's cells."""
    factors = tint_factors(plane.cells, plane.opacity)
    each_pixel = np.repeat(np.repeat(factors, pictures.high, 0), pictures.wide, 1)
    if each_pixel.shape == size and (plane.down, plane.across) == (0, 0):
        return each_pixel
    out = np.full(size, 0xFFFFFFFF, np.uint32)
    into, part = _shared(out.shape, each_pixel.shape, plane.down, plane.across)
    out[into] = each_pixel[part]
    return out


def tint_factors(cells: Cells, opacity: float = 1.0) -> Pixels:
    """Give what a tint multiplies by: 0xFFRRGGBB, where 255 leaves a channel as it is."""
    colours = cells.view(np.uint32)
    strength = (colours >> np.uint32(24)).astype(np.float32) * (opacity / FULL_TINT)
    out = np.full(cells.shape, 0xFF000000, np.uint32)
    for shift in (16, 8, 0):
        value = ((colours >> np.uint32(shift)) & np.uint32(255)).astype(np.float32)
        part = np.rint(255 - strength * (255 - value)).astype(np.uint32)
        out |= part << np.uint32(shift)
    return out


def lay_one(out: Pixels, picture: Pixels, y: int, x: int) -> None:
    """Lay one picture over what is there, in place; what sticks out is cut off."""
    into, part = _shared(out.shape, picture.shape, y, x)
    if picture[part].size:
        out[into] = over(picture[part], out[into])


_Part = tuple[slice, slice]


def _shared(whole: Size, picture: Size, y: int, x: int) -> tuple[_Part, _Part]:
    """Tell which part of the whole a picture at a place covers, and with which part of it."""
    top, bottom = max(0, y), max(0, y, min(whole[0], y + picture[0]))
    first, last = max(0, x), max(0, x, min(whole[1], x + picture[1]))
    return (
        (slice(top, bottom), slice(first, last)),
        (slice(top - y, bottom - y), slice(first - x, last - x)),
    )
