"""Flood fill: the connected places that hold the same, found in a window that grows."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.window import Box
from knitground.core.model.lattice import Meeting


@dataclass(frozen=True, eq=False)
class Region:
    """Connected places: `mask` (h, w) inside `box`. `complete` is False if it was cut off."""

    box: Box
    mask: NDArray[np.bool_]
    complete: bool = True

    def holds(self, row: int, col: int) -> bool:
        """Whether a place belongs to it."""
        r, c = row - self.box.top, col - self.box.left
        inside = 0 <= r < self.mask.shape[0] and 0 <= c < self.mask.shape[1]
        return inside and bool(self.mask[r, c])


def flood(
    values: NDArray[Any], row: int, col: int, wrap: bool = False, limit: int | None = None
) -> Region:
    """Find the places connected to one over shared sides that hold the same value.

    As `flood_in`, for values that are there as an array (H, W).
    """

    def part(box: Box) -> NDArray[Any]:
        return values[box.top : box.bottom, box.left : box.right]

    return flood_in(part, (values.shape[0], values.shape[1]), row, col, wrap, limit)


def flood_in(
    part_of: Callable[[Box], NDArray[Any]],
    size: tuple[int, int],
    row: int,
    col: int,
    wrap: bool = False,
    limit: int | None = None,
    among: Callable[[Box], NDArray[np.bool_] | None] = lambda _: None,
    meeting: Meeting | None = None,
) -> Region:
    """Find the places connected to one over shared sides that hold the same value.

    Parameters
    ----------
    among : tells which places (h, w) of a box there are, None for all
    part_of : gives the values (h, w) in a box of the grid; asked for no more than is looked at
    size : rows and columns of the grid; of one period, if it wraps
    row, col : where to begin, inside the grid
    wrap : whether it goes on over the borders
    limit : look at a window of at most this many rows and columns
    meeting : places and those that they meet across the border, each as rows and columns, where
        that goes round but not straight

    Returns
    -------
    Region, its box inside the grid (on a wrapping grid it may be the whole grid)

    Notes
    -----
    The cost follows the region's own box: the window starts small and doubles while the region
    touches its border.
    """
    from scipy.ndimage import label  # late: it is slow to import

    height, width = size
    reach = 32
    while True:
        window = Box(row - reach, col - reach, row + reach + 1, col + reach + 1)
        inner = window.clipped(height, width)
        is_all = inner.height == height and inner.width == width
        part = part_of(inner)
        same, there = part == part[row - inner.top, col - inner.left], among(inner)
        labels, count = label(same if there is None else same & there)
        mask = labels == labels[row - inner.top, col - inner.left]
        if is_all:
            if wrap:
                ends = ((labels[0], labels[-1]), (labels[:, 0], labels[:, -1]))
                mask = _over_the_border(labels, count, mask, ends)
            if meeting is not None:
                met = [(labels[meeting[0]], labels[meeting[1]])]
                mask = _over_the_border(labels, count, mask, met)
            return _trimmed(inner, mask, True)
        if meeting is not None and _meets(mask, inner, meeting):
            if limit is not None and max(height, width) > limit:
                return _trimmed(inner, mask, False)
            reach = max(height, width)  # it goes on at the other side
            continue
        if not _touches(mask, inner, (height, width), wrap):
            return _trimmed(inner, mask, True)
        if limit is not None and 2 * reach + 1 >= limit:
            return _trimmed(inner, mask, False)
        reach *= 2


def _touches(mask: NDArray[np.bool_], inner: Box, size: tuple[int, int], wrap: bool) -> bool:
    """Whether the region reaches a side of the window behind which the grid goes on."""
    return bool(
        ((wrap or inner.top > 0) and mask[0].any())
        or ((wrap or inner.bottom < size[0]) and mask[-1].any())
        or ((wrap or inner.left > 0) and mask[:, 0].any())
        or ((wrap or inner.right < size[1]) and mask[:, -1].any())
    )


def _meets(mask: NDArray[np.bool_], inner: Box, meeting: Meeting) -> bool:
    """Whether the region meets the border of a grid behind which it goes on."""
    for rows, cols in meeting:
        within = (
            (rows >= inner.top) & (rows < inner.bottom)
            & (cols >= inner.left) & (cols < inner.right)
        )  # fmt: skip
        if mask[rows[within] - inner.top, cols[within] - inner.left].any():
            return True
    return False


def _over_the_border(
    labels: NDArray[np.integer[Any]], count: int, mask: NDArray[np.bool_], ends: Sequence[Any]
) -> NDArray[np.bool_]:
    """Join the pieces that meet over the border to the region: `ends` are labels that meet."""
    pairs = np.concatenate([np.stack(each, 1) for each in ends])
    pairs = np.unique(pairs[(pairs > 0).all(1)], axis=0)
    wanted = np.zeros(count + 1, np.bool_)
    wanted[labels[mask][0]] = True
    while True:
        hit = wanted[pairs].any(1)
        before = int(wanted.sum())
        wanted[pairs[hit].ravel()] = True
        if int(wanted.sum()) == before:
            return np.asarray(wanted[labels])


def _trimmed(box: Box, mask: NDArray[np.bool_], complete: bool) -> Region:
    rows, cols = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
    top, bottom, left, right = rows[0], rows[-1] + 1, cols[0], cols[-1] + 1
    place = Box(
        int(box.top + top), int(box.left + left), int(box.top + bottom), int(box.left + right)
    )
    return Region(place, mask[top:bottom, left:right], complete)
