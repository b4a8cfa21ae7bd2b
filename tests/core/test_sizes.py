"""Maps of another size, copies of maps and layers, merged layers."""

import json

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.core.test_kinds import edge_marks, kind_project, ring_marks
from tests.maps import composed, pair_marks, small_project, snapshot

from knitground.core.base.errors import EditError
from knitground.core.base.window import Box, whole
from knitground.core.edit.layers import fade_layer
from knitground.core.edit.laying import plan_cells, plan_terrain
from knitground.core.edit.maps import (
    put_map_property,
    remove_map_property,
    set_background,
    set_screen,
)
from knitground.core.edit.sizes import (
    Margins,
    cut_content,
    duplicate_layer,
    duplicate_map,
    merge_down,
    resize_map,
    show_only,
)
from knitground.core.files.opening import open_project
from knitground.core.files.saving import save_project
from knitground.core.files.ship.json import JSON
from knitground.core.files.ship.kinds import ShipJob
from knitground.core.files.ship.names import ship_names
from knitground.core.files.ship.png import map_picture
from knitground.core.files.ship.ship import ship
from knitground.core.knit.knit import knit_box
from knitground.core.model.properties import Property, PropertyKind
from knitground.core.model.terrain import SetKind
from knitground.core.render.atlas import Atlas
from knitground.core.render.pixels import straight

SIDES = st.integers(-3, 5)


@given(SIDES, SIDES, SIDES, SIDES, st.booleans())
def test_what_stays_stays_where_it_was_and_undo_brings_all_back(top, left, bottom, right, wrap):
    doc, map_, ground, tiles = small_project((8, 10), wrap)
    rng = np.random.default_rng(3)
    ground.terrain[:-1, :-1] = rng.integers(1, 4, (8, 10))
    if wrap:
        ground.terrain[-1], ground.terrain[:, -1] = ground.terrain[0], ground.terrain[:, 0]
    doc.knitter.ensure_all(map_)
    tiles.cells[:] = rng.integers(0, 3, (8, 10))
    start, old = snapshot(doc.project), tiles.cells.copy()
    margins = Margins(top, left, bottom, right)
    lost = cut_content(map_, margins)
    doc.apply(resize_map(map_, margins))
    high, wide = 8 + top + bottom, 10 + left + right
    assert (map_.height, map_.width) == (high, wide)
    assert tiles.cells.shape == ground.cells.shape == ground.pinned.shape == (high, wide)
    assert ground.terrain.shape == (high + 1, wide + 1)
    kept = 0
    for row in range(8):
        for col in range(10):
            r, c = row + top, col + left
            if 0 <= r < high and 0 <= c < wide:
                assert tiles.cells[r, c] == old[row, col]
                kept += old[row, col] > 0
    assert lost.get("Tiles", 0) == int((old > 0).sum()) - kept
    assert int((tiles.cells > 0).sum()) == kept
    if wrap:
        assert (ground.terrain[-1] == ground.terrain[0]).all()
    doc.knitter.ensure_all(map_)
    table = doc.knitter.table(map_, ground)
    assert (ground.cells == knit_box(table, ground, whole(ground.cells), wrap=wrap)).all()
    doc.apply(plan_cells(map_, tiles, Box(0, 0, 1, 1), np.array([[1]], np.int32),
                         np.ones((1, 1), bool), "x").edit)  # fmt: skip
    while doc.undo():
        pass
    assert snapshot(doc.project) == start


@pytest.mark.parametrize("kind", list(SetKind))
def test_terrain_of_every_kind_moves_with_its_map(kind):
    marks = {SetKind.RING: ring_marks(2), SetKind.EDGE: edge_marks(2)}.get(kind)
    if marks is None:
        marks = np.pad(pair_marks([(1, 2), (0, 1)]), ((0, 0), (0, 1)))
    doc, map_, ground, _ = kind_project(kind, marks)
    doc.apply(plan_terrain(doc, map_, ground, Box(2, 2, 5, 6), np.ones((3, 4), bool), 1, "p").edit)
    doc.knitter.ensure_all(map_)
    before = ground.cells.copy()
    doc.apply(resize_map(map_, Margins(2, 1, 3, 4)))
    doc.knitter.ensure_all(map_)
    assert (ground.cells[2:9, 1:10] == before).all()


