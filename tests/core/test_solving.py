"""Solving: blocks of an example, tiles that are all reached, gaps where it is impossible."""

from dataclasses import replace

import numpy as np
import pytest
from scipy import ndimage
from tests.core.test_recipes import Ground

from knitground.core.base.errors import GrowError
from knitground.core.files.opening import open_project
from knitground.core.grow.joins import Joins, joins_of
from knitground.core.grow.reach import Reach
from knitground.core.grow.solver import Solver, wrong_joins
from knitground.core.grow.work import Work
from knitground.core.model.solvestep import SolveEdge, SolveFrom, SolveStep
from knitground.core.model.terrain import Slot
from knitground.core.model.tile import TileRef


@pytest.fixture
def demo(demo_folder):
    return open_project(demo_folder).project


def blocks_of(cells, side, wrap):
    """List the blocks of a side, one set of rows of numbers."""
    wide = np.pad(cells, ((0, side - 1),) * 2, mode="wrap") if wrap else cells
    windows = np.lib.stride_tricks.sliding_window_view(wide, (side, side))
    return {tuple(each) for each in windows.reshape(-1, side * side).tolist()}


@pytest.mark.parametrize("side", [2, 3])
@pytest.mark.parametrize("wrap", [True, False])
def test_only_blocks_of_the_example_lie_on_what_is_learnt_from_it(demo, side, wrap):
    g = Ground(demo, (20, 24), wrap=wrap)
    example = g.map.new_tile_layer("Example")
    g.map.layers.append(example)
    # Dots that nowhere meet by their corners: pairs alone would let them.
    legend = [g.map.legend.place(TileRef("pans", 0, n)) for n in range(2)]
    example.cells[:] = legend[0]
    example.cells[::4, ::3] = legend[1]
    example.cells[2::4, 1::6] = legend[1]
    step = SolveStep(g.grown.number, source=SolveFrom.EXAMPLE, example=example.number, blocks=side)
    known = blocks_of(example.cells, side, wrap)
    for seed in range(3):
        made = g.run(step, seed=seed)[0].made
        assert (made > 0).all()
        assert blocks_of(made, side, wrap) <= known
    pairs = g.run(replace(step, blocks=1), seed=2)[0].made
    assert not blocks_of(pairs, side, wrap) <= known  # or this test would see nothing


def test_a_solve_without_an_example_asks_for_one(demo):
    g = Ground(demo, (8, 8))
    with pytest.raises(GrowError, match="choose the layer that shows"):
        g.run(SolveStep(g.grown.number, source=SolveFrom.EXAMPLE))


def test_a_block_at_a_closed_border_lies_as_at_that_of_the_example(demo):
    g = Ground(demo, (12, 14), wrap=False)
    example = g.map.new_tile_layer("Example")
    g.map.layers.append(example)
    rim, inner, mid = (g.map.legend.place(TileRef("pans", 0, n)) for n in range(3))
    example.cells[:] = rim
    example.cells[1:-1, 1:-1] = inner
    example.cells[2:-2:2, 2:-2:3] = mid
    step = SolveStep(g.grown.number, source=SolveFrom.EXAMPLE, example=example.number, blocks=2,
                     edge=SolveEdge.CLOSED)  # fmt: skip
    made = g.run(step)[0].made
    edge = np.ones(made.shape, bool)
    edge[1:-1, 1:-1] = False
    assert (made[edge] == rim).all()
    assert blocks_of(made, 2, wrap=False) <= blocks_of(example.cells, 2, wrap=False)


