"""Loose pictures: finding the separate pieces of a packed sheet, packing pictures on a sheet."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import SlicingError
from knitground.core.base.tongue import say
from knitground.core.model.limits import MAX_PIECES, sheet_words
from knitground.core.model.slicing import Area, Slicing
from knitground.core.model.tileset import Anchor, Picture
from knitground.core.slicing.evidence import backgrounds, colour_codes
from knitground.core.slicing.grid import clear_see_through

_SEE_THROUGH_PART = 0.02


def find_pieces(
    picture: Picture, slicing: Slicing, gap: int = 1, least: int = 2
) -> tuple[Area, ...]:
    """Find the separate pieces of a sheet by their outline.

    Pixels that can be seen belong together if they touch, at their corners too, or if no more than
    `gap` see-through pixels lie between them. A sheet without see-through pixels has its commonest
    colour taken for the ground.

    Parameters
    ----------
    picture : (H, W, 4) uint8
    slicing : its see-through colours and its region count
    gap : 0 or more pixels that do not part a piece
    least : smaller pieces than this many pixels are dust and are left out

    Returns
    -------
    the boxes round the pieces, in reading order: lines of pieces from the top, each from the left

    Raises
    ------
    SlicingError
        There are more than 16 384 pieces.
    """
    from scipy import ndimage  # late: it is slow to import

    left, top = (slicing.area[0], slicing.area[1]) if slicing.area else (0, 0)
    right, bottom = slicing.right_of(picture.shape[1]), slicing.bottom_of(picture.shape[0])
    seen = _seen(picture[top:bottom, left:right], slicing)
    joined = _closed(seen, gap)
    labels, count = ndimage.label(joined, np.ones((3, 3), np.int8))
    if count > 8 * MAX_PIECES:
        raise SlicingError(
            say(
                "{count} pieces are more than {max_pieces}: take a larger gap, or say which "
                "colour is see-through",
                count=count,
                max_pieces=MAX_PIECES,
            )
        )
    labels[~seen] = 0
    pixels = np.bincount(labels.ravel(), minlength=count + 1)
    found = [
        (
            int(xs.start) + left,
            int(ys.start) + top,
            int(xs.stop - xs.start),
            int(ys.stop - ys.start),
        )
        for n, (ys, xs) in _boxes(ndimage.find_objects(labels))
        if pixels[n] >= least
    ]
    if len(found) > MAX_PIECES:
        raise SlicingError(
            say(
                "{count} pieces are more than {max_pieces}: take a larger gap",
                count=len(found),
                max_pieces=MAX_PIECES,
            )
        )
    return tuple(in_reading_order(found))


def _boxes(found: Sequence[tuple[slice, ...] | None]) -> list[tuple[int, tuple[slice, slice]]]:
    return [(n, (box[0], box[1])) for n, box in enumerate(found, 1) if box is not None]


def _seen(picture: Picture, slicing: Slicing) -> NDArray[np.bool_]:
    pixels = clear_see_through(picture.copy(), slicing)
    seen: NDArray[np.bool_] = pixels[..., 3] > 0
    if (~seen).mean() < _SEE_THROUGH_PART:
        codes = colour_codes(pixels)
        ground = backgrounds(codes)[:1]
        if len(ground):
            seen &= codes != ground[0]
    return seen


def _closed(seen: NDArray[np.bool_], gap: int) -> NDArray[np.bool_]:
    """Let each pixel grow so far that pixels with `gap` others between them touch."""
    if gap <= 0:
        return seen
    from scipy.ndimage import maximum_filter

    wide = maximum_filter(seen.view(np.uint8), size=gap + 1, mode="constant")
    return np.asarray(wide.view(np.bool_))


def in_reading_order(areas: Sequence[Area]) -> list[Area]:
    """Sort boxes into lines from the top, each line from the left.

    A box belongs to a line if its middle is above the lower end of the line's first box.

    Examples
    --------
    >>> in_reading_order([(40, 2, 8, 8), (0, 0, 8, 12), (0, 20, 8, 8)])
    [(0, 0, 8, 12), (40, 2, 8, 8), (0, 20, 8, 8)]
    """
    waiting = sorted(areas, key=lambda area: (area[1], area[0]))
    out: list[Area] = []
    while waiting:
        end = waiting[0][1] + waiting[0][3]
        line = [area for area in waiting if area[1] + area[3] / 2 < end]
        line = line or waiting[:1]
        out += sorted(line, key=lambda area: (area[0], area[1]))
        taken = set(line)
        waiting = [area for area in waiting if area not in taken]
    return out


def foot(area: Area) -> Anchor:
    """Give the anchor that a piece has until it gets another: the middle of its lower side."""
    return area[2] // 2, area[3]


def pack(pictures: Sequence[Picture], spacing: int = 2) -> tuple[Picture, tuple[Area, ...]]:
    """Lay pictures of different sizes out on one sheet.

    They stand in shelves, highest first, `spacing` pixels apart and from the sheet's border.

    Returns
    -------
    the sheet (H, W, 4), see-through where nothing lies, and each picture's place, in their order

    Raises
    ------
    SlicingError
        There are none, more than 16 384, or they do not fit a sheet of 16 384 px.
    """
    if not pictures or len(pictures) > MAX_PIECES:
        raise SlicingError(
            say(
                "{count} pictures: give 1 to {max_pieces}",
                count=len(pictures),
                max_pieces=MAX_PIECES,
            )
        )
    area = sum((p.shape[0] + spacing) * (p.shape[1] + spacing) for p in pictures)
    widest = max(p.shape[1] for p in pictures) + 2 * spacing
    width = max(widest, int(area**0.5 * 1.15) + spacing)
    places: list[Area] = [(0, 0, 0, 0)] * len(pictures)
    x = y = spacing
    shelf = used = 0
    for n in sorted(range(len(pictures)), key=lambda n: (-pictures[n].shape[0], n)):
        high, wide = pictures[n].shape[:2]
        if x + wide + spacing > width:
            x, y, shelf = spacing, y + shelf + spacing, 0
        places[n] = (x, y, wide, high)
        x += wide + spacing
        used = max(used, x)
        shelf = max(shelf, high)
    height = y + shelf + spacing
    why = sheet_words(width, height)
    if why:
        raise SlicingError(
            say(
                "a sheet of {count} pictures: {why}; take fewer at a time",
                count=len(pictures),
                why=why,
            )
        )
    sheet = np.zeros((height, used, 4), np.uint8)
    for picture, (left, top, wide, high) in zip(pictures, places):
        sheet[top : top + high, left : left + wide] = picture
    return sheet, tuple(places)
