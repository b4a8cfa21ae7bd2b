"""Solving: tiles for cells so that all neighbours join.

A cell's domain is the set of tiles that it may still show, as the bits of one whole number. What
neighbours allow is taken over until nothing changes (arc consistency, A. Mackworth 1977), the cell
with the fewest tiles left is decided next, and a dead end is taken back, a bounded number of times.
Large maps are solved block by block with a rim that looks ahead; where a block fails a hole is torn
round it, wider each time. What comes out is checked once more, pair by pair. (Own arrangement.)
"""

from __future__ import annotations

import heapq
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from time import monotonic

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.hashing import mix_one
from knitground.core.grow.joins import Joins

Mask = NDArray[np.bool_]
Numbers = NDArray[np.int32]
Places = list[int]
_DIRECTIONS = ((-1, 0), (0, 1), (1, 0), (0, -1))
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


class Solver:
    """One problem: which cells, how tiles join, what is given (any of those that show the tile)."""

    def __init__(
        self,
        joins: Joins,
        area: Mask,
        given: Numbers,
        *,
        wrap: bool,
        closed: bool = False,
        seed: int = 1,
        seconds: float = 20.0,
        progress: Callable[[float], None] | None = None,
        most: dict[int, int] | None = None,
        show: Callable[[Numbers], object] | None = None,
    ) -> None:
        self.joins, self.area, self.given = joins, area, given
        self._given: list[int] = given.ravel().tolist()
        self.size = area.shape
        self.seed, self.progress, self.show = seed, progress, show
        self._shown_at = monotonic()
        self.until = monotonic() + seconds
        self.count = len(joins.tiles)
        self.most = most or {}
        self._same = _same_tiles(joins)
        never = 0
        for tile, most_of in self.most.items():
            never |= self._same[tile] if most_of == 0 else 0
        self.every = ((1 << self.count) - 1) & ~never
        self._allow = [_Allowed(m) for m in (
            joins.down.T, joins.right, joins.down, joins.right.T,
        )]  # fmt: skip
        self.near = self._neighbours(wrap=wrap)
        self.first = self._first_domains(closed=closed)
        self.done: list[int] = [-1] * area.size
        self.tries = 0
        weights = joins.weights / max(1e-9, float(joins.weights.sum()))
        self.weights = [float(each) for each in weights]
        self._asked, inside = list(self.weights), max(1, int(area.sum()))
        for tile, most_of in self.most.items():
            alike = _tiles(self._same[tile])
            whole = sum(self.weights[n] for n in alike)
            for n in alike:
                self.weights[n] *= min(1.0, 0.5 * most_of / inside / max(1e-9, whole))

    def _neighbours(self, *, wrap: bool) -> list[tuple[int, int, int, int]]:
        """Number the cells above, right of, below and left of each; −1 is none."""
        high, wide = self.size
        rows, cols = np.indices(self.size)
        out = []
        for down, across in _DIRECTIONS:
            r, c = rows + down, cols + across
            number = (r % high) * wide + c % wide
            off = (r < 0) | (r >= high) | (c < 0) | (c >= wide)
            none = ~self.area.ravel()[number] if wrap else off | ~self.area.ravel()[number]
            out.append(np.where(none, -1, number).ravel().tolist())
        return list(zip(*out))

    def _first_domains(self, *, closed: bool) -> list[int]:
        ends = [_bits(each) for each in self.joins.ends]
        out = []
        given = self.given.ravel().tolist()
        for cell, inside in enumerate(self.area.ravel().tolist()):
            if not inside:
                out.append(0)
                continue
            domain = self._same[given[cell]] if given[cell] >= 0 else self.every
            if closed and given[cell] < 0:
                for direction, other in enumerate(self.near[cell]):
                    if other < 0:
                        domain &= ends[direction]
            out.append(domain)
        return out

    @property
    def wide(self) -> int:
        """Cells in a row."""
        return int(self.size[1])

    def is_given(self, cell: int) -> bool:
        """Whether what a cell shows is given."""
        return self._given[cell] >= 0

    def first_of(self, domains: dict[int, int]) -> None:
        """Say what some cells may show at all, as bits."""
        for cell, domain in domains.items():
            self.first[cell] = domain

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
        for turn, far in enumerate((1, 2, 4, 7)):
            if monotonic() > self.until:
                return
            box = [c for c in self.box(row - far, col - far, row + far + 1, col + far + 1)
                   if given[c] < 0 and self.done[c] >= 0]  # fmt: skip
            before = {c: self.done[c] for c in box}
            for c in box:
                self.done[c] = -1
            if self.fill(box, 0, 120, salt + turn):
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

    def far(self, cell: int, other: int) -> int:
        """Count the steps from one cell to another, not over the border."""
        wide = int(self.size[1])
        return abs(cell // wide - other // wide) + abs(cell % wide - other % wide)

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
        for turn, more in enumerate(_HOLES):
            if monotonic() > self.until:
                return False
            box = self.box(min(rows) - more, min(cols) - more, max(rows) + more + 1,
                            max(cols) + more + 1)  # fmt: skip
            before = {cell: self.done[cell] for cell in box}
            for cell in box:
                self.done[cell] = -1
            keep = [cell for cell in box if before[cell] >= 0 or cell in set(inner)]
            for attempt in range(3):
                if self.fill(keep, _RIM, _LIMITS[attempt], number * 31 + turn * 7 + attempt):
                    return True
                if monotonic() > self.until:
                    break
            for cell, tile in before.items():
                self.done[cell] = tile
        return False

    def box(self, top: int, left: int, bottom: int, right: int) -> Places:
        """List the cells of the area in a box; over the border where that meets itself."""
        high, wide = self.size
        wraps = self.near[0][0] >= 0 or any(n[0] >= 0 for n in self.near[:wide])
        rows = range(top, bottom) if wraps else range(max(0, top), min(high, bottom))
        cols = range(left, right) if wraps else range(max(0, left), min(wide, right))
        area = self.area.ravel()
        found = {(r % high) * wide + c % wide for r in rows for c in cols}
        return sorted(cell for cell in found if area[cell])

    def fill(self, inner: Places, rim: int, limit: int, salt: int) -> bool:
        """Decide the inner cells, looking ahead over the undecided ones round them."""
        chosen = set(inner)
        edge = set(inner)
        for _ in range(rim):
            edge = {
                other
                for cell in edge
                for other in self.near[cell]
                if other >= 0 and other not in chosen and self.done[other] < 0
            }
            chosen |= edge
        found = self._search(sorted(chosen), limit, salt, set(inner))
        if found is None:
            return False
        for cell in inner:
            self.done[cell] = found[cell]
        return True

    # One search

    def _search(
        self, cells: Places, limit: int, salt: int, wanted: set[int] | None = None
    ) -> dict[int, int] | None:
        """Decide cells (or the wanted ones of them); None after so many dead ends."""
        domains = {cell: self._bounded(cell) for cell in cells}
        if not all(domains.values()) or self._propagate(domains, cells, {}) is not None:
            return None
        seed = mix_one(self.seed, 41, salt)
        heap: list[tuple[int, int, int]] = []

        def wait(changed: Iterable[int]) -> None:
            """Line cells up for a decision, those with the fewest tiles first."""
            for cell in changed:
                domain = domains[cell]
                if domain & (domain - 1) and (wanted is None or cell in wanted):
                    tie = mix_one(seed, cell) & 0xFFFF
                    heapq.heappush(heap, (domain.bit_count(), tie, cell))

        wait(cells)
        stack: list[tuple[int, int, dict[int, int]]] = []
        root: dict[int, int] = {}
        dead = 0
        while heap:
            size, _, cell = heapq.heappop(heap)
            domain = domains[cell]
            if domain.bit_count() != size or not domain & (domain - 1):
                continue  # it was narrowed since, and waits at another place
            tile = self._pick(domain, mix_one(seed, 5, cell, dead))
            trail = {cell: domain}
            domains[cell] = 1 << tile
            stack.append((cell, tile, trail))
            fine = self._propagate(domains, [cell], trail) is None
            changed: Iterable[int] = trail
            while not fine:
                dead += 1
                self.tries += 1
                if dead > limit or not stack or (dead % 16 == 0 and monotonic() > self.until):
                    return None
                back, wrong, undone = stack.pop()
                domains.update(undone)
                wait(undone)
                left = domains[back] & ~(1 << wrong)
                if not left:
                    continue  # the choice before was wrong too
                # That this tile can not be follows from the choices before: it goes with them.
                parent = stack[-1][2] if stack else root
                parent.setdefault(back, domains[back])
                domains[back] = left
                before = set(parent)
                fine = self._propagate(domains, [back], parent) is None
                changed = [back, *(set(parent) - before), *before]
            wait(changed)
        return {cell: domains[cell].bit_length() - 1 for cell in wanted or cells}

    def _bounded(self, cell: int) -> int:
        """What a cell may show beside decided ones."""
        domain = self.first[cell]
        for direction, other in enumerate(self.near[cell]):
            if other >= 0 and self.done[other] >= 0:
                # What the neighbour allows on the side that faces this cell.
                domain &= self._allow[(direction + 2) % 4].of(1 << self.done[other])
        return domain

    def _pick(self, domain: int, number: int) -> int:
        tiles = _tiles(domain)
        weights = [self.weights[t] for t in tiles]
        at = (number & 0xFFFFFF) / 0x1000000 * sum(weights)
        for tile, weight in zip(tiles, weights):
            at -= weight
            if at < 0:
                return tile
        return tiles[-1]

    def _propagate(
        self, domains: dict[int, int], start: Iterable[int], trail: dict[int, int] | None
    ) -> int | None:
        """Take over what neighbours allow; returns a cell with nothing left, or None."""
        work = list(start)
        waiting = set(work)
        near, allow = self.near, self._allow
        while work:
            cell = work.pop()
            waiting.discard(cell)
            domain = domains[cell]
            for direction in (0, 1, 2, 3):
                other = near[cell][direction]
                old = domains.get(other)
                if old is None:
                    continue
                new = old & allow[direction].of(domain)
                if new == old:
                    continue
                if trail is not None:
                    trail.setdefault(other, old)
                domains[other] = new
                if not new:
                    return other
                if other not in waiting:
                    waiting.add(other)
                    work.append(other)
        return None

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


class _Allowed:
    """What neighbours on one side may be, by what a cell may be: looked up byte by byte."""

    def __init__(self, pairs: Mask) -> None:
        self._rows = [_bits(row) for row in pairs]
        self._bytes: list[list[int]] = []
        for start in range(0, len(self._rows), 8):
            table = [0] * 256
            for bit, row in enumerate(self._rows[start : start + 8]):
                step = 1 << bit
                for low in range(0, 256, 2 * step):
                    for n in range(low + step, low + 2 * step):
                        table[n] |= row
            self._bytes.append(table)
        self._known: dict[int, int] = {}

    def of(self, domain: int) -> int:
        """Give all that may lie there."""
        found = self._known.get(domain)
        if found is None:
            found, rest = 0, domain
            for table in self._bytes:
                found |= table[rest & 255]
                rest >>= 8
            if len(self._known) < 500_000:
                self._known[domain] = found
        return found


def _same_tiles(joins: Joins) -> list[int]:
    """Give of each of the n all that show the same tile, as bits."""
    found: dict[object, int] = {}
    for n, tile in enumerate(joins.tiles):
        found[tile] = found.get(tile, 0) | 1 << n
    return [found[tile] for tile in joins.tiles]


def _bits(row: NDArray[np.bool_]) -> int:
    return int.from_bytes(np.packbits(row, bitorder="little").tobytes(), "little")


def _tiles(domain: int) -> list[int]:
    out = []
    while domain:
        low = domain & -domain
        out.append(low.bit_length() - 1)
        domain ^= low
    return out


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
