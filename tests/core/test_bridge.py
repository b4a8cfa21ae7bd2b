from itertools import product

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.maps import grid, pair_marks, small_project, text_of

from knitground.core.base.window import Box
from knitground.core.edit.laying import plan_terrain
from knitground.core.knit.bridge import _without_links, bridge, build_bridges, build_graph
from knitground.core.knit.repair import Problem, corner_cells
from knitground.core.knit.table import build_table
from knitground.core.model.layers import GAP

PATH = pair_marks([(1, 2), (2, 3)])
GRAPH = build_graph(build_table(PATH, list(range(1, len(PATH) + 1)), [1] * len(PATH), 3))


def test_brine_on_clay_puts_crust_between():
    clay = grid("LLLLLLL\n" * 7)
    painted = np.zeros((7, 7), bool)
    painted[2:5, 2:5] = True
    assert text_of(bridge(GRAPH, clay, painted, 1)) == (
        "LLLLLLL\nLCCCCCL\nLCBBBCL\nLCBBBCL\nLCBBBCL\nLCCCCCL\nLLLLLLL"
    )


def fewest_changes(terrain, painted, value):
    """An oracle for tiny maps: try every field, keep the valid one with the fewest changes."""
    height, width = terrain.shape
    free = [(r, c) for r in range(height) for c in range(width) if not painted[r, c]]
    best = None
    for choice in product((1, 2, 3), repeat=len(free)):
        field = np.where(painted, value, terrain)
        changes = 0
        for place, new in zip(free, choice):
            changes += new != terrain[place]
            field[place] = new
        if (best is None or changes < best) and valid(field):
            best = changes
    return best


def valid(field):
    wide = field.astype(int)
    corners = [wide[:-1, :-1], wide[:-1, 1:], wide[1:, :-1], wide[1:, 1:]]
    return (np.maximum.reduce(corners) - np.minimum.reduce(corners) <= 1).all()


@given(st.integers(1, 3), st.integers(0, 2), st.integers(0, 2), st.integers(0, 2**16))
@settings(max_examples=24, deadline=None)
def test_bridges_are_valid_and_as_few_as_can_be(value, row, col, seed):
    # A valid start: levels that differ by one at most between neighbours.
    start = np.full((3, 3), 2 if seed % 3 else 3, np.uint8)
    rng = np.random.default_rng(seed)
    for _ in range(6):
        trial = start.copy()
        trial[tuple(rng.integers(0, 3, 2))] = rng.integers(1, 4)
        if valid(trial):
            start = trial
    painted = np.zeros((3, 3), bool)
    painted[row, col] = True
    found = bridge(GRAPH, start, painted, value)
    assert valid(found)
    assert found[row, col] == value
    assert (found != start)[~painted].sum() == fewest_changes(start, painted, value)


@given(st.integers(0, 2**20), st.booleans())
def test_strokes_on_a_map_leave_no_gap(seed, wrap):
    doc, map_, ground, _ = small_project((9, 11), wrap)
    rng = np.random.default_rng(seed)
    for _ in range(12):
        side = int(rng.integers(1, 4))
        top, left = (int(rng.integers(-1, n)) for n in ground.terrain.shape)
        value = int(rng.integers(1, 4))
        box = Box(top, left, top + side, left + side)
        plan = plan_terrain(doc, map_, ground, box, np.ones((side, side), bool), value, "Paint")
        doc.apply(plan.edit)
        if plan.changes_anything:
            # The ghost is the result, cell for cell.
            assert (doc.cells(map_, ground, plan.box) == plan.cells).all()
        doc.knitter.ensure_all(map_)
        assert not (ground.cells == GAP).any()
    if wrap:
        assert (ground.terrain[0] == ground.terrain[-1]).all()
        assert (ground.terrain[:, 0] == ground.terrain[:, -1]).all()


@pytest.mark.parametrize("size", [(1, 1), (2, 3), (3, 2)])
def test_tiny_maps_that_wrap(size):
    doc, map_, ground, _ = small_project(size, wrap=True)
    ground.terrain[:] = 3
    plan = plan_terrain(doc, map_, ground, Box(0, 0, 1, 1), np.ones((1, 1), bool), 1, "Paint")
    doc.apply(plan.edit)
    doc.knitter.ensure_all(map_)
    assert ground.terrain[0, 0] == 1
    assert not (ground.cells == GAP).any()
    doc.undo()
    assert (ground.terrain == 3).all()


def test_a_search_that_can_not_get_there_is_given_up_before_it_begins(monkeypatch):
    doc, map_, ground, _ = small_project((40, 40))
    table = doc.knitter.table(map_, ground)
    before = np.full((41, 41), 1, np.uint8)
    painted = before.copy()
    painted[3:38:6, 3:38:6] = 3  # each of 36 has four cells without a tile round it
    fixed = painted != before
    fixed[[0, -1]] = fixed[:, [0, -1]] = True
    problem = Problem(table, corner_cells(41, 41), before, fixed, painted)
    moves, move = [], Problem._best_move
    monkeypatch.setattr(
        Problem, "_best_move", lambda self, *given: moves.append(1) or move(self, *given)
    )
    assert problem.conflicts(painted.ravel()).sum() == 144
    assert problem.search(painted, 35) is None
    assert not moves
    found = problem.search(painted, 2000)
    assert valid(found)
    assert (found[fixed] == painted[fixed]).all()
    assert (found != painted).sum() == 36 * 8


@pytest.mark.parametrize("seed", [38, 144, 496])
def test_of_all_bridges_that_leave_no_gap_those_with_the_fewest_changes_are_taken(seed):
    """Sets of five terrains in a ring that lack some tiles: what is near by leads into a gap."""
    rng = np.random.default_rng(seed)
    ring = [(1, 2), (2, 3), (3, 4), (4, 5), (5, 1)]
    marks = pair_marks(ring if seed % 2 else [*ring[:3], (3, 1), (4, 5), (5, 3)])
    there = rng.random(len(marks)) < 0.88
    there |= [len(set(each[each > 0].tolist())) == 1 for each in marks]  # plain ones all
    marks = marks[there]
    table = build_table(marks, list(range(1, len(marks) + 1)), [1] * len(marks), 5)
    graph = build_graph(table)
    terrain = np.full((11, 11), 1 + seed % 5, np.uint8)
    if seed % 3 == 0:
        terrain[4:] = 1 + (seed + 1) % 5
    painted = np.zeros((11, 11), bool)
    row, col = rng.integers(2, 8, 2)
    painted[row : row + 2, col : col + 2] = True
    value = 1 + seed // 5 % 5

    def changes(field):
        return int((field != terrain).sum())

    first = bridge(graph, terrain, painted, value)
    rim = np.pad(np.zeros((9, 9), bool), 1, constant_values=True)
    problem = Problem(table, corner_cells(11, 11), terrain, painted | rim, first)
    fields = [bridge(each, terrain, painted, value)
              for each in _without_links(table, graph, terrain, first, value)]  # fmt: skip
    counts = [changes(problem.trimmed(each)) for each in fields
              if not problem.conflicts(each.ravel()).any()]  # fmt: skip
    searched = problem.search(first, 600)
    counts += [] if searched is None else [changes(searched)]
    assert len(set(counts)) > 1
    assert changes(build_bridges(table, graph, terrain, painted, value)) == min(counts)
