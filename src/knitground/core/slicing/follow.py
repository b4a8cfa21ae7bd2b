"""Which tile is which after a sheet is cut in another way, drawn anew, or laid out again."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from knitground.core.model.slicing import Slicing
from knitground.core.model.tileset import At, Picture
from knitground.core.slicing.grid import Grid, each_tile

Follow = Callable[[At], At | None]
"""Gives the new row and column of an old one; None for a tile that can not follow."""


def follow_pixels(old: Slicing, new: Slicing, rows: int, columns: int) -> Follow:
    """Follow tiles by the pixels they cover: at least half of the old one and of the new one.

    Parameters
    ----------
    rows, columns : size of the new grid

    Examples
    --------
    >>> moved = follow_pixels(Slicing(16, 16), Slicing(16, 16, 16, 0), 9, 9)
    >>> moved((2, 3)), moved((0, 0))
    ((2, 2), None)
    """
    if old.pieces or new.pieces:
        return _follow_areas(old, new, rows, columns)

    def place(at: At) -> At | None:
        row = _best(old.top(at[0]), old.tile_height, new.top(0), new.tile_height, new.pitch_y, rows)
        col = _best(
            old.left(at[1]), old.tile_width, new.left(0), new.tile_width, new.pitch_x, columns
        )
        if row is None or col is None:
            return None
        shared = row[1] * col[1]
        areas = (old.tile_width * old.tile_height, new.tile_width * new.tile_height)
        return (row[0], col[0]) if 2 * shared >= max(areas) else None

    return place


def _follow_areas(old: Slicing, new: Slicing, rows: int, columns: int) -> Follow:
    """Follow tiles from or to pieces: every new area is compared, as they have no order."""
    areas = np.array(
        [new.tile_area(row, col) for row in range(rows) for col in range(columns)], np.int64
    ).reshape(-1, 4)
    right, bottom = areas[:, 0] + areas[:, 2], areas[:, 1] + areas[:, 3]

    def place(at: At) -> At | None:
        if old.pieces and not (at[0] == 0 and at[1] < len(old.pieces)):
            return None
        left, top, wide, high = old.tile_area(*at)
        across = np.minimum(right, left + wide) - np.maximum(areas[:, 0], left)
        down = np.minimum(bottom, top + high) - np.maximum(areas[:, 1], top)
        shared = np.maximum(across, 0) * np.maximum(down, 0)
        if not shared.size:
            return None
        best = int(np.argmax(2 * shared - areas[:, 2] * areas[:, 3]))
        most = max(wide * high, int(areas[best, 2] * areas[best, 3]))
        return divmod(best, columns) if 2 * int(shared[best]) >= most else None

    return place


def _best(
    start: int, length: int, first: int, tile: int, pitch: int, count: int
) -> tuple[int, int] | None:
    """Find the new row (or column) that shares most pixels with an old one, and how many."""
    best: tuple[int, int] | None = None
    middle = (start - first) // pitch
    for n in range(max(0, middle - 1), min(count, middle + length // pitch + 2)):
        low, high = first + n * pitch, first + n * pitch + tile
        shared = min(high, start + length) - max(low, start)
        if shared > 0 and (best is None or shared > best[1]):
            best = (n, shared)
    return best


def follow_content(
    old_picture: Picture, old: Grid, new_picture: Picture, new: Grid
) -> dict[At, At]:
    """Find tiles that have moved: gone from their place, and found at one other place only.

    Returns
    -------
    new place by old place, moved tiles only
    """
    before, after = _codes(old_picture, old), _codes(new_picture, new)
    where: dict[bytes, list[int]] = {}
    for number, code in enumerate(after):
        where.setdefault(code, []).append(number)
    seen: dict[bytes, int] = {}
    for code in before:
        seen[code] = seen.get(code, 0) + 1
    moved = {}
    for number, code in enumerate(before):
        at = divmod(number, old.columns)
        stays = at[0] < new.rows and at[1] < new.columns
        if stays and after[at[0] * new.columns + at[1]] == code:
            continue
        found = where.get(code, [])
        if len(found) == 1 and seen[code] == 1:
            moved[at] = divmod(found[0], new.columns)
    return moved


def _codes(picture: Picture, grid: Grid) -> list[bytes]:
    return [repr(tile.shape).encode() + tile.tobytes() for tile in each_tile(picture, grid)]
