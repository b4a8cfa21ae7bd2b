"""Properties of single rules of the model, each of which a slip of one sign or number breaks.

Faults were planted here once, one at a time, and no test saw them.
"""

from dataclasses import replace
from types import SimpleNamespace

import numpy as np
import pytest
from tests.core.test_recipes import Ground
from tests.core.test_rewrite import drafted, step_on, tile, tiles
from tests.core.test_rules import REACHES, layer_of, places_of, result, terrain
from tests.maps import small_project

from knitground.core.base.hashing import cell_numbers
from knitground.core.base.window import Box
from knitground.core.chance.fall import fall_cells, laid_cells
from knitground.core.edit.laying import plan_terrain
from knitground.core.edit.selecting import Selection, plan_move
from knitground.core.edit.stale import BLOCK
from knitground.core.files.opening import open_project
from knitground.core.grow.joins import Joins, joins_of
from knitground.core.grow.shares import exact_counts
from knitground.core.grow.smooth import _near
from knitground.core.grow.solver import Solver
from knitground.core.grow.work import Work
from knitground.core.knit.knit import cells_reached, knit_box
from knitground.core.model.layers import GrownLayer
from knitground.core.model.mix import Fall, FallWay, MixEntry
from knitground.core.model.rules import Ask, AskKind, NeighbourRule, Result, RuleList, Spot
from knitground.core.model.solvestep import SolveFrom, SolveStep
from knitground.core.model.terrain import SetKind
from knitground.core.model.tile import TileRef
from knitground.core.rules.apply import cells_of_forms, taken_by_chance
from knitground.core.rules.board import Board

AT = np.arange(200)


# Rules


def test_two_rules_with_a_chance_draw_each_for_itself():
    one, two = (
        taken_by_chance(NeighbourRule(number, (), chance=0.5), AT, AT, 3, 1) for number in (1, 2)
    )
    for taken in (one, two):
        assert taken.mean() == pytest.approx(0.5, abs=0.02)
    assert (one & two).mean() == pytest.approx(0.25, abs=0.02)


def test_a_rules_mix_uses_all_of_its_slots():
    table = SimpleNamespace(
        starts=np.zeros(2, np.int64), slots=np.zeros(512, np.int32), patches={}, falls={},
        mixes={1: np.arange(65_536, dtype=np.int32)},
    )  # fmt: skip
    window = SimpleNamespace(rows=AT, cols=AT, torus=None)
    cells = cells_of_forms(table, np.ones((200, 200), np.int16), window, 5, 2)
    assert (cells == cell_numbers(AT, AT, 5, 2) >> np.uint32(16)).all()
    assert cells.max() > 65_000
    assert cells.min() < 600


def test_a_tile_asked_for_as_it_is_turned_fits_only_so():
    doc, map_, _, tiles_ = small_project()
    board = Board(doc.project, map_, tiles_)
    turned, plain = TileRef("sheet", 0, 1, 3), TileRef("sheet", 0, 1)
    for any_turn, fits in ((True, True), (False, False)):
        for kind in (AskKind.TILES, AskKind.NOT_TILES):
            ask = Ask(kind, tiles=(plain,), any_turn=any_turn)
            assert board._fits(ask, turned) is (fits if kind is AskKind.TILES else not fits)
            assert board._fits(ask, plain) is (kind is AskKind.TILES)


@pytest.mark.parametrize("wrap", [True, False])
def test_what_is_tried_out_over_a_border_is_seen_on_its_other_side(wrap):
    doc, map_, _, layer = small_project((8, 10), wrap)
    tried = Board(doc.project, map_, layer).with_patches(
        {layer.number: (Box(6, 8, 10, 12), np.arange(1, 17, dtype=np.int32).reshape(4, 4))}
    )
    seen = tried.cells(layer.name, Box(0, 0, 8, 10))
    assert seen[6:, 8:].tolist() == [[1, 2], [5, 6]]
    other = [[11, 12], [15, 16]] if wrap else [[0, 0], [0, 0]]
    assert seen[:2, :2].tolist() == other


