"""Solve: a grown layer filled with tiles that all join, what lies there by hand being given."""

from __future__ import annotations

from time import monotonic

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import EditError, GrowError
from knitground.core.base.tongue import say, say_many
from knitground.core.grow.joins import Joins, joins_of
from knitground.core.grow.reach import Reach
from knitground.core.grow.solver import Solved, Solver, wrong_joins
from knitground.core.grow.stepkind import ON_GROWN, As, Setting, Start, StepKind
from knitground.core.grow.work import Grown, Mask, Work
from knitground.core.model.layers import GrownLayer
from knitground.core.model.solvestep import SolveEdge, SolveFrom, SolveStep
from knitground.core.model.terrain import SetKind, Slot

MAX_SOLVED = 512 * 512
MAX_GAPS = 256


def run_solve(work: Work, step: SolveStep) -> list[Grown]:
    """Solve the cells where the step works; pins are given, what can not be filled stays empty.

    Raises
    ------
    GrowError
        How tiles join can not be learnt, or there are more cells than can be solved.
    """
    layer = work.layer(step.layer, GrownLayer, "grown")
    joins = joins_of(work, step)
    area = work.mask(step)
    if int(area.sum()) > MAX_SOLVED:
        raise GrowError(
            say(
                "{number} would solve {number2} cells, {max_solved} are the most: give it an area",
                number=work.number,
                number2=int(area.sum()),
                max_solved=MAX_SOLVED,
            )
        )
    task = _Task(work, step, layer, joins, area)
    solver, found, left = task.solved()
    parts = _reached(work, step, joins, solver) if step.reach and not found.holes else []
    if parts:
        found.cells = np.array(solver.done, np.int32).reshape(work.size)
    wrong = wrong_joins(joins, found.cells, wrap=task.wraps)
    if wrong and not found.proven:
        raise GrowError(
            say(
                "{number}: {count} cells do not join: tell the makers",
                number=work.number,
                count=len(wrong),
            )
        )
    made = task.before if found.proven else task.laid_as(found.cells)
    words, spots = _told(work, joins, found)
    if found.proven:
        words += _missing(work, step, joins, solver, found)
    elif left:
        words += say(
            " · nothing fits in {count}: left out",
            count=say_many("{count} cell", "{count} cells", len(left)),
        )
        spots = spots or tuple(left[:64])
    if len(parts) > 1:
        alone = [cell for part in parts[1:] for cell in part]
        words += say(
            " · “{reach}” in {count} parts, {count2} not reached",
            reach=step.reach,
            count=len(parts),
            count2=say_many("{count} cell", "{count} cells", len(alone)),
        )
        spots = spots or tuple(divmod(cell, int(work.size[1])) for cell in alone[:64])
    elif parts:
        words += say(" · all “{reach}” reached", reach=step.reach)
    elif step.reach and found.holes and not found.proven:
        words += say(" · whether all “{reach}” are reached was not looked at", reach=step.reach)
    laid = float((found.cells >= 0).sum()) / max(1, int(task.area.sum()))
    shares = ((step.tileset or "tiles", 1.0, laid),)
    return [Grown(layer, made, shares, words=words, spots=spots)]


class _Task:
    """A step's problem: which cells, what is given, and how tiles of the solver lie on the map."""

    def __init__(
        self, work: Work, step: SolveStep, layer: GrownLayer, joins: Joins, area: Mask
    ) -> None:
        self.work, self.step, self.layer, self.joins = work, step, layer, joins
        legend = work.map.legend
        self.places = np.array([legend.place(tile) for tile in joins.tiles], np.int32)
        pinned = layer.pinned & area
        held = np.maximum(layer.cells[pinned], 0)
        numbers = np.full(len(legend) + 1, -1, np.int32)  # after what is held: it may grow
        numbers[self.places] = np.arange(len(self.places))
        self.given = np.full(work.size, -1, np.int32)
        self.given[pinned] = numbers[held]
        # What was pinned and is no tile of these is nothing that could join: it is left out.
        self.area = area & ~(pinned & (self.given < 0))
        self.wraps = work.goes_round or step.edge is SolveEdge.WRAPS
        self.before = work.own_cells(layer)
        limits = {(row, col): most for row, col, most in step.most}
        first = {tile: n for n, tile in reversed(list(enumerate(joins.tiles)))}
        self.most = {n: limits[at] for tile, n in first.items()
                     if (at := (tile.row, tile.col)) in limits}  # fmt: skip

    def laid_as(self, cells: NDArray[np.int32]) -> NDArray[np.int32]:
        """Give places of the legend for numbers of tiles, what was there where there is none."""
        return np.where(cells >= 0, self.places[np.maximum(cells, 0)], self.before)

    def solved(self) -> tuple[Solver, Solved, list[tuple[int, int]]]:
        """Solve; where it is impossible and gaps may be left, again without the cells that show it.

        Returns
        -------
        the last solver, what it found, and the cells that were left out
        """
        left: list[tuple[int, int]] = []
        solver = self._solver()
        found = solver.solve()
        while found.proven and self.step.gaps and len(left) < MAX_GAPS:
            left.append(_gap(solver, found))
            self.area[left[-1]] = False
            solver = self._solver()
            found = solver.solve()
        return solver, found, left

    def _solver(self) -> Solver:
        work, step = self.work, self.step
        return Solver(
            self.joins, self.area, self.given, wrap=self.wraps,
            closed=step.edge is SolveEdge.CLOSED, seed=work.seed, seconds=float(step.seconds),
            progress=work.progress, most=self.most, show=self._show if work.show else None,
        )  # fmt: skip

    def _show(self, cells: NDArray[np.int32]) -> None:
        if self.work.show is not None:
            self.work.show(Grown(self.layer, self.laid_as(cells), step=self.work.place))


