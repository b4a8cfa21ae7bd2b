"""Work in bands: all rows once, in whatever order, on however many processors."""

import threading

import numpy as np
import pytest

from knitground.core.base import bands
from knitground.core.base.bands import in_bands


class Helpers:
    """Threads that help, as many as are asked for, also on a machine with one processor."""

    def __init__(self, count):
        self.pool = bands.ThreadPoolExecutor(count, "band")

    def __call__(self):
        return self.pool


@pytest.mark.parametrize("count", [0, 2, 5])
@pytest.mark.parametrize(
    ("rows", "wide", "cells"), [(1, 1, 10), (1000, 700, 65_536), (513, 1024, 4096), (3, 10**6, 10)]
)
def test_every_row_is_in_one_band(monkeypatch, count, rows, wide, cells):
    monkeypatch.setattr(bands, "_helpers", Helpers(count) if count else lambda: None)
    seen, threads = np.zeros(rows, int), set()

    def work(top, bottom):
        assert (bottom - top) * wide <= cells or bottom - top == 1
        seen[top:bottom] += 1
        threads.add(threading.current_thread().name)

    in_bands(work, rows, wide, cells)
    assert (seen == 1).all()
    if rows * wide < 1 << 18 or not count:  # little is not worth waking others
        assert threads == {threading.current_thread().name}
    else:
        assert all(name.startswith("band") for name in threads)


def test_no_rows_are_no_work():
    in_bands(lambda top, bottom: pytest.fail("no rows"), 0, 5)


@pytest.mark.parametrize("count", [0, 2])
def test_the_first_fault_is_told(monkeypatch, count):
    monkeypatch.setattr(bands, "_helpers", Helpers(count) if count else lambda: None)

    def work(top, bottom):
        if top >= 512:
            raise ValueError(top)

    with pytest.raises(ValueError, match="512"):
        in_bands(work, 1024, 1024, 256 * 1024)


def test_helpers_give_what_one_thread_gives(monkeypatch):
    """Knitting, mixes and rules: bit for bit."""
    from tests.maps import pair_marks

    from knitground.core.chance.draw import MIX_SLOTS, draw_cells, slot_table
    from knitground.core.knit.knit import knit
    from knitground.core.knit.table import build_table

    marks = pair_marks([(1, 2), (2, 3), (3, 1)], copies=2)
    table = build_table(marks, list(range(1, len(marks) + 1)), [1.0] * len(marks), 4)
    rng = np.random.default_rng(5)
    terrain = rng.integers(0, 5, (701, 601)).astype(np.uint8)
    slots = slot_table(np.arange(5), [1, 2, 3, 4, 5], MIX_SLOTS)
    at, across = np.arange(700), np.arange(600)

    def made():
        return knit(table, terrain, at, across, 3, 2), draw_cells(slots, at, across, 9, 4)

    monkeypatch.setattr(bands, "_helpers", lambda: None)
    one = made()
    monkeypatch.setattr(bands, "_helpers", Helpers(3))
    for _ in range(5):
        for a, b in zip(one, made()):
            assert np.array_equal(a, b)
    part = knit(table, terrain[100:202, 50:152], at[100:201], across[50:151], 3, 2)
    assert np.array_equal(part, one[0][100:201, 50:151])
