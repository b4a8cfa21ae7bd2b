"""Mixes with patches, kept apart, kept off borders, and fills that are laid anew."""

import re
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from knitground.core.base.errors import EditError, GrowError
from knitground.core.base.window import Box
from knitground.core.chance.fall import check_fall, fall_cells
from knitground.core.edit.desk import Desk, Pointer, ToolOptions
from knitground.core.edit.document import Document
from knitground.core.edit.hand import MixInHand
from knitground.core.edit.laidmix import laid_at, plan_again, with_laid
from knitground.core.edit.maps import put_mix
from knitground.core.edit.planning import plan_dab, plan_fill, refusal
from knitground.core.edit.sizes import Margins, resize_map
from knitground.core.edit.tint import tint_value
from knitground.core.files.opening import open_project
from knitground.core.files.saving import save_project
from knitground.core.grow.patchwork import mix_cells
from knitground.core.grow.runner import run_recipe
from knitground.core.grow.taking import Lie, taken_cells
from knitground.core.model.map import Map
from knitground.core.model.mix import Fall, FallWay, Mix, MixEntry
from knitground.core.model.patch import Patch
from knitground.core.model.recipe import MixStep, Recipe
from knitground.core.model.rules import NeighbourRule, Result, ResultKind, RuleList
from knitground.core.model.terrain import SetKind, Terrain, TerrainSet
from knitground.core.model.tile import TileRef
from knitground.core.rules.board import terrain_slots
from knitground.core.rules.table import Stock, compile_rules

BIG = Patch("big", (
    (TileRef("props", 1, 0), TileRef("props", 1, 1)),
    (TileRef("props", 2, 0), TileRef("props", 2, 1)),
))  # fmt: skip
LONG = Patch("long", ((TileRef("props", 1, 2), TileRef("props", 1, 3)),))
STONE, HEAP = TileRef("props", 0, 4), TileRef("props", 0, 0)
MIXED = Mix("mixed", (
    MixEntry(STONE, 2.0), MixEntry(HEAP, 1.0), MixEntry(BIG.rows[0][0], 3.0, BIG),
    MixEntry(LONG.rows[0][0], 2.0, LONG),
))  # fmt: skip


@pytest.fixture
def demo(demo_folder):
    return open_project(demo_folder).project


@pytest.fixture
def yard(demo):
    map_ = Map("Yard", 40, 48, 16, 16, wrap=False)
    ground = map_.new_ground_layer("Ground", "pans", "Pans")
    ground.terrain[:] = 2
    ground.terrain[:, 24:] = 1
    map_.layers.append(ground)
    layer = map_.new_tile_layer("Things")
    map_.layers.append(layer)
    demo.maps.append(map_)
    demo.mixes.append(MIXED)
    return Desk(Document(demo), map_, layer, "fill", MixInHand("mixed", MIXED),
                ToolOptions(seed=4))  # fmt: skip


def whole_patches(map_, cells):
    """Count the patches that lie whole, and see to it that no part lies without the rest."""
    count = 0
    left = cells.copy()
    for patch in (BIG, LONG):
        places = np.array([[map_.legend.place(t) for t in row] for row in patch.rows])
        for row, col in np.argwhere(cells == places[0, 0]).tolist():
            part = left[row : row + places.shape[0], col : col + places.shape[1]]
            assert part.shape == places.shape
            assert (part == places).all()
            part[:] = 0
            count += 1
        assert not np.isin(left, places).any()
    return count


def test_a_fill_lays_patches_whole_and_tiles_between_them_and_a_part_as_the_whole(yard):
    plan, _ = plan_fill(yard, Pointer(8.0, 8.0))
    yard.doc.apply(plan.edit)
    cells = yard.layer.cells
    assert (cells > 0).all()
    assert whole_patches(yard.map, cells) > 60
    places = [yard.map.legend.place(t) for row in BIG.rows for t in row]
    assert 0.2 < np.isin(cells, places).mean() < 0.42  # 3 of 8 asked for
    box = Box(3, 5, 31, 40)
    part = mix_cells(yard.map, MIXED, yard.layer.number, box, 4,
                     np.ones((box.height, box.width), bool))  # fmt: skip
    inner = np.s_[5:-5, 5:-5]  # at its own rim patches of the part do not fit
    whole = cells[3:31, 5:40]
    assert (part[inner] == whole[inner]).mean() > 0.97


