"""Finding the grid of a finished map picture: which rows and columns of pixels repeat."""

from __future__ import annotations

from dataclasses import dataclass
from math import log2

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.progress import Progress, no_progress
from knitground.core.model.tileset import Picture

Pixels = NDArray[np.uint32]


_SAMPLE = 640

_WINDOW = 6

_SIZES = range(6, 129)


@dataclass(frozen=True)
class MapGrid:
    """A grid that a mock-up may be made of, in pixels; `distinct` tiles in `cells` cells.

    With `diamonds` its cells stand on a corner, every other row half a cell further right; the
    size is that of the rectangle round one, the start that of the first one's rectangle.
    """

    tile_height: int
    tile_width: int
    start_y: int = 0
    start_x: int = 0
    distinct: int = 0
    cells: int = 0
    diamonds: bool = False

    def size(self, picture: Picture) -> tuple[int, int]:
        """Whole rows and columns of cells that a picture has."""
        high, wide = picture.shape[:2]
        if self.diamonds:
            down, across = high - self.start_y, wide - self.start_x
            return 2 * down // self.tile_height - 1, (2 * across // self.tile_width - 1) // 2
        return (high - self.start_y) // self.tile_height, (wide - self.start_x) // self.tile_width


def find_map_grid(picture: Picture, progress: Progress = no_progress) -> list[MapGrid]:
    """Find the grids that a mock-up may be made of, the best one first; none if nothing repeats.

    Parameters
    ----------
    picture : (h, w, 4) of a whole map, or of a part of one

    Notes
    -----
    Own derivation. Wherever the same small window of pixels comes again, it mostly does so a whole
    number of tiles away: that gives likely widths and heights. Each pair of them, at each start, is
    then judged by how few bits would tell the picture: its different tiles pixel by pixel, and for
    each cell the number of its tile. Looks at 640 × 640 pixels of the middle.
    """
    high, wide = picture.shape[:2]
    top, left = max(0, (high - _SAMPLE) // 2), max(0, (wide - _SAMPLE) // 2)
    part = packed(picture[top : top + _SAMPLE, left : left + _SAMPLE])
    widths, heights = _periods(part), _periods(part.T)
    bits = max(1.0, log2(max(2, len(np.unique(part)))))
    found: list[tuple[float, MapGrid]] = []
    for n, tile_width in enumerate(widths):
        progress(n / max(1, len(widths)))
        rows = _row_hashes(part, tile_width)
        for tile_height in heights:
            one = _best_start(rows, tile_height, tile_width, bits)
            if one is not None:
                cost, grid = one
                start = (grid.start_y + top) % tile_height, (grid.start_x + left) % tile_width
                found.append((cost, MapGrid(tile_height, tile_width, *start, *_counts(grid))))
    progress(1.0)
    plain = high * wide and part.size * bits
    found = [each for each in found if each[0] < 0.7 * plain]
    return [grid for _, grid in sorted(found, key=lambda each: each[0])][:8]


def _counts(grid: MapGrid) -> tuple[int, int]:
    return grid.distinct, grid.cells


def packed(picture: Picture) -> Pixels:
    """Give each pixel of (…, 4) as one number; what can not be seen is 0."""
    numbers = np.ascontiguousarray(picture).view(np.uint32)[..., 0]
    return np.where(picture[..., 3] > 0, numbers, np.uint32(0))


def _periods(pixels: Pixels) -> list[int]:
    """List the distances at which what is in a row likely comes again, the likeliest first."""
    high, wide = pixels.shape
    size = min(_WINDOW, high, wide)
    if wide < 2 * _SIZES[0]:
        return []
    windows = _column_hashes(_row_hashes(pixels, size), size)
    # Plain windows come again at any distance: they tell nothing.
    flat = np.ones(windows.shape, np.bool_)
    for down in range(size):
        for across in range(size):
            part = pixels[down : down + windows.shape[0], across : across + windows.shape[1]]
            flat &= part == pixels[: windows.shape[0], : windows.shape[1]]
    rows, cols = np.nonzero(~flat)
    keys = windows[rows, cols]
    order = np.lexsort((cols, rows, keys))
    rows, cols, keys = rows[order], cols[order], keys[order]
    again = (keys[1:] == keys[:-1]) & (rows[1:] == rows[:-1])
    steps = (cols[1:] - cols[:-1])[again]
    steps = steps[steps >= 2]
    if steps.size < 8:
        return []
    counts = np.bincount(steps)
    scored = []
    for each in _SIZES:
        share = counts[each::each].sum() / steps.size
        # By chance one in `each` distances is a multiple of it.
        scored.append(((share - 1 / each) * (1 - 1 / each), each))
    scored.sort(reverse=True)
    best = scored[0][0]
    return [each for score, each in scored[:6] if score > 0.25 * best]


_BASE_X, _BASE_Y = np.uint64(0x9E3779B97F4A7C15), np.uint64(0xD1342543DE82EF95)


def _powers(base: np.uint64, count: int) -> tuple[NDArray[np.uint64], NDArray[np.uint64]]:
    """Give powers of an odd number modulo 2⁶⁴, and their inverses."""
    inverse = np.uint64(pow(int(base), -1, 1 << 64))
    up, down = np.empty(count, np.uint64), np.empty(count, np.uint64)
    up[0] = down[0] = 1
    up[1:], down[1:] = base, inverse
    return np.multiply.accumulate(up), np.multiply.accumulate(down)


def _row_hashes(pixels: Pixels, width: int) -> NDArray[np.uint64]:
    """Hash every run of so many pixels in a row: (h, w - width + 1).

    A polynomial hash by sums of what came before (Karp and Rabin, 1987), modulo 2⁶⁴.
    """
    values = pixels.astype(np.uint64) * np.uint64(0xBF58476D1CE4E5B9)
    values ^= values >> np.uint64(29)
    return _runs(values, width, _BASE_X)


def _column_hashes(rows: NDArray[np.uint64], height: int) -> NDArray[np.uint64]:
    """Hash every block of so many rows of what `_row_hashes` gave."""
    mixed = rows ^ (rows >> np.uint64(31))
    return np.ascontiguousarray(_runs(np.ascontiguousarray(mixed.T), height, _BASE_Y).T)


def _runs(values: NDArray[np.uint64], length: int, base: np.uint64) -> NDArray[np.uint64]:
    up, down = _powers(base, values.shape[1] + 1)
    sums = np.zeros((values.shape[0], values.shape[1] + 1), np.uint64)
    np.cumsum(values * up[:-1], axis=1, out=sums[:, 1:])
    count = values.shape[1] - length + 1
    return np.asarray((sums[:, length:] - sums[:, :-length]) * down[:count])


def _best_start(
    rows: NDArray[np.uint64], tile_height: int, tile_width: int, bits: float
) -> tuple[float, MapGrid] | None:
    """Find the start at which the fewest different tiles make a picture: its cost and grid.

    Different tiles are first counted by a part of their hashes, which may give a few too small, so
    that the cost is one too small as well; in the order of these the true costs are worked out for
    as long as one may still be less.
    """
    if rows.shape[0] < 2 * tile_height or rows.shape[1] < tile_width + 1:
        return None
    blocks = _column_hashes(rows, tile_height)
    whole = rows.shape[0] * (rows.shape[1] + tile_width - 1)
    size = (tile_height, tile_width)
    starts, seen_at = [], np.empty(1 << _BITS, np.int32)
    for y in range(min(tile_height, blocks.shape[0])):
        for x in range(min(tile_width, blocks.shape[1])):
            part = blocks[y::tile_height, x::tile_width]
            starts.append((_cost(_at_least(part, seen_at), size, (y, x), bits, whole), y, x))
    best: tuple[float, MapGrid] | None = None
    for least, y, x in sorted(starts):
        if best is not None and least > best[0]:
            break
        part = blocks[y::tile_height, x::tile_width]
        distinct = len(np.unique(part))
        grid = MapGrid(tile_height, tile_width, y, x, distinct, part.size)
        cost = _cost(distinct, size, (y, x), bits, whole)
        if best is None or (cost, y, x) < (best[0], best[1].start_y, best[1].start_x):
            best = (cost, grid)
    return best


_BITS = 20


def _at_least(hashes: NDArray[np.uint64], seen_at: NDArray[np.int32]) -> int:
    """Count different hashes, or a few less: those whose first bits are alike count once.

    Parameters
    ----------
    seen_at : for each such part where it was last met; what stands there before does not matter
    """
    part = (hashes.ravel() >> np.uint64(64 - _BITS)).astype(np.intp)
    own = np.arange(len(part), dtype=np.int32)
    seen_at[part] = own
    return int((seen_at[part] == own).sum())


def _cost(
    distinct: int, size: tuple[int, int], start: tuple[int, int], bits: float, whole: int
) -> float:
    """Say what it takes to write a picture down as tiles and their numbers, in bits.

    Numbers are counted for the whole area: a border that is left over says nothing against a grid.
    """
    high, wide = size
    cost = distinct * high * wide * bits
    cost += log2(distinct + 1) * whole / (high * wide)
    cost += 64 * (start[1] > 0) + 64 * (start[0] > 0)
    cost *= 1.0 if high == wide else 1.01
    cost *= 1.0 if high % 8 == wide % 8 == 0 else 1.04
    return cost * (1.25 if min(size) < 12 else 1.0)
