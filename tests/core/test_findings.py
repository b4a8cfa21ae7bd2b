"""Faults that were found by trying to break the program, each as it was met."""

from dataclasses import replace

import numpy as np
import pytest
from tests.core.test_grow import GRAPH
from tests.core.test_kinds import kind_project, ring_marks
from tests.maps import small_project, snapshot

from knitground.core.base.errors import Cancelled, EditError
from knitground.core.base.window import Box
from knitground.core.edit.document import Edit
from knitground.core.edit.layers import add_layer, fade_layer, place_layer
from knitground.core.edit.laying import plan_cells, plan_terrain, plan_unpin
from knitground.core.edit.maps import set_recipe, set_wrap
from knitground.core.edit.reslice import read_again
from knitground.core.edit.selecting import Selection
from knitground.core.edit.sheets import add_region, name_tile, set_weight, tag_tiles
from knitground.core.edit.sizes import Margins, duplicate_map, merge_down, resize_map
from knitground.core.edit.terrains import paint_marks
from knitground.core.grow import runner
from knitground.core.grow.parting import mend
from knitground.core.grow.runner import grown_cells, run_recipe
from knitground.core.knit.repair import close_gaps
from knitground.core.model.layers import GroundLayer
from knitground.core.model.mix import Mix, MixEntry
from knitground.core.model.recipe import MixStep, Recipe
from knitground.core.model.terrain import SetKind
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import SheetFile


def test_a_tile_whose_place_another_one_took_gives_it_nothing(tmp_path):
    doc, *_ = small_project()
    tileset = doc.project.tilesets[0]
    doc.apply(name_tile(tileset, 0, 0, "A"))
    doc.apply(name_tile(tileset, 0, 1, "B"))
    doc.apply(name_tile(tileset, 0, 2, "C"))
    picture = tileset.picture.copy()
    picture[:8, 8:24] = tileset.picture[:8, 0:16]  # A, B, C became X, A, B
    picture[:8, 0:8] = 7
    moved = {(0, 0): (0, 1), (0, 1): (0, 2)}
    edit, losses = read_again(doc.project, tileset, SheetFile(picture, b"", tmp_path), moved)
    doc.apply(edit)
    assert {at: fact.name for at, fact in tileset.facts.items()} == {(0, 1): "A", (0, 2): "B"}
    assert losses.facts == 1, "C is gone, and that is told"


@pytest.mark.parametrize("kind", [SetKind.RING, SetKind.EDGE, SetKind.CORNER])
@pytest.mark.parametrize("wraps", ["now", "no more"])
def test_a_map_that_wraps_grows_no_terrain_out_of_its_seam(kind, wraps):
    marks = ring_marks(2)
    doc, map_, ground, _ = kind_project(kind, marks, wrap=True)
    mask = np.ones((map_.height, map_.width), bool)
    whole = Box(0, 0, map_.height, map_.width)
    if kind is SetKind.CORNER:
        ground.terrain[:] = 1
    else:
        doc.apply(plan_terrain(doc, map_, ground, whole, mask, 1, "Paint").edit)
    if wraps == "no more":
        doc.apply(set_wrap(map_, False))
    before = ground.terrain.copy()
    doc.apply(resize_map(map_, Margins(bottom=3, right=3)))
    fresh = ground.terrain[before.shape[0] : -1, :-1]
    kept = before.shape[0] - (1 if kind is not SetKind.CORNER or wraps == "now" else 0)
    assert not fresh.any()
    if kind is SetKind.RING:
        assert not ground.terrain[kept:-1, :-1].any()
    doc.undo()
    assert (ground.terrain == before).all()


def test_layers_with_other_offsets_are_not_merged_unseen():
    doc, map_, _, tiles = small_project()
    upper = map_.new_tile_layer("Upper")
    doc.apply(add_layer(map_, upper))
    tiles.cells[0, 0] = map_.legend.place(TileRef("sheet", 0, 0))
    upper.cells[0, :2] = map_.legend.place(TileRef("sheet", 1, 1))
    doc.apply(place_layer(map_, upper, (3, 0), 0))
    with pytest.raises(EditError, match="same offset first"):
        merge_down(map_, upper)
    doc.apply(place_layer(map_, upper, (0, 0), 0))
    doc.apply(merge_down(map_, upper))
    tile = map_.legend.place(TileRef("sheet", 1, 1))
    assert tiles.cells[0, :2].tolist() == [tile, tile], "the front one hides the one behind"


