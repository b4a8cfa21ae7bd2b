"""Weighted choice by counted numbers: slot tables, draws, and the shares they come to."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.bands import in_bands
from knitground.core.base.errors import EditError
from knitground.core.base.hashing import column_numbers, join, row_numbers
from knitground.core.base.tongue import say

VARIANT_SLOTS = 256
MIX_SLOTS = 65_536


def slot_counts(weights: Sequence[float], slots: int) -> NDArray[np.int64]:
    """Share a number of slots out by weight, by largest remainder.

    A weight of 0 gets no slot; any weight above 0 gets at least one, so that rare is never never.

    Parameters
    ----------
    weights : (n,) numbers, 0 or more, at least one above 0, n ≤ slots
    slots : how many to share out

    Returns
    -------
    (n,) whole numbers that add up to `slots`

    Raises
    ------
    EditError
        A weight is negative or not a number, or all are 0.

    Examples
    --------
    >>> slot_counts([2, 1, 1, 0], 8).tolist()
    [4, 2, 2, 0]
    """
    return _counts(tuple(map(float, weights)), slots).copy()


@lru_cache(maxsize=4096)
def _counts(weights: tuple[float, ...], slots: int) -> NDArray[np.int64]:
    """Work out `slot_counts`: of the keys of a set thousands ask for the same few weights."""
    wanted = np.asarray(weights, np.float64)
    if wanted.size == 0 or not np.isfinite(wanted).all() or (wanted < 0).any():
        raise EditError(
            say("weights {list} can not be used: give numbers of 0 or more", list=list(weights))
        )
    if wanted.sum() <= 0:
        raise EditError(
            say("all weights are 0, so nothing can be drawn: give one tile a weight over 0")
        )
    exact = wanted / wanted.sum() * slots
    counts = np.floor(exact).astype(np.int64)
    counts[(wanted > 0) & (counts == 0)] = 1
    missing = slots - int(counts.sum())
    if missing > 0:
        order = np.argsort(-(exact - np.floor(exact)) + (wanted <= 0) * 2, kind="stable")
        counts[order[:missing]] += 1
    for _ in range(-missing):
        counts[np.argmax(counts)] -= 1
    return np.asarray(counts, np.int64)


def slot_table(values: NDArray[Any], weights: Sequence[float], slots: int) -> NDArray[np.int32]:
    """Write each value into as many slots as its weight asks for: (slots,) int32."""
    return np.repeat(np.asarray(values, np.int32), _counts(tuple(map(float, weights)), slots))


def shares(weights: Sequence[float]) -> list[float]:
    """Give the part that each entry will take, 0 to 1; all 0 if every weight is 0."""
    total = float(sum(weights))
    return [weight / total if total > 0 else 0.0 for weight in weights]


def draw_cells(
    table: NDArray[np.int32], rows: NDArray[Any], cols: NDArray[Any], seed: int, layer: int
) -> NDArray[np.int32]:
    """Draw a value for every cell of rows × cols from a mix's slot table.

    Parameters
    ----------
    table : (65 536,) int32 as `slot_table` makes it
    rows, cols : (h,) and (w,) integers, the cells' own rows and columns
    seed, layer : int

    Returns
    -------
    (h, w) int32. A cell's value depends on its own place, seed and layer only.

    Notes
    -----
    Works through bands of rows that stay in the processor's cache, all processors helping.
    """
    out = np.empty((len(rows), len(cols)), np.int32)
    row_part, col_part = row_numbers(rows, seed, layer), column_numbers(cols, seed, layer)

    def draw_rows(top: int, bottom: int) -> None:
        numbers = np.empty((bottom - top, len(cols)), np.uint32)
        join(row_part[top:bottom], col_part, numbers)
        numbers >>= np.uint32(16)
        np.take(table, numbers.view(np.int32), out=out[top:bottom], mode="wrap")

    in_bands(draw_rows, len(rows), len(cols))
    return out
