"""Shapes of tiles: geometry, tracing, shapes from terrain, how neighbours meet, merging, edits."""

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from shapely import Polygon, box, union_all

from knitground.core.base.errors import EditError
from knitground.core.base.window import Box
from knitground.core.edit import shapes as edits
from knitground.core.edit.document import Document
from knitground.core.edit.reslice import use_slicing
from knitground.core.edit.sheets import scaled_tileset
from knitground.core.files.opening import open_project
from knitground.core.files.saving import save_project
from knitground.core.files.ship.ship import ship
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.shapes import ShapeForm, ShapeKind, TileShape
from knitground.core.model.slicing import Slicing
from knitground.core.model.terrain import ANY, SetKind, Slot, Terrain, TerrainSet, no_marks
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import TileFacts, Tileset
from knitground.core.shapes.borders import meetings, neighbours, side_spans
from knitground.core.shapes.geometry import (
    area_of,
    checked_shape,
    corner_words,
    outline,
    snapped,
    turned_shape,
    typed_corners,
)
from knitground.core.shapes.merge import laid_shapes, merge, rings_of
from knitground.core.shapes.terrain import terrain_shapes
from knitground.core.shapes.trace import fewer_corners, trace


def box_shape(left, top, right, bottom, kind="solid"):
    return TileShape(kind, ShapeForm.BOX, ((left, top), (right, bottom)))


def polygon(*corners, kind="solid"):
    return TileShape(kind, ShapeForm.POLYGON, corners)


def sheet_of(picture, side=8, name="s"):
    high, wide = picture.shape[:2]
    return Tileset(name, f"{name}.png", wide, high, Slicing(side, side), picture=picture)


def plain_sheet(rows=2, cols=4, side=8):
    picture = np.full((rows * side, cols * side, 4), 255, np.uint8)
    return sheet_of(picture, side)


def raster(corners, high, wide, fine=4):
    """Brute force: which of the fine points of a grid lie inside a polygon."""
    ys, xs = (np.indices((high * fine, wide * fine)) + 0.5) / fine
    inside = np.zeros(xs.shape, bool)
    for (x0, y0), (x1, y1) in zip(corners, [*corners[1:], corners[0]]):
        if y0 != y1:
            crosses = (ys >= min(y0, y1)) & (ys < max(y0, y1))
            inside ^= crosses & (xs < x0 + (ys - y0) / (y1 - y0) * (x1 - x0))
    return inside


# Geometry


@pytest.mark.parametrize("turn", range(8))
def test_a_shape_turns_with_the_pixels_of_its_tile(turn):
    shape = polygon((0, 0), (5, 0), (5, 2), (2, 6))
    before = raster(outline(shape), 6, 5)
    wanted = np.rot90(before[:, ::-1] if turn & 4 else before, -(turn & 3))
    high, wide = (5, 6) if turn & 1 else (6, 5)
    now = raster(outline(turned_shape(shape, turn, 5, 6)), high, wide)
    assert (now != wanted).mean() < 0.03  # points on a slanting side may fall to either
    assert turned_shape(box_shape(0, 0, 2, 3), turn, 5, 6).corners[0][0] >= 0


@pytest.mark.parametrize(
    ("shape", "words"),
    [
        (polygon((0, 0), (4, 4), (4, 0), (0, 4)), "crosses itself: its sides 1 and 3"),
        (polygon((0, 0), (4, 0), (2, 0)), "no area"),
        (polygon((0, 0), (4, 0), (4, 4), (4, 2), (4, 6)), "crosses itself"),
        (polygon((0, 0), (4, 0)), "2 corners is none: give 3 to 256"),
        (polygon((0, 0), (4, 0), (4, 4), (0, 0)), "on one place"),
        (box_shape(2, 2, 2, 9), "no area"),
        (box_shape(0, 0, 17, 4), "17,4 is too far from the tile of 8 × 8 px"),
        (box_shape(-9, 0, 2, 2), "too far"),
        (polygon((float("nan"), 0), (1, 0), (1, 1)), "too far"),
    ],
)
def test_what_is_no_shape_is_refused_with_the_reason(shape, words):
    with pytest.raises(EditError, match=words):
        checked_shape(shape, 8, 8)


