import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.maps import CORNERS, grid, pair_marks, small_project

from knitground.core.base.hashing import cell_numbers
from knitground.core.base.window import Box
from knitground.core.knit.bridge import FAR, build_graph
from knitground.core.knit.explain import explain
from knitground.core.knit.knit import knit, knit_box
from knitground.core.knit.layer import plain_terrains, set_table
from knitground.core.knit.missing import key_words, missing_keys
from knitground.core.knit.table import build_table, links
from knitground.core.model.layers import GAP
from knitground.core.model.mix import MixEntry
from knitground.core.model.rules import NeighbourRule, Result, RuleList
from knitground.core.model.terrain import ANY, SetKind, TerrainSet
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import TileFacts


def table_of(marks, weights=None, terrains=4):
    return build_table(
        marks, list(range(1, len(marks) + 1)), weights or [1.0] * len(marks), terrains
    )


def slow_knit(marks, weights, terrain, seed, layer):
    """An oracle in plain Python: look through all tiles for each cell."""
    height, width = terrain.shape[0] - 1, terrain.shape[1] - 1
    numbers = cell_numbers(np.arange(height), np.arange(width), seed, layer) >> 24
    out = np.zeros((height, width), int)
    has_border = any(0 in m[list(CORNERS)] and m[list(CORNERS)].any() for m in marks)
    for r in range(height):
        for c in range(width):
            want = [terrain[r, c], terrain[r, c + 1], terrain[r + 1, c], terrain[r + 1, c + 1]]
            fits = [
                n for n, m in enumerate(marks) if (m[list(CORNERS)] == want).all() and weights[n]
            ]
            if not any(want) or (0 in want and not has_border):
                continue
            if not fits:
                out[r, c] = GAP
                continue
            total = sum(weights[n] for n in fits)
            slots = [weights[n] / total * 256 for n in fits]
            assert all(float(s).is_integer() for s in slots)  # the test's weights divide 256
            bounds = np.cumsum(slots)
            out[r, c] = fits[int(np.searchsorted(bounds, numbers[r, c], side="right"))] + 1
    return out


@pytest.mark.parametrize("copies", [1, 2, 4])
@pytest.mark.parametrize("nothing", [False, True])
def test_every_cell_has_the_tile_that_a_search_finds(copies, nothing):
    pairs = ((1, 2), (2, 3), (0, 2)) if nothing else ((1, 2), (2, 3))
    marks = pair_marks(pairs, copies)
    weights = [1.0] * len(marks)
    terrain = np.random.default_rng(copies).integers(0, 4, (14, 17)).astype(np.uint8)
    terrain[:6] = np.minimum(terrain[:6], 1) + 1
    found = knit(table_of(marks, weights), terrain, np.arange(13), np.arange(16), 5, 2)
    assert (found == slow_knit(marks, weights, terrain, 5, 2)).all()
    assert (found == GAP).any()
    assert (found > 0).any()


def test_weight_nought_is_never_and_weights_take_their_shares():
    marks = np.ones((3, 8), np.uint8)
    table = table_of(marks, [3.0, 1.0, 0.0], 1)
    cells = knit(table, np.ones((301, 301), np.uint8), np.arange(300), np.arange(300), 1, 1)
    parts = np.bincount(cells.ravel(), minlength=4) / cells.size
    assert parts[3] == 0
    assert abs(parts[1] - 0.75) < 0.01


@given(st.integers(0, 2**31), st.integers(0, 20), st.integers(0, 20), st.booleans())
def test_a_part_knits_as_the_whole(seed, top, left, wrap):
    doc, map_, ground, _ = small_project((24, 28), wrap)
    rng = np.random.default_rng(seed)
    ground.terrain[:] = rng.integers(0, 4, ground.terrain.shape)
    if wrap:
        ground.terrain[-1], ground.terrain[:, -1] = ground.terrain[0], ground.terrain[:, 0]
        ground.terrain[-1, -1] = ground.terrain[0, 0]
    ground.pinned[3, 4] = True
    ground.cells[3, 4] = 9
    table = doc.knitter.table(map_, ground)
    whole = knit_box(table, ground, Box(0, 0, 24, 28), wrap=wrap)
    box = Box(top, left, top + 9, left + 13)
    if not wrap:
        box = box.clipped(24, 28)
    part = knit_box(table, ground, box, wrap=wrap)
    assert (part == whole[np.ix_(box.rows(24), box.cols(28))]).all()


