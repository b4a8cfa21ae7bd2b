"""Layers of each kind: shifted, tinted, grown, with markers, with cells of their own."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.maps import drawn, small_project, snapshot

from knitground.core.base.errors import EditError, FormatError, GrowError
from knitground.core.base.window import Box, read
from knitground.core.edit.desk import Desk, Pointer
from knitground.core.edit.document import Document
from knitground.core.edit.layers import add_layer, place_layer
from knitground.core.edit.laying import plan_cells, plan_unpin
from knitground.core.edit.maps import lay_grown, put_mix
from knitground.core.edit.markers import add_markers, delete_markers, move_markers
from knitground.core.edit.planning import has_pins
from knitground.core.edit.reslice import use_slicing
from knitground.core.edit.selecting import Selection
from knitground.core.edit.sheets import remove_tileset
from knitground.core.edit.sizes import Margins, cut_content, duplicate_map, merge_down, resize_map
from knitground.core.edit.uses import count_uses
from knitground.core.files.map_io import map_from_file, map_to_file
from knitground.core.files.ship.png import map_picture
from knitground.core.grow.mixfill import allowed_cells, fill_from_mix
from knitground.core.grow.runner import grown_cells, run_recipe
from knitground.core.model.layers import GrownLayer
from knitground.core.model.map import cells_under, grid_of
from knitground.core.model.marker import Marker, Shape
from knitground.core.model.mix import Mix, MixEntry
from knitground.core.model.properties import Property
from knitground.core.model.recipe import MixStep, Recipe
from knitground.core.model.slicing import Slicing
from knitground.core.model.tile import TileRef
from knitground.core.render.atlas import Atlas
from knitground.core.render.compose import tint_factors
from knitground.core.render.free import turned_freely
from knitground.core.render.pixels import premultiplied, straight
from knitground.core.render.stack import draw, needed, stack_of

RED, BLUE = 127 << 24 | 0xFF0000, 64 << 24 | 0x0000FF


def project_of_kinds(size=(8, 10), wrap=False):
    """A project with a layer of each kind: ground, tiles, grown, tint, markers, own cells."""
    doc, map_, ground, tiles = small_project(size, wrap)
    doc.project.mixes = [Mix("few", (MixEntry(TileRef("sheet", 0, 1), 2),
                                     MixEntry(TileRef("sheet", 0, 2), 1)))]  # fmt: skip
    grown, tint = map_.new_grown_layer("Grown"), None
    map_.layers.append(grown)
    tint = map_.new_tint_layer("Tint")
    map_.layers.append(tint)
    markers = map_.new_marker_layer("Markers")
    map_.layers.append(markers)
    own = map_.new_tile_layer("Own", (12, 6))
    map_.layers.append(own)
    map_.recipe = Recipe(3, (MixStep(grown.number, "few", 0.5),))
    doc.apply(lay_grown(map_, run_recipe(doc.project, map_)))
    tint.cells[1:3, 2:5] = RED
    tint.cells[4, :] = BLUE
    spot = TileRef("sheet", 1, 1)
    markers.markers = (
        Marker(1, Shape.POINT, ((4.0, 5.0),), "start", "spawn point"),
        Marker(2, Shape.BOX, ((8.0, 8.0), (24.0, 16.0)), kind="door", turn=30.0,
               properties=(Property("leads to", "cellar"),)),
        Marker(3, Shape.POLYGON, ((0.0, 0.0), (9.0, 0.0), (4.0, 7.5))),
        Marker(4, Shape.PICTURE, ((13.0, 22.0),), turn=90.0, scale=2.0, tile=spot),
    )  # fmt: skip
    own.cells[1, 2] = map_.legend.place(TileRef("sheet", 2, 2))
    tiles.cells[2, 3] = map_.legend.place(TileRef("sheet", 1, 0))
    ground.pinned[0, 0] = True
    ground.cells[0, 0] = map_.legend.place(TileRef("sheet", 0, 3))
    doc.knitter.ensure_all(map_)
    return doc, map_, dict(zip(("ground", "tiles", "grown", "tint", "markers", "own"), map_.layers))


def picture(doc, map_, box=None, level=0, layers=None):
    return drawn(map_, Atlas(doc.project, map_), box, level, layers=layers)


# Offset and height


@given(st.integers(-120, 120), st.integers(-120, 120), st.booleans(), st.integers(0, 20))
def test_a_shifted_layer_is_drawn_as_far_away_in_every_part(right, down, wrap, height):
    doc, map_, _, tiles = small_project((5, 6), wrap)
    rng = np.random.default_rng(abs(right) + 41 * abs(down))
    tiles.cells[:] = rng.integers(0, 3, tiles.cells.shape) * (
        map_.legend.place(TileRef("sheet", 1, 0))
    )
    tiles.cells[tiles.cells > 0] = map_.legend.place(TileRef("sheet", 1, 0))
    doc.knitter.ensure_all(map_)
    plain = picture(doc, map_, layers=[tiles])
    tiles.offset, tiles.height = (right, down), height
    found = picture(doc, map_, layers=[tiles])
    step = (down - height, right)
    if wrap:
        wanted = np.roll(plain, step, (0, 1))
    else:
        wanted = np.zeros_like(plain)
        high, wide = plain.shape
        rows = [(r, r + step[0]) for r in range(high) if 0 <= r + step[0] < high]
        cols = [(c, c + step[1]) for c in range(wide) if 0 <= c + step[1] < wide]
        for r, to_r in rows:
            for c, to_c in cols:
                wanted[to_r, to_c] = plain[r, c]
    assert (found == wanted).all()
    whole = picture(doc, map_)
    part = picture(doc, map_, Box(1, 2, 4, 5))
    assert (part == whole[8:32, 16:40]).all()


@pytest.mark.parametrize("wrap", [True, False])
def test_a_far_shift_asks_for_no_more_cells_than_are_seen(wrap):
    doc, map_, _, tiles = small_project((40, 40), wrap)
    tiles.cells[:] = map_.legend.place(TileRef("sheet", 1, 0))
    tiles.cells[30:, :] = 0
    box, atlas, asked = Box(10, 10, 14, 14), Atlas(doc.project, map_), []

    def cells_of(layer, part):
        asked.append((layer, part))
        return read(layer.cells, part)

    for shift in ((8 * 3 + 1, 0), (-8 * 25, 8 * 9 - 3), (16_000, -16_001)):
        tiles.offset = shift
        asked.clear()
        rect = map_.lattice.bounds(box)
        assert draw(atlas, stack_of(map_, atlas, rect, 0, cells_of)).shape == (32, 32)
        assert all(part.height <= 8 and part.width <= 8 for _, part in asked)
        for layer, part in asked:
            assert part == needed(map_, atlas, layer, rect, 0), (
                "what is knitted before is what is read"
            )


def test_offset_and_height_are_one_step_with_bounds():
    doc, map_, layers = project_of_kinds()
    doc.apply(place_layer(map_, layers["tiles"], (3, -4), 10))
    assert layers["tiles"].shift == (-14, 3)
    assert doc.undo() == "Offset 3, -4 and height 10 of “Tiles”"
    assert layers["tiles"].shift == (0, 0)
    with pytest.raises(
        EditError, match=r"offset x 20000 px is out of bounds: give -16384 to 16384"
    ):
        place_layer(map_, layers["tiles"], (20_000, 0), 0)


# Tint


def test_a_tint_multiplies_what_lies_beneath_and_nothing_else():
    doc, map_, layers = project_of_kinds()
    beneath = [layers[name] for name in ("ground", "tiles", "grown")]
    before = straight(picture(doc, map_, layers=beneath)).astype(float)
    after = straight(picture(doc, map_, layers=[*beneath, layers["tint"]])).astype(float)
    cells = layers["tint"].cells
    for row in range(map_.height):
        for col in range(map_.width):
            part = (slice(row * 8, row * 8 + 8), slice(col * 8, col * 8 + 8))
            strength = (cells[row, col] >> 24) / 127
            colour = [
                cells[row, col] >> 16 & 255,
                cells[row, col] >> 8 & 255,
                cells[row, col] & 255,
            ]
            factor = [1 - strength + strength * each / 255 for each in colour] + [1]
            assert np.abs(after[part] - before[part] * factor).max() <= 1
    alone = picture(doc, map_, layers=[layers["tint"]])
    assert not alone.any()
    assert (tint_factors(cells, 0.0) == 0xFFFFFFFF).all()


# Free pictures


@given(st.integers(1, 6), st.integers(1, 6), st.integers(0, 3), st.sampled_from([1.0, 2.0, 3.0]))
def test_quarter_turns_and_whole_scales_of_free_pictures_are_exact(high, wide, turns, scale):
    pixels = np.random.default_rng(high * 7 + wide).integers(1, 2**32, (high, wide), np.uint32)
    wanted = np.kron(np.rot90(pixels, -turns), np.ones((int(scale),) * 2, np.uint32))
    assert (turned_freely(pixels, 90.0 * turns, scale) == wanted).all()


def test_a_free_turn_keeps_every_colour_and_about_the_same_area():
    pixels = np.random.default_rng(4).integers(1, 2**32, (20, 30), np.uint32)
    found = turned_freely(pixels, 33.0, 1.5)
    assert set(np.unique(found)) <= {0, *np.unique(pixels)}
    assert abs(np.count_nonzero(found) / (20 * 30 * 2.25) - 1) < 0.02


@pytest.mark.parametrize("wrap", [False, True])
def test_a_free_picture_stands_on_its_point_in_every_part(wrap):
    doc, map_, layers = project_of_kinds((8, 10), wrap)
    layer = layers["markers"]
    tile = layer.markers[3].tile
    layer.markers = (Marker(1, Shape.PICTURE, ((4.0, 3.0),), tile=tile),)
    whole = picture(doc, map_, layers=[layer])
    art = premultiplied(doc.project.tilesets[0].picture)[8:16, 8:16]
    shown = np.zeros((64, 80), np.uint32)
    shown[0:3, 0:8] = art[5:8]  # its lower middle is at x 4, y 3
    if wrap:
        shown[59:64, 0:8] = art[0:5]
    assert (whole == shown).all()
    for box in (Box(0, 0, 1, 1), Box(7, 0, 8, 3), Box(0, 0, 8, 10)):
        part = picture(doc, map_, box, layers=[layer])
        assert (part == whole[box.top * 8 : box.bottom * 8, box.left * 8 : box.right * 8]).all()


# Cells of another size


def test_a_layer_with_cells_of_its_own_draws_where_they_lie():
    doc, map_, layers = project_of_kinds()
    own = layers["own"]
    assert own.cells.shape == (-(-64 // 12), -(-80 // 6))
    shown = picture(doc, map_, layers=[own])
    art = premultiplied(doc.project.tilesets[0].picture)[16:24, 16:24]
    wanted = np.zeros((64, 80), np.uint32)
    wanted[16:24, 12:20] = art  # on the lower left of the cell of 12 × 6 px in row 1, column 2
    assert (shown == wanted).all()
    part = picture(doc, map_, Box(1, 1, 3, 4), layers=[own])
    assert (part == wanted[8:24, 8:32]).all()
    grid = grid_of(map_, own)
    assert (grid.height, grid.width, grid.cell_height, grid.cell_width) == (6, 14, 12, 6)
    assert cells_under(map_, own, Box(1, 2, 2, 3)) == Box(1, 1, 3, 3)
    assert grid_of(map_, layers["tiles"]) is map_


def test_laying_on_a_layer_with_cells_of_its_own_names_the_map():
    doc, map_, layers = project_of_kinds()
    own, heard = layers["own"], []
    doc.changed.connect(heard.append)
    grid = grid_of(map_, own)
    box = Box(4, 12, 7, 16)
    plan = plan_cells(grid, own, box, np.full((3, 4), 2, np.int32), np.ones((3, 4), bool), "Lay")
    assert plan.box == Box(4, 12, 6, 14)
    doc.apply(plan.edit)
    assert (own.cells[4:6, 12:14] == 2).all()
    assert heard[0].map is map_
    doc.undo()
    assert not own.cells[4:6, 12:14].any()


# Grown


def test_a_part_of_a_mix_fill_is_what_the_whole_is_over_the_border_too():
    doc, map_, layers = project_of_kinds((12, 14), wrap=True)
    ground, grown = layers["ground"], layers["grown"]
    ground.terrain[3:8, 4:9] = 1
    step = MixStep(grown.number, "few", 0.6, ground.number, ("brine", "crust"), "where they meet")
    whole = fill_from_mix(doc.project, map_, step, 0, Box(0, 0, 12, 14))
    assert 0 < np.count_nonzero(whole) < 40
    box = Box(-3, 10, 9, 20)
    assert (fill_from_mix(doc.project, map_, step, 0, box) == read(whole, box)).all()
    corners = [ground.terrain[r : r + 12, c : c + 14] for r in (0, 1) for c in (0, 1)]
    for row in range(12):
        for col in range(14):
            four = {int(each[row, col]) for each in corners}
            allowed = four == {1, 2}
            assert allowed or not whole[row, col]
    room = allowed_cells(doc.project, map_, step, 0, Box(0, 0, 12, 14))
    assert (room == np.array([[{int(e[r, c]) for e in corners} == {1, 2} for c in range(14)]
                              for r in range(12)])).all()  # fmt: skip


def test_density_and_weights_of_a_mix_fill_are_kept():
    doc, map_, layers = project_of_kinds((200, 200))
    step = MixStep(layers["grown"].number, "few", 0.3)
    cells = fill_from_mix(doc.project, map_, step, 0, Box(0, 0, 200, 200))
    assert abs(np.count_nonzero(cells) / 40_000 - 0.3) < 0.01
    two, one = (map_.legend.place(TileRef("sheet", 0, n)) for n in (1, 2))
    assert abs((cells == two).sum() / np.count_nonzero(cells) - 2 / 3) < 0.02
    assert (cells == one).any()
    for density, count in ((0.0, 0), (1.0, 40_000)):
        filled = fill_from_mix(doc.project, map_, replace(step, density=density), 0,
                               Box(0, 0, 200, 200))  # fmt: skip
        assert np.count_nonzero(filled) == count


def test_pins_of_a_grown_layer_stay_and_are_released_to_what_grows_there():
    doc, map_, layers = project_of_kinds()
    grown = layers["grown"]
    before = grown.cells.copy()
    box, every = Box(1, 1, 4, 4), np.ones((3, 3), bool)
    pinned = np.full((3, 3), map_.legend.place(TileRef("sheet", 2, 0)), np.int32)
    doc.apply(plan_cells(map_, grown, box, pinned, every, "Lay").edit)
    map_.recipe = replace(map_.recipe, seed=9)
    doc.apply(lay_grown(map_, run_recipe(doc.project, map_)))
    assert (grown.cells[1:4, 1:4] == pinned).all()
    assert (grown.cells != before).any()
    plan = plan_unpin(doc, map_, grown, Box(1, 1, 2, 4), np.ones((1, 3), bool), "Release")
    doc.apply(plan.edit)
    assert (grown.cells[1, 1:4] == grown_cells(doc.project, map_, grown, Box(1, 1, 2, 4))[0]).all()
    assert grown.pinned.sum() == 6
    for _ in range(3):
        doc.undo()
    assert (grown.cells == before).all()
    assert not grown.pinned.any()


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"mix": "none"}, "draws from mix “none”, which is not there"),
        ({"on": 99}, "looks at ground layer 99, which is not there"),
        ({"layer": 1}, "fills grown layer 1, which is not there"),
        ({"density": 1.5}, r"density 1.5 is out of bounds: give 0 to 1"),
    ],
)
def test_a_mix_fill_that_can_not_be_says_why(change, words):
    doc, map_, layers = project_of_kinds()
    step = replace(MixStep(layers["grown"].number, "few"), **change)
    map_.recipe = Recipe(1, (step,))
    with pytest.raises(GrowError, match=words):
        run_recipe(doc.project, map_)


def test_a_renamed_mix_keeps_its_place_in_recipes():
    doc, map_, _ = project_of_kinds()
    mix = doc.project.mixes[0]
    doc.apply(put_mix(doc.project, Mix("many", mix.entries), mix))
    assert map_.recipe.steps[0].mix == "many"
    doc.undo()
    assert map_.recipe.steps[0].mix == "few"


# All kinds together


def test_every_kind_of_layer_is_saved_and_read_again():
    doc, map_, layers = project_of_kinds()
    layers["tiles"].offset, layers["tiles"].height = (5, -2), 7
    layers["grown"].pinned[2, 2] = True
    file = map_to_file(map_)
    again = map_from_file(type(file).model_validate_json(file.model_dump_json()), "m.json")
    assert map_to_file(again).model_dump() == file.model_dump()
    for one, two in zip(map_.layers, again.layers):
        assert type(one) is type(two)
        assert (one.name, one.shift, one.height) == (two.name, two.shift, two.height)
    assert again.layers[4].markers == layers["markers"].markers
    assert (again.layers[3].cells == layers["tint"].cells).all()
    assert again.layers[5].cell == (12, 6)
    assert again.recipe == map_.recipe
    doc.knitter.ensure_all(again)
    assert (map_picture(doc.project, again) == map_picture(doc.project, map_)).all()


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"shape": "box"}, "marker 1 is a box of 1 points: give 2"),
        ({"shape": "polygon"}, "marker 1 is a polygon of 1 points: give 3 or more"),
        ({"shape": "picture"}, "only a picture has a tile, and it needs one"),
        ({"number": 2}, "two markers have the same number"),
    ],
)
def test_markers_that_can_not_be_are_refused(change, words):
    _, map_, _ = project_of_kinds()
    file = map_to_file(map_)
    first = file.layers[4].markers[0]
    for name, value in change.items():
        setattr(first, name, value)
    with pytest.raises(FormatError, match=words):
        map_from_file(file, "m.json")


def test_layers_of_all_kinds_are_resized_doubled_and_counted():
    doc, map_, layers = project_of_kinds()
    start = snapshot(doc.project)
    lost = cut_content(map_, Margins(top=-1, left=-3))
    assert (
        lost["Tint"] == (layers["tint"].cells > 0).sum() - (layers["tint"].cells[1:, 3:] > 0).sum()
    )
    assert lost["Markers"] == 3  # all but the picture and the door, whose one corner stays
    assert lost["Own"] == 1
    before = picture(doc, map_)
    doc.apply(resize_map(map_, Margins(2, 3, 1, 1)))
    doc.knitter.ensure_all(map_)
    assert layers["markers"].markers[0].points == ((28.0, 21.0),)
    laid = [each for each in map_.layers if each is not layers["ground"]]
    after = picture(doc, map_, layers=laid)
    doc.undo()
    assert (after[16:80, 24:104] == picture(doc, map_, layers=laid)).all()
    assert (picture(doc, map_) == before).all()
    edit, made = duplicate_map(doc.project, map_)
    doc.apply(edit)
    doc.knitter.ensure_all(made)
    assert (picture(doc, made) == before).all()
    made.layers[3].cells[:] = 0
    assert (picture(doc, map_) == before).all()
    doc.undo()
    assert snapshot(doc.project) == start


def test_only_tile_layers_with_the_same_cells_merge():
    _, map_, layers = project_of_kinds()
    with pytest.raises(EditError, match="“Grown” is a layer of grown: only tile layers merge"):
        merge_down(map_, layers["grown"])
    map_.layers.remove(layers["grown"])
    map_.layers.remove(layers["tint"])
    map_.layers.remove(layers["markers"])
    with pytest.raises(EditError, match="“Own” has cells of another size than “Tiles”"):
        merge_down(map_, layers["own"])


def test_uses_and_slicing_leave_tints_alone_and_follow_free_pictures():
    doc, map_, layers = project_of_kinds()
    assert sum(count_uses(doc.project, "sheet").values()) < 4 * 80
    tint = layers["tint"].cells.copy()
    tileset = doc.project.tilesets[0]
    shown = picture(doc, map_)
    # The same tiles, cut with a margin of a whole tile: all move up and left by one.
    edit, _ = use_slicing(doc.project, tileset, Slicing(8, 8, start_x=8, start_y=8))
    doc.apply(edit)
    assert layers["markers"].markers[3].tile == TileRef("sheet", 0, 0)
    assert (layers["tint"].cells == tint).all()
    only = [layers["markers"], layers["own"]]
    after = picture(doc, map_, layers=only)
    doc.undo()
    doc.knitter.ensure_all(map_)
    assert (picture(doc, map_) == shown).all()
    assert (picture(doc, map_, layers=only) == after).all()


def test_a_sheet_that_only_a_free_picture_uses_is_not_removed():
    doc, map_, layers = project_of_kinds()
    other = replace(doc.project.tilesets[0], name="other", sets=[])
    doc.project.tilesets.append(other)
    tile = TileRef("other", 0, 0)
    layers["markers"].markers += (Marker(9, Shape.PICTURE, ((1.0, 1.0),), tile=tile),)
    with pytest.raises(EditError, match="map “Map” uses tiles of “other”"):
        remove_tileset(doc.project, other)
    assert add_layer(map_, map_.new_tint_layer("x")).name == "Add layer “x”"


steps = st.lists(st.tuples(st.integers(0, 9), st.integers(0, 2**31)), min_size=1, max_size=12)


@given(steps, st.booleans())
def test_undoing_any_edits_of_any_layers_gives_the_start(steps, wrap):
    doc, map_, layers = project_of_kinds((8, 10), wrap)
    start, before = snapshot(doc.project), picture(doc, map_)
    first = len(doc.history.names)
    for kind, seed in steps:
        rng = np.random.default_rng(seed)
        edit = random_edit(doc, map_, layers, kind, rng)
        if edit is not None:
            doc.apply(edit)
    count = len(doc.history.names) - first
    last = snapshot(doc.project)
    for _ in range(count):
        doc.undo()
    assert snapshot(doc.project) == start
    doc.knitter.ensure_all(map_)
    assert (picture(doc, map_) == before).all()
    for _ in range(count):
        doc.redo()
    assert snapshot(doc.project) == last


def random_edit(doc, map_, layers, kind, rng):
    """An edit of one of ten kinds at a random place; None if there is nothing to do."""
    top, left = int(rng.integers(-2, 7)), int(rng.integers(-2, 9))
    box = Box(top, left, top + 3, left + 3)
    values, mask = rng.integers(0, 4, (3, 3)).astype(np.int32), rng.random((3, 3)) < 0.7
    numbers = [each.number for each in layers["markers"].markers]
    some = [n for n in numbers if rng.random() < 0.5]
    own = grid_of(map_, layers["own"])
    edits = [
        lambda: plan_cells(map_, layers["tiles"], box, values, mask, "Lay").edit,
        lambda: plan_cells(map_, layers["grown"], box, values, mask, "Lay").edit,
        lambda: plan_unpin(doc, map_, layers["grown"], box, mask, "Release").edit,
        lambda: (
            plan_cells(map_, layers["tint"], box, values * (40 << 24 | 0x203010), mask, "Tint").edit
        ),
        lambda: plan_cells(own, layers["own"], box, values, mask, "Lay").edit,
        lambda: move_markers(map_, layers["markers"], some, top, left),
        lambda: delete_markers(map_, layers["markers"], some[:1]),
        lambda: add_markers(map_, layers["markers"], [Marker(0, Shape.POINT, ((top, left),))])[0],
        lambda: place_layer(map_, layers["own"], (top, left), top),
        lambda: resize_map(map_, Margins(*rng.integers(-1, 3, 4).tolist())),
    ]
    edit = edits[kind]()
    return edit if edit.atoms else None


def test_pins_are_seen_in_a_selection_over_the_border_only_where_the_map_wraps(demo):
    map_ = demo.map_named("Salt coast")
    layer = next(each for each in map_.layers if isinstance(each, GrownLayer))
    layer.pinned[:] = False
    layer.pinned[0, 0] = True
    over = Selection(Box(-1, map_.width - 1, 1, map_.width + 1), np.ones((2, 2), bool))
    seen = []
    for wraps in (True, False):
        map_.wrap = wraps
        desk = Desk(doc=Document(demo), map=map_, layer=layer, selection=over)
        seen.append(has_pins(desk))
    assert seen == [True, False]
    assert has_pins(replace(desk, selection=None), Pointer(3.0, 3.0))
    assert not has_pins(replace(desk, selection=None), Pointer(3.0, 20.0))
    assert not has_pins(replace(desk, selection=None))
    assert not has_pins(replace(desk, layer=map_.layers[0], selection=None), Pointer(3.0, 3.0))