def test_a_box_drawn_from_any_corner_is_the_same_and_a_ring_of_corners_is_fine():
    for a, b in itertools.permutations([(1, 2), (5, 7)], 2):
        assert checked_shape(box_shape(*a, *b), 8, 8).corners == ((1, 2), (5, 7))
    assert checked_shape(polygon((0, 0), (8, 0), (8, 8), (4, 2), (0, 8)), 8, 8)
    round_one = TileShape("water", ShapeForm.ROUND, ((0, 0), (8, 4)))
    assert area_of(outline(round_one)) == pytest.approx(np.pi * 4 * 2, rel=0.02)


@given(st.lists(st.tuples(st.integers(0, 6), st.integers(0, 6)), min_size=3, max_size=7))
def test_crossing_is_told_as_an_independent_library_tells_it(corners):
    shape = polygon(*corners)
    fine = Polygon(corners).is_valid and Polygon(corners).area > 0
    try:
        checked_shape(shape, 8, 8)
    except EditError:
        assert not fine or len(set(corners)) < len(corners)
    else:
        assert fine


def test_corners_are_typed_as_they_are_told():
    shape = polygon((0, 0.5), (16, 0), (8.25, 9))
    assert typed_corners(corner_words(shape)) == shape.corners
    assert typed_corners("0 , 0; 4,4") == ((0, 0), (4, 4))
    for text in ("4", "a,b", "1,2,3", "nan,1", "inf,0", "1e999,0", "9" * 90 + ",1,"):
        with pytest.raises(EditError, match="is no corner"):
            typed_corners(text)
    with pytest.raises(EditError, match="too many"):
        typed_corners("1,1 " * 300)
    assert [snapped(2.6, 1), snapped(2.6, 0.5), snapped(-0.2, 1)] == [3, 2.5, 0]


# Tracing


@given(st.integers(0, 2**31))
def test_without_slack_the_outline_is_that_of_the_pixels(seed):
    rng = np.random.default_rng(seed)
    seen = rng.random((7, 9)) < 0.6
    found = trace(seen, 0.0, least=0)
    filled = np.zeros((7, 9), bool)
    for each in found.outlines:
        filled |= raster(each, 7, 9)[2::4, 2::4]
    assert (filled | ~seen).all()  # nothing is lost, holes are filled
    assert found.lost == 0
    assert found.added == pytest.approx((filled & ~seen).sum())


def test_fewer_corners_and_slack_say_what_they_cost():
    rows, cols = np.indices((32, 32))
    disc = (rows - 15.5) ** 2 + (cols - 15.5) ** 2 < 13**2
    exact = trace(disc, 0.0)
    loose, few = trace(disc, 1.0), trace(disc, 0.0, most=6)
    assert len(exact.outlines[0]) > 30 > len(loose.outlines[0]) > 6 == len(few.outlines[0])
    for found in (loose, few):
        cut = Polygon(found.outlines[0])
        assert cut.is_valid
        whole = union_all([box(c, r, c + 1, r + 1) for r, c in np.argwhere(disc).tolist()])
        assert found.lost == pytest.approx(whole.difference(cut).area, abs=0.02)
        assert found.added == pytest.approx(cut.difference(whole).area, abs=0.02)
    assert loose.lost + loose.added < 0.08 * disc.sum() < few.lost + few.added
    assert trace(np.zeros((4, 4), bool)) == ([], 0, 0)
    specks = np.eye(8, dtype=bool)
    assert trace(specks).outlines == []
    assert len(trace(specks, least=1).outlines) == 8  # touching at a corner only: parts


def test_taking_corners_out_never_lets_a_polygon_cross_itself():
    comb = [(0, 0), (12, 0), (12, 8)]
    for n in range(11, 0, -1):
        comb.append((n, 8 if n % 2 else 1))
    comb.append((0, 8))
    for most in range(len(comb), 2, -1):
        left = fewer_corners(comb, most)
        assert Polygon(left).is_valid
        assert len(left) >= most
        assert set(left) <= set(comb)


# From terrain


def area_at(shapes, side=8):
    out = np.zeros((side * 2, side * 2), bool)
    for each in shapes:
        out |= raster(outline(each), side, side, fine=2)
    return out


