"""The search that solving is made of: domains of cells, what neighbours allow, decisions."""

from __future__ import annotations

import heapq
from collections.abc import Callable, Iterable
from time import monotonic

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.hashing import mix_one
from knitground.core.grow.joins import Joins

Mask = NDArray[np.bool_]
Numbers = NDArray[np.int32]
Places = list[int]
_DIRECTIONS = ((-1, 0), (0, 1), (1, 0), (0, -1))


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


def tiles_of(domain: int) -> list[int]:
    """List the tiles of a domain."""
    out = []
    while domain:
        low = domain & -domain
        out.append(low.bit_length() - 1)
        domain ^= low
    return out


class TileSearch:
    """A problem, and the search: which cells, how tiles join, what is given.

    Given tiles are any of those that show the same; `done` is what has been decided, −1 where
    nothing has.
    """

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
            alike = tiles_of(self._same[tile])
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

    def far(self, cell: int, other: int) -> int:
        """Count the steps from one cell to another, not over the border."""
        wide = int(self.size[1])
        return abs(cell // wide - other // wide) + abs(cell % wide - other % wide)

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
        tiles = tiles_of(domain)
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