@pytest.mark.parametrize(
    ("margins", "words"),
    [(Margins(top=-8), "height 0"), (Margins(right=70_000), "width 70010"),
     (Margins(bottom=5000, right=5000), "cells are more than")],
)  # fmt: skip
def test_sizes_that_no_map_can_have_are_refused(margins, words):
    _, map_, _, _ = small_project((8, 10))
    with pytest.raises(EditError, match=words):
        resize_map(map_, margins)


def test_a_copy_of_a_map_is_the_same_and_its_own():
    doc, map_, ground, tiles = small_project()
    ground.terrain[2:5, 2:6] = 1
    doc.knitter.ensure_all(map_)
    tiles.cells[1, 1] = int(ground.cells[0, 0])
    ground.pinned[3, 3] = True
    start = snapshot(doc.project)
    edit, made = duplicate_map(doc.project, map_)
    doc.apply(edit)
    assert made.name == "Map copy"
    doc.knitter.ensure_all(made)
    for one, two in zip(map_.layers, made.layers):
        for a, b in zip(one.cells.ravel(), two.cells.ravel()):
            assert map_.legend.tile(int(a)) == made.legend.tile(int(b))
    made.layers[0].terrain[:] = 3
    assert (ground.terrain[2:5, 2:6] == 1).all()
    doc.undo()
    assert snapshot(doc.project) == start


def test_layers_are_copied_merged_and_shown_alone():
    doc, map_, ground, tiles = small_project()
    tiles.cells[1, 1], tiles.cells[2, 2] = 1, 2
    doc.knitter.ensure_all(map_)
    start = snapshot(doc.project)
    edit, made = duplicate_layer(map_, tiles)
    doc.apply(edit)
    assert [each.name for each in map_.layers] == ["Ground", "Tiles", "Tiles copy"]
    assert made.number not in (ground.number, tiles.number)
    made.cells[2, 2], made.cells[3, 3] = 0, 3
    doc.apply(merge_down(map_, made))
    assert tiles.cells[[1, 2, 3], [1, 2, 3]].tolist() == [1, 2, 3]
    assert made not in map_.layers
    with pytest.raises(EditError, match="“Ground” is a layer of ground"):
        merge_down(map_, tiles)
    with pytest.raises(EditError, match="back layer"):
        merge_down(map_, ground)
    doc.apply(show_only(map_, tiles))
    assert [each.visible for each in map_.layers] == [False, True]
    doc.apply(show_only(map_, tiles))
    assert all(each.visible for each in map_.layers)
    while doc.undo():
        pass
    assert snapshot(doc.project) == start
    copy = duplicate_layer(map_, tiles)
    doc.apply(copy[0])
    tiles.locked = True
    with pytest.raises(EditError, match="unlock it first"):
        merge_down(map_, copy[1])


# Opacity


def test_a_faded_layer_lets_what_lies_behind_shine_through():
    doc, map_, ground, tiles = small_project((4, 4))
    ground.terrain[:] = 1
    doc.knitter.ensure_all(map_)
    tiles.cells[1:3, 1:3] = 3
    atlas = Atlas(doc.project, map_)
    stack = [ground.cells, tiles.cells]
    opaque = straight(composed(atlas.at(), stack)).astype(float)
    alone = straight(composed(atlas.at(), stack[:1])).astype(float)
    half = straight(composed(atlas.at(), stack, [1.0, 0.5])).astype(float)
    assert np.abs(half - (opaque + alone) / 2).max() <= 2
    none = straight(composed(atlas.at(), stack, [1.0, 0.0])).astype(float)
    assert (none == alone).all()
    faint = composed(atlas.at(), stack[:1], [0.25])
    assert ((faint >> 24) == 64).all()