@pytest.mark.parametrize("px", [0, 2, -2])
def test_corner_shapes_meet_at_every_side_of_every_pair(px):
    """All 16 tiles of two terrains: neighbours that fit by marks have the same spans."""
    tiles = {}
    for marks in itertools.product((1, 2), repeat=4):
        nine = [0] * 9
        for slot, mark in zip((Slot.NW, Slot.NE, Slot.SE, Slot.SW), marks):
            nine[slot] = mark
        tiles[marks] = terrain_shapes(SetKind.CORNER, nine, 1, (8, 8), "solid", px=px)
    for (a, one), (b, other) in itertools.product(tiles.items(), repeat=2):
        if (a[1], a[2]) == (b[0], b[3]):
            east = side_spans(one, "solid", Slot.E, (8, 8))
            assert east == side_spans(other, "solid", Slot.W, (8, 8))
        if (a[3], a[2]) == (b[0], b[1]):
            south = side_spans(one, "solid", Slot.S, (8, 8))
            assert south == side_spans(other, "solid", Slot.N, (8, 8))
    assert tiles[1, 1, 1, 1] == (box_shape(0, 0, 8, 8),)
    assert tiles[2, 2, 2, 2] == ()
    assert tiles[1, 1, 2, 2] == (box_shape(0, 0, 8, 4 + px),)
    assert len(tiles[1, 2, 1, 2]) == (1 if px == 2 else 2)


def ring_marks(bits):
    nine = [0] * 9
    for n in range(8):
        nine[n] = 1 if bits >> n & 1 else 0
    nine[Slot.MIDDLE] = 1
    return nine


def ring_project():
    """A ring set of all 256 ways, one tile each, on a sheet of 16 × 16 tiles."""
    tileset = plain_sheet(16, 16)
    marks = no_marks(16, 16)
    for bits in range(256):
        marks[divmod(bits, 16)] = ring_marks(bits)
    kit = TerrainSet("Wall", SetKind.RING, (Terrain("wall", "#888888", "W"),), marks)
    tileset.sets = [kit]
    return Project(tilesets=[tileset]), tileset, kit


def test_ring_and_edge_shapes_have_their_parts():
    def ring(bits, px=2):
        return terrain_shapes(SetKind.RING, ring_marks(bits), 1, (8, 8), "solid", px=px)

    assert ring(0) == (box_shape(2, 2, 6, 6),)
    assert ring(255) == (box_shape(0, 0, 8, 8),)
    assert area_at(ring(0b00000101)).sum() == area_at((box_shape(2, 2, 6, 6),)).sum() + 2 * 4 * 8
    assert ring(0b00000111) != ring(0b00000101)  # the corner between two sides counts
    assert ring(0b00000010) == ring(0)  # a corner alone does not
    nine = ring_marks(0)
    nine[Slot.N] = ANY
    assert ring(1) == terrain_shapes(SetKind.RING, nine, 1, (8, 8), "solid", px=2)
    assert terrain_shapes(SetKind.RING, ring_marks(255), 2, (8, 8), "solid") == ()
    edge = [0] * 9
    edge[Slot.N] = edge[Slot.S] = 1
    assert terrain_shapes(SetKind.EDGE, edge, 1, (8, 8), "w", px=4) == (box_shape(2, 0, 6, 8, "w"),)
    whole = terrain_shapes(SetKind.EDGE, edge, 1, (8, 12), "w", whole=True)
    assert whole == (box_shape(0, 0, 12, 8, "w"),)


@pytest.mark.parametrize("bits", [0, 1, 5, 7, 0b01011111, 255, 0b11010101])
def test_ring_shapes_meet_all_that_can_lie_beside_them(bits):
    project, tileset, kit = ring_project()
    doc = Document(project)
    doc.apply(edits.shapes_from_terrain(project, tileset, kit, 1, "solid", px=2))
    found = meetings(project, tileset, divmod(bits, 16), "solid")
    # Tiles that differ only in corners without both their sides show the same.
    assert [(each.steps, each.gaps) for each in found] == [([], [])] * 4
    assert all(each.neighbours for each in found if bits >> int(each.side) & 1)


