"""Reading a finished mock-up: its grid, its different tiles, and which of them lies where."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from math import isqrt

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import SlicingError
from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import say
from knitground.core.model.lattice import Diamond, Stagger
from knitground.core.model.limits import MAX_SIDE_PX, sheet_words
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Picture, Tileset
from knitground.core.model.turns import turned_array, turned_on
from knitground.core.slicing.grid import cut_tile
from knitground.core.slicing.mapgrid import MapGrid, Pixels, packed

_MOST_TILES = 65_536
_COLUMNS = 16


@dataclass(frozen=True, eq=False)
class Mockup:
    """What was read: `tiles` (n, h, w, 4); `tile_of_cell` (rows, columns) from 1, 0 see-through.

    `turn_of_cell` tells how the tile is turned there, as a `TileRef` does.
    """

    grid: MapGrid
    tiles: NDArray[np.uint8]
    tile_of_cell: NDArray[np.int32]
    turn_of_cell: NDArray[np.uint8]


def read_mockup(
    picture: Picture,
    grid: MapGrid,
    *,
    tolerance: int = 0,
    turns: bool = True,
    progress: Progress = no_progress,
) -> Mockup:
    """Cut a mock-up's different tiles, and tell which of them lies in each cell.

    Parameters
    ----------
    tolerance : tiles are the same if no channel of any pixel differs by more, 0 to 255
    turns : whether a turned or mirrored tile counts as the same

    Raises
    ------
    SlicingError
        No whole cell fits, a number is out of bounds, or there are more than 65 536 different
        tiles.
    """
    rows, cols = _checked_size(picture, grid, tolerance)
    part = picture[grid.start_y :, grid.start_x :]
    cells = _blocks(packed(part), grid, rows, cols)
    hashes = _hashes(cells)
    _, first, number_of_cell = np.unique(hashes, return_index=True, return_inverse=True)
    progress(0.3)
    if len(first) > _MOST_TILES:
        raise SlicingError(
            say(
                "{count} of {rows} tiles are different, more than {most_tiles}: it is no map "
                "of tiles of this size, or give a tolerance",
                count=len(first),
                rows=rows * cols,
                most_tiles=_MOST_TILES,
            )
        )
    order = np.argsort(first)  # as they come, read row by row
    rank = np.empty(len(order), np.intp)
    rank[order] = np.arange(len(order))
    number_of_cell = rank[number_of_cell.ravel()]
    unique = cells[first[order]]
    same, turn = _alike(unique, np.bincount(number_of_cell), tolerance, turns, progress)
    kept, place = np.unique(same, return_inverse=True)
    seen = unique[kept].any(axis=(1, 2))
    numbers = np.cumsum(seen) * seen
    origins = first[order][kept][seen]
    progress(1.0)
    return Mockup(
        grid,
        _straight(cells[origins]),
        numbers[place[number_of_cell]].reshape(rows, cols).astype(np.int32),
        turn[number_of_cell].reshape(rows, cols),
    )


def _checked_size(picture: Picture, grid: MapGrid, tolerance: int) -> tuple[int, int]:
    """Give the rows and columns of whole cells; refuses numbers that can not be."""
    high, wide = grid.tile_height, grid.tile_width
    if not (1 <= high <= MAX_SIDE_PX and 1 <= wide <= MAX_SIDE_PX) or not 0 <= tolerance <= 255:
        raise SlicingError(
            say(
                "tiles of {wide} × {high} px with tolerance {tolerance} can not be: give "
                "sizes from 1 px on and a tolerance of 0 to 255",
                wide=wide,
                high=high,
                tolerance=tolerance,
            )
        )
    if grid.diamonds and (high % 2 or wide % 2):
        raise SlicingError(
            say(
                "diamonds of {wide} × {high} px can not be cut: half of one is no whole "
                "number of pixels, give even numbers",
                wide=wide,
                high=high,
            )
        )
    rows, cols = grid.size(picture)
    if rows < 1 or cols < 1 or min(grid.start_y, grid.start_x) < 0:
        raise SlicingError(
            say(
                "no whole tile of {wide} × {high} px fits into {shape} × {shape2} px from "
                "{start_x}, {start_y} on: give a smaller one",
                wide=wide,
                high=high,
                shape=picture.shape[1],
                shape2=picture.shape[0],
                start_x=grid.start_x,
                start_y=grid.start_y,
            )
        )
    return rows, cols


def _blocks(pixels: Pixels, grid: MapGrid, rows: int, cols: int) -> Pixels:
    """Cut cells (rows · cols, h, w), row by row; diamonds with nothing round them."""
    high, wide = grid.tile_height, grid.tile_width
    if not grid.diamonds:
        parts = pixels[: rows * high, : cols * wide].reshape(rows, high, cols, wide)
        return np.ascontiguousarray(parts.transpose(0, 2, 1, 3)).reshape(rows * cols, high, wide)
    stagger = Stagger(rows, cols)
    right, down = np.broadcast_arrays(*stagger.halves(*np.mgrid[:rows, :cols]))
    ys = (down * high // 2).reshape(-1, 1, 1) + np.arange(high)[None, :, None]
    xs = (right * wide // 2).reshape(-1, 1, 1) + np.arange(wide)[None, None, :]
    out: Pixels = np.where(Diamond(1, 1, high, wide).mask(), pixels[ys, xs], np.uint32(0))
    return out


def _straight(cells: Pixels) -> NDArray[np.uint8]:
    """Give packed tiles (n, h, w) as (n, h, w, 4)."""
    return np.ascontiguousarray(cells)[..., None].view(np.uint8).reshape(*cells.shape, 4)


def _hashes(tiles: Pixels) -> NDArray[np.uint64]:
    """Hash tiles (n, h, w) to 64 bits each."""
    count = tiles.shape[1] * tiles.shape[2]
    weights = np.random.default_rng(20).integers(1, 2**63, count, np.uint64) | np.uint64(1)
    values = tiles.reshape(len(tiles), -1).astype(np.uint64)
    values = (values ^ (values << np.uint64(32))) * np.uint64(0x94D049BB133111EB)
    values ^= values >> np.uint64(31)
    return np.asarray((values * weights).sum(axis=1, dtype=np.uint64))


def _ways(high: int, wide: int, turns: bool) -> list[int]:
    """List the turns that a tile of a size can have in a grid."""
    if not turns:
        return [0]
    return list(range(8)) if high == wide else [0, 2, 4, 6]


def _all_turned(tiles: Pixels, turn: int) -> Pixels:
    """Turn tiles (n, h, w), each for itself."""
    return np.ascontiguousarray(turned_array(tiles, turn, (1, 2)))


def _alike(
    tiles: Pixels, counts: NDArray[np.intp], tolerance: int, turns: bool, progress: Progress
) -> tuple[NDArray[np.intp], NDArray[np.uint8]]:
    """Give for each tile the one that stands for it, and how that has to be turned.

    Exact ones first: the earliest in reading order stands for all. Then, within a tolerance, the
    one that comes most often.
    """
    ways = _ways(tiles.shape[1], tiles.shape[2], turns)
    turned_hashes = [_hashes(_all_turned(tiles, way)) for way in ways]
    same = np.arange(len(tiles))
    turn = np.zeros(len(tiles), np.uint8)
    known: dict[int, tuple[int, int]] = {}
    for n in range(len(tiles)):
        found = known.get(int(turned_hashes[0][n]))
        if found is not None:
            same[n], turn[n] = found
            continue
        for way, hashes in zip(ways, turned_hashes):
            known.setdefault(int(hashes[n]), (n, way))
    progress(0.6)
    if tolerance:
        _merge_close(tiles, counts, tolerance, ways, same, turn)
    return same, turn


def _merge_close(
    tiles: Pixels,
    counts: NDArray[np.intp],
    tolerance: int,
    ways: list[int],
    same: NDArray[np.intp],
    turn: NDArray[np.uint8],
) -> None:
    """Let tiles that differ by no more than the tolerance stand for one another, in place."""
    own = np.flatnonzero(same == np.arange(len(tiles)))
    weight = np.bincount(same, weights=counts, minlength=len(tiles))
    own = own[np.argsort(-weight[own], kind="stable")]
    finder = _CloseTiles(tiles[own], ways, tolerance)
    stands_for: dict[int, tuple[int, int]] = {}
    accepted = np.zeros(len(own), np.bool_)
    for n, place in enumerate(own.tolist()):
        hit = finder.nearest(tiles[place], accepted[:n])
        if hit is None:
            accepted[n] = True
        else:
            stands_for[place] = (int(own[hit[0]]), hit[1])
    for n in range(len(tiles)):
        new = stands_for.get(int(same[n]))
        if new is not None:
            same[n], turn[n] = new[0], turned_on(new[1], int(turn[n]))


class _CloseTiles:
    """Finds tiles that differ by no more than a tolerance from one, turned in any of some ways."""

    def __init__(self, tiles: Pixels, ways: list[int], tolerance: int) -> None:
        from scipy.spatial import cKDTree  # late: it is slow to import

        self._tolerance, self._ways = tolerance, ways
        channels = _channels(tiles)
        self._means = channels.mean(axis=(1, 2))
        self._tree = cKDTree(self._means)
        self._turned = [_channels(_all_turned(tiles, way)) for way in ways]

    def nearest(self, tile: Pixels, usable: NDArray[np.bool_]) -> tuple[int, int] | None:
        """Give the place and the turn of the closest usable tile; None if none is close enough."""
        one = _channels(tile[None])[0]
        # Means can not differ by more than the pixels do, and turning leaves them as they are.
        near = self._tree.query_ball_point(one.mean(axis=(0, 1)), self._tolerance, p=np.inf)
        places = np.array([n for n in near if n < len(usable) and usable[n]], np.intp)
        best: tuple[int, int, int] | None = None
        for way, tiles in zip(self._ways, self._turned):
            if not places.size or tiles.shape[1:] != one.shape:
                continue
            worst = np.abs(tiles[places] - one).max(axis=(1, 2, 3))
            at = int(worst.argmin())
            if worst[at] <= self._tolerance and (best is None or worst[at] < best[0]):
                best = (int(worst[at]), int(places[at]), way)
        return best[1:] if best is not None else None


def _channels(tiles: Pixels) -> NDArray[np.int16]:
    shape = (*tiles.shape, 4)
    return np.ascontiguousarray(tiles)[..., None].view(np.uint8).reshape(shape).astype(np.int16)


def lay_with(
    mockup: Mockup, tilesets: Iterable[Tileset], *, tolerance: int = 0, turns: bool = True
) -> dict[int, TileRef]:
    """Find the tiles of tilesets that a mock-up's tiles are; left-out ones apart.

    Returns
    -------
    the tile for each number from 1 of the mock-up's tiles that was found. An exact one is taken
    before one within the tolerance, one that is not turned before one that is.
    """
    known: list[TileRef] = []
    pixels: list[Pixels] = []
    high, wide = mockup.grid.tile_height, mockup.grid.tile_width
    for tileset in tilesets:
        if tileset.picture is None:
            continue
        for row in range(tileset.rows):
            for col in range(tileset.columns):
                if (row, col) in tileset.left_out:
                    continue
                _, _, w, h = tileset.slicing.tile_area(row, col)
                tile = cut_tile(tileset.picture, tileset.slicing, row, col)
                if (h, w) == (high, wide) and tile.shape[:2] == (high, wide) and tile.any():
                    known.append(TileRef(tileset.name, row, col))
                    pixels.append(packed(tile))
    if not known:
        return {}
    ways = _ways(high, wide, turns)
    exact: dict[bytes, tuple[int, int]] = {}
    for way in ways:
        for n, shape in enumerate(_all_turned(np.stack(pixels), way)):
            exact.setdefault(shape.tobytes(), (n, way))
    close = _CloseTiles(np.stack(pixels), ways, tolerance) if tolerance else None
    usable = np.ones(len(known), np.bool_)
    out = {}
    for number, tile in enumerate(packed(mockup.tiles), 1):
        hit = exact.get(np.ascontiguousarray(tile).tobytes())
        if hit is None and close is not None:
            hit = close.nearest(tile, usable)
        if hit is not None:
            out[number] = known[hit[0]]._replace(turn=hit[1])
    return out


def sheet_columns(count: int) -> int:
    """How many tiles side by side `sheet_of` lays."""
    return max(1, min(count, max(_COLUMNS, isqrt(max(0, count - 1)) + 1)))


def sheet_of(tiles: NDArray[np.uint8]) -> Picture:
    """Lay tiles (n, h, w, 4) out on a sheet without margin, 16 or more side by side.

    Raises
    ------
    SlicingError
        The sheet would be too large.
    """
    count, high, wide = tiles.shape[:3]
    columns = sheet_columns(count)
    rows = -(-count // columns)
    why = sheet_words(columns * wide, rows * high)
    if why:
        raise SlicingError(
            say(
                "{count} tiles of {wide} × {high} px: a sheet of {why}; give a tolerance, or "
                "take a part of the picture",
                count=count,
                wide=wide,
                high=high,
                why=why,
            )
        )
    out = np.zeros((rows, columns, high, wide, 4), np.uint8)
    out.reshape(-1, high, wide, 4)[:count] = tiles
    return np.ascontiguousarray(out.transpose(0, 2, 1, 3, 4)).reshape(
        rows * high, columns * wide, 4
    )