def test_a_region_takes_no_facts_of_its_sheet_and_tags_come_from_any_iterable():
    doc, *_ = small_project()
    tileset = doc.project.tilesets[0]
    doc.apply(tag_tiles(tileset, (at for at in [(0, 0), (0, 1)]), ["wet"]))
    assert {at for at, fact in tileset.facts.items() if fact.tags == ("wet",)} == {(0, 0), (0, 1)}
    _, region = add_region(doc.project, tileset, (0, 0, 16, 16))
    assert (region.facts, region.order) == ({}, ())


def recipe_of_two(doc, map_):
    """Two mix fills on one grown layer, with mixes of different tiles."""
    for name, col in (("one", 0), ("two", 3)):
        doc.project.mixes.append(Mix(name, (MixEntry(TileRef("sheet", 0, col)),)))
    grown = map_.new_grown_layer("Grown")
    doc.apply(add_layer(map_, grown))
    steps = (MixStep(grown.number, "one", 1.0), MixStep(grown.number, "two", 1.0))
    doc.apply(set_recipe(map_, Recipe(1, steps)))
    return grown


def test_the_last_step_on_a_layer_counts_also_for_a_released_pin():
    doc, map_, *_ = small_project()
    grown = recipe_of_two(doc, map_)
    box = Box(0, 0, map_.height, map_.width)
    last = run_recipe(doc.project, map_)[-1].made
    assert (grown_cells(doc.project, map_, grown, box) == last).all()
    grown.cells[:] = last
    one = np.ones((1, 1), bool)
    doc.apply(plan_cells(map_, grown, Box(2, 2, 3, 3), np.zeros((1, 1), np.int32), one, "Lay").edit)
    assert grown.cells[2, 2] == 0
    doc.apply(plan_unpin(doc, map_, grown, Box(2, 2, 3, 3), one, "Release").edit)
    assert (grown.cells == last).all()
    every = np.ones((map_.height, map_.width), bool)
    doc.apply(plan_cells(map_, grown, box, last, every, "Lay").edit)
    assert grown.pinned.all()
    doc.apply(plan_unpin(doc, map_, grown, box, every, "Release").edit)
    assert not grown.pinned.any(), "all pins in the box, not only some"


def test_what_grows_under_pins_is_worked_out_once_for_a_whole_stroke(monkeypatch):
    doc, map_, *_ = small_project()
    grown, runs, run = recipe_of_two(doc, map_), [], runner.run_recipe
    monkeypatch.setattr(runner, "run_recipe", lambda *a, **k: runs.append(1) or run(*a, **k))
    every = np.ones((map_.height, map_.width), bool)
    box, one = Box(0, 0, map_.height, map_.width), every[:1, :1]

    def lay(values):
        doc.apply(plan_cells(map_, grown, box, values, every, "Lay").edit)

    def release(row, col):
        doc.apply(plan_unpin(doc, map_, grown, Box(row, col, row + 1, col + 1), one, "Go").edit)

    lay(np.zeros(every.shape, np.int32))
    last = run(doc.project, map_)[-1].made
    for col in range(map_.width):
        release(2, col)
    assert len(runs) == 1
    assert (grown.cells[2] == last[2]).all()
    doc.undo()
    release(2, map_.width - 1)
    assert len(runs) == 1
    assert (grown.cells[2] == last[2]).all()
    for n, change in enumerate(
        (
            lambda: doc.apply(set_recipe(map_, replace(map_.recipe, seed=77))),
            lambda: lay(np.ones(every.shape, np.int32)),
            lambda: doc.apply(add_layer(map_, map_.new_tile_layer("More"))),
        )
    ):
        before = len(runs)
        change()
        release(n + 3, 4)
        release(n + 3, 5)
        assert len(runs) == before + 1
        assert grown.cells[n + 3, 4] == run(doc.project, map_)[-1].made[n + 3, 4]


def test_an_amended_edit_that_sets_a_field_twice_is_undone_to_the_start():
    doc, map_, _, tiles = small_project()
    start, key = snapshot(doc.project), object()
    for part in (0.2, 0.4):
        twice = (*fade_layer(map_, tiles, part).atoms, *fade_layer(map_, tiles, part / 2).atoms)
        doc.amend(Edit("Fade", twice), key)
    assert doc.history.names == ["Fade"]
    assert tiles.opacity == 0.2
    doc.undo()
    assert snapshot(doc.project) == start
    doc.redo()
    assert tiles.opacity == 0.2


