"""Tiles of a mix that keep apart: cells with as few tries as a person would make by hand."""

from __future__ import annotations

from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.hashing import mix_one
from knitground.core.chance.draw import MIX_SLOTS, draw_cells, slot_table

Choice = NDArray[np.int32]
"""(h, w) places in a list of weights."""


_PHASES = 6


def apart_cells(
    weights: tuple[float, ...],
    rows: NDArray[Any],
    cols: NDArray[Any],
    seed: int,
    layer: int,
    torus: tuple[int, int] | None,
    steps: int = 1,
) -> Choice:
    """Choose so that no two cells within so many steps get the same."""
    out = np.empty((len(rows), len(cols)), np.int32)
    more = _margin(steps, torus)
    for down, wide_rows, at_rows in _runs(rows, torus[0] if torus else None, more):
        for across, wide_cols, at_cols in _runs(cols, torus[1] if torus else None, more):
            closed = (
                torus is not None and len(wide_rows) == torus[0],
                torus is not None and len(wide_cols) == torus[1],
            )
            laid = apart_in if steps == 1 else partial(far_in, steps)
            whole = laid(weights, wide_rows, wide_cols, seed, layer, closed, torus)
            out[np.ix_(down, across)] = whole[np.ix_(at_rows, at_cols)]
    return out


Run = tuple[NDArray[np.intp], NDArray[np.intp], NDArray[np.intp]]


def _margin(steps: int, torus: tuple[int, int] | None) -> int:
    """Tell how far away something may lie on which a cell depends."""
    if steps == 1:
        return _PHASES + 1
    side = steps + 1
    odd = torus is not None and any(each % side for each in torus)
    classes = (2 * side - 1) ** 2 if odd else side**2
    return classes * steps


def _runs(numbers: NDArray[Any], period: int | None, more: int = _PHASES + 1) -> list[Run]:
    """Cut numbers into runs that follow each other, each with as many more as the sweeps look at.

    Returns
    -------
    where the run stands in `numbers`, the numbers with more on both sides, and where it is in them
    """
    numbers = np.asarray(numbers, np.intp)
    steps = np.diff(numbers)
    follows = steps == 1 if period is None else (steps == 1) | (steps == 1 - period)
    out: list[Run] = []
    for at in np.split(np.arange(len(numbers)), np.flatnonzero(~follows) + 1):
        if period is not None and len(at) + 2 * more >= period:
            out.append((at, np.arange(period), numbers[at]))
            continue
        first = int(numbers[at[0]])
        wide = np.arange(first - more, first + len(at) + more)
        out.append((at, wide if period is None else wide % period, np.arange(len(at)) + more))
    return out


def apart_in(
    weights: tuple[float, ...],
    rows: NDArray[np.intp],
    cols: NDArray[np.intp],
    seed: int,
    layer: int,
    closed: tuple[bool, bool],
    torus: tuple[int, int] | None,
) -> Choice:
    """Choose for a window; `closed` tells whether it is the whole of a wrapping map each way."""
    count = len(weights)
    phase = ((rows[:, None] + cols[None, :]) & 1).astype(np.int8)
    if count == 2:  # there is only one way
        return (phase ^ (mix_one(seed, layer) & 1)).astype(np.int32)
    if torus is not None:
        # At the seam of an odd side one colour meets itself: its last line is drawn after the rest.
        for axis, numbers in ((0, rows), (1, cols)):
            last = (numbers == torus[axis] - 1) if torus[axis] % 2 else np.zeros(len(numbers), bool)
            at = (last, slice(None)) if axis == 0 else (slice(None), last)
            phase[at] = (phase[at] & 1) + 2 + 2 * axis
    table = slot_table(np.arange(count), weights, MIX_SLOTS)
    out = np.full(phase.shape, -1, np.int32)
    draws = [draw_cells(table, rows, cols, mix_one(seed, 31, n), layer) for n in range(10)]
    for number in range(int(phase.max(initial=0)) + 1):
        here = np.flatnonzero(phase == number)
        near = np.stack([other.ravel()[here] for other in _beside(out, closed)])
        # Of five tiles one at least does not lie at any of the four sides.
        out.ravel()[here] = _first_free([each.ravel()[here] for each in draws], near, count)
    return out


