import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.maps import small_project, snapshot

from knitground.core.base.errors import EditError
from knitground.core.base.window import Box
from knitground.core.edit import layers as layer_edits
from knitground.core.edit.atoms import SetField
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Document, Edit
from knitground.core.edit.history import History, Step
from knitground.core.edit.laying import plan_cells, plan_terrain, plan_unpin
from knitground.core.edit.maps import add_map, delete_mix, put_mix, set_wrap
from knitground.core.edit.reslice import use_slicing
from knitground.core.edit.sheets import set_weight
from knitground.core.edit.terrainlist import add_terrain, change_terrain
from knitground.core.edit.terrains import add_set, paint_marks
from knitground.core.edit.tiles import set_weights
from knitground.core.knit.layer import knit_map
from knitground.core.model.map import Map
from knitground.core.model.mix import Mix, MixEntry
from knitground.core.model.project import Project
from knitground.core.model.slicing import Slicing
from knitground.core.model.terrain import TerrainSet
from knitground.core.model.tile import TileRef


def random_edit(rng, doc, map_):
    """One edit of any kind, as a person might make it."""
    project, tileset = doc.project, doc.project.tilesets[0]
    kit = tileset.sets[0]
    ground = next(layer for layer in map_.layers if layer.kind == "ground")
    tiles = next((layer for layer in map_.layers if layer.kind == "tiles"), ground)
    top, left, side = int(rng.integers(-2, 9)), int(rng.integers(-2, 11)), int(rng.integers(1, 5))
    box, mask = Box(top, left, top + side, left + side), rng.random((side, side)) < 0.7
    values = rng.integers(0, 5, (side, side)).astype(np.int32)
    tile = (int(rng.integers(tileset.rows)), int(rng.integers(tileset.columns)))
    number = len(doc.history.names)
    edits = [
        lambda: plan_terrain(doc, map_, ground, box, mask, int(rng.integers(0, 4)), "Paint").edit,
        lambda: plan_cells(map_, tiles, box, values, mask, "Lay").edit,
        lambda: plan_cells(map_, ground, box, values, mask, "Pin").edit,
        lambda: plan_unpin(doc, map_, ground, box, mask, "Unpin").edit,
        lambda: paint_marks(tileset, kit, [(*tile, 1), (*tile, 3)], int(rng.integers(0, 4))),
        lambda: set_weight(tileset, *tile, float(rng.integers(0, 5))),
        lambda: add_terrain(tileset, kit, f"terrain {number}"),
        lambda: change_terrain(project, tileset, kit, 1, name=f"name {number}", letter="z"),
        lambda: layer_edits.add_layer(map_, map_.new_tile_layer(f"layer {number}")),
        lambda: layer_edits.move_layer(map_, ground, int(rng.integers(0, 4))),
        lambda: layer_edits.rename_layer(map_, ground, f"ground {number}"),
        lambda: layer_edits.show_layer(map_, tiles, not tiles.visible),
        lambda: layer_edits.lock_layer(map_, tiles, not tiles.locked),
        lambda: layer_edits.reseed_layer(map_, ground, number),
        lambda: use_slicing(project, tileset, Slicing(int(rng.integers(4, 9)), 8))[0],
        lambda: put_mix(project, Mix(f"mix {number}", (MixEntry(TileRef("sheet", 0, 0)),))),
        lambda: set_wrap(map_, not map_.wrap),
    ]
    return edits[int(rng.integers(len(edits)))]()


@given(st.integers(0, 2**31), st.booleans())
def test_undo_all_is_the_start_and_redo_all_the_end(seed, wrap):
    doc, map_, ground, _ = small_project(wrap=wrap)
    rng = np.random.default_rng(seed)
    doc.knitter.ensure_all(map_)
    start, start_cells = snapshot(doc.project), ground.cells.copy()
    for _ in range(25):
        try:
            doc.apply(random_edit(rng, doc, map_))
        except EditError:
            continue
        if rng.random() < 0.3:
            doc.undo()
        if rng.random() < 0.15:
            doc.redo()
    doc.knitter.ensure_all(map_)
    end, end_cells = snapshot(doc.project), ground.cells.copy()
    steps = 0
    while doc.undo():
        steps += 1
    doc.knitter.ensure_all(map_)
    assert snapshot(doc.project) == start
    assert (ground.cells == start_cells).all()
    for _ in range(steps):
        assert doc.redo()
    doc.knitter.ensure_all(map_)
    assert snapshot(doc.project) == end
    assert (ground.cells == end_cells).all()


@given(st.integers(0, 2**31))
def test_cells_that_follow_edits_are_those_of_a_fresh_knit(seed):
    doc, map_, ground, _ = small_project(wrap=seed % 2 == 0)
    rng = np.random.default_rng(seed)
    doc.knitter.ensure_all(map_)
    for _ in range(15):
        try:
            doc.apply(random_edit(rng, doc, map_))
        except EditError:
            continue
    doc.knitter.ensure_all(map_)
    followed = ground.cells.copy()
    knit_map(doc.project, map_)
    assert (followed == ground.cells).all()