def test_pins_hold_whichever_block_they_begin_and_too_many_blocks_are_told(demo):
    g = Ground(demo, (16, 16), wrap=True)
    example = g.map.new_tile_layer("Example")
    g.map.layers.append(example)
    legend = [g.map.legend.place(TileRef("pans", 0, n)) for n in range(3)]
    example.cells[:] = np.asarray(legend)[np.indices((16, 16)).sum(0) // 4 % 3]
    g.grown.cells[5, 5], g.grown.pinned[5, 5] = legend[2], True
    step = SolveStep(g.grown.number, source=SolveFrom.EXAMPLE, example=example.number, blocks=2)
    made = g.run(step)[0].made
    assert made[5, 5] == legend[2]
    g = Ground(demo, (64, 64), wrap=True)
    example = g.map.new_tile_layer("Example")
    g.map.layers.append(example)
    legend = np.array([g.map.legend.place(TileRef("pans", n // 8, n % 8)) for n in range(40)])
    example.cells[:] = legend[np.random.default_rng(1).integers(0, 40, (64, 64))]
    step = replace(step, layer=g.grown.number, example=example.number)
    with pytest.raises(GrowError, match="different blocks of 2 × 2, 2048 are the most"):
        g.run(step)


# Reached


@pytest.mark.parametrize("seed", range(6))
@pytest.mark.parametrize("wrap", [True, False])
def test_all_floors_are_reached_from_each_other(seed, wrap):
    every = np.ones((3, 3), bool)
    tiles = [TileRef("t", 0, n) for n in range(3)]
    joins = Joins(tiles, np.array([1.0, 1.6, 0.6]), every, every, np.ones((4, 3), bool))
    size = (22, 26)
    given_ = np.full(size, -1, np.int32)
    given_[2, 2] = given_[20, 24] = 0
    given_[10, :] = np.where(np.arange(26) % 9 == 4, 0, 1)  # a wall with two or three doors
    solver = Solver(joins, np.ones(size, bool), given_, wrap=wrap, seed=seed, seconds=10)
    before = solver.solve().cells
    parts = Reach(solver, 0b001, (7, 7, 7, 7)).join()
    cells = np.array(solver.done, np.int32).reshape(size)
    assert len(parts) == 1
    assert (cells[given_ >= 0] == given_[given_ >= 0]).all()
    assert (cells >= 0).all()
    assert ndimage.label(before == 0)[1] > 1
    number, count = ndimage.label(cells == 0)
    if wrap:  # parts that meet over the border are one
        pairs = [*zip(number[0], number[-1]), *zip(number[:, 0], number[:, -1])]
        count = len(joined_numbers(count, pairs))
    assert count == 1


def joined_numbers(count, pairs):
    parts = [{n} for n in range(1, count + 1)]
    for one, other in pairs:
        if one and other:
            both = [each for each in parts if one in each or other in each]
            parts = [each for each in parts if each not in both] + [set().union(*both)]
    return parts


def test_ways_of_an_edge_set_hang_together_by_their_sides(demo):
    works = demo.tileset_named("works")
    marks = works.sets[0].marks_within(works.rows, works.columns)
    for at in map(tuple, np.argwhere(marks.any(axis=2)).tolist()):
        works.facts[at] = replace(works.fact(*at), tags=("way",))
    g = Ground(demo, (26, 30), wrap=False)
    step = SolveStep(g.grown.number, "works", SolveFrom.MARKS, "Causeways", reach="way")
    alone = g.run(replace(step, reach=""))[0]
    made = g.run(step)[0]
    assert "all “way” reached" in made.words

    def parts(cells):
        tiles = [[g.map.legend.tile(int(place)) for place in line] for line in cells]
        left = {(r, c) for r in range(26) for c in range(30)}
        count = 0
        while left:
            line = [left.pop()]
            count += 1
            while line:
                r, c = line.pop()
                own = marks[tiles[r][c].row, tiles[r][c].col]
                for slot, down, across in ((Slot.N, -1, 0), (Slot.E, 0, 1), (Slot.S, 1, 0),
                                           (Slot.W, 0, -1)):  # fmt: skip
                    if own[slot] and (r + down, c + across) in left:
                        left.discard((r + down, c + across))
                        line.append((r + down, c + across))
        return count

    assert parts(made.made) == 1
    assert parts(alone.made) > 3
    joins = joins_of(Work(demo, g.map, 0), step)
    numbers = {g.map.legend.place(tile): n for n, tile in enumerate(joins.tiles)}
    states = np.vectorize(numbers.get)(made.made).astype(np.int32)
    assert wrong_joins(joins, states, wrap=False) == []


def test_what_can_not_be_reached_is_told_with_its_cells_and_a_tag_that_no_tile_has(demo):
    pans = demo.tileset_named("pans")
    pans.facts[0, 0] = replace(pans.fact(0, 0), tags=("deep",))
    g = Ground(demo, (10, 30), wrap=False)
    g.map.layers.append(example := g.map.new_tile_layer("Example"))
    deep, wall = (g.map.legend.place(TileRef("pans", 0, n)) for n in range(2))
    example.cells[:] = wall
    example.cells[4:7, 4:8] = deep
    g.grown.cells[5, 5], g.grown.pinned[5, 5] = deep, True
    g.grown.cells[5, 25], g.grown.pinned[5, 25] = deep, True
    g.grown.cells[:, 15], g.grown.pinned[:, 15] = wall, True
    step = SolveStep(g.grown.number, source=SolveFrom.EXAMPLE, example=example.number, reach="deep")
    made = g.run(step)[0]
    assert "“deep” in 2 parts" in made.words
    assert made.spots
    assert all(made.made[at] == deep for at in made.spots)
    with pytest.raises(GrowError, match="no tile that it lays has the tag “dry”"):
        g.run(replace(step, reach="dry"))


# Gaps


def test_gaps_are_left_where_it_is_impossible_and_the_rest_joins(demo):
    g = Ground(demo, (16, 18), wrap=False)
    brine, clay = (TileRef("pans", 0, 0), TileRef("pans", 0, 8))
    for col, tile in ((4, brine), (6, clay)):
        g.grown.cells[7, col], g.grown.pinned[7, col] = g.map.legend.place(tile), True
    step = SolveStep(g.grown.number, "pans", SolveFrom.MARKS, "Pans")
    refused = g.run(step)[0]
    assert refused.words.startswith("impossible")
    assert "row 7, column 5 would take a tile with clay at the right, brine at the left" in (
        refused.words
    )
    assert not refused.made.any()
    made = g.run(replace(step, gaps=True))[0]
    empty = np.argwhere(made.made == 0).tolist()
    assert 0 < len(empty) <= 6
    assert f"nothing fits in {len(empty)} cell" in made.words
    assert all(abs(r - 7) <= 3 and 2 <= c <= 8 for r, c in empty)
    assert sorted(map(list, made.spots)) == sorted(empty)
    joins = joins_of(Work(demo, g.map, 0), step)
    numbers = {g.map.legend.place(tile): n for n, tile in enumerate(joins.tiles)} | {0: -1}
    states = np.vectorize(numbers.get)(made.made).astype(np.int32)
    assert wrong_joins(joins, states, wrap=False) == []


def test_a_long_solve_shows_what_it_has_laid_so_far(demo, monkeypatch):
    from knitground.core.grow import solver

    monkeypatch.setattr(solver, "_SHOW_SECONDS", 0.0)
    g = Ground(demo, (64, 64), wrap=True)
    seen = []
    step = SolveStep(g.grown.number, "pans", SolveFrom.MARKS, "Pans")
    made = g.run(step, show=seen.append)[0].made
    filled = [int((each.made > 0).sum()) for each in seen]
    assert len(filled) > 5
    assert filled[0] < filled[-1] <= made.size
    assert all(each.layer is g.grown and each.step == 0 for each in seen)