def test_neighbours_of_a_ring_tile_are_those_of_some_map():
    """Brute force: two cells side by side in all 3 × 4 surroundings."""
    project, tileset, _ = ring_project()
    offsets = ((-1, 0), (-1, 1), (0, 1), (1, 1), (1, 0), (1, -1), (0, -1), (-1, -1))

    def bits(around, col):
        return sum(around[1 + y][col + x] << n for n, (y, x) in enumerate(offsets))

    pairs = set()
    for rest in itertools.product((0, 1), repeat=10):
        around = [rest[:4], (rest[4], 1, 1, rest[5]), rest[6:]]
        pairs.add((bits(around, 1), bits(around, 2)))
    for own in (4, 5, 0b00011111, 255, 0b11010100):
        told = {tile.row * 16 + tile.col
                for tile in neighbours(project, tileset, divmod(own, 16), Slot.E)}  # fmt: skip
        assert {b for a, b in pairs if a == own} <= told


def test_steps_and_gaps_are_found_where_they_are():
    tileset = plain_sheet(1, 2)
    marks = no_marks(1, 2)
    for slot in (Slot.NW, Slot.NE, Slot.SE, Slot.SW):
        marks[0, :, slot] = 1
    tileset.sets = [TerrainSet("Floor", SetKind.CORNER, (Terrain("floor", "#888888", "F"),), marks)]
    project = Project(tilesets=[tileset])
    doc = Document(project)
    assert not any(m.steps for m in meetings(project, tileset, (0, 0), "solid"))
    doc.apply(edits.add_shape(tileset, [(0, 0)], box_shape(0, 4, 8, 8)))
    doc.apply(edits.add_shape(tileset, [(0, 1)], box_shape(0, 5, 8, 8)))
    east = next(m for m in meetings(project, tileset, (0, 0), "solid") if m.side is Slot.E)
    assert (east.steps, east.gaps) == ([(4.0, 5.0)], [])
    assert (east.differing, east.neighbours) == (1, 2)
    doc.apply(edits.put_shape(tileset, (0, 1), 0, box_shape(1, 4, 7, 8)))
    doc.apply(edits.put_shape(tileset, (0, 0), 0, box_shape(1, 4, 7, 8)))
    east = next(m for m in meetings(project, tileset, (0, 0), "solid") if m.side is Slot.E)
    assert (east.steps, east.gaps) == ([], [(4.0, 8.0)])
    assert meetings(project, plain_sheet(), (0, 0), "solid") == []  # no marks: nothing is known


# Merging and shipping


def map_of(tileset, rows=3, cols=4):
    project = Project(tilesets=[tileset])
    map_ = Map("Yard", rows, cols, 8, 8)
    layer = map_.new_tile_layer("t")
    map_.layers.append(layer)
    project.maps = [map_]
    return project, map_, layer


def test_shapes_of_a_map_are_merged_where_they_touch_turned_and_shifted():
    tileset = plain_sheet()
    tileset.facts = {
        (0, 0): TileFacts(shapes=(box_shape(0, 4, 8, 8), box_shape(0, 0, 2, 2, "water"))),
        (1, 0): TileFacts(shapes=(polygon((0, 8), (8, 8), (8, 0)),)),
    }
    project, map_, layer = map_of(tileset)
    floor, ramp = (map_.legend.place(TileRef("s", n, 0)) for n in (0, 1))
    layer.cells[1] = (ramp, floor, floor, map_.legend.place(TileRef("s", 1, 0, 4)))
    found = merge(laid_shapes(project, map_))
    assert sorted(found) == ["solid", "water"]
    wanted = Polygon([(0, 16), (8, 8), (8, 12), (24, 12), (24, 8), (32, 16)])
    assert found["solid"].symmetric_difference(wanted).area < 1e-9
    assert len(rings_of(found["solid"])) == 1
    assert len(rings_of(found["water"])) == 2
    layer.offset = (0, 3)
    assert merge(laid_shapes(project, map_))["solid"].bounds[3] == 19
    part = merge(laid_shapes(project, map_, Box(1, 1, 2, 2)))["solid"]
    assert part.bounds == (8, 15, 16, 19)
    layer.visible = False
    assert merge(laid_shapes(project, map_)) == {}


