"""Mixes of tiles and patches: patches lie whole where there is room, tiles fill the rest.

The map is thought of in squares of 16 × 16 cells. In each of them patches lie where chance has put
them, the same whatever is filled; one is laid if all its cells are to be laid, and single tiles
stand in for it else. So a part is what the whole is, and no patch is ever cut.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.hashing import mix_one
from knitground.core.base.window import Box
from knitground.core.chance.fall import fall_cells
from knitground.core.grow.scatter import Strewn, scatter
from knitground.core.model.layers import Cells
from knitground.core.model.map import Map
from knitground.core.model.mix import Mix
from knitground.core.model.recipe import ScatterStep

Mask = NDArray[np.bool_]
_SIDE = 16
_Flat = tuple[tuple[int, ...], ...]


def mix_cells(
    map_: Map,
    mix: Mix,
    number: int,
    box: Box,
    seed: int,
    mask: Mask,
    dealt: Mask | None = None,
    current: Cells | None = None,
) -> Cells:
    """Give what a mix lays in a box: places of the map's legend, 0 where it has nothing to lay.

    Parameters
    ----------
    number : of the layer
    mask : (h, w) the cells that are to be laid: patches lie in them as a whole or not at all
    dealt : the cells among which exact shares are dealt
    current : (height, width) what lies on the layer now: a patch that lies there whole stays

    Raises
    ------
    EditError
        The mix can not fall in its way.
    """
    entries = [entry for entry in mix.entries if entry.weight > 0]
    single = [entry for entry in entries if entry.patch is None]
    patched = [entry for entry in entries if entry.patch is not None]
    rows, cols = box.rows(map_.height), box.cols(map_.width)
    out = np.zeros((box.height, box.width), np.int32)
    if single:
        places = np.array([map_.legend.place(entry.tile) for entry in single], np.int32)
        weights = tuple(entry.weight for entry in single)
        own = tuple(entry.size for entry in single)
        torus = map_.lattice.torus
        fallen = fall_cells(weights, mix.fall, rows, cols, seed, number, torus, dealt, own)
        out = places[fallen]
    if not patched:
        return out
    total = sum(entry.weight for entry in entries)
    things = tuple(
        (_flat(map_, entry.patch.rows), entry.weight / total)  # type: ignore[union-attr]
        for entry in patched
    )
    return _with_patches(map_, things, out, rows, cols, mix_one(seed, 71, number), mask, current)


def _flat(map_: Map, rows: tuple[tuple[object, ...], ...]) -> _Flat:
    legend = map_.legend
    return tuple(
        tuple(legend.place(tile) if tile else 0 for tile in row)  # type: ignore[arg-type]
        for row in rows
    )


def _with_patches(
    map_: Map,
    things: tuple[tuple[_Flat, float], ...],
    out: Cells,
    rows: NDArray[np.intp],
    cols: NDArray[np.intp],
    seed: int,
    mask: Mask,
    current: Cells | None,
) -> Cells:
    """Lay the patches of all squares that a box touches, as far as they fit."""
    row_at = {int(row): n for n, row in enumerate(rows)}
    col_at = {int(col): n for n, col in enumerate(cols)}
    for top in sorted({int(row) // _SIDE for row in rows}):
        for left in sorted({int(col) // _SIDE for col in cols}):
            for patch in _square(things, mix_one(seed, top, left)):
                spots = [
                    (row_at.get(top * _SIDE + r, -1), col_at.get(left * _SIDE + c, -1), place)
                    for r, c, place in patch
                ]
                inside = [(r, c, place) for r, c, place in spots if r >= 0 and c >= 0]
                whole = len(inside) == len(spots) and all(mask[r, c] for r, c, _ in spots)
                if whole or (inside and _lies(current, top, left, patch)):
                    for r, c, place in inside:
                        out[r, c] = place
    return out


def _lies(
    current: Cells | None, top: int, left: int, patch: tuple[tuple[int, int, int], ...]
) -> bool:
    """Whether a patch lies on the layer, whole, from an earlier dab of the brush."""
    if current is None:
        return False
    high, wide = current.shape
    at = [(top * _SIDE + r, left * _SIDE + c, place) for r, c, place in patch]
    return all(r < high and c < wide and current[r, c] == place for r, c, place in at)


@lru_cache(maxsize=4096)
def _square(
    things: tuple[tuple[_Flat, float], ...], seed: int
) -> tuple[tuple[tuple[int, int, int], ...], ...]:
    """Say where patches lie in a square: of each its cells (row, column, place of the legend)."""
    made = [Strewn(np.array(cells, np.int32), share, "") for cells, share in things]
    free = np.ones((_SIDE, _SIDE), np.bool_)
    # What one square has too much of a large patch the next has too little: by chance, not never.
    counts = [part * free.size / max(1, each.size) for each, (_, part) in zip(made, things)]
    more = [(mix_one(seed, 3, n) & 0xFFFF) / 0x10000 < count % 1 for n, count in enumerate(counts)]
    wanted = [int(count) + extra for count, extra in zip(counts, more)]
    number = np.zeros((_SIDE, _SIDE), np.int32)
    found: list[tuple[tuple[int, int, int], ...]] = []
    order = sorted(range(len(made)), key=lambda n: (-made[n].size, n))
    for n in order:
        if not wanted[n]:
            continue
        lone = [Strewn(np.where(made[n].cells > 0, 1, 0).astype(np.int32), 1.0, "")]
        part = wanted[n] * made[n].size / max(1, int((number == 0).sum()))
        one = ScatterStep(0, "m", min(1.0, part))
        anchors: list[tuple[int, int]] = []
        scatter(
            lone, number == 0, number > 0, one, mix_one(seed, 5, n), wrap=False, anchors=anchors
        )
        for row, col in anchors:
            cells = tuple(
                (int(row + r), int(col + c), int(made[n].cells[r, c]))
                for r, c in zip(*np.nonzero(made[n].cells))
            )
            for r, c, _ in cells:
                number[r, c] = 1
            found.append(cells)
    return tuple(found)