def test_brush_strokes_never_cut_a_patch(yard):
    desk = replace(yard, tool="paint", options=ToolOptions(seed=4, tile_size=5))
    rng = np.random.default_rng(1)
    for _ in range(60):
        x, y = rng.integers(40, 700), rng.integers(40, 600)
        plan = plan_dab(desk, Pointer(float(x), float(y)))
        if plan is not None:
            desk.doc.apply(plan.edit)
            shown = desk.layer.cells[plan.box.top : plan.box.bottom, plan.box.left : plan.box.right]
            mask = plan.cells > 0
            assert (shown[mask] == plan.cells[mask]).all()  # the ghost is what is laid
        whole_patches(desk.map, desk.layer.cells)
    assert whole_patches(desk.map, desk.layer.cells) > 10


@given(st.integers(0, 2**31), st.sampled_from([(13, 2), (15, 2), (26, 3)]), st.booleans())
@settings(max_examples=9, deadline=None)
def test_tiles_keep_so_many_steps_apart_and_a_part_as_the_whole(seed, case, wraps):
    count, steps = case
    rng = np.random.default_rng(seed)
    weights = tuple(float(w) for w in 1 + rng.random(count) * 0.3)
    torus = (int(rng.integers(28, 40)), int(rng.integers(28, 40))) if wraps else None
    high, wide = torus or (30, 34)
    fall = Fall(FallWay.APART, steps=steps)
    cells = fall_cells(weights, fall, np.arange(high), np.arange(wide), seed % 999, 1, torus)
    for down in range(-steps, steps + 1):
        for across in range(-steps, steps + 1):
            if not 0 < abs(down) + abs(across) <= steps:
                continue
            moved = np.roll(cells, (down, across), (0, 1))
            same = moved == cells
            if not wraps:
                same[: max(0, down)] = same[high + min(0, down) :] = False
                same[:, : max(0, across)] = same[:, wide + min(0, across) :] = False
            assert not same.any()
    rows, cols = np.arange(5, 17), np.arange(9, 23)
    part = fall_cells(weights, fall, rows, cols, seed % 999, 1, torus)
    assert (part == cells[5:17, 9:23]).all()


def test_what_can_not_keep_apart_is_refused_with_the_nearest():
    apart = Fall(FallWay.APART, steps=2)
    for weights, fall, words in (
        ((1.0,) * 8, apart, "8 tiles can not keep 2 steps apart.*let them keep 1 apart"),
        ((1.0,), apart, "one tile.*exact shares"),
        ((5.0, *(1.0,) * 14), apart, "a tile of 26%"),
        ((1.0,) * 20, Fall(FallWay.APART, steps=3), "it takes 25.*keep 2 apart"),
    ):
        with pytest.raises(EditError, match=words):
            check_fall(weights, fall)
    check_fall((1.0,) * 13, apart)


@pytest.mark.parametrize("border", [3, -2])
def test_a_mix_keeps_off_borders_of_the_terrain_beneath_or_near_them(yard, border):
    mix = replace(MIXED, entries=MIXED.entries[:2], fall=Fall(border=border))
    desk = replace(yard, hand=MixInHand("mixed", mix))
    plan, _ = plan_fill(desk, Pointer(8.0, 8.0))
    desk.doc.apply(plan.edit)
    laid = np.flatnonzero((yard.layer.cells > 0).all(axis=0))
    # Column 23 shows both terrains.
    wanted = [c for c in range(48) if (abs(c - 23) > 3 if border > 0 else abs(c - 23) <= 2)]
    assert laid.tolist() == wanted
    assert not (yard.layer.cells[:, [c for c in range(48) if c not in wanted]] > 0).any()
    part = taken_cells(Lie(yard.project, yard.map), mix.fall, yard.layer.number,
                       Box(4, 20, 9, 27), 1)  # fmt: skip
    assert (part[0] == [c in wanted for c in range(20, 27)]).all()
    grown = yard.map.new_grown_layer("Grown")
    yard.map.layers.append(grown)
    yard.project.mixes[-1] = mix
    yard.map.recipe = Recipe(1, (MixStep(grown.number, "mixed", 1.0),))
    cells = run_recipe(yard.project, yard.map)[0].made
    assert np.flatnonzero((cells > 0).all(axis=0)).tolist() == wanted


def test_a_mix_keeps_off_a_terrain_or_another_layer_by_name(yard):
    map_ = yard.map
    second = map_.new_tile_layer("Huts")
    map_.layers.append(second)
    second.cells[10, 5] = map_.legend.place(HEAP)
    name = yard.project.set_of(map_.layers[0].tileset, map_.layers[0].set_name)[1].terrains[0].name
    for of, border in (("Huts", 2), ("Huts", -3), (name, 1), (name, -1)):
        mix = Mix("m", (MixEntry(HEAP),), Fall(border=border, of=of))
        plan, _ = plan_fill(replace(yard, hand=MixInHand("m", mix)), Pointer(8.0, 8.0))
        rows, cols = np.indices((map_.height, map_.width))
        if of == "Huts":
            far = np.hypot(rows - 10, cols - 5)
        else:  # it shows in all columns up to 23, or from there on
            shown = np.flatnonzero((layer_slots(yard) == 1).any(axis=(0, 1)))
            far = np.abs(cols[..., None] - shown).min(axis=-1)
        wanted = far > border if border > 0 else far <= -border
        assert ((plan.cells > 0) == wanted[index_of(plan.box)]).all()
        assert 0 < wanted.sum() < wanted.size


