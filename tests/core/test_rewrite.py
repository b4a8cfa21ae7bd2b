"""Rewriting against brute force, as steps that follow live, and what can not be rewritten."""

from dataclasses import replace
from itertools import product

import numpy as np
import pytest
from tests.maps import small_project

from knitground.core.base.errors import GrowError
from knitground.core.base.window import Box
from knitground.core.edit.layers import rename_layer
from knitground.core.edit.laying import plan_cells, plan_terrain
from knitground.core.edit.maps import set_recipe
from knitground.core.edit.rulehome import RuleHome, change_rule
from knitground.core.edit.rules import add_rule_list, rename_rule_list
from knitground.core.grow.rewriting import live_rules, rewrite_map
from knitground.core.grow.runner import run_recipe
from knitground.core.model.mix import MixEntry
from knitground.core.model.recipe import Recipe, RewriteStep
from knitground.core.model.rules import (
    OTHER,
    SAME,
    Ask,
    AskKind,
    BlockCell,
    LaidCell,
    NeighbourRule,
    Outcome,
    Result,
    RewriteRule,
    RuleList,
    Spot,
    Ways,
)
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import TileFacts
from knitground.core.rules.board import Board
from knitground.core.rules.rewrite import apply_rewrite, rewrite_until_calm
from knitground.core.rules.rewriterun import CHANCE, DONE, EARLIER, OVERLAP
from knitground.core.rules.rewritetable import compile_rewrite
from knitground.core.rules.table import LEAVE, stock_of