@pytest.mark.parametrize("wrap", [True, False])
def test_a_part_is_prepared_block_by_block_as_there_is_time(wrap):
    doc, map_, ground, _ = small_project((400, 300), wrap=wrap)
    rng = np.random.default_rng(2)
    ground.terrain[:-1, :-1] = np.kron(rng.integers(1, 3, (40, 30)), np.ones((10, 10), np.uint8))
    if wrap:
        ground.terrain[-1], ground.terrain[:, -1] = ground.terrain[0], ground.terrain[:, 0]
    box = Box(-10, 10, 140, 200) if wrap else Box(0, 10, 140, 200)
    calls = 0
    while not doc.knitter.prepare(map_, lambda _: box, lambda: True):
        calls += 1
    # Blocks of 128 cells: two rows of two, and where the map wraps two more from below.
    assert calls == (6 if wrap else 4)
    assert not doc.knitter.gaps(ground)[1], "the rest of the map waits until somebody looks at it"
    known = doc.cells(map_, ground, box)
    knit_map(doc.project, map_)
    assert (known == doc.cells(map_, ground, box)).all()
    hidden = Document(doc.project)
    ground.visible = False
    assert hidden.knitter.prepare(map_, lambda _: box, lambda: True), (
        "what is hidden is not waited for"
    )


@given(st.integers(0, 2**31), st.integers(0, 6))
def test_a_stroke_that_fails_changes_nothing(seed, good):
    doc, map_, _, _ = small_project()
    rng = np.random.default_rng(seed)
    doc.knitter.ensure_all(map_)  # random edits lay tiles of the legend
    before = snapshot(doc.project)

    def stroke():
        with doc.stroke("Fails"):
            for _ in range(good):
                try:
                    doc.apply(random_edit(rng, doc, map_))
                except EditError:
                    continue
            raise ZeroDivisionError

    with pytest.raises(ZeroDivisionError):
        stroke()
    assert snapshot(doc.project) == before
    assert doc.history.names == []
    assert not doc.in_stroke


def test_an_edit_whose_second_atom_fails_is_taken_back():
    doc, map_, ground, _ = small_project()

    class Breaks:
        changed = Changed(What.LAYERS, map_)
        nbytes = 0

        def do(self):
            raise RuntimeError("no")

        def undo(self):
            raise AssertionError("was never done")

    with pytest.raises(RuntimeError):
        doc.apply(Edit("Two", (SetField(ground, "name", "other", Breaks.changed), Breaks())))
    assert ground.name == "Ground"
    assert doc.history.undo_name is None


def test_a_stroke_is_one_step_and_an_empty_one_none():
    doc, map_, ground, _ = small_project()
    with doc.stroke("Two renames"):
        doc.apply(layer_edits.rename_layer(map_, ground, "a"))
        doc.apply(layer_edits.rename_layer(map_, ground, "b"))
    with doc.stroke("Nothing"):
        pass
    assert doc.history.names == ["Two renames"]
    doc.begin_stroke("Open")
    with pytest.raises(EditError, match="Open"):
        doc.begin_stroke("Another")
    doc.apply(layer_edits.rename_layer(map_, ground, "c"))
    doc.undo()  # in a stroke, undo calls it off
    assert ground.name == "b"
    assert doc.undo() == "Two renames"
    assert ground.name == "Ground"


def test_amended_edits_are_one_step_for_each_key():
    doc = small_project()[0]
    tileset, key, other = doc.project.tilesets[0], object(), object()
    for weight in (2, 3, 4):
        doc.amend(set_weight(tileset, 0, 0, weight), key)
    doc.amend(set_weight(tileset, 0, 0, 7), other)
    assert len(doc.history.names) == 2
    doc.undo()
    assert tileset.fact(0, 0).weight == 4
    doc.undo()
    assert tileset.fact(0, 0).weight == 1


def test_a_saved_step_is_not_amended_away():
    doc, _, _, _ = small_project()
    tileset, key = doc.project.tilesets[0], object()
    doc.amend(set_weight(tileset, 0, 0, 2), key)
    doc.mark_saved()
    doc.amend(set_weight(tileset, 0, 0, 3), key)
    assert not doc.history.is_saved
    doc.undo()
    assert doc.history.is_saved
    assert tileset.fact(0, 0).weight == 2


def test_history_is_bounded_by_bytes_and_knows_what_is_saved():
    class Heavy:
        nbytes = 400
        changed = Changed(What.LAYERS)

    history = History(1000)
    history.mark_saved()
    assert history.is_saved
    for name in "abc":
        history.add(Step(name, [Heavy()]))
    assert history.names == ["b", "c"]
    while history.take_back():
        pass
    assert not history.is_saved  # the saved state can not be reached any more
    history.mark_saved()
    assert history.is_saved


