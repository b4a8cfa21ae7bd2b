"""Staggered maps that wrap: their copies lie aslant in the array, and all goes on as on a plane.

The plane here is a staggered map that does not wrap and shows the small one 3 × 3 times: what is
true in its middle has to be true on the small one, wherever that is cut.
"""

from collections import Counter
from dataclasses import replace
from itertools import product

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.core.test_kinds import edge_marks, kind_project, ring_marks
from tests.core.test_rewrite import random_list
from tests.core.test_staggered import desk_of, nothing_beyond, over, shifted_project, shifted_yard
from tests.maps import pair_marks, snapshot

from knitground.core.base.errors import EditError, FormatError, GrowError
from knitground.core.base.window import Box, whole
from knitground.core.edit.desk import Pointer
from knitground.core.edit.document import Document
from knitground.core.edit.hand import TerrainInHand, TileInHand
from knitground.core.edit.laying import plan_cells, plan_sides, plan_terrain
from knitground.core.edit.maps import lay_grown, set_recipe, set_wrap
from knitground.core.edit.planning import plan_dab, plan_fill
from knitground.core.edit.rules import add_rule_list
from knitground.core.edit.sizes import Margins, resize_map
from knitground.core.files.map_io import map_from_file, map_to_file
from knitground.core.files.mapformats import MapFile
from knitground.core.grow.chunks import grow_chunks
from knitground.core.grow.distance import parts_of
from knitground.core.grow.looks import seam_figure
from knitground.core.grow.noise import noise_on
from knitground.core.grow.parting import mend_layer
from knitground.core.grow.rewriting import live_rules
from knitground.core.grow.runner import run_recipe
from knitground.core.knit.knit import knit_box
from knitground.core.knit.layer import layer_table
from knitground.core.model.lattice import Grid, GridKind, Rect, Stagger, Staggered
from knitground.core.model.map import Map, as_laid
from knitground.core.model.mix import Mix, MixEntry
from knitground.core.model.project import Project
from knitground.core.model.recipe import (
    BorderStep,
    MixStep,
    NoiseStep,
    Recipe,
    RewriteStep,
    ScatterStep,
    SmoothStep,
    TintStep,
)
from knitground.core.model.rules import Ask, AskKind, NeighbourRule, Result, RuleList, Spot
from knitground.core.model.standing import close_seam, standing_of
from knitground.core.model.terrain import SetKind
from knitground.core.model.tile import TileRef
from knitground.core.proof.pairs import neighbours
from knitground.core.render.atlas import Atlas
from knitground.core.render.stack import draw, stack_of

WAYS = tuple(product((False, True), repeat=2))