@pytest.mark.parametrize(("down", "top"), [(1, 0), (2, 1), (3, 0), (3, 2)])
def test_a_rule_for_every_so_many_rows_takes_just_those(down, top):
    doc, map_, _, draft = drafted((12, 6))
    draft.cells[:] = map_.legend.place(tile(1))
    rule = NeighbourRule(
        1, (), result=Result(tiles=(MixEntry(tile(9)),)), subject=tiles(1), every=(down, 2, top, 1)
    )
    out = step_on(doc, map_, draft, RuleList("a", (rule,)))
    laid = doc.cells(map_, out, Box(0, 0, 12, 6)) == map_.legend.place(tile(9))
    rows, cols = np.mgrid[:12, :6]
    assert (laid == (((rows - top) % down == 0) & ((cols - 1) % 2 == 0))).all()


# Growing


def test_at_most_so_many_counts_pins():
    free = np.ones((3, 3), bool)
    joins = Joins(
        [TileRef("t", 0, n) for n in range(3)], np.array([5.0, 1.0, 1.0]), free, free,
        np.ones((4, 3), bool), None,
    )  # fmt: skip
    given = np.full((12, 12), -1, np.int32)
    given[0, :4] = 0
    area = np.ones((12, 12), bool)
    found = Solver(joins, area, given, wrap=False, seconds=5, most={0: 6}).solve()
    assert (found.cells[0, :4] == 0).all()
    assert 4 < (found.cells == 0).sum() <= 6


@pytest.mark.parametrize("below", [False, True])
def test_a_forbidden_pair_does_not_join_however_often_it_would(demo_folder, below):
    g = Ground(open_project(demo_folder).project, (16, 16))
    pixels = SolveStep(g.grown.number, "pans", SolveFrom.PIXELS, tolerance=255.0)
    work = Work(g.project, g.map, 0)
    pair = (0, 0, 0, 1, below)
    one, two = (joins_of(work, replace(pixels, forbidden=each)) for each in ((), (pair,)))
    places = [(each.row, each.col) for each in one.tiles]
    a, b = places.index((0, 0)), places.index((0, 1))
    for name in ("right", "down"):
        before, after = getattr(one, name), getattr(two, name)
        differ = np.argwhere(before != after).tolist()
        assert before[a, b]
        assert differ == ([[a, b]] if (name == "down") is below else [])


def test_what_is_left_over_goes_to_those_who_lack_most():
    assert exact_counts([1, 5, 4], 1) == [0, 1, 0]
    assert exact_counts([0.05, 0.05, 0.9], 19) == [1, 1, 17]
    assert exact_counts([0.26, 0.33, 0.41], 10) == [3, 3, 4]
    rng = np.random.default_rng(1)
    for _ in range(200):
        parts = rng.random(5)
        total = int(rng.integers(1, 60))
        counts = np.array(exact_counts(parts.tolist(), total))
        exact = parts / parts.sum() * total
        assert counts.sum() == total
        assert (np.abs(counts - exact) < 1).all()
        more = counts > exact
        if more.any() and not more.all():  # no one was passed over who lacks more
            part = exact - np.floor(exact)
            assert part[more].min() >= part[~more].max() - 1e-9


@pytest.mark.parametrize("wrap", [True, False])
def test_neighbours_are_counted_with_the_place_itself_twice(wrap):
    mask = np.random.default_rng(2).random((7, 9)) < 0.5
    found = _near(mask, wrap=wrap)
    for row in range(7):
        for col in range(9):
            count = int(mask[row, col])
            for down in (-1, 0, 1):
                for across in (-1, 0, 1):
                    y, x = row + down, col + across
                    y, x = (y % 7, x % 9) if wrap else (min(max(y, 0), 6), min(max(x, 0), 8))
                    count += int(mask[y, x])
            assert found[row, col] == count


# Chance


def test_several_clumps_of_their_own_sizes_take_their_parts():
    rows = np.arange(512)
    weights, own = (1.0, 1.0, 2.0), (24.0, 12.0, 0.0)
    parts = np.zeros(3)
    for seed in range(6):
        chosen = fall_cells(weights, Fall(FallWay.CLUMPS, 6.0), rows, rows, seed, 1, own=own)
        parts += np.bincount(chosen.ravel(), minlength=3) / chosen.size / 6
    assert parts == pytest.approx([0.25, 0.25, 0.5], abs=0.03)