def layer_slots(yard):
    ground = yard.map.layers[0]
    whole = Box(0, 0, yard.map.height, yard.map.width)
    return terrain_slots(yard.map, ground, whole, ground.terrain)


def index_of(box):
    return slice(box.top, box.bottom), slice(box.left, box.right)


def test_a_mix_is_as_dense_as_it_is_told_and_as_a_tint(yard):
    map_ = yard.map
    tint = map_.new_tint_layer("Thick")
    map_.layers.append(tint)
    tint.cells[:, 24:] = tint_value("#ff0000", 127)
    tint.cells[:, 12:24] = tint_value("#ff0000", 64)
    mix = Mix("m", (MixEntry(HEAP),), Fall(tint="Thick", density=0.5))
    plan, _ = plan_fill(replace(yard, hand=MixInHand("m", mix)), Pointer(8.0, 8.0))
    laid = np.zeros((map_.height, map_.width), bool)
    laid[index_of(plan.box)] = plan.cells > 0
    assert not laid[:, :12].any()
    assert abs(laid[:, 12:24].mean() - 0.25) < 0.05
    assert abs(laid[:, 24:].mean() - 0.5) < 0.05
    # A brush over all of it lays the same cells, and reaching over the border does no harm.
    for row in range(0, map_.height, 3):
        for col in range(1, map_.width, 3):
            brush = replace(
                yard,
                hand=MixInHand("m", mix),
                tool="paint",
                options=ToolOptions(tile_size=3, seed=4),
            )
            dab = plan_dab(brush, Pointer(col * 16 + 8.0, row * 16 + 8.0))
            if dab is not None:
                yard.doc.apply(dab.edit)
    assert np.argwhere((yard.layer.cells > 0) != laid).tolist() == []


def test_a_dab_reads_only_what_is_near_it_of_the_layers_that_a_mix_looks_at(yard, monkeypatch):
    map_ = yard.map
    for layer in (map_.new_tile_layer("Huts"), map_.new_tint_layer("Thick")):
        map_.layers.append(layer)
    map_.layers[-1].cells[:] = tint_value("#ff0000", 127)
    mix = Mix("m", (MixEntry(HEAP),), Fall(border=2, of="Huts", tint="Thick"))
    read_cells, asked = Document.cells, []

    def watched(self, map_, layer, box):
        asked.append(box.height * box.width)
        return read_cells(self, map_, layer, box)

    monkeypatch.setattr(Document, "cells", watched)
    desk = replace(yard, hand=MixInHand("m", mix), tool="paint")
    assert plan_dab(desk, Pointer(20 * 16 + 8.0, 20 * 16 + 8.0)).changes_anything
    assert asked
    assert max(asked) <= (1 + 2 * 3) ** 2


@pytest.mark.parametrize(("fall", "words"), [
    (Fall(tint="Fog"), "no tint layer of that name.*has none"),
    (Fall(border=2, of="Fog"), "no layer and no terrain of that name"),
])  # fmt: skip
def test_what_a_mix_looks_at_and_is_not_there_is_told_before_the_click(yard, fall, words):
    mix = Mix("m", (MixEntry(HEAP),), fall)
    desk = replace(yard, hand=MixInHand("m", mix))
    assert re.search(words, refusal(desk, Pointer(8.0, 8.0)))
    assert plan_fill(desk, Pointer(8.0, 8.0)) is None
    yard.project.mixes.append(mix)
    grown = yard.map.new_grown_layer("Grown")
    yard.map.layers.append(grown)
    yard.map.recipe = Recipe(1, (MixStep(grown.number, "m", 1.0),))
    with pytest.raises(GrowError, match=words):
        run_recipe(yard.project, yard.map)


