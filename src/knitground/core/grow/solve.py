"""Solve: a grown layer filled with tiles that all join, what lies there by hand being given."""

from __future__ import annotations

import numpy as np

from knitground.core.base.errors import GrowError
from knitground.core.grow.joins import Joins, joins_of
from knitground.core.grow.solver import Solved, Solver, wrong_joins
from knitground.core.grow.work import Grown, Work
from knitground.core.model.layers import GrownLayer
from knitground.core.model.recipe import SolveEdge, SolveStep

MAX_SOLVED = 512 * 512


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
            f"{work.number} would solve {int(area.sum())} cells, {MAX_SOLVED} are the most: give "
            "it an area"
        )
    legend = work.map.legend
    places = np.array([legend.place(tile) for tile in joins.tiles], np.int32)
    numbers = np.full(len(legend) + 1, -1, np.int32)
    numbers[places] = np.arange(len(places))
    pinned = layer.pinned & area
    given = np.full(work.size, -1, np.int32)
    given[pinned] = numbers[np.maximum(layer.cells[pinned], 0)]
    # What was pinned and is no tile of these is nothing that could join: it is left out.
    area = area & ~(pinned & (given < 0))
    wraps = work.map.wrap if step.edge is not SolveEdge.WRAPS else True
    limits = {(row, col): most for row, col, most in step.most}
    most = {n: limits[at] for n, tile in enumerate(joins.tiles)
            if (at := (tile.row, tile.col)) in limits}  # fmt: skip
    solver = Solver(
        joins, area, given, wrap=wraps, closed=step.edge is SolveEdge.CLOSED, seed=work.seed,
        seconds=float(step.seconds), progress=work.progress,
        most=most,
    )  # fmt: skip
    found = solver.solve()
    wrong = wrong_joins(joins, found.cells, wrap=wraps)
    if wrong and not found.proven:
        raise GrowError(f"{work.number}: {len(wrong)} cells do not join: tell the makers")
    before = work.own_cells(layer)
    made = np.where(found.cells >= 0, places[np.maximum(found.cells, 0)], before)
    if found.proven:
        made = before
    words, spots = _told(work, joins, found)
    laid = float((found.cells >= 0).sum()) / max(1, int(area.sum()))
    shares = ((step.tileset or "tiles", 1.0, laid),)
    return [Grown(layer, made, shares, words=words, spots=spots)]


def _told(work: Work, joins: Joins, found: Solved) -> tuple[str, tuple[tuple[int, int], ...]]:
    wide = work.size[1]
    at = [divmod(cell, wide) for cell in (found.clash or found.holes)]
    spots = tuple((int(row), int(col)) for row, col in at[:64])
    if found.proven:
        row, col = spots[0]
        others = ", ".join(f"row {r}, column {c}" for r, c in spots[1:4])
        return (
            f"impossible: nothing fits in row {row}, column {col} between what is given at "
            f"{others or 'the border'}",
            spots,
        )
    if found.holes:
        row, col = spots[0]
        return f"{len(found.holes)} cells stay empty, the first in row {row}, column {col}", spots
    used = len(np.unique(found.cells[found.cells >= 0]))
    words = f"all join · {used} of {len(joins.tiles)} tiles used"
    if found.over:
        tile, more = next(iter(found.over.items()))
        shown = joins.tiles[tile]
        lies = np.argwhere(found.cells == tile)
        words += (
            f" · the tile of row {shown.row}, column {shown.col} lies {len(lies)} times, {more} too"
            " often: nothing else fits where it is"
        )
        return words, tuple((int(r), int(c)) for r, c in lies[:64])
    return words, ()