def _gap(solver: Solver, found: Solved) -> tuple[int, int]:
    """Choose the cell to be left out where it is impossible: a given one only if all round it are.

    Of those beside a given cell that can not be, the one that lies nearest to the others with which
    it can not be.
    """
    clash, *others = found.clash
    if solver.is_given(clash):
        free = [c for c in solver.near[clash] if c >= 0 and not solver.is_given(c)]
        far = [cell for cell in others if cell != clash] or [clash]
        clash = min(free, key=lambda c: (min(solver.far(c, o) for o in far), c), default=clash)
    row, col = divmod(clash, solver.wide)
    return int(row), int(col)


_FACING = (
    ("above", (Slot.SW, Slot.SE), Slot.S), (say("at the right"), (Slot.NW, Slot.SW), Slot.W),
    ("below", (Slot.NW, Slot.NE), Slot.N), (say("at the left"), (Slot.NE, Slot.SE), Slot.E),
)  # fmt: skip
"""Where a neighbour lies (N E S W), and the slots of its side that faces the cell."""


def _missing(work: Work, step: SolveStep, joins: Joins, solver: Solver, found: Solved) -> str:
    """Say which tile would have to be there, if tiles join by marks: “” if that says nothing."""
    owner = work.project.tileset_named(step.tileset)
    kit = owner.set_named(step.set_name) if owner is not None else None
    if step.source is not SolveFrom.MARKS or kit is None:
        return ""
    row, col = _gap(solver, found)
    given = solver.given.ravel().tolist()
    wanted = []
    for other, (where, corners, side) in zip(solver.near[row * solver.wide + col], _FACING):
        if other < 0 or given[other] < 0:
            continue
        tile = joins.tiles[given[other]]
        guest = None if tile.tileset == step.tileset else tile.tileset
        home = work.project.tileset_named(tile.tileset)
        if home is None:
            continue
        marks = kit.marks_within(home.rows, home.columns, guest)[tile.row, tile.col]
        slots = corners if kit.kind is SetKind.CORNER else (side,)
        names = dict.fromkeys(kit.name_of(int(marks[slot])) or say("nothing") for slot in slots)
        wanted.append(f"{say(' and ').join(names)} {where}")
    if not wanted:
        return ""
    return say(
        " · row {row}, column {col} would take a tile with {words}",
        row=row,
        col=col,
        words=", ".join(wanted),
    )


def _reached(work: Work, step: SolveStep, joins: Joins, solver: Solver) -> list[list[int]]:
    """Let all tiles with a tag be reached from each other; returns the parts that they are in.

    Raises
    ------
    GrowError
        No tile has the tag.
    """
    owners = {each.name: each for each in work.project.tilesets}
    members, ways = 0, [0, 0, 0, 0]
    for n, tile in enumerate(joins.tiles):
        owner = owners.get(tile.tileset)
        if owner is None or step.reach not in owner.fact(tile.row, tile.col).tags:
            continue
        members |= 1 << n
        for side in range(4):
            if joins.ways is None or joins.ways[side, n]:
                ways[side] |= 1 << n
    if not members:
        raise GrowError(
            say(
                "{number}: no tile that it lays has the tag “{reach}”: give some of them "
                "that tag in Tiles, or choose another",
                number=work.number,
                reach=step.reach,
            )
        )
    solver.until = monotonic() + step.seconds
    return Reach(solver, members, (ways[0], ways[1], ways[2], ways[3])).join()