def test_opacity_is_an_edit_saved_and_shipped(tmp_path):
    doc, map_, _, tiles = small_project((4, 4))
    start = snapshot(doc.project)
    doc.apply(fade_layer(map_, tiles, 0.4))
    with pytest.raises(EditError, match=r"opacity 1\.5"):
        doc.apply(fade_layer(map_, tiles, 1.5))
    save_project(doc.project, tmp_path / "p")
    assert open_project(tmp_path / "p").project.maps[0].layers[1].opacity == 0.4
    doc.knitter.ensure_all(map_)
    files = JSON.files(ShipJob(doc.project, ship_names(doc.project, [map_])), map_, JSON.chosen())
    shipped = next(data for path, data in files.items() if path.endswith(".json"))
    assert [layer["opacity"] for layer in json.loads(shipped)["layers"]] == [1.0, 0.4]
    doc.undo()
    assert snapshot(doc.project) == start


# Background and screen


def test_a_background_lies_behind_all_layers_where_they_are_see_through(tmp_path):
    doc, map_, ground, tiles = small_project((4, 4))
    ground.terrain[:] = 0
    ground.terrain[:2, :2] = 1
    start = snapshot(doc.project)
    doc.apply(set_background(map_, "#102030"))
    doc.apply(set_screen(map_, 480, 270))
    doc.knitter.ensure_all(map_)
    picture = map_picture(doc.project, map_)
    assert (picture[8:, 8:] == (0x10, 0x20, 0x30, 255)).all()
    assert not (picture[:8, :8] == (0x10, 0x20, 0x30, 255)).all()
    for layer in map_.layers:
        layer.visible = False
    assert (map_picture(doc.project, map_) == (0x10, 0x20, 0x30, 255)).all()
    for layer in map_.layers:
        layer.visible = True
    save_project(doc.project, tmp_path / "p")
    again = open_project(tmp_path / "p").project.maps[0]
    assert (again.background, again.screen) == ("#102030", (480, 270))
    doc.undo()
    doc.undo()
    assert snapshot(doc.project) == start
    assert tiles.cells.shape == (4, 4)


@pytest.mark.parametrize(
    ("edit", "words"),
    [(lambda m: set_background(m, "red"), "is not a colour"),
     (lambda m: set_screen(m, 0, 180), "screen width 0"),
     (lambda m: set_screen(m, 320, 99_999), "screen height 99999")],
)  # fmt: skip
def test_backgrounds_and_screens_out_of_bounds_are_refused(edit, words):
    with pytest.raises(EditError, match=words):
        edit(small_project((4, 4))[1])


def test_a_map_has_properties_that_a_game_reads(tmp_path):
    doc, map_, _, _ = small_project((4, 4))
    start = snapshot(doc.project)
    doc.apply(put_map_property(map_, Property("wind", "0.4", PropertyKind.NUMBER)))
    doc.apply(put_map_property(map_, Property("rain", "no", PropertyKind.YES_NO)))
    doc.apply(put_map_property(map_, Property("gusts", "9"), "wind", keep=True))
    wanted = (Property("gusts", "0.4"), Property("rain", "no", PropertyKind.YES_NO))
    assert map_.properties == wanted
    assert duplicate_map(doc.project, map_)[1].properties == wanted
    save_project(doc.project, tmp_path / "p")
    again = open_project(tmp_path / "p").project
    assert snapshot(again) == snapshot(doc.project)
    ship(again, again.maps, tmp_path / "out", ["json"])
    shipped = json.loads((tmp_path / "out" / "map.json").read_text())
    assert shipped["properties"] == {"gusts": "0.4", "rain": False}
    for new, old, words in (
        (Property(""), "", "needs a name"),
        (Property("rain"), "gusts", "“rain” already"),
        (Property("rain", "maybe", PropertyKind.YES_NO), "rain", "neither yes nor no"),
    ):
        with pytest.raises(EditError, match=words):
            put_map_property(map_, new, old)
    doc.apply(remove_map_property(map_, "gusts"))
    assert map_.properties == wanted[1:]
    assert doc.history.undo_name == "Take property “gusts” from the map"
    for _ in range(4):
        doc.undo()
    assert snapshot(doc.project) == start