def test_an_empty_or_failed_amend_keeps_what_can_be_redone():
    doc, map_, _, tiles = small_project()
    key = object()
    doc.amend(fade_layer(map_, tiles, 0.5), key)
    doc.apply(set_weight(doc.project.tilesets[0], 0, 0, 3))
    doc.undo()
    doc.amend(Edit("Nothing", ()), key)
    assert doc.history.redo_name is not None
    with pytest.raises(EditError):
        doc.amend(fade_layer(map_, tiles, 7.0), key)
    assert doc.history.redo_name is not None
    assert doc.redo() is not None
    assert doc.history.names == ["Opacity of “Tiles” 50%", "Weight of tile 0"]


def test_a_project_never_grows_larger_than_one_that_opens(monkeypatch):
    doc, map_, *_ = small_project()
    monkeypatch.setattr("knitground.core.edit.room.MAX_PROJECT_CELLS", 400)
    doc.apply(duplicate_map(doc.project, map_)[0])
    before = snapshot(doc.project)
    with pytest.raises(EditError, match="more than 400"):
        doc.apply(duplicate_map(doc.project, map_)[0])
    assert snapshot(doc.project) == before


def test_terrain_that_a_set_does_not_have_is_left_as_it_is():
    rng = np.random.default_rng(3)
    terrain = rng.integers(1, 5, (9, 7)).astype(np.uint8)
    terrain[3, 3] = 63
    assert mend(GRAPH, terrain, True)[3, 3] == 63


def test_closing_gaps_can_be_called_off():
    doc, map_, ground, _ = small_project((24, 24))
    ground.terrain[:] = np.random.default_rng(1).integers(1, 4, ground.terrain.shape)
    asked = []

    def stop(part):
        asked.append(part)
        if len(asked) == 5:
            raise Cancelled("stop")

    table = doc.knitter.table(map_, ground)
    with pytest.raises(Cancelled):
        close_gaps(table, ground.terrain.copy(), False, progress=stop)
    assert asked == sorted(asked)


def test_a_brush_larger_than_a_wrapping_map_in_one_direction_covers_it():
    doc, map_, _, tiles = small_project((6, 20), wrap=True)
    values = np.arange(1, 10 * 10 + 1, dtype=np.int32).reshape(10, 10)
    for top, left in ((0, 0), (-3, 15), (4, -7)):
        box = Box(top, left, top + 10, left + 10)
        plan = plan_cells(map_, tiles, box, values, values % 7 > 0, "Lay")
        out = np.zeros((6, 20), np.int32)
        laid = np.zeros((6, 20), bool)
        for row in range(10):
            for col in range(10):
                at = ((top + row) % 6, (left + col) % 20)
                if values[row, col] % 7 and not laid[at]:
                    out[at], laid[at] = values[row, col], True
        doc.apply(plan.edit)
        assert (tiles.cells == out).all()
        doc.undo()


def test_a_dab_of_marks_holds_only_what_it_touches():
    doc, *_ = small_project(copies=40)
    tileset = doc.project.tilesets[0]
    kit = tileset.sets[0]
    doc.apply(paint_marks(tileset, kit, [(0, 0, 1), (0, 1, 3)], 2))
    assert doc.history.last.nbytes < 1000
    assert kit.marks[0, 1, 3] == 2
    doc.undo()
    assert kit.marks[0, 1, 3] != 2 or kit.marks[0, 0, 1] != 2


def test_an_anchor_a_frame_or_a_name_knits_nothing_anew():
    from knitground.core.edit.frames import set_frames
    from knitground.core.edit.sheets import set_anchor
    from knitground.core.model.tileset import Frame

    doc, map_, ground, _ = small_project()
    doc.knitter.ensure_all(map_)
    table = doc.knitter.table(map_, ground)
    tileset = doc.project.tilesets[0]
    doc.apply(set_anchor(tileset, 0, 0, (3, 5)))
    doc.apply(set_frames(tileset, 0, 1, (Frame(0, 0, 90), Frame(0, 1, 90))))
    doc.apply(name_tile(tileset, 0, 2, "reed"))
    assert doc.knitter.table(map_, ground) is table
    assert doc.knitter.gaps(ground)[1]
    doc.apply(set_weight(tileset, 0, 0, 5))
    assert doc.knitter.table(map_, ground) is not table


def test_a_selection_knows_its_cells():
    chosen = Selection(Box(1, 1, 3, 3), np.eye(2, dtype=bool))
    assert (chosen.count, chosen.holds(2, 2), chosen.holds(1, 2)) == (2, True, False)
    assert isinstance(small_project()[2], GroundLayer)