def _first_free(draws: list[Choice], near: Choice, count: int) -> Choice:
    """Take for each of n cells the first draw that does not lie near it; then any such tile.

    Parameters
    ----------
    draws : (n,) each, in the order in which they are tried
    near : (k, n), what lies near each cell
    count : of tiles

    Returns
    -------
    (n,); −1 where all tiles lie near
    """
    new, open_ = np.full(near.shape[1], -1, np.int32), np.ones(near.shape[1], np.bool_)
    for tried in [*draws, *((draws[-1] + offset) % count for offset in range(1, count))]:
        free = open_ & (near != tried).all(axis=0)
        new[free] = tried[free]
        open_ &= ~free
        if not open_.any():
            break
    return new


def _classes(numbers: NDArray[np.intp], side: int, period: int | None) -> NDArray[np.intp]:
    """Number lines so that two of one number are at least `side` apart, also over the border."""
    rest = period % side if period is not None else 0
    last = period - rest if period is not None else 0
    return np.where((numbers >= last) & (rest > 0), side + numbers - last, numbers % side)


def far_in(
    steps: int,
    weights: tuple[float, ...],
    rows: NDArray[np.intp],
    cols: NDArray[np.intp],
    seed: int,
    layer: int,
    closed: tuple[bool, bool],
    torus: tuple[int, int] | None,
) -> Choice:
    """Choose for a window so that within so many steps no two cells get the same.

    Cells of one class lie further apart than that; classes are drawn in turn, each cell among the
    tiles that do not lie near it yet.
    """
    side, count = steps + 1, len(weights)
    of_row = _classes(rows, side, torus[0] if torus else None)
    of_col = _classes(cols, side, torus[1] if torus else None)
    table = slot_table(np.arange(count), weights, MIX_SLOTS)
    draws = [draw_cells(table, rows, cols, mix_one(seed, 37, n), layer) for n in range(12)]
    near = [(d, a) for d in range(-steps, steps + 1) for a in range(-steps, steps + 1)
            if 0 < abs(d) + abs(a) <= steps]  # fmt: skip
    pad = [0 if each else steps for each in closed]
    high, wide = len(rows), len(cols)
    out = np.full((high + 2 * pad[0], wide + 2 * pad[1]), -1, np.int32)
    for row_class in range(2 * side - 1):
        at_rows = np.flatnonzero(of_row == row_class)
        for col_class in range(2 * side - 1) if at_rows.size else ():
            at_cols = np.flatnonzero(of_col == col_class)
            if not at_cols.size:
                continue
            r, c = (each.ravel() for each in np.meshgrid(at_rows, at_cols, indexing="ij"))
            round_ = np.stack([
                out[(r + d + pad[0]) % out.shape[0], (c + a + pad[1]) % out.shape[1]]
                for d, a in near
            ])  # fmt: skip
            new = _first_free([each[r, c] for each in draws], round_, count)
            out[r + pad[0], c + pad[1]] = new
    return out[pad[0] : pad[0] + high, pad[1] : pad[1] + wide]


def _beside(out: Choice, closed: tuple[bool, bool]) -> list[Choice]:
    """Give what lies above, below, left and right of each cell; −1 where nothing is known."""
    found = []
    for axis in (0, 1):
        for step in (1, -1):
            moved = np.roll(out, step, axis)
            if not closed[axis]:
                edge = [slice(None), slice(None)]
                edge[axis] = slice(0, 1) if step == 1 else slice(-1, None)
                moved[tuple(edge)] = -1
            found.append(moved)
    return found
