"""Repair: changing as few places as may be so that every cell of a window has a tile.

A cell asks something of four places: its vertices, or its sides. What was painted is fixed, and so
is the window's rim. The search is tabu search with least conflicts (after F. Glover, Tabu Search,
1989, and S. Minton et al., Minimizing conflicts, 1992): take a cell without a tile, give one of its
places the value that leaves the fewest such cells, and leave that place alone for a while. Then
changes that are not needed are taken back, the farthest first.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.hashing import mix_one
from knitground.core.base.progress import Progress, no_progress
from knitground.core.chance.draw import VARIANT_SLOTS
from knitground.core.knit.table import KnitTable

_READERS = 4
"""At most so many cells read one place: those round a vertex; of a side they are two."""
CellPlaces = NDArray[np.intp]
"""(n, 4): the places that each cell reads, in the order of the kind's slots."""


def corner_cells(height: int, width: int) -> CellPlaces:
    """Give the four vertices of every cell in a window of height × width vertices."""
    at = np.arange(height * width).reshape(height, width)
    parts = (at[:-1, :-1], at[:-1, 1:], at[1:, :-1], at[1:, 1:])
    return np.stack([part.ravel() for part in parts], axis=1)


class Problem:
    """A window of places, the cells that read them, what may not change, and what was there.

    Cells without a tile that the painting did not touch are forgiven, unless told otherwise.
    """

    def __init__(
        self,
        table: KnitTable,
        cells: CellPlaces,
        before: NDArray[Any],
        fixed: NDArray[np.bool_],
        painted: NDArray[Any],
        forgive: bool = True,
    ) -> None:
        self.table = table
        self.cells = cells
        self.shape = before.shape
        self.before = before.ravel().astype(np.int64)
        self.fixed = fixed.ravel()
        start = painted.ravel().astype(np.int64)
        touched = start != self.before
        self.exempt = self._gaps(self.before) & ~touched[cells].any(axis=1)
        if not forgive:
            self.exempt[:] = False
        self._spared: list[bool] = self.exempt.tolist()
        self._known: dict[tuple[int, ...], bool] = {}
        self._four: dict[int, list[int]] = {}
        self._readers: dict[int, list[int]] = {}

    def _gaps(self, values: NDArray[np.int64]) -> NDArray[np.bool_]:
        """Tell which cells have no tile."""
        table = self.table
        side = table.base + 1
        four = np.minimum(values, table.base)[self.cells]
        codes = table.north[four[:, 0] * side + four[:, 1]]
        codes = codes + table.south[four[:, 2] * side + four[:, 3]]
        return np.asarray(table.first[codes] == VARIANT_SLOTS, np.bool_)

    def conflicts(self, values: NDArray[Any]) -> NDArray[np.bool_]:
        """Tell which cells have no tile now, those apart that had none and were not touched."""
        return np.asarray(self._gaps(values.astype(np.int64)) & ~self.exempt)

    def _fits(self, key: tuple[int, ...]) -> bool:
        known = self._known[key] = max(key) <= self.table.base and self.table.fits(key)
        return known

    def _bad(self, values: list[int], cells: Iterable[int]) -> int:
        """Count the cells that have no tile: most of a search's time is spent here."""
        spared, four, known = self._spared, self._four, self._known
        bad = 0
        for cell in cells:
            if spared[cell]:
                continue
            a, b, c, d = four.get(cell) or self._places(cell)
            key = (values[a], values[b], values[c], values[d])
            fits = known.get(key)
            bad += not (self._fits(key) if fits is None else fits)
        return bad

    def _places(self, cell: int) -> list[int]:
        found = self._four.get(cell)
        if found is None:
            found = self._four[cell] = self.cells[cell].tolist()
        return found

    def _near(self, place: int) -> list[int]:
        """List the cells that read a place, each once."""
        found = self._readers.get(place)
        if found is None:
            begin, end = self._begins[place : place + 2]
            found = self._readers[place] = sorted(set(self._by_place[begin:end].tolist()))
        return found

    def search(
        self, start: NDArray[Any], steps: int, patience: int | None = None
    ) -> NDArray[Any] | None:
        """Look for values without conflicts near a start; None if none is found in so many steps.

        Parameters
        ----------
        patience : give up after so many steps that leave no fewer conflicts than there were before

        Returns
        -------
        an array as `start`, needless changes taken back
        """
        self._prepare(start)
        values = start.ravel().astype(np.int64).tolist()
        waiting = set(np.flatnonzero(self.conflicts(start.ravel())).tolist())
        held: dict[int, int] = {}
        fewest, since = len(waiting), 0
        for step in range(steps):
            if not waiting:
                break
            if len(waiting) < fewest:
                fewest, since = len(waiting), step
            if patience is not None and step - since > patience:
                return None
            if len(waiting) > _READERS * (steps - step):
                return None  # a step helps no more cells than read one place
            ordered = sorted(waiting)
            cell = ordered[mix_one(step, len(ordered)) % len(ordered)]
            move = self._best_move(values, cell, held, step)
            if move is None:
                continue
            place, value = move
            values[place] = value
            held[place] = step + 4 + mix_one(step, place) % 6
            for near in self._near(place):
                (waiting.add if self._bad(values, (near,)) else waiting.discard)(near)
        if waiting:
            return None
        out = np.array(values).astype(start.dtype).reshape(self.shape)
        return self.trimmed(out)

    def _prepare(self, start: NDArray[Any]) -> None:
        order = np.argsort(self.cells, axis=None, kind="stable")
        self._by_place = order // self.cells.shape[1]
        counts = np.bincount(self.cells.ravel(), minlength=self.before.size)
        self._begins = [0, *np.cumsum(counts).tolist()]
        kinds = {int(v) for v in np.unique(start)} | {int(v) for v in np.unique(self.before)}
        for key in self.table.variants:
            if kinds & set(key) - {0}:
                kinds |= set(key)
        self._kinds = sorted(kind for kind in kinds if kind < self.table.base)

    def _best_move(
        self, values: list[int], cell: int, held: dict[int, int], step: int
    ) -> tuple[int, int] | None:
        best: tuple[int, bool] | None = None
        among: list[tuple[int, int]] = []
        for place in self._places(cell):
            if self.fixed[place] or held.get(place, 0) > step:
                continue
            old, before, near = values[place], int(self.before[place]), self._near(place)
            for value in self._kinds:
                if value == old:
                    continue
                values[place] = value
                score = (self._bad(values, near), value != before)
                if best is None or score < best:
                    best, among = score, [(place, value)]
                elif score == best:
                    among.append((place, value))
            values[place] = old
        if len(among) < 2:
            return among[0] if among else None
        return min(among, key=lambda move: mix_one(step, *move))

    def trimmed(self, found: NDArray[Any]) -> NDArray[Any]:
        """Take back changes that are not needed, one by one and two by two."""
        changed = np.flatnonzero((found.ravel() != self.before) & ~self.fixed)
        if not changed.size or changed.size > _MOST_TRIMMED:
            return found
        self._prepare(found)
        values = found.ravel().astype(np.int64).tolist()
        again = True
        while again:
            again = False
            for place in reversed(changed.tolist()):
                if values[place] == int(self.before[place]):
                    continue
                if self._take_back(values, (place,)):
                    again = True
                    continue
                for cell in self._near(place):
                    others = [
                        p
                        for p in self._places(cell)
                        if p != place and not self.fixed[p] and values[p] != self.before[p]
                    ]
                    if any(self._take_back(values, (place, other)) for other in others):
                        again = True
                        break
        return np.array(values).astype(found.dtype).reshape(found.shape)

    def _take_back(self, values: list[int], places: tuple[int, ...]) -> bool:
        old = [values[place] for place in places]
        for place in places:
            values[place] = int(self.before[place])
        touched = {cell for place in places for cell in self._near(place)}
        if self._bad(values, touched):
            for place, value in zip(places, old):
                values[place] = value
            return False
        return True


