"""What a tile would join: tiles of its set for the eight cells round it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from knitground.core.knit.layer import marked_tiles
from knitground.core.knit.ring import RING_BITS, STEPS, reduced
from knitground.core.model.project import Project
from knitground.core.model.terrain import ANY, SetKind, Slot, TerrainSet
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import At, Tileset

_REDUCED = np.array([reduced(bits) for bits in range(256)])

Round = dict[tuple[int, int], TileRef]
"""Tiles by how many cells further down and to the right they lie, -1 to 1 each."""

_CLOCKWISE = tuple(STEPS[slot] for slot in RING_BITS)


def joined_tiles(project: Project, owner: Tileset, at: At) -> Round | None:
    """Choose tiles for the cells round a tile, what it shows at its rim going straight on.

    Where several fit, the one that names most of its marks is taken, of those the heaviest. A cell
    for which the set has no tile, or where nothing goes on, is left out.

    Returns
    -------
    the tiles round it; None if it has marks in no set

    Notes
    -----
    Own derivation: corners are carried on as the nearest of its four, a path as far as the next
    cell, an area as the nearest of its nine cells.
    """
    for kit in owner.sets:
        own = kit.marks_within(owner.rows, owner.columns, None)[at]
        if own.any():
            return _round(project, owner, kit, own.astype(int))
    return None


def _round(project: Project, owner: Tileset, kit: TerrainSet, own: NDArray[np.int64]) -> Round:
    marks, tiles = marked_tiles(project, owner, kit)
    wanted = {SetKind.CORNER: _corners, SetKind.EDGE: _sides, SetKind.RING: _areas}[kit.kind](own)
    out: Round = {}
    for place, slots in wanted.items():
        asked = marks[:, list(slots)]
        want = np.array(list(slots.values()))
        if kit.kind is SetKind.RING:
            same = _same_areas(asked, want)
        else:
            same = ((asked == want) | (asked == ANY)).all(axis=1)
        fits = np.flatnonzero(same)
        weights = np.array([_weight(project, tiles[n]) for n in fits])
        fits, weights = fits[weights > 0], weights[weights > 0]
        if fits.size:
            sure = (asked[fits] != ANY).sum(axis=1)
            out[place] = tiles[int(fits[np.lexsort((fits, -weights, -sure))[0]])]
    return out


def _same_areas(asked: NDArray[np.uint8], want: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Tell which ring tiles are those wanted: corners without both their sides do not count."""
    on = np.where(asked == ANY, want, asked)[:, :8] == want[8]
    bits = (on << np.arange(8)).sum(axis=1)
    wanted = int(((want[:8] == want[8]) << np.arange(8)).sum())
    found: NDArray[np.bool_] = (_REDUCED[bits] == _REDUCED[wanted]) & (asked[:, 8] == want[8])
    return found


def _weight(project: Project, tile: TileRef) -> float:
    tileset = project.tileset_named(tile.tileset)
    return tileset.fact(tile.row, tile.col).weight if tileset else 0.0


def _named(own: NDArray[np.int64], slots: tuple[Slot, ...]) -> list[int]:
    """Give the marks of a tile, those that may be anything as what it shows most."""
    found = [int(own[slot]) for slot in slots]
    sure = [mark for mark in found if mark not in (0, ANY)]
    most = max(sure, key=sure.count, default=1)
    return [most if mark == ANY else mark for mark in found]


def _corners(own: NDArray[np.int64]) -> dict[tuple[int, int], dict[Slot, int]]:
    slots = (Slot.NW, Slot.NE, Slot.SW, Slot.SE)
    vertices = np.pad(np.array(_named(own, slots)).reshape(2, 2), 1, mode="edge")
    return {
        (down, across): dict(
            zip(slots, vertices[down + 1 : down + 3, across + 1 : across + 3].ravel().tolist())
        )
        for down, across in _CLOCKWISE
        if vertices[down + 1 : down + 3, across + 1 : across + 3].any()
    }


def _sides(own: NDArray[np.int64]) -> dict[tuple[int, int], dict[Slot, int]]:
    slots = (Slot.N, Slot.E, Slot.S, Slot.W)
    out: dict[tuple[int, int], dict[Slot, int]] = {}
    for n, mark in enumerate(_named(own, slots)):
        if mark:
            straight = {slot: mark if m % 2 == n % 2 else 0 for m, slot in enumerate(slots)}
            out[_CLOCKWISE[2 * n]] = straight
    return out


def _areas(own: NDArray[np.int64]) -> dict[tuple[int, int], dict[Slot, int]]:
    middle = int(own[Slot.MIDDLE])
    near = np.zeros((3, 3), np.bool_)
    near[1, 1] = True
    for slot, (down, across) in zip(RING_BITS, _CLOCKWISE):
        near[1 + down, 1 + across] = own[slot] in (middle, ANY)
    cells = np.pad(near, 1, mode="edge")
    out: dict[tuple[int, int], dict[Slot, int]] = {}
    for row, col in _CLOCKWISE:
        if near[1 + row, 1 + col]:
            on = [cells[2 + row + y, 2 + col + x] for y, x in _CLOCKWISE]
            marks = {slot: middle if each else 0 for slot, each in zip(RING_BITS, on)}
            out[row, col] = {**marks, Slot.MIDDLE: middle}
    return out