def test_shapes_of_layers_with_cells_of_their_own_and_of_anchored_tiles_lie_where_pictures_do():
    tileset = plain_sheet()
    tileset.facts = {(0, 0): TileFacts(shapes=(box_shape(0, 0, 8, 8),), anchor=(4, 4))}
    project, map_, layer = map_of(tileset)
    layer.cells[1, 1] = map_.legend.place(TileRef("s", 0, 0))
    assert merge(laid_shapes(project, map_))["solid"].equals(box(8, 12, 16, 20))
    small = map_.new_tile_layer("small", cell=(4, 4))
    small.cells[5, 3] = map_.legend.place(TileRef("s", 0, 0))
    map_.layers.append(small)
    layer.visible = False
    assert merge(laid_shapes(project, map_))["solid"].equals(box(10, 20, 18, 28))
    assert merge(laid_shapes(project, map_, Box(2, 1, 3, 2)))["solid"].area == 64
    assert merge(laid_shapes(project, map_, Box(0, 0, 2, 4))) == {}


def test_shapes_are_shipped_with_the_tiles_and_merged_as_svg(tmp_path):
    tileset = plain_sheet()
    tileset.facts = {(0, 0): TileFacts(shapes=(box_shape(0, 4, 8, 8), box_shape(0, 0, 1, 1, "<&")))}
    project, map_, layer = map_of(tileset)
    layer.cells[0] = map_.legend.place(TileRef("s", 0, 0, 1))
    files = {path.name: path for path in ship(project, [map_], tmp_path, ["json", "svg"]).files}
    import json
    from xml.etree import ElementTree as ET

    told = json.loads(files["yard.json"].read_text())["legend"][0]["shapes"]
    assert told[0] == {"kind": "solid", "form": "box", "points": [[0, 0], [4, 8]]}
    root = ET.parse(files["yard.shapes.svg"]).getroot()
    assert root.attrib["viewBox"] == "0 0 32 24"
    groups = {each.attrib["id"]: each for each in root if "id" in each.attrib}
    assert set(groups) == {"solid", "<&"}
    paths = [each.attrib["d"] for each in groups["solid"]]
    assert len(paths) == 4  # turned, they no longer touch
    assert all(path.count("M") == 1 and path.endswith("Z") for path in paths)


# Edits


@pytest.fixture
def doc():
    return Document(Project(tilesets=[plain_sheet()]))


def test_shapes_are_given_to_many_copied_turned_and_taken_away(doc):
    (tileset,) = doc.project.tilesets
    every = [(r, c) for r in range(2) for c in range(4)]
    doc.apply(edits.add_shape(tileset, every, box_shape(0, 6, 8, 8)))
    doc.apply(edits.add_shape(tileset, [(0, 0)], polygon((0, 0), (3, 0), (0, 3), kind="water")))
    assert len(tileset.fact(0, 0).shapes) == 2
    doc.apply(edits.copy_shapes(tileset, (0, 0), every[:3]))
    assert tileset.fact(0, 2).shapes == tileset.fact(0, 0).shapes
    doc.apply(edits.turn_shapes(tileset, [(0, 1)], 6))
    assert tileset.fact(0, 1).shapes[0] == box_shape(0, 0, 8, 2)
    doc.apply(edits.clear_shapes(tileset, every, "water"))
    assert {len(tileset.fact(*at).shapes) for at in every} == {1}
    doc.apply(edits.remove_shape(tileset, (0, 0), 0))
    assert (0, 0) not in tileset.facts
    doc.apply(edits.clear_shapes(tileset, every))
    assert tileset.facts == {}
    while doc.history.undo_name:
        doc.undo()
    assert tileset.facts == {}
    wide = Tileset("w", "w.png", 16, 8, Slicing(16, 8))
    wide.facts = {(0, 0): TileFacts(shapes=(box_shape(0, 0, 4, 4),))}
    with pytest.raises(EditError, match="16 × 8 px can not be turned by a quarter"):
        edits.turn_shapes(wide, [(0, 0)], 1)
    with pytest.raises(EditError, match="no shape 4"):
        edits.put_shape(tileset, (0, 0), 3, box_shape(0, 0, 1, 1))
    with pytest.raises(EditError, match="no tile in row 9"):
        edits.add_shape(tileset, [(9, 9)], box_shape(0, 0, 1, 1))