def test_whether_a_cell_gets_a_tile_and_which_are_two_draws():
    rows = np.arange(300)
    laid = laid_cells(0.3, Fall(), rows, rows, 4, 2)
    chosen = fall_cells((1.0, 1.0), Fall(), rows, rows, 4, 2)
    assert laid.mean() == pytest.approx(0.3, abs=0.01)
    assert (chosen[laid] == 0).mean() == pytest.approx(0.5, abs=0.02)


# Knitting and editing


@pytest.mark.parametrize("kind", list(SetKind))
@pytest.mark.parametrize("wrap", [True, False])
def test_a_change_reaches_no_cell_beyond_those_that_are_knitted_again(kind, wrap):
    """Rules that look as far as may be to each side; one place changes at a time."""
    doc, map_, layer, kit = layer_of(kind, (16, 18), wrap, 5)
    places = places_of(kind, REACHES[kind][-1])
    ends = [pick(places, key=lambda p, n=n: p[n]) for pick in (min, max) for n in (0, 1)]
    kit.rules = RuleList("", tuple(
        NeighbourRule(n, (Spot(*end, terrain("crust")),), result=result(tile(n)))
        for n, end in enumerate(ends, 1)
    ))  # fmt: skip
    table = doc.knitter.table(map_, layer)
    assert table.margin > kind.margin
    rng = np.random.default_rng(3)
    whole = Box(0, 0, 16, 18)
    before = knit_box(table, layer, whole, wrap=wrap)
    changed = 0
    for _ in range(80):
        row, col = int(rng.integers(1, 15)), int(rng.integers(1, 17))
        layer.terrain[row, col] = rng.integers(0, 4)
        after = knit_box(table, layer, whole, wrap=wrap)
        reach = cells_reached(table, Box(row, col, row + 1, col + 1))
        known = np.zeros(before.shape, bool)
        for y in range(reach.top, reach.bottom):
            for x in range(reach.left, reach.right):
                if wrap:
                    known[y % 16, x % 18] = True
                elif 0 <= y < 16 and 0 <= x < 18:
                    known[y, x] = True
        assert not (before != after)[~known].any()
        changed += int((before != after).sum())
        before = after
    assert changed > 40


@pytest.mark.parametrize(("top", "left"), [(3, 3), (BLOCK - 1, 5), (7, BLOCK + 9)])
def test_a_large_edit_that_begins_inside_a_block_is_knitted_to_its_end(top, left):
    high = wide = 4 * BLOCK
    doc, map_, ground, _ = small_project((high, wide))
    doc.ensure_all(map_)
    box = Box(top, left, top + 2 * BLOCK + 7, left + 2 * BLOCK + 5)
    mask = np.ones((box.height, box.width), bool)
    assert box.height * box.width > 4 * BLOCK * BLOCK
    doc.apply(plan_terrain(doc, map_, ground, box, mask, 1, "Box").edit)
    cells = doc.cells(map_, ground, Box(0, 0, high, wide))
    table = doc.knitter.table(map_, ground)
    assert (cells == knit_box(table, ground, Box(0, 0, high, wide))).all()


def test_moving_a_selection_of_what_is_made_leaves_what_is_beneath(demo_folder):
    doc, map_, *_ = small_project((10, 12))
    grown = map_.new_grown_layer("Grown")
    assert isinstance(grown, GrownLayer)
    map_.layers.append(grown)
    place = map_.legend.place(TileRef("sheet", 0, 1))
    grown.cells[2:5, 2:5] = place
    chosen = Selection(Box(2, 2, 4, 4), np.ones((2, 2), bool))
    doc.apply(plan_move(doc, map_, grown, chosen, 5, 5).edit)
    assert (grown.cells[2:5, 2:5] == place).all()
    assert not grown.pinned[2:5, 2:5].any()
    assert (grown.cells[7:9, 7:9] == place).all()
    assert grown.pinned[7:9, 7:9].all()
    assert grown.pinned.sum() == 4
