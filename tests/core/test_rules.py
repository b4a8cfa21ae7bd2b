"""Neighbour rules against brute force: applying, part and whole, analysis, teaching, why."""

from dataclasses import replace
from functools import cache
from itertools import product

import numpy as np
import pytest
from tests.maps import small_project

from knitground.core.base.errors import EditError
from knitground.core.base.window import Box
from knitground.core.knit.knit import knit_box, rule_window, wide_window
from knitground.core.knit.layer import layer_table, set_table
from knitground.core.model.layers import GAP
from knitground.core.model.mix import Fall, FallWay, Mix, MixEntry
from knitground.core.model.patch import Patch
from knitground.core.model.rules import (
    OFF,
    OTHER,
    SAME,
    Ask,
    AskKind,
    NeighbourRule,
    Result,
    ResultKind,
    RewriteRule,
    RuleList,
    Spot,
    Ways,
)
from knitground.core.model.terrain import SetKind, Terrain, TerrainSet
from knitground.core.model.tile import TileRef
from knitground.core.rules import apply
from knitground.core.rules.analyse import analyse_rules
from knitground.core.rules.apply import forms_in, on_its_rows, taken_by_chance
from knitground.core.rules.places import REACHES, base_places, places_of
from knitground.core.rules.table import Stock, compile_rules, forms_of
from knitground.core.rules.teach import teach_rule
from knitground.core.rules.why import explain_rules

KINDS = list(SetKind)
NAMES = ("brine", "crust", "clay")


def tile(n, turn=0):
    return TileRef("sheet", 0, n, turn)


def result(*tiles):
    return Result(tiles=tuple(MixEntry(each) for each in tiles or (tile(1),)))


def terrain(name):
    return Ask(AskKind.TERRAIN, name)


def kit_of(kind, count=3):
    named = tuple(Terrain(n, "#101010", n[0].upper()) for n in NAMES[:count])
    return TerrainSet("Set", kind, named)


def layer_of(kind, size, wrap, seed=1, count=3):
    """A map whose set is of a kind, with terrain at random."""
    doc, map_, _, _ = small_project(size, wrap)
    owner = doc.project.tilesets[0]
    kit = kit_of(kind, count)
    owner.sets.append(replace(kit, name="Ruled"))
    layer = map_.new_ground_layer("Ruled", "sheet", "Ruled", kind)
    rng = np.random.default_rng(seed)
    high, wide = layer.terrain.shape
    layer.terrain[:] = rng.integers(0, count + 1, (high, wide))
    if kind is SetKind.EDGE:
        layer.terrain |= rng.integers(0, count + 1, (high, wide)).astype(np.uint16) << 8
        layer.terrain[:, -1] &= 0xFF00
        layer.terrain[-1] &= 0x00FF
    if wrap:
        layer.terrain[-1], layer.terrain[:, -1] = layer.terrain[0], layer.terrain[:, 0]
    map_.layers.append(layer)
    return doc, map_, layer, owner.sets[-1]


# An oracle: cell by cell, from the model alone


def turned(y, x, turn):
    """A quarter turn clockwise moves what is above to the right; + 4 mirrors before."""
    down, across = y - 1, x - 1
    if turn >= 4:
        across = -across
    for _ in range(turn % 4):
        down, across = across, -down
    return down + 1, across + 1