def test_changes_are_told_with_the_box_they_touch():
    doc, map_, ground, _tiles = small_project()
    doc.knitter.ensure_all(map_)
    told = []
    doc.changed.connect(told.append)
    mask = np.ones((1, 1), bool)
    doc.apply(plan_terrain(doc, map_, ground, Box(4, 5, 5, 6), mask, 1, "Paint").edit)
    assert [(each.what, each.box) for each in told] == [
        (What.TERRAIN, Box(4, 5, 5, 6)),
        (What.CELLS, Box(3, 4, 5, 6)),
    ]
    told.clear()
    doc.apply(set_weight(doc.project.tilesets[0], 0, 0, 5))
    assert [each.what for each in told] == [What.MARKS, What.CELLS]


@pytest.mark.parametrize(
    ("edit", "words"),
    [
        (lambda d, m: paint_marks(d.project.tilesets[0], d.project.tilesets[0].sets[0],
                                  [(99, 0, 1)], 1), "row 99"),
        (lambda d, m: paint_marks(d.project.tilesets[0], d.project.tilesets[0].sets[0],
                                  [(0, 0, 1)], 9), "mark 9"),
        (lambda d, m: set_weight(d.project.tilesets[0], 0, 0, -1), "weight -1"),
        (lambda d, m: add_set(d.project.tilesets[0], TerrainSet("Set")), "“Set” already"),
        (lambda d, m: add_terrain(d.project.tilesets[0], d.project.tilesets[0].sets[0], "clay"),
         "“clay” already"),
        (lambda d, m: layer_edits.rename_layer(m, m.layers[0], "  "), "needs a name"),
        (lambda d, m: add_map(d.project, Map("Map", 4, 4, 8, 8)), "“Map” already"),
        (lambda d, m: add_map(d.project, Map("New", 0, 4, 8, 8)), "height 0"),
        (lambda d, m: add_map(d.project, Map("New", 65_535, 65_535, 8, 8)), "more than 16777216"),
        (lambda d, m: put_mix(d.project, Mix("", ())), "needs a name"),
    ],
)  # fmt: skip
def test_edits_that_can_not_be_are_refused_with_the_value(edit, words):
    doc, map_, _, _ = small_project()
    before = snapshot(doc.project)
    with pytest.raises(EditError, match=words):
        doc.apply(edit(doc, map_))
    assert snapshot(doc.project) == before


def test_sixty_five_terrains_are_one_too_many():
    doc, _, _, _ = small_project()
    tileset = doc.project.tilesets[0]
    kit = tileset.sets[0]
    for number in range(61):
        doc.apply(add_terrain(tileset, kit, f"t{number}"))
    assert len({each.colour for each in kit.terrains}) == 64
    assert len({each.letter for each in kit.terrains}) == 64
    with pytest.raises(EditError, match="at most 64"):
        doc.apply(add_terrain(tileset, kit, "one more"))


def test_mixes_are_replaced_and_deleted():
    doc = Document(Project())
    first = Mix("m", (MixEntry(TileRef("sheet", 0, 0), 2.0),))
    doc.apply(put_mix(doc.project, first))
    second = Mix("m", ())
    doc.apply(put_mix(doc.project, second, first))
    assert doc.project.mixes == [second]
    doc.apply(delete_mix(doc.project, second))
    assert doc.project.mixes == []
    doc.undo()
    doc.undo()
    assert doc.project.mixes == [first]


def test_what_a_gesture_changed_before_stays_unless_it_is_changed_again():
    doc, map_, _, tiles = small_project()
    start, key = snapshot(doc.project), object()
    doc.amend(layer_edits.place_layer(map_, tiles, (3, 4), 5), key)
    doc.amend(layer_edits.fade_layer(map_, tiles, 0.5), key)
    doc.amend(
        layer_edits.place_layer(map_, tiles, (3, 4), 5), key
    )  # nothing new: nothing is taken back
    assert (tiles.offset, tiles.height, tiles.opacity) == ((3, 4), 5, 0.5)
    doc.amend(layer_edits.place_layer(map_, tiles, (7, 4), 5), key)
    assert (tiles.offset, tiles.opacity) == ((7, 4), 0.5)
    assert len(doc.history.names) == 1
    with pytest.raises(EditError, match="out of bounds"):
        doc.amend(layer_edits.fade_layer(map_, tiles, 2.0), key)
    doc.undo()
    assert snapshot(doc.project) == start
    doc.redo()
    assert (tiles.offset, tiles.opacity) == ((7, 4), 0.5)


def test_a_weight_makes_only_layers_stale_whose_set_has_the_tile():
    doc, map_, ground, _ = small_project()
    doc.ensure_all(map_)
    tileset = doc.project.tilesets[0]
    tileset.sets[0].marks[0, 3] = 0  # a tile of the sheet, and of no set
    doc.knitter.follow(Changed(What.MARKS, tileset=tileset))
    doc.ensure_all(map_)
    told = []
    doc.changed.connect(told.append)
    doc.apply(set_weights(tileset, [(0, 3)], 7.0))
    assert doc.knitter.gaps(ground)[1], "all of it is as it was"
    doc.apply(set_weights(tileset, [(0, 3), (0, 2)], 5.0))
    assert not doc.knitter.gaps(ground)[1]
    assert len(told) > 2
