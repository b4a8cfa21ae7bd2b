"""Exact shares: so many places each, cut by order, the same on any machine."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import GrowError
from knitground.core.base.tongue import say

_FINE = 2.0**24  # of a deviation; over a hundred deviations still fit 32 bits


def exact_counts(parts: list[float], total: int) -> list[int]:
    """Share a total out by parts, by largest remainder; they add up to the total.

    Examples
    --------
    >>> exact_counts([1, 1, 1], 10)
    [4, 3, 3]
    """
    whole = sum(parts)
    if not 0 < whole < float("inf") or min(parts) < 0:
        raise GrowError(
            say(
                "shares {parts} can not be laid: give at least one terrain more than 0", parts=parts
            )
        )
    exact = [part / whole * total for part in parts]
    counts = [int(value) for value in exact]
    order = sorted(range(len(parts)), key=lambda n: counts[n] - exact[n])
    for n in order[: total - sum(counts)]:
        counts[n] += 1
    return counts


def ordered(field: NDArray[np.float64]) -> NDArray[np.int64]:
    """Give every place a key of its own that sorts as the field does.

    Values are rounded to a 16-millionth first, for transforms differ in their last bits from
    machine to machine; equal ones are told apart by a number of the place, so that no two keys are
    the same.

    Parameters
    ----------
    field : any shape; values within ± 100

    Returns
    -------
    int64, flat
    """
    fine = np.rint(field.ravel() * _FINE).astype(np.int64)
    fine <<= np.int64(32)
    fine += np.arange(fine.size, dtype=np.int64) * 0x9E3779B1 & 0xFFFFFFFF
    return fine


def top_places(keys: NDArray[np.int64], count: int) -> NDArray[np.bool_]:
    """Mark the `count` places with the highest keys; exact, as no two keys are the same."""
    if count <= 0:
        return np.zeros(keys.size, np.bool_)
    if count >= keys.size:
        return np.ones(keys.size, np.bool_)
    bound = np.partition(keys, keys.size - count)[keys.size - count]
    marked: NDArray[np.bool_] = keys >= bound
    return marked


def cut_shares(
    field: NDArray[np.float64], counts: list[int], only: NDArray[np.bool_] | None = None
) -> NDArray[np.uint8]:
    """Cut a field into levels 0, 1, 2 … of exactly so many places each, lowest values first.

    Parameters
    ----------
    field : (h, w) float64
    counts : places of each level; they add up to h·w
    only : (h, w) the places that are counted, to whose sum they add up then; the others are cut at
        the same values

    Returns
    -------
    (h, w) uint8
    """
    keys = ordered(field)
    some = keys if only is None else keys[only.ravel()]
    ends = np.cumsum(counts)[:-1]
    inner = sorted({int(end) for end in ends if 0 < end < some.size})
    parted = np.partition(some, inner) if inner else some
    levels = np.zeros(keys.size, np.uint8)
    for end in ends:
        if end <= 0:
            levels += 1
        elif end < some.size:
            levels += keys >= parted[end]
    return levels.reshape(field.shape)
