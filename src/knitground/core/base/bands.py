"""Work on many rows, band by band: each fits the processor's cache, and all processors help.

What is worked out for a band must depend on nothing that another band writes: then it is the same
in whatever order, and on however many processors, it is done.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import cache

CACHED = 65_536
"""Cells that stay in a processor's cache."""
_WORTH = 1 << 18
"""From so many cells on it is worth waking other threads."""
_MOST = 4


@cache
def _helpers() -> ThreadPoolExecutor | None:
    """Give the threads that help; None where there is one processor only."""
    count = min(_MOST, len(os.sched_getaffinity(0)))
    return ThreadPoolExecutor(count, "band") if count > 1 else None


def in_bands(
    work: Callable[[int, int], object], rows: int, row_cells: int, cells: int = CACHED
) -> None:
    """Do something with bands of rows: `work(top, bottom)` for each.

    Parameters
    ----------
    work : much of it in NumPy on arrays of their own, which lets other threads go on
    rows, row_cells : how many rows there are, and cells in each
    cells : of a band at most, but one row at least

    Raises
    ------
    What the first band that fails raises.

    Examples
    --------
    >>> bands = []
    >>> in_bands(lambda top, bottom: bands.append((top, bottom)), 5, 10, cells=20)
    >>> bands
    [(0, 2), (2, 4), (4, 5)]
    """
    step = max(1, min(rows, cells // max(1, row_cells)))
    tops = range(0, rows, step)
    helpers = _helpers() if rows * row_cells >= _WORTH and len(tops) > 1 else None
    if helpers is None:
        for top in tops:
            work(top, min(top + step, rows))
        return
    for _ in helpers.map(lambda top: work(top, min(top + step, rows)), tops):
        pass
