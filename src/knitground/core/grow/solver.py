"""Solving: tiles for cells so that all neighbours join.

A cell's domain is the set of tiles that it may still show, as the bits of one whole number. What
neighbours allow is taken over until nothing changes (arc consistency, A. Mackworth 1977), the cell
with the fewest tiles left is decided next, and a dead end is taken back, a bounded number of times.
Large maps are solved block by block with a rim that looks ahead; where a block fails a hole is torn
round it, wider each time. What comes out is checked once more, pair by pair. (Own arrangement.)
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from time import monotonic

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.hashing import mix_one
from knitground.core.grow.joins import Joins
from knitground.core.grow.tilesearch import Numbers, Places, TileSearch

_BLOCK, _RIM = 14, 4
_HOLES = (3, 5, 8, 12, 18)
_LIMITS = (60, 240, 900)
_SHOW_SECONDS = 0.2


@dataclass
class Solved:
    """Numbers of tiles (h, w), −1 outside and where nothing fits; cells that could not be filled.

    `proven` says that no filling exists at all; `clash` names the cells at which that shows;
    `over` counts, by tile, how many more lie there than were to lie at most.
    """

    cells: Numbers
    holes: Places = field(default_factory=list)
    proven: bool = False
    clash: Places = field(default_factory=list)
    over: dict[int, int] = field(default_factory=dict)


class Solver(TileSearch):
    """Fills all cells of a problem: in one search, or block by block; shares and limits kept."""

    # The whole

    def solve(self) -> Solved:
        """Fill all cells, or as many as can be."""
        cells = np.flatnonzero(self.area.ravel()).tolist()
        domains = {cell: self.first[cell] for cell in cells}
        clash = self._propagate(domains, cells, None)
        if clash is not None:
            return self._impossible(clash)
        # What follows from the given cells holds whatever is laid later.
        for cell, domain in domains.items():
            self.first[cell] = domain
        found = self._search_all(cells)
        if found is None and self.most:
            # Rare tiles may be just those that are needed to go on: first of all, all is to join.
            self.weights = self._asked
            found = self._search_all(cells)
        if found is not None:
            return self._finished(found)
        holes = self._by_blocks(cells)
        return self._finished({}, holes)

    def _search_all(self, cells: Places) -> dict[int, int] | None:
        """Decide all cells in one search, if they are not too many."""
        if len(cells) > 40 * 40:
            return None
        for number, limit in enumerate(_LIMITS):
            found = self._search(cells, limit, number)
            if found is not None or monotonic() > self.until:
                return found
        return None

    def _finished(self, found: dict[int, int], holes: Iterable[int] = ()) -> Solved:
        for cell, tile in found.items():
            self.done[cell] = tile
        for tile, most in self.most.items():
            self._thin(tile, most)
        holes = sorted(holes)
        if not holes:
            self._polish()
        over = {tile: more for tile, most in self.most.items()
                if (more := len(self._showing(tile)) - most) > 0}  # fmt: skip
        return Solved(np.array(self.done, np.int32).reshape(self.size), holes, over=over)

    # At most so many

    def _thin(self, tile: int, most: int) -> None:
        """Put others in the place of a tile that lies there too often.

        Some of its cells are kept, by chance; all others may not show it any more. Windows round
        those that do are solved again, wider each time.
        """
        bit, given = self._same[tile], self.given.ravel().tolist()
        laid = self._showing(tile)
        pinned = sum(given[cell] >= 0 for cell in laid)
        free = sorted((cell for cell in laid if given[cell] < 0),
                      key=lambda cell: mix_one(self.seed, 83, cell))  # fmt: skip
        kept, surplus = free[: max(0, most - pinned)], free[max(0, most - pinned) :]
        stays = set(kept)
        for cell, domain in enumerate(self.first):
            if domain & ~bit and given[cell] < 0 and cell not in stays:
                self.first[cell] = domain & ~bit
        for number, cell in enumerate(surplus):
            if self.done[cell] >= 0 and bit >> self.done[cell] & 1:
                self._without(cell, 5003 * number)

    def _showing(self, tile: int) -> Places:
        """List the cells that show a tile."""
        bit = self._same[tile]
        return [cell for cell, shown in enumerate(self.done) if shown >= 0 and bit >> shown & 1]

    def _without(self, cell: int, salt: int) -> None:
        """Solve round a cell again, wider each time, until it shows what it may."""
        row, col = divmod(cell, int(self.size[1]))
        given = self.given.ravel()
        for nth, far in enumerate((1, 2, 4, 7)):
            if monotonic() > self.until:
                return
            box = [c for c in self.box(row - far, col - far, row + far + 1, col + far + 1)
                   if given[c] < 0 and self.done[c] >= 0]  # fmt: skip
            before = {c: self.done[c] for c in box}
            for c in box:
                self.done[c] = -1
            if self.fill(box, 0, 120, salt + nth):
                return
            for c, shown in before.items():
                self.done[c] = shown

    def _impossible(self, clash: int) -> Solved:
        """Say which given cells can not go together: as few as show it."""
        given = np.flatnonzero(self.area.ravel() & (self.given.ravel() >= 0)).tolist()
        near = sorted(given, key=lambda cell: self.far(cell, clash))[:24]
        needed = list(near)
        for cell in reversed(near):
            trial = [other for other in needed if other != cell]
            if self._clashes(trial, clash):
                needed = trial
        if not self._clashes(needed, clash):
            needed = near[:2]
        out = np.full(self.area.size, -1, np.int32)
        for cell in given:
            out[cell] = self.given.ravel()[cell]
        return Solved(out.reshape(self.size), [clash], proven=True, clash=[clash, *needed])

    def _clashes(self, given: Places, clash: int) -> bool:
        """Whether these given cells alone rule everything out near a place."""
        kept = set(given)
        reach = max([8, *(self.far(cell, clash) + 2 for cell in given)])
        cells = [c for c in np.flatnonzero(self.area.ravel()).tolist()
                 if self.far(c, clash) <= reach]  # fmt: skip
        mine = self.given.ravel()
        domains = {c: (self._same[int(mine[c])] if c in kept else self.every) for c in cells}
        return self._propagate(domains, cells, None) is not None

    # Blocks

    def _by_blocks(self, cells: Places) -> Places:
        high, wide = self.size
        blocks = [(top, left) for top in range(0, high, _BLOCK) for left in range(0, wide, _BLOCK)]
        holes: list[int] = []
        for number, (top, left) in enumerate(blocks):
            self._tell(number / len(blocks))
            inner = self.box(top, left, top + _BLOCK, left + _BLOCK)
            inner = [cell for cell in inner if self.done[cell] < 0]
            if not inner:
                continue
            if self.fill(inner, _RIM, 80, number):
                continue
            if not self._tear(inner, number):
                holes += [cell for cell in inner if self.done[cell] < 0]
                if monotonic() > self.until:
                    holes += [cell for cell in cells if self.done[cell] < 0]
                    break
        return sorted(set(holes))

    def _tell(self, part: float) -> None:
        """Say how far it is, and now and then what has been laid."""
        if self.progress is not None:
            self.progress(part)
        if self.show is not None and monotonic() - self._shown_at > _SHOW_SECONDS:
            self.show(np.array(self.done, np.int32).reshape(self.size))
            self._shown_at = monotonic()

    def _tear(self, inner: Places, number: int) -> bool:
        """Take away what lies round a block that failed, wider each time, and try again."""
        rows = [cell // self.size[1] for cell in inner]
        cols = [cell % self.size[1] for cell in inner]
        for nth, more in enumerate(_HOLES):
            if monotonic() > self.until:
                return False
            box = self.box(min(rows) - more, min(cols) - more, max(rows) + more + 1,
                            max(cols) + more + 1)  # fmt: skip
            before = {cell: self.done[cell] for cell in box}
            for cell in box:
                self.done[cell] = -1
            keep = [cell for cell in box if before[cell] >= 0 or cell in set(inner)]
            for attempt in range(3):
                if self.fill(keep, _RIM, _LIMITS[attempt], number * 31 + nth * 7 + attempt):
                    return True
                if monotonic() > self.until:
                    break
            for cell, tile in before.items():
                self.done[cell] = tile
        return False

    # Shares

    def _polish(self) -> None:
        """Solve random windows again with weights that favour what there is too little of."""
        cells = np.flatnonzero(self.area.ravel()).tolist()
        if len(cells) < 64 or self.count < 2:
            return
        wanted = np.array(self.weights)
        free = [c for c in cells if self.given.ravel()[c] < 0]
        error = self._error(wanted, cells)
        for number in range(min(40, len(cells) // 48)):
            if monotonic() > self.until or not free:
                return
            cell = free[mix_one(self.seed, 61, number) % len(free)]
            row, col = divmod(cell, self.size[1])
            box = [c for c in self.box(row - 4, col - 4, row + 4, col + 4)
                   if self.given.ravel()[c] < 0]  # fmt: skip
            laid = np.bincount([self.done[c] for c in cells], minlength=self.count) / len(cells)
            push = np.clip((wanted + 1e-4) / (laid + 1e-4), 0.2, 5.0) ** 2
            before = {c: self.done[c] for c in box}
            for c in box:
                self.done[c] = -1
            self.weights = (wanted * push).tolist()
            fine = self.fill(box, 0, 40, 977 + number)
            after = self._error(wanted, cells) if fine else np.inf
            if after < error:
                error = after
            else:
                for c, tile in before.items():
                    self.done[c] = tile
        self.weights = wanted.tolist()

    def _error(self, wanted: NDArray[np.float64], cells: Places) -> float:
        laid = np.bincount([self.done[c] for c in cells], minlength=self.count) / len(cells)
        return float(np.abs(laid - wanted).sum())


def wrong_joins(joins: Joins, cells: Numbers, *, wrap: bool) -> list[tuple[int, int]]:
    """List the cells whose right or lower neighbour does not join: an independent check."""
    out: list[tuple[int, int]] = []
    for axis, pairs in ((1, joins.right), (0, joins.down)):
        there = np.roll(cells, -1, axis)
        if not wrap:
            edge = [slice(None), slice(None)]
            edge[axis] = slice(-1, None)
            there[tuple(edge)] = -1
        both = (cells >= 0) & (there >= 0)
        bad = both.copy()
        bad[both] = ~pairs[cells[both], there[both]]
        out += [(int(r), int(c)) for r, c in np.argwhere(bad)]
    return sorted(set(out))