def test_a_tile_has_clumps_of_its_own_size_and_its_share_all_the_same(yard, tmp_path):
    weights, fall = (1.0, 1.0), Fall(FallWay.CLUMPS, 3.0)
    at = np.arange(256)
    cells = fall_cells(weights, fall, at, at, 5, 1, None, None, (0.0, 24.0))
    assert abs((cells == 1).mean() - 0.5) < 0.06
    base = fall_cells(weights, fall, at, at, 5, 1)
    assert (base == fall_cells(weights, fall, at, at, 5, 1, None, None, (0.0, 3.0))).all()

    def clump(plane):  # cells in a run of the same, on average
        return plane.sum() / (plane[:, 1:] & ~plane[:, :-1]).sum()

    three = (1.0, 1.0, 1.0)
    cells = fall_cells(three, fall, at, at, 5, 1, None, None, (0.0, 0.0, 24.0))
    assert clump(cells == 2) > 3 * clump(cells == 0)
    assert np.abs(np.bincount(cells.ravel()) / cells.size - 1 / 3).max() < 0.05
    mix = Mix("reeds", (MixEntry(HEAP, 1.0, None, 12.0), MixEntry(HEAP, 2.0)),
              Fall(FallWay.CLUMPS, 4.0, 1, -2, "Huts", 0.3, "Thick"))  # fmt: skip
    yard.doc.apply(put_mix(yard.project, mix))
    save_project(yard.project, tmp_path / "p")
    assert open_project(tmp_path / "p").project.mixes[-1] == mix


# Laid mixes


def fill(desk):
    found = plan_fill(desk, Pointer(8.0, 8.0))
    desk.doc.apply(with_laid(desk, *found))


def test_a_fill_is_remembered_laid_anew_with_the_mix_as_it_is_and_hand_work_stays(yard, tmp_path):
    fill(yard)
    doc, layer, map_ = yard.doc, yard.layer, yard.map
    first = layer.cells.copy()
    (laid,) = layer.laid
    assert laid_at(layer, 3, 3) is laid
    other = map_.legend.place(TileRef("props", 0, 5))
    layer.cells[7, 7] = other  # laid by hand since
    new = replace(MIXED, entries=(MixEntry(HEAP, 1.0),))
    doc.apply(put_mix(doc.project, new, MIXED))
    doc.apply(plan_again(yard, laid).edit)
    heap = map_.legend.place(HEAP)
    assert layer.cells[7, 7] == other
    assert (np.delete(layer.cells.ravel(), 7 * 48 + 7) == heap).all()
    doc.undo()
    doc.undo()
    layer.cells[7, 7] = first[7, 7]
    assert (layer.cells == first).all()
    same = plan_again(yard, layer.laid[-1])
    assert not same.edit.atoms or (same.cells == first).all()
    doc.apply(plan_again(yard, layer.laid[-1], 9).edit)
    assert (layer.cells != first).any()
    assert layer.laid[-1].seed == 9
    save_project(doc.project, tmp_path)
    again = open_project(tmp_path).project.map_named("Yard").layers[1]
    assert again.laid == layer.laid
    doc.apply(resize_map(map_, Margins(top=2, left=3)))
    assert not layer.laid[-1].area.mask(42, 51)[:2].any()
    assert layer.laid[-1].area.mask(42, 51)[2:, 3:].all()
    doc.apply(put_mix(doc.project, replace(MIXED, name="other name"), doc.project.mixes[-1]))
    assert layer.laid[-1].mix == "other name"


def test_a_fill_whose_mix_is_gone_or_that_is_painted_over_says_so(yard):
    fill(yard)
    laid = yard.layer.laid[-1]
    yard.project.mixes.remove(MIXED)
    with pytest.raises(EditError, match="“mixed”, with which this was filled"):
        plan_again(yard, laid)
    yard.project.mixes.append(MIXED)
    yard.layer.cells[:] = yard.map.legend.place(TileRef("props", 0, 5))
    with pytest.raises(EditError, match="nothing of the fill"):
        plan_again(yard, laid)


def test_a_rule_leaves_the_patches_of_a_mix_out():
    block = Patch("b", ((TileRef("t", 0, 1), TileRef("t", 0, 2)),))
    mixed = Mix("m", (MixEntry(TileRef("t", 0, 0)), MixEntry(TileRef("t", 0, 1), 5.0, block)))
    places = {TileRef("t", 0, n): n + 1 for n in range(3)}
    kit = TerrainSet("s", SetKind.CORNER, (Terrain("a", "#112233", "a"),))
    stock = Stock(lambda tile: places[tile], lambda tile: tile in places, lambda _: mixed)
    rule = NeighbourRule(1, (), result=Result(ResultKind.MIX, mix="m"))
    table = compile_rules(RuleList("", (rule,)), kit, stock)
    assert set(table.slots[table.starts[1] : table.starts[1] + 256].tolist()) == {1}
    only = replace(mixed, entries=mixed.entries[1:])
    table = compile_rules(RuleList("", (rule,)), kit, replace(stock, mix=lambda _: only))
    assert any("nothing but patches" in words for words in map(str, vars(table).values()))