def test_sixteen_terrains_knit():
    marks = pair_marks([(n, n + 1) for n in range(1, 16)])
    table = table_of(marks, terrains=16)
    terrain = np.repeat(np.arange(1, 17, dtype=np.uint8)[None], 5, 0)
    cells = knit(table, terrain, np.arange(4), np.arange(15), 1, 1)
    assert (cells > 0).all()
    assert (marks[cells[0] - 1][:, 7] == np.arange(1, 16)).all()


def test_links_and_ways():
    graph = build_graph(table_of(pair_marks([(1, 2), (2, 3), (2, 4)])))
    assert links(table_of(pair_marks([(1, 2), (2, 3)]))) == {(1, 2), (2, 3)}
    assert graph.apart[1, 3] == 2
    assert graph.apart[0, 1] == FAR
    assert graph.way(1, 3) == [1, 2, 3]
    assert graph.way(0, 1) == []
    assert graph.reach == 2


def test_explain_names_what_the_knitting_chose():
    doc, map_, ground, _ = small_project(copies=3)
    ground.terrain[2:5, 2:5] = 1
    doc.knitter.ensure_all(map_)
    kit = doc.project.tilesets[0].sets[0]
    table = doc.knitter.table(map_, ground)
    for row in range(map_.height):
        for col in range(map_.width):
            why = explain(table, map_, ground, kit, Box(row, col, row + 1, col + 1))
            chosen = [each for each in why.candidates if each.chosen]
            assert [map_.legend.place(each.tile) for each in chosen] == [ground.cells[row, col]]
            assert len(why.candidates) == 3
            assert why.sentence().startswith("NW ")
    ground.pinned[0, 0] = True
    assert (
        explain(table, map_, ground, kit, Box(0, 0, 1, 1)).sentence().startswith("pinned by hand")
    )


def test_missing_combinations_are_named():
    doc, map_, ground, _ = small_project(pairs=((1, 2),))
    ground.terrain[:] = grid("CCCCCCCCCCC\n" * 9)
    ground.terrain[4, 4] = 3
    doc.knitter.ensure_all(map_)
    kit = doc.project.tilesets[0].sets[0]
    missing = missing_keys(doc.knitter.table(map_, ground), ground, map_.wrap)
    assert doc.knitter.gaps(ground) == (4, True)
    assert sum(cells for _, cells in missing) == 4
    assert ((2, 2, 2, 3), 1) in missing
    assert key_words(kit, (2, 2, 2, 3)) == "NW crust · NE crust · SW crust · SE clay"


@pytest.mark.parametrize("kind", [SetKind.CORNER, SetKind.RING])
def test_plain_terrains_are_those_of_the_table(kind):
    doc, *_ = small_project(copies=1)
    owner, rng = doc.project.tilesets[0], np.random.default_rng(4)
    names, seen = owner.sets[0].terrains, set()
    for _ in range(60):
        # Mostly plain tiles, so that each terrain has one in about half of the sets.
        laid = np.repeat(rng.integers(0, 5, (owner.rows, owner.columns, 1)), 9, axis=2)
        laid = np.where(rng.random(laid.shape) < 0.06, ANY, laid % 4).astype(np.uint8)
        laid[rng.random(laid.shape[:2]) < 0.6] = 0
        kit = TerrainSet("Set", kind, names, laid)
        owner.sets = [kit]
        owner.facts = {
            (int(row), int(col)): TileFacts(weight=float(n % 2), left_out=n % 3 == 0, inner=n > 4)
            for n, (row, col) in enumerate(rng.integers(0, owner.rows, (8, 2)))
        }
        table, _ = set_table(doc.project, owner, kit)
        plain = plain_terrains(doc.project, owner, kit)
        assert plain == {n for n in (1, 2, 3) if table.has_plain(n)}
        seen.add(plain)
    assert len(seen) > 4
    kit.marks[:] = 0
    assert not plain_terrains(doc.project, owner, kit)
    tile = MixEntry(TileRef("sheet", 0, 0), 1.0)
    kit.rules = RuleList("", (NeighbourRule(1, (), result=Result(tiles=(tile,))),))
    table, _ = set_table(doc.project, owner, kit)
    assert plain_terrains(doc.project, owner, kit) == {1, 2, 3}
    assert table.has_plain(3)