@st.composite
def lattices(draw, least=1, most=6):
    by_columns, first = draw(st.booleans()), draw(st.booleans())
    rows, columns = draw(st.integers(least, most)), draw(st.integers(least, most))
    if by_columns:
        columns = 2 * -(-columns // 2)
    else:
        rows = 2 * -(-rows // 2)
    return Staggered.of(Stagger(rows, columns, by_columns, first), 8, 16, wrap=True)


@st.composite
def boxes(draw):
    lattice = draw(lattices())
    top, left = draw(st.integers(-25, 25)), draw(st.integers(-25, 25))
    box = Box(top, left, top + draw(st.integers(1, 14)), left + draw(st.integers(1, 14)))
    return lattice, box


def seen(lattice, row, col):
    """The cell that is seen at one, by what is drawn there."""
    return lattice.cell_at(*lattice.home(*lattice.middle(row, col)))


# Where cells are


@given(boxes())
def test_what_is_seen_at_a_cell_is_what_is_drawn_there(both):
    lattice, box = both
    numbers = np.arange(lattice.rows * lattice.columns).reshape(lattice.rows, lattice.columns)
    values = np.where(lattice.exists, numbers, -1)
    found = lattice.read(values, box)
    for row, col in np.ndindex(found.shape):
        at = seen(lattice, row + box.top, col + box.left)
        assert lattice.holds(*at)
        assert found[row, col] == values[at]
        assert lattice.nearest(row + box.top, col + box.left) == at
    homes = standing_of(SetKind.CORNER).homes(lattice).of(box)
    assert (homes == found + found // lattice.columns).all(), "terrain stands on the same cells"


@given(boxes())
def test_the_pieces_of_a_box_hold_what_it_shows(both):
    lattice, box = both
    shown = {seen(lattice, row, col) for row, col in
             product(range(box.top, box.bottom), range(box.left, box.right))}  # fmt: skip
    held = set()
    for piece in lattice.pieces(box):
        assert piece.clipped(lattice.rows, lattice.columns) == piece
        every = product(range(piece.top, piece.bottom), range(piece.left, piece.right))
        held |= {at for at in every if lattice.holds(*at)}
    assert shown <= held
    if lattice.has_all(box):
        assert lattice.pieces(box) == [box]
    fitted = lattice.fitted(box)
    assert all(fitted.top <= row < fitted.bottom and fitted.left <= col < fitted.right
               for row, col in shown)  # fmt: skip
    some = [seen(lattice, row, col) for row, col in product(range(lattice.once), repeat=2)]
    assert len(set(some)) == len(some), "in such a box no cell is seen twice"


@given(boxes(), st.integers(0, 99))
def test_what_is_meant_for_cells_of_a_box_comes_onto_the_map_the_first_one_first(both, seed):
    lattice, box = both
    rng = np.random.default_rng(seed)
    values = rng.integers(1, 1000, (box.height, box.width)).astype(np.int32)
    mask = rng.random(values.shape) < 0.6
    wanted = {}
    for row, col in np.argwhere(mask).tolist():
        at = seen(lattice, row + box.top, col + box.left)
        wanted.setdefault(at, int(values[row, col]))
    at, out, laid = lattice.brought(box, values, mask)
    found = {(row + at.top, col + at.left): int(out[row, col])
             for row, col in np.argwhere(laid).tolist()}  # fmt: skip
    assert found == wanted
    assert {tuple(each) for each in np.argwhere(lattice.marked(box, mask)).tolist()} == set(wanted)
    patch = rng.integers(-9, 0, (lattice.rows, lattice.columns)).astype(np.int32)
    over_it = lattice.lay_over(values.copy(), box, lattice.whole, patch)
    for row, col in np.ndindex(values.shape):
        assert over_it[row, col] == patch[seen(lattice, row + box.top, col + box.left)]


@given(lattices())
def test_cells_meet_across_the_border_once_for_each_side(lattice):
    (rows, cols), (other_rows, other_cols) = lattice.meeting()
    pairs = list(zip(rows.tolist(), cols.tolist(), other_rows.tolist(), other_cols.tolist()))
    wanted = []
    for row, col in np.argwhere(lattice.exists).tolist():
        for down, across in ((1, 0), (0, 1)):
            if not lattice.holds(row + down, col + across):
                wanted.append((row, col, *seen(lattice, row + down, col + across)))
    assert sorted(pairs) == sorted(wanted)


# The plane


def plane_of(doc, map_):
    """A staggered map that does not wrap and shows a small one 3 × 3 times; and its middle."""
    small = map_.lattice
    rows, columns = small.counted
    stagger = replace(small.stagger, rows=3 * rows, columns=3 * columns)
    size = Staggered.of(stagger, small.high, small.wide)
    plane = Map("Plane", size.rows, size.columns, small.high, small.wide,
                grid=replace(map_.grid, stagger=stagger), legend=map_.legend)  # fmt: skip
    start, corner = size.cell_named(rows, columns), small.cell_named(0, 0)
    moved = start[0] - corner[0], start[1] - corner[1]
    for layer in map_.layers:
        made = layer.copy()
        for name in layer.arrays:
            old = getattr(layer, name)
            more = old.shape[0] - map_.height
            new = np.zeros((size.rows + more, size.columns + more), old.dtype)
            at = small.seen_at(*(grid - n for grid, n in zip(np.indices(new.shape), moved)))
            there = size.exists
            if new.shape != there.shape:
                there = standing_of(layer.kind_of_set).shown(size)
            new[:] = np.where(there, old[at], 0)
            setattr(made, name, new)
        plane.layers.append(made)
    return plane, moved


def middle(map_, plane, moved, values):
    """What an array of the plane holds in the middle, as an array of the small map."""
    more = values.shape[0] - plane.height
    rows, cols = (
        grid + n for grid, n in zip(np.indices((map_.height + more, map_.width + more)), moved)
    )
    return values[rows, cols]


def wrapping(
    kind, rows=10, columns=7, *, by_columns=False, first=False, copies=1, of=GridKind.STAGGERED
):
    """A small project with one ground layer of a kind on a map that wraps, a staggered one."""
    marks = {
        SetKind.CORNER: lambda: np.pad(pair_marks(((1, 2), (2, 3)), copies), ((0, 0), (0, 1))),
        SetKind.EDGE: lambda: edge_marks(2), SetKind.RING: lambda: ring_marks(2),
    }[kind]()  # fmt: skip
    doc, _, old, _ = kind_project(kind, marks, (4, 4), terrains=3)
    grid = Grid.of(of, rows, columns, by_columns=by_columns, first=first)
    size = grid.lattice(rows, columns, 4, 8)
    map_ = Map("Round", size.rows, size.columns, 4, 8, True, grid=grid)
    ground = map_.new_ground_layer("Ground", "sheet", "Set", kind)
    map_.layers.append(ground)
    map_.layers.append(map_.new_tile_layer("Tiles"))
    doc.project.maps[:] = [map_]
    assert old is not ground
    return doc, map_, *map_.layers


def scattered(map_, ground, seed, marks=3):
    """Random terrain on every place, the same at both ends of the seam."""
    rng = np.random.default_rng(seed)
    laid = rng.integers(0, marks, map_.lattice.counted).astype(ground.terrain.dtype)
    if ground.kind_of_set is SetKind.EDGE:
        laid |= rng.integers(0, marks, laid.shape).astype(laid.dtype) << np.uint16(8)
    ground.terrain[:-1, :-1] = map_.lattice.folded(laid)
    close_seam(ground.terrain, map_.lattice)


@pytest.mark.parametrize("kind", list(SetKind))
@pytest.mark.parametrize(("by_columns", "first"), WAYS)
def test_it_knits_as_on_a_plane(kind, by_columns, first):
    doc, map_, ground, _ = wrapping(kind, 10, 8, by_columns=by_columns, first=first)
    scattered(map_, ground, 3)
    doc.ensure_all(map_)
    plane, moved = plane_of(doc, map_)
    table = layer_table(doc.project, plane, plane.layers[0])
    cells = middle(
        map_, plane, moved, knit_box(table, plane.layers[0], whole(plane.layers[0].cells))
    )
    there = map_.lattice.exists
    assert (ground.cells[there] == cells[there]).all()
    assert len(np.unique(cells[there])) > 4
    assert (ground.cells[~there] == 0).all()
    for row, col in np.argwhere(there)[::7].tolist():  # a part is what the whole is
        box = Box(row, col, row + 2, col + 3).clipped(map_.height, map_.width)
        part = knit_box(doc.knitter.table(map_, ground), ground, box, wrap=True)
        assert (part == ground.cells[box.top : box.bottom, box.left : box.right]).all()


@pytest.mark.parametrize("reach", [1, 2])
def test_neighbour_rules_look_over_the_border(reach):
    doc, map_, ground, _ = wrapping(SetKind.RING, 12, 8)
    kit = doc.project.tilesets[0].sets[0]
    rule = NeighbourRule(
        1, (Spot(2 * reach + 1, 2 * reach + 1, Ask(AskKind.TERRAIN, kit.terrains[0].name)),),
        result=Result(tiles=(MixEntry(TileRef("sheet", 0, 1)),)),
    )  # fmt: skip
    kit.rules = RuleList("", (rule,), first=True)
    scattered(map_, ground, 5, 2)
    doc.ensure_all(map_)
    plane, moved = plane_of(doc, map_)
    table = layer_table(doc.project, plane, plane.layers[0])
    assert table.rules is not None
    cells = middle(
        map_, plane, moved, knit_box(table, plane.layers[0], whole(plane.layers[0].cells))
    )
    there = map_.lattice.exists
    assert (ground.cells[there] == cells[there]).all()


# Painting


@pytest.mark.parametrize("kind", list(SetKind))
@given(st.booleans(), st.booleans(), st.integers(0, 999))
def test_a_dab_over_the_border_lays_what_nine_lay_on_a_plane(kind, by_columns, first, seed):
    doc, map_, ground, _ = wrapping(kind, 24, 22, by_columns=by_columns, first=first)
    rng = np.random.default_rng(seed)
    ground.terrain[:-1, :-1] = np.where(map_.lattice.exists, 1 if kind is SetKind.EDGE else 2, 0)
    if kind is SetKind.EDGE:
        ground.terrain[:] = 0
    close_seam(ground.terrain, map_.lattice)
    plane, moved = plane_of(doc, map_)
    other = Document(Project("P", None, doc.project.tilesets, [], [plane]))
    row, col = map_.lattice.cell_named(*(int(rng.integers(n)) for n in map_.lattice.counted))
    high, wide = int(rng.integers(1, 4)), int(rng.integers(1, 4))
    mask = rng.random((high, wide)) < 0.8
    mask[0, 0] = True
    value = int(rng.integers(1, 4 if kind is SetKind.CORNER else 3))

    def plan(doc, map_, layer, top, left):
        box = Box(top, left, top + high, left + wide)
        if kind is SetKind.EDGE:
            return plan_sides(doc, map_, layer, (box, mask, mask[::-1]), value, "Paint")
        return plan_terrain(doc, map_, layer, box, mask, value, "Paint")

    made = plan(doc, map_, ground, row, col)
    doc.apply(made.edit)
    assert (ground.cells[made.box.top : made.box.bottom, made.box.left : made.box.right]
            == made.cells).all(), "the ghost is the result"  # fmt: skip
    for down, across in product((-1, 0, 1), repeat=2):
        by = map_.lattice._moved(down, across)
        at = row + moved[0] + by[0], col + moved[1] + by[1]
        other.apply(plan(other, plane, plane.layers[0], *at).edit)
    wanted = middle(map_, plane, moved, plane.layers[0].terrain)
    there = np.pad(map_.lattice.exists, ((0, 1), (0, 1)))
    assert (ground.terrain[there] == wanted[there]).all()
    assert ground.terrain[there].any()
    closed = close_seam(ground.terrain.copy(), map_.lattice)
    assert (closed == ground.terrain).all(), "both ends of the seam are the same"
    doc.ensure_all(map_)
    table = layer_table(doc.project, map_, ground)
    assert (ground.cells == knit_box(table, ground, whole(ground.cells), wrap=True)).all()


def own_only(map_, ground):
    """Leave out copies of terrain that lie in cells that there are not."""
    shown = standing_of(ground.kind_of_set).shown(map_.lattice)
    return np.where(True if shown is None else shown, ground.terrain, 0)


@pytest.mark.parametrize("of", list(GridKind))
@pytest.mark.parametrize("kind", list(SetKind))
def test_a_map_that_wraps_from_now_on_is_knitted_so_and_back_again(kind, of):
    doc, map_, ground, _ = wrapping(kind, 10, 6, of=of)
    map_.wrap = False
    scattered(map_, ground, 4)
    ground.terrain = own_only(map_, ground).astype(ground.terrain.dtype)
    doc.ensure_all(map_)

    def is_knitted():
        doc.ensure_all(map_)
        fresh = layer_table(doc.project, map_, ground)
        wanted = knit_box(fresh, ground, whole(ground.cells), wrap=map_.wrap)
        return (ground.cells == wanted).all()

    assert is_knitted()
    apart = ground.cells.copy()
    before = snapshot(doc.project)
    doc.apply(set_wrap(map_, True))
    assert is_knitted()
    assert (ground.cells != apart).any(), "it makes a difference at the border"
    doc.apply(set_wrap(map_, False))
    assert is_knitted()
    assert (own_only(map_, ground) == ground.terrain).all(), "copies are none of the map's own"
    doc.undo()
    assert is_knitted()
    doc.undo()
    assert is_knitted()
    assert snapshot(doc.project) == before


def test_pins_and_tiles_laid_over_the_border_come_in_at_the_other_side():
    doc, map_, ground, tiles = shifted_project(6, 4)
    doc.apply(set_wrap(map_, True))
    row, col = map_.lattice.cell_named(-1, 0)
    assert not map_.lattice.holds(row, col)
    place = map_.legend.place(TileRef("sheet", 0, 3))
    for layer in (ground, tiles):
        box = Box(row, col, row + 1, col + 1)
        one = np.ones((1, 1), np.bool_)
        doc.apply(plan_cells(map_, layer, box, np.full((1, 1), place, np.int32), one, "Lay").edit)
        assert layer.cells[map_.lattice.cell_named(5, 0)] == place
        assert doc.cells(map_, layer, box).tolist() == [[place]]
    assert ground.pinned.sum() == 1
    nothing_beyond(map_)


@given(lattices(2, 9), st.integers(0, 999), st.booleans())
def test_a_fill_goes_round_the_border(lattice, seed, terrain):
    stagger = lattice.stagger
    doc, map_, ground, tiles = shifted_project(
        stagger.rows, stagger.columns, by_columns=stagger.by_columns, first=stagger.first
    )
    doc.apply(set_wrap(map_, True))
    lattice, rng = map_.lattice, np.random.default_rng(seed)
    kept = rng.integers(1, 3, lattice.counted)
    layer = ground if terrain else tiles
    if terrain:
        ground.terrain[:-1, :-1] = lattice.folded(kept)
        close_seam(ground.terrain, lattice)
    else:
        tiles.cells = lattice.folded(kept).astype(np.int32)
    start = tuple(int(rng.integers(n)) for n in lattice.counted)
    first = lattice.cell_named(*start)
    values = lattice.folded(kept)
    wanted, waiting = {first}, [first]
    while waiting:
        row, col = waiting.pop()
        for down, across in ((1, 0), (-1, 0), (0, 1), (0, -1)):
            at = seen(lattice, row + down, col + across)
            if at not in wanted and values[at] == values[first]:
                wanted.add(at)
                waiting.append(at)
    hand = (
        TerrainInHand("sheet", "Set", 3, "clay")
        if terrain
        else TileInHand(TileRef("sheet", 0, 3), 3)
    )
    at = Pointer(*lattice.place(*first)) if terrain else over(map_, *start)
    plan, region = plan_fill(desk_of(doc, map_, layer, "fill", hand), at)
    assert region.complete
    found = {
        (r + region.box.top, c + region.box.left) for r, c in np.argwhere(region.mask).tolist()
    }
    assert found == wanted
    doc.apply(plan.edit)
    nothing_beyond(map_)


# Rules of tiles


@pytest.mark.parametrize(("by_columns", "first"), WAYS)
def test_rewrite_rules_see_what_lies_across_the_border(by_columns, first):
    doc, map_, _, draft = shifted_project(12, 8, by_columns=by_columns, first=first)
    doc.apply(set_wrap(map_, True))
    rng = np.random.default_rng(2)
    places = np.array([0, *(map_.legend.place(TileRef("sheet", 0, n)) for n in (1, 2, 3))])
    draft.cells = map_.lattice.folded(places[rng.integers(0, 4, map_.lattice.counted)]).astype("i4")
    doc.apply(add_rule_list(doc.project, random_list(rng, 6)))
    map_.layers.append(map_.new_grown_layer("Finished"))
    step = RewriteStep(map_.layers[-1].number, doc.project.rule_lists[-1].name, draft.number,
                       copies=True)  # fmt: skip
    doc.apply(set_recipe(map_, Recipe(3, (step,))))
    out = map_.layers[-1]
    doc.ensure_all(map_)
    live = live_rules(doc.project, map_, step, 0)
    there = map_.lattice.exists

    def is_whole():
        wanted = live.cells(map_.lattice.whole)[out.number]
        return (out.cells[there] == wanted[there]).all() and not out.cells[~there].any()

    assert is_whole()
    assert (out.cells[there] != draft.cells[there]).any()
    hand = TileInHand(TileRef("sheet", 0, 2), 2)
    for n in range(12):
        desk = desk_of(doc, map_, draft, "paint", hand, tile_size=2)
        plan = plan_dab(desk, over(map_, n, -1 if n % 2 else 7))
        for layer, box, cells in doc.rewriter.trial(map_, draft, plan.box, plan.cells):
            tried = layer, box, cells
        doc.apply(plan.edit)
        _, box, cells = tried
        inside = map_.lattice.part(box)
        doc.ensure_all(map_)
        assert is_whole()
        assert (
            out.cells[box.top : box.bottom, box.left : box.right][inside] == cells[inside]
        ).all()


# Recipes and proofs


@given(lattices(2, 9), st.floats(2, 6), st.integers(0, 99))
def test_noise_is_the_same_at_every_copy_of_a_place(lattice, scale, seed):
    made = noise_on(lattice, (lattice.rows + 1, lattice.columns + 1), scale, 3, seed, 2.0, 30.0)
    for row, col in np.ndindex(made.shape):
        assert made[row, col] == made[seen(lattice, row, col)]


@pytest.mark.parametrize(("by_columns", "first"), WAYS)
def test_noise_ground_meets_itself_at_the_border_in_exact_shares(by_columns, first):
    doc, map_, ground, _ = shifted_project(30, 22, by_columns=by_columns, first=first)
    doc.apply(set_wrap(map_, True))
    asked = (("brine", 0.2), ("crust", 0.5), ("clay", 0.3))
    for seed in (1, 2, 3):
        map_.recipe = Recipe(seed, (NoiseStep(ground.number, 8.0, shares=asked),))
        made = run_recipe(doc.project, map_)
        assert not made[0].words
        doc.apply(lay_grown(map_, made))
        doc.ensure_all(map_)
        nothing_beyond(map_)
        assert (close_seam(ground.terrain.copy(), map_.lattice) == ground.terrain).all()
        found = {name: laid for name, _, laid in made[0].shares}
        for name, part in asked:
            assert found[name] == pytest.approx(part, abs=0.02)
        assert not (ground.cells < 0).any(), "without a gap"
        # Places beside each other across the border differ as seldom as any two.
        laid, there = ground.terrain[:-1, :-1], map_.lattice.exists
        (rows, cols), other = map_.lattice.meeting()
        across = (laid[rows, cols] != laid[other]).mean()
        inside = np.mean([(laid[there] != map_.lattice.beside(laid, *step)[there]).mean()
                          for step in ((1, 0), (0, 1))])  # fmt: skip
        assert across < inside + 0.12
        assert seam_figure(ground, map_.lattice) == pytest.approx(across / inside, rel=0.2)
    with pytest.raises(GrowError, match="is staggered: chunks are cut"):
        grow_chunks(doc.project, map_, 2)


@pytest.mark.parametrize("by_columns", [False, True])
def test_terrains_without_tiles_in_common_are_mended_over_the_border(by_columns):
    doc, map_, ground, _ = shifted_project(12, 8, by_columns=by_columns)
    doc.apply(set_wrap(map_, True))
    graph = doc.knitter.graph(map_, ground)
    rng = np.random.default_rng(3)
    laid = 1 + 2 * (rng.random(map_.lattice.counted) < 0.3)
    ground.terrain[:-1, :-1] = map_.lattice.folded(laid)
    close_seam(ground.terrain, map_.lattice)
    mended = mend_layer(graph, ground.terrain, map_.lattice)
    assert (close_seam(mended.copy(), map_.lattice) == mended).all()
    ground.terrain[:] = mended
    table = layer_table(doc.project, map_, ground)
    cells = knit_box(table, ground, whole(ground.cells), wrap=True)
    assert not (cells < 0).any(), "without a gap, at the border neither"
    kept = (ground.terrain[:-1, :-1] == map_.lattice.folded(laid))[map_.lattice.exists]
    assert 0.2 < kept.mean() < 1
    again = mend_layer(graph, mended, map_.lattice)
    assert (again == mended).all()


def test_a_step_that_does_not_look_over_the_border_says_so():
    doc, map_, ground, _ = shifted_project(12, 8)
    doc.apply(set_wrap(map_, True))
    for make, name in ((map_.new_grown_layer, "Reeds"), (map_.new_tint_layer, "Dusk")):
        map_.layers.append(make(name))
    grown, tint = map_.layers[2:]
    doc.project.mixes.append(Mix("some", (MixEntry(TileRef("sheet", 0, 1)),)))
    map_.recipe = Recipe(3, (
        SmoothStep(ground.number), MixStep(grown.number, "some", 0.5),
        ScatterStep(grown.number, "some", 0.2), TintStep(tint.number, even=0.2),
    ))  # fmt: skip
    made = run_recipe(doc.project, map_)
    doc.apply(lay_grown(map_, made))
    doc.ensure_all(map_)
    nothing_beyond(map_)
    silent = [each.step for each in made if "does not look across" not in each.words]
    assert silent == [1, 3]
    map_.recipe = Recipe(3, (BorderStep(ground.number, "crust", 2),))
    with pytest.raises(GrowError, match="wraps and has none"):
        run_recipe(doc.project, map_)


def test_proofs_look_over_the_border():
    doc, map_, _, tiles = shifted_project(6, 4)
    doc.apply(set_wrap(map_, True))
    lattice, rng = map_.lattice, np.random.default_rng(5)
    tiles.cells = lattice.folded(rng.integers(1, 5, lattice.counted)).astype(np.int32)
    for step in ((1, 0), (0, 1)):
        wanted = Counter()
        for row, col in np.argwhere(lattice.exists).tolist():
            other = seen(lattice, row + step[0], col + step[1])
            wanted[int(tiles.cells[row, col]), int(tiles.cells[other])] += 1
        pairs = neighbours(lattice, tiles.cells, *step).pairs()
        assert {(a, b): n for a, b, n in pairs} == wanted
    free = lattice.folded(rng.random(lattice.counted) < 0.5)
    numbers, count = parts_of(free, wrap=False, corners=False, meeting=lattice.meeting())
    for row, col in np.argwhere(free).tolist():
        for down, across in ((1, 0), (0, 1)):
            other = seen(lattice, row + down, col + across)
            assert not free[other] or numbers[other] == numbers[row, col]
    assert set(np.unique(numbers[free])) == set(range(1, count + 1))


# Pictures and files


@pytest.mark.parametrize(("by_columns", "first"), WAYS)
def test_the_picture_goes_on_over_the_border(by_columns, first):
    doc, map_ = shifted_yard(Stagger(8, 6, by_columns, first))
    map_.wrap = True
    plane, moved = plane_of(doc, map_)
    at, to = map_.lattice.place(0, 0), plane.lattice.place(*moved)
    wide, high = map_.lattice.extent
    for x, y in ((-37, -21), (wide - 40, 10), (-9, high - 50)):
        rect = Rect(x, y, 90, 50)
        far = rect.moved(to[0] - at[0], to[1] - at[1])
        here = draw(
            Atlas(doc.project, map_),
            stack_of(map_, Atlas(doc.project, map_), rect, 0, as_laid(map_)),
        )
        there = draw(
            Atlas(doc.project, plane),
            stack_of(plane, Atlas(doc.project, plane), far, 0, as_laid(plane)),
        )
        assert (here == there).all()
        assert len(np.unique(here)) > 5


def test_it_is_kept_in_files_and_grows_by_pairs_of_rows():
    doc, map_, ground, _ = shifted_project(6, 4)
    doc.apply(set_wrap(map_, True))
    ground.terrain[map_.lattice.cell_named(0, 0)] = 1
    close_seam(ground.terrain, map_.lattice)
    assert (ground.terrain == 1).sum() > 1, "it is seen below the last row too"
    file = MapFile.model_validate_json(map_to_file(map_).model_dump_json())
    again = map_from_file(file, "m")
    assert again.lattice == map_.lattice
    assert again.wrap
    assert (again.layers[0].terrain == ground.terrain).all()
    doc.apply(resize_map(map_, Margins(2, 1, 0, 0)))
    assert map_.wrap
    assert map_.lattice.counted == (8, 5)
    assert (close_seam(ground.terrain.copy(), map_.lattice) == ground.terrain).all()
    assert (ground.terrain == 1).sum() == 1, "what it shows only because it wraps is not kept"
    nothing_beyond(map_)
    with pytest.raises(EditError, match=r"9 rows.*give it 10"):
        doc.apply(resize_map(map_, Margins(1, 0, 0, 0)))
    doc.apply(set_wrap(map_, False))
    doc.apply(resize_map(map_, Margins(1, 0, 0, 0)))
    with pytest.raises(EditError, match=r"9 rows.*give it 10"):
        doc.apply(set_wrap(map_, True))
    with pytest.raises(FormatError, match="does not wrap"):
        map_from_file(map_to_file(map_).model_copy(update={"wrap": True}), "m")
    doc, map_, _, _ = shifted_project(4, 7, by_columns=True)
    with pytest.raises(EditError, match=r"7 columns.*give it 8"):
        doc.apply(set_wrap(map_, True))