def _told(work: Work, joins: Joins, found: Solved) -> tuple[str, tuple[tuple[int, int], ...]]:
    wide = work.size[1]
    at = [divmod(cell, wide) for cell in (found.clash or found.holes)]
    spots = tuple((int(row), int(col)) for row, col in at[:64])
    named = [work.map.lattice.name_of(*each) for each in spots]
    if found.proven:
        row, col = named[0]
        far = [spot for spot in named[1:] if spot != named[0]]
        others = ", ".join(say("row {r}, column {c}", r=r, c=c) for r, c in far[:3])
        return (
            say(
                "impossible: nothing fits in row {row}, column {col} between what is given "
                "at {sides}",
                row=row,
                col=col,
                sides=others or say("the border"),
            ),
            spots,
        )
    if found.holes:
        row, col = named[0]
        return say(
            "{count} cells stay empty, the first in row {row}, column {col}",
            count=len(found.holes),
            row=row,
            col=col,
        ), spots
    shown = {joins.tiles[n] for n in np.unique(found.cells[found.cells >= 0]).tolist()}
    words = say(
        "all join · {count} of {count2} tiles used", count=len(shown), count2=len(set(joins.tiles))
    )
    if found.over:
        tile, more = next(iter(found.over.items()))
        over = joins.tiles[tile]
        alike = [n for n, each in enumerate(joins.tiles) if each == over]
        lies = np.argwhere(np.isin(found.cells, alike))
        words += say(
            " · the tile of row {row}, column {col} lies {count} times, {more} too "
            "often: nothing else fits where it is",
            row=over.row,
            col=over.col,
            count=len(lies),
            more=more,
        )
        return words, tuple((int(r), int(c)) for r, c in lies[:64])
    return words, ()


def _begin(at: Start) -> SolveStep:
    tilesets = at.project.tilesets
    home = next((each for each in tilesets if each.sets), None)
    sheet = home or next(iter(tilesets), None)
    if sheet is None:
        raise EditError(say("it lays tiles of a sheet: open one first"))
    source = SolveFrom.MARKS if home else SolveFrom.PIXELS
    return SolveStep(at.layer.number, sheet.name, source, home.sets[0].name if home else "")


_BY_MARKS = ("source", (SolveFrom.MARKS,))
_BY_PIXELS = ("source", (SolveFrom.PIXELS,))
_BY_EXAMPLE = ("source", (SolveFrom.EXAMPLE,))
SOLVE = StepKind(
    SolveStep,
    say("Solve"),
    say("Tiles for an area so that all join"),
    ON_GROWN,
    run_solve,
    _begin,
    (
        Setting(
            "tileset",
            say("Tiles of"),
            As.SHEET,
            say("The sheet whose tiles are laid"),
            only=("source", (SolveFrom.MARKS, SolveFrom.PIXELS)),
        ),
        Setting(
            "source",
            say("Joined by"),
            As.CHOICE,
            say("What tells which tiles may lie side by side"),
            options=tuple(SolveFrom),
        ),
        Setting(
            "set_name", say("Set"), As.SET, say("The set whose marks are read"), only=_BY_MARKS
        ),
        Setting(
            "tolerance",
            say("Tolerance"),
            As.SLIDER,
            say("Mean difference of touching pixels"),
            0,
            120,
            only=_BY_PIXELS,
        ),
        Setting(
            "example",
            say("Example"),
            As.LAYER,
            say("The layer that shows what may lie side by side"),
            only=_BY_EXAMPLE,
        ),
        Setting(
            "blocks",
            say("Like it in"),
            As.CHOICE,
            say("What lies as it does on the example: pairs, or blocks of 2 × 2 or 3 × 3 cells"),
            options=(1, 2, 3),
            names=("pairs", say("blocks of 2 × 2"), say("blocks of 3 × 3")),
            only=_BY_EXAMPLE,
        ),
        Setting(
            "edge",
            say("Border"),
            As.CHOICE,
            say("What the border of the map does"),
            options=tuple(SolveEdge),
        ),
        Setting(
            "reach",
            say("Reachable"),
            As.TAG,
            say("All tiles with this tag can be reached from each other, side by side"),
        ),
        Setting(
            "gaps",
            say("leaves gaps where it is impossible"),
            As.CHECK,
            say("Leaves the cells empty at which it shows that nothing fits, and fills the rest"),
        ),
        Setting(
            "seconds",
            say("Gives up after"),
            As.SLIDER,
            say("The longest that it looks, in seconds"),
            1,
            120,
            unit=" s",
        ),
    ),
    alone=True,
)
