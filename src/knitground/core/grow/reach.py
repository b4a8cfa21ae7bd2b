"""All of some tiles to be reached from each other: ways are laid between parts that are not.

A part that is too small to matter goes, if other tiles can stand there; else the shortest way to
another part is looked for, its cells are bound to tiles that one can go over, and what lies round
it is solved again, wider each time. (Own derivation.)
"""

from __future__ import annotations

from collections import deque
from time import monotonic

from knitground.core.grow.solver import Solver

Places = list[int]
_SMALL = 8
_ROOM = (1, 2, 4, 7)


class Reach:
    """Joins the parts of what has been solved.

    Parameters
    ----------
    members : bits of the tiles that are to be reached
    ways : (4,) bits of those from which one can go on to the N, E, S and W
    """

    def __init__(self, solver: Solver, members: int, ways: tuple[int, int, int, int]) -> None:
        self.solver, self.members = solver, members
        self.ways = [members & each for each in ways]

    def join(self) -> list[Places]:
        """Join all that can be joined; returns the parts that are left, the largest first."""
        tried: set[frozenset[int]] = set()
        parts = self.parts()
        number = 0
        while len(parts) > 1 and monotonic() < self.solver.until:
            part = next((each for each in reversed(parts) if frozenset(each) not in tried), None)
            if part is None:
                break
            tried.add(frozenset(part))
            number += 1
            small = len(part) <= _SMALL and part is not parts[0]
            if not (small and self._gone(part, parts, number)):
                self._linked(part, parts, number)
            parts = self.parts()
        return parts

    def parts(self) -> list[Places]:
        """List the cells that hang together, the largest part first."""
        done, near = self.solver.done, self.solver.near
        left = {cell for cell, shown in enumerate(done) if shown >= 0 and self.members >> shown & 1}
        out = []
        while left:
            start = min(left)
            left.discard(start)
            part, line = [start], [start]
            while line:
                cell = line.pop()
                for direction, other in enumerate(near[cell]):
                    if other in left and self._open(cell, other, direction):
                        left.discard(other)
                        part.append(other)
                        line.append(other)
            out.append(part)
        return sorted(out, key=lambda part: (-len(part), part[0]))

    def _open(self, cell: int, other: int, direction: int) -> bool:
        done = self.solver.done
        here = self.ways[direction] >> done[cell] & 1
        return bool(here and self.ways[(direction + 2) % 4] >> done[other] & 1)

    # Taking away

    def _gone(self, part: Places, parts: list[Places], number: int) -> bool:
        """Let other tiles stand where a small part is."""
        solver = self.solver
        if any(solver.is_given(cell) for cell in part):
            return False
        kept = {cell for each in parts if each is not part for cell in each}
        for nth, far in enumerate(_ROOM[:2]):
            room = self._round(part, far, kept)
            bound = {cell: solver.first[cell] & ~self.members for cell in room}
            if self._solved(room, bound, len(parts), 7001 + 97 * number + nth):
                return True
        return False

    def _round(self, cells: Places, far: int, kept: set[int]) -> Places:
        """List cells and those near them that may change."""
        solver = self.solver
        found: set[int] = set()
        for cell in cells:
            row, col = divmod(cell, solver.wide)
            found.update(solver.box(row - far, col - far, row + far + 1, col + far + 1))
        return sorted(c for c in found if c not in kept and not solver.is_given(c)
                      and solver.done[c] >= 0)  # fmt: skip

    # Laying a way

    def _linked(self, part: Places, parts: list[Places], number: int) -> bool:
        """Lay a way from a part to the nearest other one."""
        solver = self.solver
        way = self._way(part, {cell for each in parts if each is not part for cell in each})
        if not way:
            return False
        bound = {cell: self._bound(way, n) for n, cell in enumerate(way)}
        if not all(bound.values()):
            return False
        kept = {cell for each in parts for cell in each}
        ends = [cell for cell in (way[0], way[-1]) if not solver.is_given(cell)]
        for nth, far in enumerate(_ROOM):
            room = sorted({*self._round(way, far, kept), *ends})
            if self._solved(room, bound, len(parts), 9001 + 97 * number + nth):
                return True
        return False

    def _way(self, part: Places, others: set[int]) -> Places:
        """Find the shortest way from a part to any other, both ends included."""
        solver = self.solver
        came: dict[int, int] = dict.fromkeys(part, -1)
        line = deque(part)
        while line:
            cell = line.popleft()
            for other in solver.near[cell]:
                if other < 0 or other in came or solver.done[other] < 0:
                    continue
                if other in others:
                    way = [other, cell]
                    while came[way[-1]] >= 0:
                        way.append(came[way[-1]])
                    return way[::-1]
                if solver.is_given(other):
                    continue
                came[other] = cell
                line.append(other)
        return []

    def _bound(self, way: Places, n: int) -> int:
        """Give the tiles that one can go over at a place of a way, as bits."""
        solver, cell = self.solver, way[n]
        domain = solver.first[cell] & self.members
        for other in (way[n - 1] if n else -1, way[n + 1] if n + 1 < len(way) else -1):
            if other >= 0:
                domain &= self.ways[solver.near[cell].index(other)]
        if n in (0, len(way) - 1):  # what hangs on an end goes on hanging on it
            for direction, other in enumerate(solver.near[cell]):
                shown = solver.done[other] if other >= 0 else -1
                if shown >= 0 and self.members >> shown & 1 and self._open(cell, other, direction):
                    domain &= self.ways[direction]
        return domain

    def _solved(self, room: Places, bound: dict[int, int], before: int, salt: int) -> bool:
        """Solve some cells again, bound so; all stays as it was if that joins nothing."""
        solver = self.solver
        first = {cell: solver.first[cell] for cell in bound}
        was = {cell: solver.done[cell] for cell in room}
        solver.first_of(bound)
        for cell in room:
            solver.done[cell] = -1
        fine = solver.fill(room, 0, 120, salt) and len(self.parts()) < before
        solver.first_of(first)
        if not fine:
            for cell, shown in was.items():
                solver.done[cell] = shown
        return fine
