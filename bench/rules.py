"""Benchmarks of rules and rewriting, as ratios against references in the same run.

`python bench/rules.py` prints a table, `--json` one document; exits 1 if a limit is broken.
References: take, one look-up of as many cells from 65 536 places; uniform_filter of 3 × 3 bytes;
planes, the same rules worked out with one NumPy plane of bytes a place and rule.
"""

from __future__ import annotations

import json
import os
import sys
from dataclasses import asdict
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))

from bench.run import Row, ratio, tell_rows, timed

SIDE = 1024


def quick_list(count: int, seed: int):
    """Make rules of same, other and anything, tried in four ways."""
    import numpy as np

    from knitground.core.model.rules import OTHER, SAME, NeighbourRule, RuleList, Spot, Ways
    from knitground.core.model.terrain import SetKind
    from knitground.core.rules.places import base_places

    rng = np.random.default_rng(seed)
    rules = []
    for number in range(1, count + 1):
        spots = tuple(
            Spot(y, x, (SAME, OTHER)[rng.integers(2)])
            for y, x in base_places(SetKind.RING)[1:] if rng.random() < 0.55
        )  # fmt: skip
        rules.append(NeighbourRule(number, spots, result=one(number), ways=Ways.TURNED))
    return RuleList("", tuple(rules))


def general_list(count: int, seed: int):
    """Make rules that look up to two cells away and ask for terrains by name."""
    import numpy as np

    from knitground.core.model.rules import OTHER, SAME, Ask, AskKind, NeighbourRule, RuleList, Spot
    from knitground.core.model.terrain import SetKind
    from knitground.core.rules.places import places_of

    rng = np.random.default_rng(seed)
    asks = [SAME, OTHER, *(Ask(AskKind.TERRAIN, name) for name in "abcd")]
    places = [p for p in places_of(SetKind.RING, 2) if p != (1, 1)]
    rules = []
    for number in range(1, count + 1):
        picked = sorted(rng.permutation(len(places))[:5])
        spots = tuple(
            Spot(places[n][0], places[n][1], asks[rng.integers(len(asks))]) for n in picked
        )
        rules.append(NeighbourRule(number, spots, result=one(number)))
    return RuleList("", tuple(rules))


def one(number: int):
    """Make a result of one tile."""
    from knitground.core.model.mix import MixEntry
    from knitground.core.model.rules import Result
    from knitground.core.model.tile import TileRef

    return Result(tiles=(MixEntry(TileRef("t", 0, number)),))


def kit():
    """Make a ring set of four terrains."""
    from knitground.core.model.terrain import SetKind, Terrain, TerrainSet

    return TerrainSet("k", SetKind.RING, tuple(Terrain(c, "#111111", c) for c in "abcd"))


def window_of(margin: int):
    """Lay patches of four terrains on 1024 × 1024 cells."""
    import numpy as np
    from scipy.ndimage import gaussian_filter

    from knitground.core.model.terrain import SetKind
    from knitground.core.rules.apply import Window

    side = SIDE + 1 + 2 * margin
    noise = gaussian_filter(np.random.default_rng(1).random((side, side)), 3)
    near = (np.digitize(noise, np.quantile(noise, (0.25, 0.5, 0.75))) + 1).astype(np.uint8)
    return Window(SetKind.RING, near, margin, np.arange(SIDE), np.arange(SIDE), (SIDE, SIDE))


def plain_planes(table, window):
    """Work rules out as one would at first: a plane of bytes for each need of each form."""
    import numpy as np

    out = np.zeros(window.shape, np.int16)
    left = np.ones(window.shape, np.bool_)
    for number, form in enumerate(table.forms, 1):
        hit = left.copy()
        for need in form.needs:
            own = window.values(need.place)
            if need.like:
                hit &= own == window.values(need.like)
            elif need.unlike:
                hit &= own != window.values(need.unlike)
            else:
                lut = np.array([need.mask >> n & 1 for n in range(256)], np.bool_)
                hit &= lut[own]
        out[hit] = number
        left &= ~hit
    return out


def rule_rows() -> list[Row]:
    """Applying and analysing neighbour rules."""
    import numpy as np
    from scipy.ndimage import uniform_filter

    from knitground.core.rules.analyse import analyse_rules
    from knitground.core.rules.apply import forms_in
    from knitground.core.rules.table import Stock, compile_rules

    stock = Stock(lambda tile: tile.col + 1)
    quick = compile_rules(quick_list(50, 1), kit(), stock)
    general = compile_rules(general_list(50, 2), kit(), stock)
    near, wide = window_of(1), window_of(general.margin)
    look_up = np.arange(65_536, dtype=np.int32)
    at = np.random.default_rng(0).integers(0, 65_536, (SIDE, SIDE)).astype(np.int32)
    bytes_ = np.random.default_rng(0).integers(0, 255, (SIDE, SIDE)).astype(np.uint8)
    assert quick.quick is not None
    assert general.quick is None
    assert (forms_in(general, wide, 1, 1) == plain_planes(general, wide)).all()
    spent = sorted(timed(lambda: analyse_rules(quick)) for _ in range(15))[7] * 1000
    return [
        ratio("50 rules of same/other, 1 M cells", "take", lambda: forms_in(quick, near, 1, 1),
              lambda: np.take(look_up, at), 8),
        ratio("50 general rules, 1 M cells", "uniform_filter",
              lambda: forms_in(general, wide, 1, 1), lambda: uniform_filter(bytes_, 3), 7),
        ratio("50 general rules, 1 M cells", "plain planes",
              lambda: forms_in(general, wide, 1, 1), lambda: plain_planes(general, wide), 0.1, 5),
        Row("analysis of 50 rules, ms", "-", spent, 0, spent, 50),
    ]  # fmt: skip