_MOST_TRIMMED = 600
_IN_VAIN_IN_A_ROW, _IN_VAIN = 24, 96
"""So many searches without success, and no more are made: each costs as much as ten good ones."""


def close_gaps(
    table: KnitTable,
    terrain: NDArray[np.uint8],
    wrap: bool,
    most: int = 2000,
    progress: Progress = no_progress,
) -> NDArray[np.uint8]:
    """Change a few vertices of a corner set's terrain wherever cells have no tile.

    Parameters
    ----------
    terrain : (h, w) uint8, vertices of one period if the map wraps
    most : look at no more than so many places
    progress : asked before each: it may call the work off

    Returns
    -------
    (h, w) uint8, a new array; where nothing fits near by, the gap stays
    """
    out = np.array(terrain)
    height, width = out.shape
    done: set[tuple[int, int]] = set()
    gaps = _gap_cells(table, out, wrap)[:most].tolist()
    vain = in_all = 0
    for place, (row, col) in enumerate(gaps):
        progress(place / len(gaps))
        if (row // 3, col // 3) in done:
            continue
        if vain == _IN_VAIN_IN_A_ROW or in_all == _IN_VAIN:
            break  # the set lacks what this ground asks for
        rows, cols = np.arange(row - 4, row + 6), np.arange(col - 4, col + 6)
        if wrap:
            if min(height, width) < len(rows):
                continue
            rows, cols = rows % height, cols % width
        else:
            rows, cols = rows[(rows >= 0) & (rows < height)], cols[(cols >= 0) & (cols < width)]
        window = out[np.ix_(rows, cols)]
        fixed = np.ones(window.shape, np.bool_)
        fixed[1:-1, 1:-1] = False
        cells = corner_cells(*window.shape)
        problem = Problem(table, cells, window, fixed, window, forgive=False)
        found = problem.search(window, 400, patience=64)
        vain, in_all = (0, in_all) if found is not None else (vain + 1, in_all + 1)
        if found is not None:
            out[np.ix_(rows, cols)] = found
            done.add((row // 3, col // 3))
    return out


def _gap_cells(table: KnitTable, terrain: NDArray[np.uint8], wrap: bool) -> NDArray[np.intp]:
    ground = np.pad(terrain, ((0, 1), (0, 1)), mode="wrap") if wrap else terrain
    side = table.base + 1
    known = np.minimum(ground, table.base).astype(np.intp)
    pairs = known[:, :-1] * side + known[:, 1:]
    codes = table.north[pairs[:-1]] + table.south[pairs[1:]]
    return np.argwhere(table.first[codes] == VARIANT_SLOTS)
