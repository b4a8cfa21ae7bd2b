"""The one compositor: cells of layers to pixels, for the screen, for export and for tests."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from knitground.core.base.window import Box
from knitground.core.model.layers import Cells
from knitground.core.model.limits import FULL_TINT
from knitground.core.render.pages import Big, Pictures, Reach
from knitground.core.render.pixels import Pixels, multiplied, over, weakened

Margin = tuple[int, int, int, int]


@dataclass(frozen=True, eq=False)
class Plane:
    """What one layer brings to a picture.

    Parameters
    ----------
    cells : (h, w) with the margin: places of the legend, or colours of a tint
    opacity : 0 to 1
    down, across : pixels of the level by which it is shifted
    tint : whether `cells` are colours that are multiplied over what lies beneath
    placed : free pictures, measured from the upper left of the margin, drawn after the cells
    """

    cells: Cells
    opacity: float = 1.0
    down: int = 0
    across: int = 0
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


def around(box: Box, reach: Reach, height: int, width: int, wrap: bool) -> tuple[Box, Margin]:
    """Give the box of cells that a part of a map is composed from.

    Returns
    -------
    the box with as many cells more on each side as pictures may reach into it from there (none
    beyond the border of a map that does not wrap), and how many those are: above, left, below,
    right
    """
    wide = Box(
        box.top - reach.down, box.left - reach.right, box.bottom + reach.up, box.right + reach.left
    )
    if not wrap:
        wide = wide.clipped(height, width)
    margin = (box.top - wide.top, box.left - wide.left,
              wide.bottom - box.bottom, wide.right - box.right)  # fmt: skip
    return wide, margin


def compose(pictures: Pictures, planes: Sequence[Plane], margin: Margin = (0, 0, 0, 0)) -> Pixels:
    """Lay layers over one another, the back one first.

    Parameters
    ----------
    pictures : of one level, as the atlas gives them
    planes : of the visible layers, all (h, w)
    margin : cells above, left, below and right that are in the planes only because their pictures
        may reach into what is asked for (`around`)

    Returns
    -------
    premultiplied pixels of the cells without the margin, a new array

    Notes
    -----
    Upper layers are blended only where they are not empty; tiles that hide all beneath them are
    copied instead. In each layer the pictures that reach beyond their cells come after those that
    do not, row by row from the top, so that the nearer one hides the farther.
    """
    if not planes:
        raise ValueError("compose needs at least one layer of cells")
    out: Pixels | None = None
    for plane in planes:
        plain = plane.opacity >= 1 and not (plane.down or plane.across)
        if plane.tint:
            out = _tinted(pictures, plane, margin, out)
        elif plain and out is not None:
            _lay_over(out, pictures, plane, margin)
        else:
            layer = _alone(pictures, plane, margin)
            out = layer if out is None else over(layer, out)
    assert out is not None
    return out


def _lay_over(out: Pixels, pictures: Pictures, plane: Plane, margin: Margin) -> None:
    """Lay a plane that is not shifted over what is there, in place."""
    tiles = pictures.tiles
    high, wide = tiles.shape[1:]
    up, left, down, right = margin
    height, width = plane.cells.shape
    seen = plane.cells[up : height - down, left : width - right]
    view = out.reshape(height - up - down, high, width - left - right, wide)
    rows, cols = np.nonzero(seen)
    if rows.size:
        top = tiles[_safe(seen, len(tiles))[rows, cols]]
        view[rows, :, cols] = over(top, view[rows, :, cols])
    if pictures.big:
        _lay_big(out, pictures, plane.cells, up * high, left * wide)
    for each in plane.placed:
        _lay_one(out, each.pixels, each.down - up * high, each.across - left * wide)


def _alone(pictures: Pictures, plane: Plane, margin: Margin) -> Pixels:
    """Compose a plane for itself: shifted, and weakened as its opacity asks."""
    high, wide = pictures.tiles.shape[1:]
    up, left, down, right = margin
    height, width = plane.cells.shape
    if not (plane.down or plane.across):
        out = lay_out(pictures.tiles, plane.cells[up : height - down, left : width - right])
        if pictures.big:
            _lay_big(out, pictures, plane.cells, up * high, left * wide)
        for each in plane.placed:
            _lay_one(out, each.pixels, each.down - up * high, each.across - left * wide)
    else:
        whole = lay_out(pictures.tiles, plane.cells)
        if pictures.big:
            _lay_big(whole, pictures, plane.cells, 0, 0)
        out = _cropped(whole, plane, margin, (high, wide))
        for each in plane.placed:  # these stand where they stand, in the margin or not
            down_by, across_by = plane.down - up * high, plane.across - left * wide
            _lay_one(out, each.pixels, each.down + down_by, each.across + across_by)
    return out if plane.opacity >= 1 else weakened(out, plane.opacity)


def _cropped(whole: Pixels, plane: Plane, margin: Margin, tile: tuple[int, int]) -> Pixels:
    """Cut the margin off a shifted plane; what is beyond it is empty."""
    up, left, down, right = margin
    height = whole.shape[0] - (up + down) * tile[0]
    width = whole.shape[1] - (left + right) * tile[1]
    out = np.zeros((height, width), np.uint32)
    _lay_one(out, whole, plane.down - up * tile[0], plane.across - left * tile[1])
    return out


def _tinted(pictures: Pictures, plane: Plane, margin: Margin, beneath: Pixels | None) -> Pixels:
    """Multiply a tint over what lies beneath it."""
    high, wide = pictures.tiles.shape[1:]
    up, left, down, right = margin
    height, width = plane.cells.shape
    if beneath is None:
        size = ((height - up - down) * high, (width - left - right) * wide)
        return np.zeros(size, np.uint32)
    if not plane.cells.any():
        return beneath
    factors = tint_factors(plane.cells, plane.opacity)
    each_pixel = np.repeat(np.repeat(factors, high, 0), wide, 1)
    # What is beyond the margin is not tinted: there the factor is 1, which is all bits set.
    shown = ~_cropped(~each_pixel, plane, margin, (high, wide))
    return multiplied(beneath, shown)


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


def _lay_big(out: Pixels, pictures: Pictures, cells: Cells, up: int, left: int) -> None:
    """Lay the pictures that reach beyond their cells over what is there, in place."""
    high, wide = pictures.tiles.shape[1:]
    is_big = np.zeros(len(pictures.tiles) + 1, np.bool_)
    is_big[list(pictures.big)] = True
    rows, cols = np.nonzero(is_big[np.clip(cells, 0, len(pictures.tiles))])
    for row, col in zip(rows.tolist(), cols.tolist()):
        big = pictures.big[int(cells[row, col])]
        _lay_one(out, big.pixels, row * high - up + big.down, col * wide - left + big.across)


def _lay_one(out: Pixels, picture: Pixels, y: int, x: int) -> None:
    """Lay one picture over what is there, in place; what sticks out is cut off."""
    top, bottom = max(0, y), min(out.shape[0], y + picture.shape[0])
    first, last = max(0, x), min(out.shape[1], x + picture.shape[1])
    if top < bottom and first < last:
        part = picture[top - y : bottom - y, first - x : last - x]
        out[top:bottom, first:last] = over(part, out[top:bottom, first:last])