def test_kinds_are_made_renamed_and_removed_with_their_shapes(doc):
    (tileset,) = doc.project.tilesets
    doc.apply(edits.add_kind(doc.project, "mud"))
    assert doc.project.shape_kinds[-1] == ShapeKind("mud", "M", "#6B6672")
    doc.apply(edits.add_shape(tileset, [(0, 0)], box_shape(0, 0, 2, 2, "mud")))
    doc.apply(edits.change_kind(doc.project, "mud", ShapeKind("mire", "R", "#112233")))
    assert tileset.fact(0, 0).shapes[0].kind == "mire"
    assert edits.kind_uses(doc.project, "mire") == 1
    before = doc.project.shape_kinds
    doc.apply(edits.remove_kind(doc.project, "mire"))
    assert tileset.facts == {}
    doc.undo()
    assert doc.project.shape_kinds == before
    assert tileset.fact(0, 0).shapes
    for build, words in (
        (lambda: edits.add_kind(doc.project, " "), "needs a name"),
        (lambda: edits.add_kind(doc.project, "solid"), "already"),
        (lambda: edits.change_kind(doc.project, "x", before[0]), "no kind “x”"),
        (lambda: edits.change_kind(doc.project, "mire", before[0]), "already"),
    ):
        with pytest.raises(EditError, match=words):
            build()
    with pytest.raises(EditError, match="#rrggbb"):
        doc.apply(edits.add_kind(doc.project, "bad", "B", "red"))


def test_shapes_are_saved_follow_slicings_and_scale(tmp_path):
    doc = Document(Project("P", tilesets=[plain_sheet()]))
    (tileset,) = doc.project.tilesets
    shape = polygon((0, 0), (8, 0.5), (0, 8), kind="gone kind")
    doc.apply(edits.add_shape(tileset, [(1, 3)], shape))
    doc.apply(edits.add_kind(doc.project, "mud"))
    save_project(doc.project, tmp_path)
    again = open_project(tmp_path).project
    assert again.tilesets[0].fact(1, 3).shapes == (shape,)
    assert again.shape_kinds == doc.project.shape_kinds
    made = scaled_tileset(doc.project, tileset, height=16, width=4)[1]
    assert made.fact(1, 3).shapes[0].corners == ((0, 0), (4, 1), (0, 16))
    edit, _ = use_slicing(doc.project, tileset, Slicing(8, 8, start_y=8))
    doc.apply(edit)
    assert tileset.fact(0, 3).shapes == (shape,)


def test_outlines_of_many_tiles_keep_other_kinds_and_skip_what_shows_nothing():
    picture = np.zeros((8, 24, 4), np.uint8)
    picture[2:6, 1:5] = 255
    picture[:, 8:16, 3] = 200
    tileset = sheet_of(picture)
    doc = Document(Project(tilesets=[tileset]))
    doc.apply(edits.add_shape(tileset, [(0, 0)], box_shape(0, 0, 1, 1, "water")))
    told = []
    found = edits.outline_tiles(tileset, [(0, n) for n in range(3)], "solid", progress=told.append)
    doc.apply(edits.use_outlines(tileset, found))
    assert (found.empty, found.lost, found.added, found.corners) == (1, 0, 0, 8)
    kinds = [each.kind for each in tileset.fact(0, 0).shapes]
    assert kinds == ["water", "solid"]
    assert area_of(outline(tileset.fact(0, 0).shapes[1])) == 16
    assert not tileset.fact(0, 2).shapes
    assert told
    tileset.picture = None
    with pytest.raises(EditError, match="is missing"):
        edits.outline_tiles(tileset, [(0, 0)], "solid")


def test_a_set_gets_its_shapes_in_one_act_guests_included():
    project, tileset, kit = ring_project()
    guest = plain_sheet(1, 1)
    guest.name = "guest"
    project.tilesets.append(guest)
    marks = no_marks(1, 1)
    marks[0, 0] = ring_marks(255)
    kit.guests = {"guest": marks}
    doc = Document(project)
    doc.apply(edits.shapes_from_terrain(project, tileset, kit, 1, "solid"))
    assert len(tileset.facts) == 256
    assert guest.fact(0, 0).shapes
    doc.undo()
    assert not tileset.facts
    assert not guest.facts
    with pytest.raises(EditError, match="no tile of “Wall” shows “nothing”"):
        edits.shapes_from_terrain(project, tileset, kit, 7, "solid")