def tile(n, turn=0):
    return TileRef("sheet", n // 8, n % 8, turn)


def tiles(*numbers, denied=False, any_turn=True):
    kind = AskKind.NOT_TILES if denied else AskKind.TILES
    return Ask(kind, tiles=tuple(tile(n) for n in numbers), any_turn=any_turn)


EMPTY, OFF = Ask(AskKind.EMPTY), Ask(AskKind.OFF)


def drafted(size=(12, 14), wrap=False, seed=1, kinds=3):
    doc, map_, ground, draft = small_project(size, wrap)
    rng = np.random.default_rng(seed)
    places = np.array([0, *(map_.legend.place(tile(n)) for n in range(1, kinds + 1))])
    draft.cells[:] = places[rng.integers(0, kinds + 1, size)]
    return doc, map_, ground, draft


def random_list(rng, count):
    asks = [tiles(1), tiles(2, 3), tiles(1, denied=True), EMPTY, OFF]
    rules = []
    for number in range(1, count + 1):
        block, laid = {(0, 0): asks[rng.integers(4)]}, {(0, 0): tile(8 + number)}
        for _ in range(rng.integers(0, 3)):
            at = (int(rng.integers(-1, 2)), int(rng.integers(-1, 2)))
            block[at] = block.get(at, asks[rng.integers(5)])
            if rng.random() < 0.6:
                laid[at] = tile(8 + number) if rng.random() < 0.8 else None
        rules.append(
            RewriteRule(
                number,
                tuple(BlockCell(*at, "", ask) for at, ask in block.items()),
                outcomes=(Outcome(tuple(LaidCell(*at, "", t) for at, t in laid.items())),),
                ways=list(Ways)[rng.integers(4)], overlap=bool(rng.random() < 0.4),
            )
        )  # fmt: skip
    return RuleList("walls", tuple(rules))


def by_force(doc, map_, draft, table, run_numbers):
    """Rewrite cell by cell: all matches, then three rounds of claims, then writing."""
    high, wide, legend = map_.height, map_.width, map_.legend

    def look(row, col):
        if map_.wrap:
            return legend.tile(int(draft.cells[row % high, col % wide])), False
        if not (0 <= row < high and 0 <= col < wide):
            return None, True
        return legend.tile(int(draft.cells[row, col])), False

    def fits(ask, row, col):
        shown, off = look(row, col)
        among = shown is not None and shown[:3] in {each[:3] for each in ask.tiles}
        if ask.kind is AskKind.OFF:
            return off
        if ask.kind is AskKind.EMPTY:
            return shown is None
        return among if ask.kind is AskKind.TILES else not among

    matches = []
    for n, block in enumerate(table.blocks):
        for row, col in product(range(high), range(wide)):
            if all(fits(e.ask, row + e.down, col + e.across) for e in block.looks):
                key = (block.rule, int(run_numbers[row, col]), n)
                cells = {}
                for at, (down, across, _) in enumerate(block.writes):
                    spot = (row + down, col + across)
                    if map_.wrap:
                        spot = (spot[0] % high, spot[1] % wide)
                    cells[spot] = int(block.values[0, at])
                matches.append((key, cells, table.rules[block.rule].overlap))
    done = [m for m in matches if m[2]]
    waiting = [m for m in matches if not m[2]]
    taken = set()
    for turn in range(3):
        owner = {}
        for key, cells, _ in (done + waiting) if turn == 0 else waiting:
            for spot in cells:
                owner[spot] = min(owner.get(spot, key), key)
        wins = [m for m in waiting if all(owner[spot] == m[0] for spot in m[1])]
        taken |= {s for m in (done if turn == 0 else []) + wins for s in m[1]}
        done = done + wins
        waiting = [m for m in waiting if m not in wins and not taken & set(m[1])]
    out = np.full((high, wide), LEAVE)
    for _, cells, _ in sorted(done, key=lambda m: m[0], reverse=True):
        for (row, col), value in cells.items():
            if 0 <= row < high and 0 <= col < wide:
                out[row, col] = value
    return out


@pytest.mark.parametrize("wrap", [False, True])
def test_rewriting_is_that_of_brute_force(wrap):
    from knitground.core.rules.rewriterun import RewriteRun, _numbers_at

    for seed in range(10):
        doc, map_, _, draft = drafted((9, 11), wrap, seed)
        board = Board(doc.project, map_, draft)
        stock = stock_of(doc.project, map_)
        table = compile_rewrite(random_list(np.random.default_rng(seed), 4), board, stock)
        whole = Box(0, 0, 9, 11)
        rows, cols = np.indices((9, 11))
        run = RewriteRun(table, board, whole, 5)
        numbers = _numbers_at(run, rows.ravel(), cols.ravel(), 5).reshape(9, 11)
        got = apply_rewrite(table, board, whole, 5).cells[""]
        assert (got == by_force(doc, map_, draft, table, numbers)).all(), seed


@pytest.mark.parametrize("wrap", [False, True])
@pytest.mark.parametrize("passes", [1, 3])
def test_a_part_is_rewritten_as_the_whole(wrap, passes):
    doc, map_, _, draft = drafted((40, 44), wrap, 3)
    board = Board(doc.project, map_, draft)
    table = compile_rewrite(
        random_list(np.random.default_rng(8), 6), board, stock_of(doc.project, map_)
    )
    whole = apply_rewrite(table, board, Box(0, 0, 40, 44), 5, passes).cells[""]
    assert (whole != LEAVE).any()
    rng = np.random.default_rng(2)
    for _ in range(15):
        top, left = (int(each) for each in rng.integers(0, 38, 2))
        box = Box(top, left, top + int(rng.integers(1, 9)), left + int(rng.integers(1, 9)))
        box = box if wrap else box.clipped(40, 44)
        part = apply_rewrite(table, board, box, 5, passes).cells[""]
        assert (part == whole[np.ix_(box.rows(40), box.cols(44))]).all()


def step_on(doc, map_, draft, rules, **more):
    """A live step on a grown layer of its own."""
    doc.apply(add_rule_list(doc.project, rules))
    out = map_.new_grown_layer("Finished")
    map_.layers.append(out)
    step = RewriteStep(out.number, doc.project.rule_lists[-1].name, draft.number, **more)
    doc.apply(set_recipe(map_, Recipe(3, (*map_.recipe.steps, step))))
    return out


@pytest.mark.parametrize("wrap", [False, True])
def test_a_live_layer_follows_every_dab_undo_and_redo(wrap):
    doc, map_, _, draft = drafted((30, 34), wrap, 4)
    out = step_on(doc, map_, draft, random_list(np.random.default_rng(1), 5), copies=True)
    doc.ensure_all(map_)
    rng = np.random.default_rng(0)

    def is_whole():
        live = live_rules(doc.project, map_, map_.recipe.steps[-1], 0)
        wanted = live.cells(Box(0, 0, 30, 34))[out.number]
        return (np.where(out.pinned, out.cells, wanted) == out.cells).all()

    assert is_whole()
    for n in range(12):
        top, left = (int(each) for each in rng.integers(0, 30, 2))
        box = Box(top, left, top + 3, left + 3)
        value = map_.legend.place(tile(int(rng.integers(1, 4)))) if n % 4 else 0
        layer = out if n % 5 == 4 else draft  # now and then a pin on the layer itself
        doc.apply(
            plan_cells(map_, layer, box, np.full((3, 3), value), np.ones((3, 3), bool), "D").edit
        )
        assert is_whole()
    for _ in range(7):
        doc.undo()
        assert is_whole()
    doc.redo()
    assert is_whole()
    assert out.pinned.any()


def test_a_change_of_the_rules_changes_the_layer_and_what_reads_it():
    doc, map_, ground, draft = drafted()
    place = map_.legend.place
    first = RuleList("a", (NeighbourRule(1, (), result=Result(tiles=(MixEntry(tile(9)),)),
                                         subject=tiles(1)),))  # fmt: skip
    out = step_on(doc, map_, draft, first)
    second = RuleList("b", (RewriteRule(1, (BlockCell(0, 0, "", tiles(9)),),
        outcomes=(Outcome((LaidCell(0, 0, "", tile(10)),)),)),))  # fmt: skip
    last = step_on(doc, map_, out, second)
    whole = Box(0, 0, 12, 14)
    ones = draft.cells == place(tile(1))
    assert (doc.cells(map_, last, whole) == np.where(ones, place(tile(10)), 0)).all()
    home = RuleHome(doc.project, name="a")
    other = replace(home.rules.rules[0], subject=tiles(2))
    doc.apply(change_rule(home, 1, other))
    twos = draft.cells == place(tile(2))
    assert (doc.cells(map_, last, whole) == np.where(twos, place(tile(10)), 0)).all()
    # A step reads what is before it, never what comes after: no circle.
    doc.apply(plan_cells(map_, draft, Box(0, 0, 1, 1), np.full((1, 1), place(tile(2))),
                         np.ones((1, 1), bool), "D").edit)  # fmt: skip
    assert last.cells[0, 0] == place(tile(10))
    doc.apply(rename_rule_list(doc.project, "a", "walls"))
    assert map_.recipe.steps[0].rules == "walls"
    doc.undo()
    doc.undo()
    doc.undo()
    assert (doc.cells(map_, last, whole) == np.where(ones, place(tile(10)), 0)).all()
    grown = {each.layer.number: each.made for each in run_recipe(doc.project, map_)}
    assert (grown[last.number] == last.cells).all()
    before = last.cells.copy()
    last.cells[:] = 7
    rewrite_map(doc.project, map_)
    assert (last.cells == before).all()
    assert ground.cells.shape == last.cells.shape


def test_terrain_tags_and_several_layers():
    doc, map_, ground, draft = drafted((8, 8))
    place = map_.legend.place
    doc.project.tilesets[0].facts = {(0, 1): TileFacts(tags=("wall",))}
    ground.terrain[:] = 2
    ground.terrain[:4] = 1
    quay = map_.new_grown_layer("Quay")
    map_.layers.append(quay)
    rule = RewriteRule(
        1,
        (BlockCell(0, 0, "", Ask(AskKind.TAG, "wall")),
         BlockCell(0, 0, "Ground", Ask(AskKind.TERRAIN, "brine"))),
        outcomes=(Outcome((LaidCell(0, 0, "", tile(9)), LaidCell(0, 0, "Quay", tile(10)))),),
    )  # fmt: skip
    out = step_on(doc, map_, draft, RuleList("quays", (rule,)))
    walls = draft.cells == place(tile(1))
    walls[3:] = False  # brine at all four corners: rows 0 to 2
    whole = Box(0, 0, 8, 8)
    assert (doc.cells(map_, out, whole) == np.where(walls, place(tile(9)), 0)).all()
    assert (doc.cells(map_, quay, whole) == np.where(walls, place(tile(10)), 0)).all()
    plan = plan_terrain(doc, map_, ground, Box(0, 0, 9, 9), np.ones((9, 9), bool), 1, "All")
    doc.apply(plan.edit)
    walls = draft.cells == place(tile(1))
    assert (doc.cells(map_, quay, whole) == np.where(walls, place(tile(10)), 0)).all()


def test_rules_follow_a_layer_that_is_renamed():
    doc, map_, ground, draft = drafted((8, 8))
    quay = map_.new_grown_layer("Quay")
    map_.layers.append(quay)
    rule = RewriteRule(
        1, (BlockCell(0, 0, "", tiles(1)),),
        outcomes=(Outcome((LaidCell(0, 0, "Quay", tile(10)),)),),
    )  # fmt: skip
    step_on(doc, map_, draft, RuleList("quays", (rule,)))
    whole = Box(0, 0, 8, 8)
    before = doc.cells(map_, quay, whole).copy()
    assert before.any()
    doc.apply(rename_layer(map_, quay, "Pier", doc.project))
    assert doc.project.rule_lists[0].rules[0].outcomes[0].cells[0].layer == "Pier"
    assert (doc.cells(map_, quay, whole) == before).all()
    doc.undo()
    assert (quay.name, doc.project.rule_lists[0].rules[0]) == ("Quay", rule)
    assert ground.cells.shape == (8, 8)


def test_neighbour_rules_of_tiles_and_turned_results():
    doc, map_, _, draft = drafted((5, 5))
    place = map_.legend.place
    draft.cells[:] = 0
    draft.cells[2, 1:4] = place(tile(1, 1))  # however it is turned
    ends = NeighbourRule(
        1, (Spot(1, 3, SAME), Spot(1, -1, OTHER)), result=Result(tiles=(MixEntry(tile(9)),)),
        subject=tiles(1), ways=Ways.MIRRORED, turns_result=True,
    )  # fmt: skip
    run = NeighbourRule(2, (Spot(1, 3, SAME), Spot(1, -1, SAME)),
                        result=Result(tiles=(MixEntry(tile(10)),)), subject=tiles(1))  # fmt: skip
    out = step_on(doc, map_, draft, RuleList("a", (ends, run)))
    cells = doc.cells(map_, out, Box(2, 0, 3, 5))[0].tolist()
    assert cells == [0, place(tile(9)), place(tile(10)), place(tile(9, 4)), 0]
    draft.cells[2, 0:5] = place(tile(1))  # to the border: off the map lies no tile
    doc.apply(plan_cells(map_, draft, Box(0, 0, 5, 5), draft.cells * 1, np.ones((5, 5), bool), "x")
              .edit)  # fmt: skip
    doc.rewriter.follow([])
    live = live_rules(doc.project, map_, map_.recipe.steps[0], 0)
    ends_ = live.cells(Box(2, 0, 3, 5))[out.number][0]
    assert ends_[[0, 4]].tolist() == [place(tile(9)), place(tile(9, 4))]


def test_places_say_what_kept_a_rule_from_them():
    doc, map_, _, draft = drafted((1, 8))
    place = map_.legend.place
    draft.cells[:] = place(tile(1))
    two = tuple(BlockCell(0, n, "", tiles(1)) for n in (0, 1))
    laid = tuple(LaidCell(0, n, "", tile(9)) for n in (0, 1))
    rules = RuleList("a", (
        RewriteRule(1, two, outcomes=(Outcome(laid),)),
        RewriteRule(2, two[:1], outcomes=(Outcome(laid[:1]),)),
        RewriteRule(3, two[:1], outcomes=(Outcome(laid[:1]),), chance=0.0),
    ))  # fmt: skip
    board = Board(doc.project, map_, draft)
    table = compile_rewrite(rules, board, stock_of(doc.project, map_))
    done = apply_rewrite(table, board, Box(0, 0, 1, 8), 2)
    states = {number: each[2].tolist() for number, each in done.found.items()}
    assert len(states[1]) == 7
    assert states[1].count(DONE) >= 3
    assert OVERLAP in states[1]
    assert set(states[2]) == {DONE, EARLIER} or set(states[2]) == {EARLIER}
    assert set(states[3]) == {CHANCE}
    covered = np.zeros(9, int)
    for col, state in zip(done.found[1][1], done.found[1][2]):
        if state == DONE:
            covered[col] += 1
            covered[col + 1] += 1
    assert covered.max() == 1  # no two share a cell


@pytest.mark.parametrize("wrap", [False, True])
def test_many_passes_over_the_whole_are_what_passes_in_a_window_are(wrap):
    doc, map_, _, draft = drafted((20, 22), wrap, 3)
    board = Board(doc.project, map_, draft)
    table = compile_rewrite(
        random_list(np.random.default_rng(8), 5), board, stock_of(doc.project, map_)
    )
    one = apply_rewrite(table, board, Box(0, 0, 20, 22), 5, 4)
    two = rewrite_until_calm(table, board, 5, 4)
    assert (one.cells[""] == two.cells[""]).all()
    assert two.passes <= 4


def test_until_nothing_changes_and_loops_are_named():
    doc, map_, _, draft = drafted((1, 12))
    place = map_.legend.place
    draft.cells[:] = 0
    draft.cells[0, 0] = place(tile(1))
    grow = RewriteRule(
        1, (BlockCell(0, -1, "", tiles(1)), BlockCell(0, 0, "", EMPTY)),
        outcomes=(Outcome((LaidCell(0, 0, "", tile(1)),)),),
    )  # fmt: skip
    board, stock = Board(doc.project, map_, draft), stock_of(doc.project, map_)
    table = compile_rewrite(RuleList("a", (grow,)), board, stock)
    done = apply_rewrite(table, board, Box(0, 0, 1, 12), 1, 20)
    assert (done.cells[""][0, 1:] == place(tile(1))).all()
    assert done.passes == 11
    assert not done.loops
    flip = RuleList("b", (
        RewriteRule(1, (BlockCell(0, 0, "", tiles(1)),),
                    outcomes=(Outcome((LaidCell(0, 0, "", tile(2)),)),)),
        RewriteRule(2, (BlockCell(0, 0, "", tiles(2)),),
                    outcomes=(Outcome((LaidCell(0, 0, "", tile(1)),)),)),
    ))  # fmt: skip
    done = apply_rewrite(compile_rewrite(flip, board, stock), board, Box(0, 0, 1, 12), 1, 20)
    assert done.loops
    calm = rewrite_until_calm(compile_rewrite(flip, board, stock), board)
    assert calm.loops
    assert calm.passes <= 3


@pytest.mark.parametrize(
    ("rule", "words"),
    [
        (RewriteRule(1, ()), "looks for nothing"),
        (RewriteRule(1, (BlockCell(0, 0, "", EMPTY),)), "writes nothing"),
        (RewriteRule(1, (BlockCell(0, 0, "Gone", EMPTY),),
                     outcomes=(Outcome((LaidCell(0, 0, "", None),)),)), "layer “Gone” is not on"),
        (RewriteRule(1, (BlockCell(0, 0, "", Ask(AskKind.TERRAIN, "brine")),),
                     outcomes=(Outcome((LaidCell(0, 0, "", None),)),)), "choose a ground layer"),
        (RewriteRule(1, (BlockCell(0, 0, "Ground", Ask(AskKind.TERRAIN, "fen")),),
                     outcomes=(Outcome((LaidCell(0, 0, "", None),)),)), "“fen” is not in the set"),
        (RewriteRule(1, (BlockCell(0, 0, "", EMPTY), BlockCell(0, 0, "", tiles(1))),
                     outcomes=(Outcome((LaidCell(0, 0, "", None),)),)), "asked twice"),
        (RewriteRule(1, (BlockCell(0, 0, "", SAME),),
                     outcomes=(Outcome((LaidCell(0, 0, "", None),)),)), "for neighbour rules"),
        (RewriteRule(1, (BlockCell(0, 0, "", EMPTY),),
                     outcomes=(Outcome((LaidCell(0, 0, "", TileRef("lost", 0, 0)),)),)), "is gone"),
        (NeighbourRule(1, (Spot(1, 1, OTHER),), result=Result(tiles=(MixEntry(tile(1)),))),
         "same and other at once"),
        (NeighbourRule(1, (), result=Result()), "no tile that is there"),
    ],
)  # fmt: skip
def test_what_can_not_be_rewritten_says_why_and_the_rest_works(rule, words):
    doc, map_, _, draft = drafted()
    good = NeighbourRule(2, (), result=Result(tiles=(MixEntry(tile(9)),)), subject=tiles(1))
    out = step_on(doc, map_, draft, RuleList("a", (rule, good)))
    live = doc.rewriter.rules_of(map_, out)
    assert words in live.problems[1]
    cells = doc.cells(map_, out, Box(0, 0, 12, 14))
    ones = draft.cells == map_.legend.place(tile(1))
    assert (cells == np.where(ones, map_.legend.place(tile(9)), 0)).all()


@pytest.mark.parametrize(
    ("more", "words"),
    [
        ({"rules": "gone"}, "“gone”, which is not there"),
        ({"layer": 99}, "grown layer 99"),
        ({"source": 99}, "layer 99"),
    ],
)
def test_a_step_whose_parts_are_gone_says_so(more, words):
    doc, map_, _, draft = drafted()
    out = step_on(doc, map_, draft, RuleList("a"))
    step = replace(map_.recipe.steps[0], **more)
    doc.apply(set_recipe(map_, Recipe(1, (step,))))
    with pytest.raises(GrowError, match=words):
        live_rules(doc.project, map_, step, 0)
    doc.cells(map_, out, Box(0, 0, 12, 14))
    assert any(words in each for each in doc.rewriter.problems[map_])


def test_two_steps_that_read_each_other_come_to_an_end():
    doc, map_, _, draft = drafted()
    copy = RuleList("copy", (NeighbourRule(1, (), result=Result(tiles=(MixEntry(tile(9)),))),))
    one = step_on(doc, map_, draft, copy)
    two = step_on(doc, map_, one, copy)
    steps = map_.recipe.steps
    doc.apply(set_recipe(map_, Recipe(1, (replace(steps[0], source=two.number), steps[1]))))
    box = Box(0, 0, 2, 2)
    doc.apply(plan_cells(map_, two, box, np.full((2, 2), map_.legend.place(tile(1))),
                         np.ones((2, 2), bool), "Pin").edit)  # fmt: skip
    # The first reads only what was laid by hand on the second.
    first = doc.cells(map_, one, Box(0, 0, 12, 14))
    assert (first[:2, :2] == map_.legend.place(tile(9))).all()
    assert not first[2:].any()