def rewrite_rows() -> list[Row]:
    """Rewriting on two layers, and what a dab costs on maps of two sizes."""
    import numpy as np
    from tests.maps import small_project

    from knitground.core.base.window import Box
    from knitground.core.model.rules import (
        Ask,
        AskKind,
        BlockCell,
        LaidCell,
        Outcome,
        RewriteRule,
        RuleList,
    )
    from knitground.core.model.tile import TileRef
    from knitground.core.rules.board import Board
    from knitground.core.rules.rewrite import apply_rewrite
    from knitground.core.rules.rewritetable import compile_rewrite
    from knitground.core.rules.table import stock_of

    doc, map_, _, draft = small_project((SIDE, SIDE))
    second = map_.new_tile_layer("Second")
    map_.layers.append(second)
    rng = np.random.default_rng(3)
    places = np.array([0, *(map_.legend.place(TileRef("sheet", 0, n)) for n in range(6))])
    for layer in (draft, second):
        layer.cells[:] = places[rng.integers(0, 7, (SIDE, SIDE))]

    def rules(overlap: bool) -> RuleList:
        made = []
        for number in range(1, 31):
            block = [
                BlockCell(r, c, name, Ask(AskKind.TILES, tiles=tuple(
                    TileRef("sheet", 0, int(n)) for n in rng.permutation(6)[:3])))
                for name in ("", "Second") for r in range(3) for c in range(2)
            ]  # fmt: skip
            laid = tuple(LaidCell(r, c, "", TileRef("sheet", 1, number % 8))
                         for r in range(3) for c in range(2))  # fmt: skip
            made.append(RewriteRule(number, tuple(block), outcomes=(Outcome(laid),),
                                    overlap=overlap))  # fmt: skip
        return RuleList("bench", tuple(made))

    board = Board(doc.project, map_, draft)
    stock = stock_of(doc.project, map_)
    table = compile_rewrite(rules(True), board, stock)
    apart = compile_rewrite(rules(False), board, stock)
    whole = Box(0, 0, SIDE, SIDE)
    look_up = np.arange(65_536, dtype=np.int32)
    at = rng.integers(0, 65_536, (SIDE, SIDE)).astype(np.int32)
    spent = sorted(timed(lambda: apply_rewrite(apart, board, whole)) for _ in range(5))[2] * 1000
    return [
        ratio("30 rewrite rules of 3 × 2 on 2 layers", "take",
              lambda: apply_rewrite(table, board, whole), lambda: np.take(look_up, at), 60, 5),
        Row("the same without overlaps, ms", "-", spent, 0, spent, 250),
    ]  # fmt: skip


def dab_rows() -> list[Row]:
    """A dab of 3 × 3 with rules and live rewriting, on 4096² against 64²."""
    import numpy as np
    from tests.maps import small_project

    from knitground.core.base.window import Box
    from knitground.core.edit.laying import plan_cells, plan_terrain
    from knitground.core.edit.maps import set_recipe
    from knitground.core.edit.rules import add_rule_list
    from knitground.core.model.mix import MixEntry
    from knitground.core.model.recipe import Recipe, RewriteStep
    from knitground.core.model.rules import Ask, AskKind, NeighbourRule, Result, RuleList, Spot
    from knitground.core.model.tile import TileRef

    def dab(side: int):
        doc, map_, ground, draft = small_project((side, side))
        owner = doc.project.tilesets[0]
        brine = Ask(AskKind.TERRAIN, "brine")
        tile = Result(tiles=(MixEntry(TileRef("sheet", 0, 1)),))
        spots = tuple(Spot(y, x, brine) for y in (-2, 0, 2, 4) for x in (-2, 0, 2, 4))
        owner.sets[0].rules = RuleList("", (NeighbourRule(1, spots, result=tile),))
        wall = Ask(AskKind.TILES, tiles=(TileRef("sheet", 0, 2),))
        rules = RuleList("walls", (NeighbourRule(1, (), result=tile, subject=wall),))
        doc.apply(add_rule_list(doc.project, rules))
        out = map_.new_grown_layer("Out")
        map_.layers.append(out)
        doc.apply(set_recipe(map_, Recipe(1, (RewriteStep(out.number, "walls", draft.number),))))
        doc.ensure_all(map_)
        mask, place = np.ones((3, 3), bool), map_.legend.place(TileRef("sheet", 0, 2))
        box = Box(side // 2, side // 2, side // 2 + 3, side // 2 + 3)
        state = [0]

        def work() -> None:
            state[0] ^= 1
            value = place if state[0] else 0
            doc.apply(plan_cells(map_, draft, box, np.full((3, 3), value), mask, "D").edit)
            doc.apply(plan_terrain(doc, map_, ground, box, mask, 1 + state[0], "D").edit)

        return lambda: [work() for _ in range(20)]

    large, small = dab(4096), dab(64)
    return [ratio("20 dabs with rules and rewriting, 4096²", "64²", large, small, 1.3)]


def main() -> int:
    """Measure all rows."""
    rows = [*rule_rows(), *rewrite_rows(), *dab_rows()]
    if "--json" in sys.argv:
        print(json.dumps([asdict(row) for row in rows]))
        return 0 if all(row.passed for row in rows) else 1
    return tell_rows(rows)


if __name__ == "__main__":
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    sys.exit(main())