class Oracle:
    def __init__(self, map_, layer, kit):
        self.map, self.layer, self.kit = map_, layer, kit

    def look(self, row, col, y, x):
        """What a place shows, and whether it is off the map."""
        kind, terrain_ = self.kit.kind, self.layer.terrain
        high, wide = self.map.height, self.map.width
        at = [row + y // 2, col + x // 2]
        last = [high if y % 2 == 0 else high - 1, wide if x % 2 == 0 else wide - 1]
        off = not self.map.wrap and any(not 0 <= a <= b for a, b in zip(at, last))
        if self.map.wrap:
            at = [at[0] % high, at[1] % wide]
        elif kind is SetKind.RING:
            at = [min(max(a, 0), b) for a, b in zip(at, last)]
        else:
            at = [min(max(at[0], 0), high), min(max(at[1], 0), wide)]
        value = int(terrain_[at[0], at[1]])
        if kind is SetKind.EDGE:
            value = value & 255 if y % 2 == 0 else value >> 8
        return value, off

    def fits(self, rule, turn, row, col):
        kit = self.kit
        spots = [(*turned(y, x, turn), ask) for y, x, ask in rule.stencil]
        subject = kit.number_of(rule.subject.name) if rule.subject else None
        if kit.kind is SetKind.RING:
            own = self.look(row, col, 1, 1)[0]
            if (subject is None and own == 0) or (subject is not None and own != subject):
                return False
            subject = own
        elif not any(self.look(row, col, *p)[0] for p in base_places(kit.kind)) and subject != 0:
            return False
        same = {self.look(row, col, y, x)[0] for y, x, ask in spots if ask == SAME}
        if subject is None and same:
            if len(same) > 1 or same == {0}:
                return False
            subject = same.pop()
        for y, x, ask in spots:
            value, off = self.look(row, col, y, x)
            if ask == SAME and value != subject:
                return False
            if ask == OTHER and value == subject:
                return False
            if ask.kind is AskKind.TERRAIN and value != kit.number_of(ask.name):
                return False
            if ask == OFF and not off:
                return False
        return True

    def takes(self, rules, row, col):
        """(place of the rule, turn) that takes a cell, or None."""
        for place, rule in enumerate(rules):
            if not rule.on:
                continue
            rows, cols = np.array([row]), np.array([col])
            if not on_its_rows(rule, rows, cols)[0, 0]:
                continue
            if not taken_by_chance(rule, rows, cols, self.layer.seed, self.layer.number)[0, 0]:
                continue
            for turn in rule.ways.turns:
                if self.fits(rule, turn, row, col):
                    return place, turn
        return None


def random_rules(kind, rng, count, far=True):
    asks = [SAME, OTHER, *(terrain(n) for n in (*NAMES, "")), OFF]
    if kind is SetKind.RING and not far:
        asks = [SAME, OTHER, OFF]
    rules = []
    for number in range(1, count + 1):
        reach = rng.choice(REACHES[kind]) if far else REACHES[kind][0]
        places = [p for p in places_of(kind, reach) if p != (1, 1)]
        picked = rng.permutation(len(places))[: rng.integers(0, 4)]
        spots = tuple(
            Spot(*places[n], asks[rng.integers(len(asks) - (not far))]) for n in sorted(picked)
        )
        rules.append(
            NeighbourRule(
                number, spots, result=result(tile(number)),
                subject=terrain(NAMES[rng.integers(3)]) if rng.random() < 0.4 else None,
                ways=list(Ways)[rng.integers(4)],
                chance=0.6 if far and rng.random() < 0.2 else 1.0,
                every=(2, 3, 1, 1) if far and rng.random() < 0.2 else (1, 1, 0, 0),
                on=rng.random() < 0.9,
            )
        )  # fmt: skip
    return RuleList("", tuple(rules))


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("wrap", [False, True])
@pytest.mark.parametrize("far", [False, True])
def test_rules_take_the_cells_that_brute_force_says(kind, wrap, far, monkeypatch):
    quick = 0
    for seed in range(8):
        _, map_, layer, kit = layer_of(kind, (7, 9), wrap, seed)
        rng = np.random.default_rng(seed)
        kit.rules = random_rules(kind, rng, 6, far)
        table = layer_table(_.project, map_, layer)
        usable = [r for r in kit.rules.rules if r.number not in table.rules.problems]
        quick += table.rules.quick is not None
        window = rule_window(table, layer, Box(0, 0, 7, 9), wrap)
        forms = forms_in(table.rules, window, layer.seed, layer.number)
        with monkeypatch.context() as large:  # many cells are looked up need by need
            large.setattr(apply, "_FEW_CELLS", 0)
            again = forms_in(table.rules, window, layer.seed, layer.number)
        assert (again == forms).all(), seed
        oracle = Oracle(map_, layer, kit)
        for row, col in product(range(7), range(9)):
            form = int(forms[row, col])
            found = table.rules.forms[form - 1] if form else None
            got = table.rules.rules[found.rule].number if found else None
            wanted = oracle.takes(usable, row, col)
            assert got == (usable[wanted[0]].number if wanted else None), (seed, row, col)
    assert quick or far


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("wrap", [False, True])
def test_a_part_is_ruled_as_the_whole(kind, wrap):
    doc, map_, layer, kit = layer_of(kind, (23, 31), wrap, 5)
    kit.rules = random_rules(kind, np.random.default_rng(9), 12)
    table = layer_table(doc.project, map_, layer)
    whole = knit_box(table, layer, Box(0, 0, 23, 31), wrap=wrap)
    rng = np.random.default_rng(2)
    for _ in range(20):
        top, left = rng.integers(0, 20), rng.integers(0, 28)
        box = Box(top, left, top + rng.integers(1, 12), left + rng.integers(1, 12))
        box = box if wrap else box.clipped(23, 31)
        part = knit_box(table, layer, box, wrap=wrap)
        rows, cols = box.rows(23), box.cols(31)
        assert (part == whole[np.ix_(rows, cols)]).all()


def test_every_dab_gives_what_knitting_the_whole_gives():
    doc, map_, layer, kit = layer_of(SetKind.RING, (20, 20), False, 5)
    kit.rules = random_rules(SetKind.RING, np.random.default_rng(4), 12)
    from knitground.core.edit.laying import plan_terrain

    doc.ensure_all(map_)
    rng = np.random.default_rng(3)
    for _ in range(12):
        top, left = (int(each) for each in rng.integers(-1, 18, 2))
        box, mask = Box(top, left, top + 3, left + 3), np.ones((3, 3), bool)
        plan = plan_terrain(doc, map_, layer, box, mask, int(rng.integers(0, 4)), "Dab")
        doc.apply(plan.edit)
        if plan.changes_anything:  # the ghost is what came of it
            inside = plan.box
            assert (doc.cells(map_, layer, inside) == plan.cells).all()
    table = doc.knitter.table(map_, layer)
    assert (layer.cells == knit_box(table, layer, Box(0, 0, 20, 20))).all()


# Results


def test_results_of_every_kind():
    doc, map_, layer, kit = layer_of(SetKind.RING, (6, 6), False)
    layer.terrain[:] = 1
    place = map_.legend.place
    doc.project.mixes.append(Mix("many", tuple(MixEntry(tile(n)) for n in range(8))))
    patch = Patch("bricks", ((tile(1), tile(2)), (tile(3), None)))

    def cells_with(first, **more):
        kit.rules = RuleList("", (NeighbourRule(1, (), result=first, **more),))
        return knit_box(layer_table(doc.project, map_, layer), layer, Box(0, 0, 6, 6))

    laid = cells_with(Result(ResultKind.PATCH, patch=patch))
    assert (laid[0::2, 0::2] == place(tile(1))).all()
    assert (laid[0::2, 1::2] == place(tile(2))).all()
    assert (laid[1::2, 1::2] == GAP).all()  # a hole leaves what marks give: nothing
    assert set(np.unique(cells_with(Result(ResultKind.MIX, mix="many")))) <= {
        place(tile(n)) for n in range(8)
    }
    assert (cells_with(Result(ResultKind.GAP)) == GAP).all()
    assert (cells_with(Result(ResultKind.LEAVE)) == GAP).all()
    weighted = Result(tiles=(MixEntry(tile(1), 3), MixEntry(tile(2), 1)))
    assert set(np.unique(cells_with(weighted))) == {place(tile(1)), place(tile(2))}
    every = cells_with(result(), every=(3, 2, 1, 0))
    assert (every[1::3, 0::2] == place(tile(1))).all()
    assert (every == place(tile(1))).sum() == 6
    some = (cells_with(result(), chance=0.5) == place(tile(1))).mean()
    assert 0.2 < some < 0.8


@pytest.mark.parametrize("wrap", [False, True])
@pytest.mark.parametrize(
    "fall",
    [
        Fall(FallWay.CLUMPS, size=6),
        Fall(FallWay.APART),
        Fall(FallWay.DEALT),
        Fall(FallWay.APART, steps=2),
    ],
)
def test_a_mix_of_a_rule_falls_as_it_says_part_by_part(fall, wrap):
    doc, map_, layer, kit, tile = ruled_project()
    map_.wrap = wrap
    count = 5 if fall.steps == 1 else 14
    mix = Mix("spread", tuple(MixEntry(tile(n)) for n in range(count)), fall)
    doc.project.mixes.append(mix)
    kit.rules = RuleList("", (NeighbourRule(1, (), result=Result(ResultKind.MIX, mix="spread")),))
    table = layer_table(doc.project, map_, layer)
    assert table.rules.problems == {}
    high, wide = layer.cells.shape
    cells = knit_box(table, layer, Box(0, 0, high, wide), wrap=wrap)
    assert set(np.unique(cells)) <= {map_.legend.place(tile(n)) for n in range(count)}
    for box in (Box(0, 0, 7, 9), Box(5, 3, 11, high), Box(high - 3, wide - 5, high, wide)):
        part = knit_box(table, layer, box, wrap=wrap)
        assert (part == cells[box.top : box.bottom, box.left : box.right]).all()
    alike = (cells[:, 1:] == cells[:, :-1]).mean()
    alone = Mix("alone", mix.entries)
    doc.project.mixes.append(alone)
    kit.rules = RuleList("", (NeighbourRule(1, (), result=Result(ResultKind.MIX, mix="alone")),))
    plain = knit_box(layer_table(doc.project, map_, layer), layer, Box(0, 0, high, wide), wrap=wrap)
    usual = (plain[:, 1:] == plain[:, :-1]).mean()
    if fall.way is FallWay.CLUMPS:
        assert alike > usual + 0.2
    elif fall.way is FallWay.APART:
        assert alike == 0
        if wrap:
            assert (cells[:, 0] != cells[:, -1]).all()
    else:
        counts = np.unique(cells[:16, :16], return_counts=True)[1]
        assert counts.max() - counts.min() <= 1


def test_a_mix_that_can_not_fall_so_says_it_and_falls_each_by_itself():
    doc, map_, layer, kit, tile = ruled_project()
    entries = (MixEntry(tile(1), 9), MixEntry(tile(2), 1), MixEntry(tile(3), 1))
    doc.project.mixes.append(Mix("two", entries, Fall(FallWay.APART)))
    kit.rules = RuleList("", (NeighbourRule(1, (), result=Result(ResultKind.MIX, mix="two")),))
    table = layer_table(doc.project, map_, layer)
    assert "falls each by itself here: 3 tiles can not keep apart" in table.rules.problems[1]
    cells = knit_box(table, layer, Box(0, 0, *layer.cells.shape))
    assert set(np.unique(cells)) == {map_.legend.place(tile(n)) for n in (1, 2, 3)}


def ruled_project():
    """A map of 24 × 24 cells, all of one terrain, with an empty list of rules."""
    doc, map_, *_ = small_project()
    owner = doc.project.tilesets[0]
    kit = owner.sets[0]
    map_.layers.clear()
    map_.height = map_.width = 24
    layer = map_.new_ground_layer("flat", owner.name, kit.name, kit.kind)
    layer.terrain[:] = 1
    map_.layers.append(layer)
    return doc, map_, layer, kit, lambda n: TileRef(owner.name, *divmod(n, owner.columns))


def test_a_turned_rule_lays_a_turned_tile():
    doc, map_, layer, kit = layer_of(SetKind.RING, (5, 5), False)
    layer.terrain[:] = 0
    layer.terrain[1:4, 2] = layer.terrain[2, 1:4] = 1  # a cross
    spot = Spot(3, 1, SAME)  # ends: joined below, nothing at the other sides
    ends = (spot, *(Spot(y, x, OTHER) for y, x in ((-1, 1), (1, -1), (1, 3))))
    kit.rules = RuleList(
        "", (NeighbourRule(1, ends, result=result(), ways=Ways.TURNED, turns_result=True),)
    )
    cells = knit_box(layer_table(doc.project, map_, layer), layer, Box(0, 0, 5, 5))
    at = {(1, 2): 0, (2, 3): 1, (3, 2): 2, (2, 1): 3}
    for (row, col), turn in at.items():
        assert map_.legend.tile(int(cells[row, col])) == tile(1, turn)


def test_rules_come_before_marks_or_after_them_and_the_default_last():
    doc, map_, ground, _ = small_project(pairs=((1, 2),))
    kit = doc.project.tilesets[0].sets[0]
    ground.terrain[:] = 2
    ground.terrain[0, 0] = 3  # clay beside crust: no tile shows that
    before = knit_box(layer_table(doc.project, map_, ground), ground, Box(0, 0, 8, 10))
    assert before[0, 0] == GAP

    def cells_with(**more):
        rule = NeighbourRule(1, (Spot(0, 0, terrain("crust")),), result=result(tile(5)))
        kit.rules = RuleList("", (rule,), **more)
        return knit_box(layer_table(doc.project, map_, ground), ground, Box(0, 0, 8, 10))

    place = map_.legend.place
    ruled = cells_with()
    assert (ruled[0, 1:] == place(tile(5))).all()
    assert ruled[0, 0] == GAP
    assert (cells_with(first=False)[1:] == before[1:]).all()  # marks have tiles for all of these
    assert cells_with(default=tile(6))[0, 0] == place(tile(6))


# What can not be used


@pytest.mark.parametrize(
    ("rule", "words"),
    [
        (NeighbourRule(1, (), result=Result()), "has no result"),
        (NeighbourRule(1, (), result=Result(ResultKind.MIX, mix="gone")), "mix “gone” is gone"),
        (NeighbourRule(1, (), result=Result(ResultKind.PATCH)), "patch has no tile"),
        (NeighbourRule(1, (), result=result(TileRef("lost", 0, 0))), "“lost” is gone"),
        (NeighbourRule(1, (Spot(-1, 1, terrain("fen")),), result=result()), "“fen”, which set"),
        (NeighbourRule(1, (), result=result(), subject=terrain("fen")), "“fen”, which set"),
        (NeighbourRule(1, (Spot(0, 0, SAME),), result=result()), "outside the stencil"),
        (NeighbourRule(1, (Spot(9, 1, SAME),), result=result()), "outside the stencil"),
        (NeighbourRule(1, (Spot(1, 1, OTHER),), result=result()), "can not be other"),
        (
            NeighbourRule(1, (Spot(1, 1, terrain("clay")),), result=result(),
                          subject=terrain("crust")),
            "two things at once",
        ),
        (NeighbourRule(1, (Spot(1, 1, OFF),), result=result()), "never off the map"),
        (NeighbourRule(1, (Spot(3, 1, Ask(AskKind.TAG, "x")),), result=result()), "asks for tag"),
        (RewriteRule(1, ()), "has no layers to rewrite"),
    ],
)  # fmt: skip
def test_a_rule_that_can_not_be_used_says_why_and_the_rest_works(rule, words):
    doc, map_, layer, kit = layer_of(SetKind.RING, (4, 4), False)
    layer.terrain[:] = 1
    good = NeighbourRule(2, (), result=result(tile(3)))
    kit.rules = RuleList("", (rule, good))
    table = layer_table(doc.project, map_, layer)
    assert words in table.rules.problems[1]
    assert (knit_box(table, layer, Box(0, 0, 4, 4)) == map_.legend.place(tile(3))).all()
    assert analyse_rules(table.rules).facts[1].problem


def test_other_needs_something_to_differ_from():
    table = compile_rules(
        RuleList("", (NeighbourRule(1, (Spot(0, 0, OTHER),), result=result()),)),
        kit_of(SetKind.CORNER), Stock(lambda _: 1),
    )  # fmt: skip
    assert "nothing to differ from" in table.problems[1]


def test_a_thousand_rules_are_knitted():
    doc, map_, layer, kit = layer_of(SetKind.RING, (12, 12), False, 3)
    kit.rules = random_rules(SetKind.RING, np.random.default_rng(1), 1000)
    table = layer_table(doc.project, map_, layer)
    oracle = Oracle(map_, layer, kit)
    forms = forms_in(
        table.rules, rule_window(table, layer, Box(0, 0, 12, 12), False), layer.seed, layer.number
    )
    for row, col in ((0, 0), (5, 5), (11, 3)):
        wanted = oracle.takes(table.rules.rules, row, col)
        got = table.rules.forms[int(forms[row, col]) - 1].rule if forms[row, col] else None
        assert got == (wanted[0] if wanted else None)


# Analysis


def situations_by_force(kit, table, marked=()):
    """Takes, could and hiding by trying every way in which the places can lie, off the map too."""
    kind, base = kit.kind, base_places(kit.kind)
    places = sorted({n.place for f in table.forms for n in f.needs} | set(base))
    home = set(base) if kind is not SetKind.RING else {(1, 1)}
    values = range(table.count + 1)
    domains = [
        [(v, o) for v in values for o in ((False,) if p in home else (False, True))] for p in places
    ]
    takes, could = {}, {}
    tried = [
        (rule, [f for f in table.forms if f.rule == place])
        for place, rule in enumerate(table.rules)
    ]
    for lie in product(*domains):
        shown = dict(zip(places, lie))
        four = tuple(shown[p][0] for p in base)
        if kind is SetKind.RING:
            own = four[0]
            if not own:
                continue
            situation = (own, *(v == own for v in four[1:]))
            sides = [v == own for v in four[1:]]
            bits = sum(1 << n for n, s in enumerate(sides)
                       if s and (n % 2 == 0 or (sides[n - 1] and sides[(n + 1) % 8])))  # fmt: skip
            key = (own, bits)
        else:
            situation = key = four
        taken = not table.first and key in marked
        for rule, forms in tried:
            if not any(form_fits(f, shown, any(four)) for f in forms):
                continue
            could.setdefault(rule.number, set()).add(situation)
            if not taken:
                takes.setdefault(rule.number, set()).add(situation)
                taken = table.is_sure(forms[0])
    return takes, could


def form_fits(form, shown, some):
    for need in form.needs:
        value, off = shown[need.place]
        if need.off:
            fits = off
        elif need.like:
            fits = value == shown[need.like][0]
        elif need.unlike:
            fits = value != shown[need.unlike][0]
        else:
            fits = need.mask >> value & 1
        if not fits:
            return False
    return some or form.on_nothing


@cache
def case_by_force(kind, count, first, seed):
    """A list of rules, its table, what is marked, and what trying everything says of it."""
    kit = kit_of(kind, count)
    rules = random_rules(kind, np.random.default_rng(seed), 5, far=False)
    # One place further off, so that situations are split.
    more = Spot(*((4, 0) if kind is SetKind.CORNER else (4, 1)), terrain("brine"))
    third = rules.rules[2]
    rules = replace(rules, first=first, rules=(
        *rules.rules[:2], replace(third, stencil=(*third.stencil, more)), *rules.rules[3:],
        NeighbourRule(6, (), result=result()), NeighbourRule(7, third.stencil, result=result()),
    ))  # fmt: skip
    table = compile_rules(rules, kit, Stock(lambda _: 1))
    marked = [(1, 1, 1, 1), (1, 2, 1, 1), (2, 2, 2, 2)]
    return table, marked, situations_by_force(kit, table, marked)


@pytest.mark.parametrize(("kind", "count"), [(SetKind.CORNER, 2), (SetKind.EDGE, 2)])
@pytest.mark.parametrize("listed", [True, False])
@pytest.mark.parametrize("first", [True, False])
def test_analysis_is_that_of_brute_force(kind, count, listed, first, monkeypatch):
    if not listed:
        monkeypatch.setattr("knitground.core.rules.analyse._MOST_LISTED", 0)
    never = 0
    for seed in range(8):
        table, marked, (takes, could) = case_by_force(kind, count, first, seed)
        report = analyse_rules(table, marked)
        assert report.exact
        for rule in table.rules:
            fact = report.facts.get(rule.number)
            if fact is None:
                assert not rule.on
                continue
            assert fact.takes == len(takes.get(rule.number, ())), (seed, rule.number)
            assert fact.could == len(could.get(rule.number, ())), (seed, rule.number)
            never += fact.never_fires
            if fact.never_fires:
                assert fact.hidden_by or fact.marks_hide
    assert never


@pytest.mark.parametrize("listed", [True, False])
@pytest.mark.parametrize("first", [True, False])
def test_analysis_of_ring_sets_is_that_of_brute_force(listed, first, monkeypatch):
    if not listed:
        monkeypatch.setattr("knitground.core.rules.analyse._MOST_LISTED", 0)
    kit = kit_of(SetKind.RING, 2)
    used = ((-1, 1), (1, 3), (-1, 3))
    for seed in range(6):
        rng = np.random.default_rng(seed)
        rules = []
        for number in range(1, 7):
            asks = [SAME, OTHER, terrain("brine"), terrain("crust"), OFF]
            spots = tuple(Spot(y, x, asks[rng.integers(5)]) for y, x in used if rng.random() < 0.6)
            subject = terrain("brine") if rng.random() < 0.4 else None
            rules.append(NeighbourRule(number, spots, result=result(), subject=subject))
        table = compile_rules(RuleList("", tuple(rules), first), kit, Stock(lambda _: 1))
        marked = [(1, 0), (1, 7), (2, 255)]
        report = analyse_rules(table, marked)
        takes, could = ring_by_force(kit, table, marked)
        for rule in table.rules:
            fact = report.facts[rule.number]
            assert (fact.takes, fact.could) == (
                takes.get(rule.number, 0), could.get(rule.number, 0)
            ), (seed, rule.number)  # fmt: skip


def ring_by_force(kit, table, marked):
    """As `situations_by_force`, but neighbours that no rule reads lie only same or other."""
    from knitground.core.knit.ring import reduced

    read = sorted({n.place for f in table.forms for n in f.needs} - {(1, 1)})
    base = base_places(SetKind.RING)[1:]
    takes, could = {}, {}
    tried = [
        (rule.number, [f for f in table.forms if f.rule == place])
        for place, rule in enumerate(table.rules)
    ]
    for own in (1, 2):
        for bits in range(256):
            same = {p: bool(bits >> n & 1) for n, p in enumerate(base)}
            options = []
            for place in read:
                fits = [v for v in range(3) if (v == own) == same[place]]
                options.append([(v, o) for v in fits for o in (False, True)])
            t, c = set(), set()
            for lie in product(*options):
                shown = dict(zip(read, lie)) | {(1, 1): (own, False)}
                taken = not table.first and (own, reduced(bits)) in marked
                for number, forms in tried:
                    if any(form_fits(f, shown, True) for f in forms):
                        c.add(number)
                        if not taken:
                            t.add(number)
                            taken = True
            for number in c:
                could[number] = could.get(number, 0) + 1
            for number in t:
                takes[number] = takes.get(number, 0) + 1
    return takes, could


def test_what_hides_a_rule_is_named():
    kit = kit_of(SetKind.RING, 1)
    rules = (
        NeighbourRule(1, (Spot(-1, 1, SAME),), result=result()),
        NeighbourRule(2, (Spot(-1, 1, OTHER),), result=result()),
        NeighbourRule(3, (Spot(1, 3, SAME),), result=result()),
        NeighbourRule(4, (), result=result(), chance=0.5),
        NeighbourRule(5, (), result=result()),
    )
    facts = analyse_rules(compile_rules(RuleList("", rules), kit, Stock(lambda _: 1))).facts
    assert facts[3].never_fires
    assert facts[3].hidden_by == (1, 2)
    assert (facts[1].takes, facts[1].could) == (128, 128)
    first = (replace(rules[3], number=9), *rules)
    facts = analyse_rules(compile_rules(RuleList("", first), kit, Stock(lambda _: 1))).facts
    assert facts[1].takes == 128  # what has a chance hides nothing for sure


def test_marks_hide_what_comes_after_them():
    doc = small_project(pairs=((1, 2),))[0]
    kit = doc.project.tilesets[0].sets[0]
    rule = NeighbourRule(1, tuple(Spot(y, x, terrain("crust")) for y in (0, 2) for x in (0, 2)),
                         result=result())  # fmt: skip
    kit.rules = RuleList("", (rule,), first=False)
    table, _ = set_table(doc.project, doc.project.tilesets[0], kit)
    fact = analyse_rules(table.rules, table.variants).facts[1]
    assert fact.never_fires
    assert fact.marks_hide
    kit.rules = replace(kit.rules, first=True)
    table, _ = set_table(doc.project, doc.project.tilesets[0], kit)
    assert analyse_rules(table.rules, table.variants).facts[1].takes == 1


# Why, and teaching


@pytest.mark.parametrize("kind", KINDS)
def test_why_names_the_rule_that_took_the_cell_and_where_the_others_failed(kind):
    doc, map_, layer, kit = layer_of(kind, (6, 6), False, 3)
    kit.rules = random_rules(kind, np.random.default_rng(2), 10)
    table = layer_table(doc.project, map_, layer)
    oracle = Oracle(map_, layer, kit)
    seen = 0
    for row, col in product(range(6), range(6)):
        cell = rule_window(table, layer, Box(row, col, row + 1, col + 1), False)
        told = explain_rules(table.rules, cell, layer.seed, layer.number)
        wanted = oracle.takes(table.rules.rules, row, col)
        took = [each.place - 1 for each in told if each.took]
        assert took == ([wanted[0]] if wanted else [])
        for each in told:
            rule = table.rules.rules[each.place - 1]
            fits = any(oracle.fits(rule, turn, row, col) for turn in rule.ways.turns)
            assert fits == (not each.failed)
            seen += bool(each.failed)
    assert seen


@pytest.mark.parametrize("kind", KINDS)
def test_a_taught_stencil_tells_the_wanted_cells_from_the_others(kind):
    told = 0
    for seed in range(6):
        _doc, map_, layer, kit = layer_of(kind, (8, 8), False, seed, 2)
        rng = np.random.default_rng(seed)
        cells = wide_window(layer, Box(0, 0, 8, 8), map_.lattice, REACHES[kind][-1])
        wanted = np.zeros((8, 8), bool)
        shown = layer.terrain[:8, :8] & 255
        rows, cols = np.nonzero(shown)
        at = rng.integers(len(rows))
        wanted[rows[at], cols[at]] = True
        other = ~wanted & (rng.random((8, 8)) < 0.5)
        taught = teach_rule(kit, cells, wanted, other)
        rule = NeighbourRule(1, taught.stencil, result=result(), subject=taught.subject)
        oracle = Oracle(map_, layer, kit)
        fits = np.array([[oracle.fits(rule, 0, r, c) for c in range(8)] for r in range(8)])
        assert fits[wanted].all()
        assert (fits & other).sum() <= taught.not_told
        told += not taught.not_told
        assert len(taught.stencil) <= 6
    assert told >= 5


def test_a_second_example_makes_the_stencil_wider():
    _, map_, layer, kit = layer_of(SetKind.RING, (7, 7), False, 1, 1)
    layer.terrain[:] = 0
    layer.terrain[2:5, 2:5] = 1
    cells = wide_window(layer, Box(0, 0, 7, 7), map_.lattice, 3)
    wanted, other = np.zeros((7, 7), bool), np.zeros((7, 7), bool)
    wanted[2, 2] = True  # the upper left corner …
    other[2:5, 2:5] = True
    other[2, 2] = False
    one = teach_rule(kit, cells, wanted, other)
    assert {(y, x, a.kind) for y, x, a in one.stencil} <= {
        (-1, 1, AskKind.OTHER), (1, -1, AskKind.OTHER), (-1, 1, AskKind.OFF),
        (3, -1, AskKind.OTHER), (-1, 3, AskKind.OTHER), (-1, -1, AskKind.OTHER),
    }  # fmt: skip
    wanted[2, 3] = wanted[2, 4] = True  # … and all of the upper side
    other &= ~wanted
    two = teach_rule(kit, cells, wanted, other)
    assert [(y, x, a) for y, x, a in two.stencil] == [(-1, 1, OTHER)]


def test_compiling_knows_the_unasked_and_the_impossible():
    kit = kit_of(SetKind.CORNER)
    two = (Spot(0, 0, SAME), Spot(0, 0, terrain("clay")))
    rules = RuleList("", (NeighbourRule(1, two, result=result()),))
    assert "asked twice" in compile_rules(rules, kit, Stock(lambda _: 1)).problems[1]
    with pytest.raises(EditError, match="no layers"):
        forms_of(RewriteRule(1, ()), kit)
