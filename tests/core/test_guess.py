"""Guessed marks, coverage, made tiles, samples: on art drawn here, from known marks."""

from itertools import product

import numpy as np
import pytest
from scipy.ndimage import gaussian_filter
from tests.core.test_kinds import edge_marks, kind_project, ring_marks
from tests.maps import pair_marks, small_project

from knitground.core.base.errors import EditError
from knitground.core.base.window import whole
from knitground.core.edit.terrains import add_made
from knitground.core.knit.bridge import build_graph
from knitground.core.knit.coverage import cover
from knitground.core.knit.faces import square_faces
from knitground.core.knit.find import find_key
from knitground.core.knit.guess import guess_marks, least_sure
from knitground.core.knit.guessing import Guessed, guess_sheet
from knitground.core.knit.knit import knit_box
from knitground.core.knit.layer import set_table
from knitground.core.knit.making import (
    key_of_marks,
    make_tiles,
    marks_of_key,
    sheet_of,
)
from knitground.core.knit.repair import close_gaps
from knitground.core.knit.sample import lay_sample
from knitground.core.knit.table import build_table
from knitground.core.model.layers import GAP
from knitground.core.model.terrain import SetKind, Slot, Terrain, TerrainSet
from knitground.core.model.turns import turned_array, turned_ring

CORNERS, SIDES = [7, 1, 5, 3], [0, 6, 4, 2]


def textures(rng, size):
    """Two grounds that differ in colour, each with a grain of its own."""
    colours = rng.integers(40, 220, (2, 3)).astype(float)
    while np.abs(colours[0] - colours[1]).sum() < 90:
        colours = rng.integers(40, 220, (2, 3)).astype(float)
    grain = rng.uniform(4, 20, 2)

    def one(n):
        noise = rng.normal(0, grain[n], (size, size, 1))
        return np.clip(colours[n] + noise, 0, 255)

    return one


def corner_art(size, seed, copies=2):
    """Blends of two grounds along a rough level line between the corners."""
    rng = np.random.default_rng(seed)
    texture = textures(rng, size)
    y, x = (np.indices((size, size)) + 0.5) / size
    tiles, marks = [], []
    for corners in list(product((1, 2), repeat=4)) * copies:
        nw, ne, sw, se = (each - 1 for each in corners)
        level = (nw * (1 - x) + ne * x) * (1 - y) + (sw * (1 - x) + se * x) * y
        level += gaussian_filter(rng.normal(0, 1, (size, size)), 1.5) * 0.35
        rgb = np.where((level > 0.5)[..., None], texture(1), texture(0))
        tiles.append(np.concatenate([rgb, np.full((size, size, 1), 255)], -1).astype(np.uint8))
        mark = np.zeros(8, np.uint8)
        mark[CORNERS] = corners
        marks.append(mark)
    return np.stack(tiles), np.stack(marks), [0, 15]


def road_art(size, seed, overlay, copies=2):
    """Roads of one width from the middle to some sides, on ground or on nothing."""
    rng = np.random.default_rng(seed)
    texture = textures(rng, size)
    y, x = (np.indices((size, size)) + 0.5) / size
    tiles, marks = [], []
    for sides in list(product((0, 1), repeat=4)) * copies:
        road = (abs(x - 0.5) < 0.17) & (abs(y - 0.5) < 0.17) & any(sides)
        column, line = abs(x - 0.5) < 0.17, abs(y - 0.5) < 0.17
        arms = (column & (y < 0.5), line & (x < 0.5), column & (y > 0.5), line & (x > 0.5))
        for on, arm in zip(sides, arms):
            road |= bool(on) & arm
        rgb = np.where(road[..., None], texture(1), texture(0))
        alpha = np.where(road[..., None], 255, 0 if overlay else 255)
        tiles.append(np.concatenate([rgb, alpha], -1).astype(np.uint8))
        mark = np.zeros(8, np.uint8)
        mark[SIDES] = sides
        marks.append(mark)
    return np.stack(tiles), np.stack(marks), [15]


def isometric(tiles):
    """Lay square tiles out as diamonds twice as wide as they are high."""
    size = tiles.shape[1]
    out = np.zeros((len(tiles), size, 2 * size, 4), np.uint8)
    y, x = np.indices((size, 2 * size)) + 0.5
    u, v = (y / (size / 2) + (x - size) / size) / 2, (y / (size / 2) - (x - size) / size) / 2
    inside = (u >= 0) & (u < 1) & (v >= 0) & (v < 1)
    out[:, inside] = tiles[:, (v[inside] * size).astype(int), (u[inside] * size).astype(int)]
    return out


def guessed(tiles, true, kind, examples):
    given = np.full_like(true, 255)
    given[examples] = true[examples]
    found, sure = guess_marks(tiles, kind, given)
    assert (found[examples] == true[examples]).all()
    slots = [slot for slot in kind.slots if slot < 8]
    asked = np.ones(len(true), bool)
    asked[examples] = False
    right = found[:, slots] == true[:, slots]
    outside = asked.copy()
    outside[least_sure(sure[:, slots], asked)] = False
    return right[asked].mean(), 1 - right[outside].mean()


@pytest.mark.parametrize("size", [8, 16, 32])
@pytest.mark.parametrize("flat", [True, False])
def test_corner_marks_are_guessed_from_one_plain_tile_of_each(size, flat):
    if size == 8 and not flat:
        pytest.skip("a diamond of 16 × 8 has too few pixels")
    results = []
    for seed in range(4):
        tiles, true, examples = corner_art(size, seed)
        tiles = tiles if flat else isometric(tiles)
        results.append(guessed(tiles, true, SetKind.CORNER, examples))
    right, wrong = np.mean(results, axis=0)
    assert right >= (0.94 if size == 8 else 0.97)
    assert wrong <= 0.01


@pytest.mark.parametrize("overlay", [True, False])
@pytest.mark.parametrize("flat", [True, False])
def test_roads_are_guessed_from_one_crossing(overlay, flat):
    for seed in range(3):
        tiles, true, examples = road_art(16, seed, overlay)
        tiles = tiles if flat else isometric(tiles)
        right, wrong = guessed(tiles, true, SetKind.EDGE, examples)
        assert right >= 0.97
        assert wrong <= 0.01


def test_isometric_faces_are_laid_out_square_and_others_left_alone():
    tiles, _, _ = corner_art(16, 3, 1)
    faces = square_faces(isometric(tiles))
    assert faces.shape[1:3] == (16, 16)
    off = np.abs(faces.astype(int) - tiles.astype(int)).mean()
    assert off < np.abs(faces.astype(int) - tiles[:, ::-1].astype(int)).mean() / 3
    assert square_faces(tiles) is tiles


def test_a_tile_that_looks_like_nothing_known_is_left_alone():
    tiles, true, examples = corner_art(16, 1, 1)
    strange = np.full((1, 16, 16, 4), 255, np.uint8)
    strange[..., :3] = 255 - tiles[0, ..., :3]
    strange[0, ::2, ::2, :3] = (255, 0, 255)
    given = np.full((17, 8), 255, np.uint8)
    given[examples] = true[examples]
    found, sure = guess_marks(np.concatenate([tiles, strange]), SetKind.CORNER, given)
    assert not found[16].any()
    assert (sure[16, CORNERS] == 0).all()
    nothing, doubt = guess_marks(tiles, SetKind.CORNER, np.full((16, 8), 255, np.uint8))
    assert not nothing.any()
    assert not doubt[:, CORNERS].any()


def test_a_sheet_says_what_it_needs_before_it_can_be_guessed():
    tiles, true, examples = corner_art(8, 5, 1)
    doc, _, _, tileset = kind_project(SetKind.CORNER, np.zeros((16, 9), np.uint8))
    tileset.slicing = type(tileset.slicing)(8, 8)
    tileset.width, tileset.height = 16 * 8, 8
    tileset.picture = np.concatenate(list(tiles), axis=1)
    kit = tileset.sets[0]
    assert "one plain tile" in guess_sheet(tileset, kit, None)
    kit.marks[0, examples, :8] = true[examples]
    found = guess_sheet(tileset, kit, None)
    assert isinstance(found, Guessed)
    assert len(found.places) == 14
    assert (found.marks[:, CORNERS] == true[1:15][:, CORNERS]).mean() > 0.95
    assert 1 <= len(found.line) <= 2
    kit.marks[0, :, :8] = true
    assert "already" in guess_sheet(tileset, kit, None)
    tileset.picture = None
    assert "missing" in guess_sheet(tileset, kit, None)
    assert doc.history.names == []


# Coverage


def corner_set(count, pairs, lack=()):
    marks = np.pad(pair_marks(pairs), ((0, 0), (0, 1)))
    kept = [m for m in marks if key_of_marks(SetKind.CORNER, m) not in lack]
    return kind_project(SetKind.CORNER, np.array(kept), terrains=count)


def coverage_of(doc, tileset):
    kit = tileset.sets[0]
    table, map_ = set_table(doc.project, tileset, kit)
    return cover(table, kit, build_graph(table)), table, map_


def test_coverage_counts_pairs_names_what_is_missing_and_the_bridges():
    doc, _, _, tileset = corner_set(4, [(1, 2), (2, 3)], [(1, 2, 2, 1)])
    found, _, _ = coverage_of(doc, tileset)
    assert len(found.pairs) == 4 + 2 * 14
    assert {each.key for each in found.missing} == {(1, 2, 2, 1), (4, 4, 4, 4)}
    assert found.had == 30
    assert (1, 3, (1, 2, 3)) in found.bridges
    assert (1, 4, ()) in found.bridges
    assert found.beyond == ()
    tileset.sets[0].marks = np.concatenate([tileset.sets[0].marks] * 2, axis=1)
    tileset.width *= 2
    found, _, _ = coverage_of(doc, tileset)
    assert len(found.doubled) == 30


def test_coverage_goes_on_to_three_terrains_where_each_two_have_tiles():
    doc, _, _, tileset = corner_set(3, [(1, 2), (2, 3), (1, 3)])
    found, _, _ = coverage_of(doc, tileset)
    assert len(found.beyond) == 36
    assert not any(each.had for each in found.beyond)


@pytest.mark.parametrize(
    ("kind", "marks", "wanted"),
    [(SetKind.EDGE, edge_marks(2), 30), (SetKind.RING, ring_marks(2), 94)],
)
def test_coverage_of_edge_and_ring_sets(kind, marks, wanted):
    doc, _, _, tileset = kind_project(kind, marks[3:], terrains=2)
    found, _, _ = coverage_of(doc, tileset)
    assert (len(found.pairs), found.had) == (wanted, wanted - 3)


# Made tiles


def test_marks_turn_as_the_picture_does():
    tile = np.zeros((9, 9, 4), np.uint8)
    marks = np.zeros(9, np.uint8)
    spots = {Slot.N: (0, 4), Slot.NE: (0, 8), Slot.E: (4, 8), Slot.SE: (8, 8), Slot.S: (8, 4),
             Slot.SW: (8, 0), Slot.W: (4, 0), Slot.NW: (0, 0), Slot.MIDDLE: (4, 4)}  # fmt: skip
    for slot, at in spots.items():
        marks[slot] = slot + 1
        tile[at] = slot + 1
    for turn in range(8):
        picture, turned = turned_array(tile, turn), turned_ring(marks, turn)
        assert all(picture[at][0] == turned[slot] for slot, at in spots.items())


@pytest.mark.parametrize("kind", list(SetKind))
def test_keys_and_marks_are_each_others_inverse(kind):
    rows = {SetKind.RING: ring_marks(2), SetKind.EDGE: edge_marks(2)}.get(
        kind, np.pad(pair_marks([(1, 2)]), ((0, 0), (0, 1)))
    )
    for marks in rows:
        assert (marks_of_key(kind, key_of_marks(kind, marks)) == marks).all()


def drawn(kind, marks, size=16):
    """A picture that shows its marks: each slot's part in a colour of its own."""
    out = np.full((size, size, 4), 30, np.uint8)
    third = size // 4
    spots = {Slot.NW: (0, 0), Slot.NE: (0, 1), Slot.SW: (1, 0), Slot.SE: (1, 1)}
    for slot, (down, across) in spots.items():
        rows = slice(0, size // 2) if down == 0 else slice(size // 2, size)
        cols = slice(0, size // 2) if across == 0 else slice(size // 2, size)
        if kind is SetKind.CORNER:
            out[rows, cols] = 60 * marks[slot]
    if kind is not SetKind.CORNER:
        middle, parts = np.s_[4:12], {}
        parts[Slot.N], parts[Slot.S] = np.s_[:third, middle], np.s_[-third:, middle]
        parts[Slot.W], parts[Slot.E] = np.s_[middle, :third], np.s_[middle, -third:]
        for slot, part in parts.items():
            out[part] = 60 * marks[slot]
    return out


@pytest.mark.parametrize("kind", [SetKind.CORNER, SetKind.EDGE])
@pytest.mark.parametrize("ways", ["turn", "mirror", "join"])
def test_made_tiles_show_what_was_wanted(kind, ways):
    every = edge_marks() if kind is SetKind.EDGE else np.pad(pair_marks([(1, 2)]), ((0, 0), (0, 1)))
    keys = {key_of_marks(kind, m): m for m in every}
    lack = sorted(keys)[4:9]
    kept = np.array([m for key, m in keys.items() if key not in lack])
    tiles = np.stack([drawn(kind, m) for m in kept])
    allowed = {each: each == ways for each in ("turn", "mirror", "join")}
    made = make_tiles(kind, tiles, kept, lack, **allowed)
    assert made
    for each in made:
        assert each.key in lack
        assert (each.pixels == drawn(kind, keys[each.key])).all()
        assert (each.marks == keys[each.key]).all()
        word = {"turn": "turned", "mirror": "mirrored", "join": "joined"}[ways]
        assert word in each.how
    assert make_tiles(kind, tiles, kept, lack, turn=False, mirror=False, join=False) == []


def test_ring_tiles_are_joined_from_five():
    marks = ring_marks()
    keys = [key_of_marks(SetKind.RING, m) for m in marks]
    five = [keys.index((1, bits)) for bits in (0, 0b00010001, 0b01000100, 0b01010101, 255)]
    tiles = np.zeros((5, 16, 16, 4), np.uint8)
    lack = [key for n, key in enumerate(keys) if n not in five]
    made = make_tiles(SetKind.RING, tiles, marks[five], lack, turn=False, mirror=False)
    assert len(made) == 42


def test_made_tiles_go_on_a_new_sheet_and_close_the_gap():
    doc, map_, ground, tileset = corner_set(2, [(1, 2)], [(1, 2, 2, 1)])
    kit = tileset.sets[0]
    ground.terrain[:] = 1
    ground.terrain[3, 4] = ground.terrain[4, 3] = 2
    doc.knitter.ensure_all(map_)
    assert int((ground.cells == GAP).sum()) == 1
    table = doc.knitter.table(map_, ground)
    assert find_key(table, ground, (1, 2, 2, 1), False) == (3, 3)
    assert find_key(table, ground, (2, 2, 2, 2), False) is None
    marks = kit.marks[0]
    tiles = np.full((len(marks), 4, 4, 4), 99, np.uint8)
    made = make_tiles(SetKind.CORNER, tiles, marks, [(1, 2, 2, 1)])
    edit, sheet = add_made(doc.project, tileset, kit, made)
    doc.apply(edit)
    doc.knitter.ensure_all(map_)
    assert not (ground.cells == GAP).any()
    assert map_.legend.tile(int(ground.cells[3, 3])).tileset == sheet.name
    assert sheet.unsaved
    doc.undo()
    assert doc.project.tilesets == [tileset]
    with pytest.raises(EditError, match="no tile was made"):
        add_made(doc.project, tileset, kit, [])
    picture, grid = sheet_of(made * 9)
    assert picture.shape[:2] == (8, 32)
    assert grid.shape[:2] == (2, 8)


# Samples and closing gaps


@pytest.mark.parametrize("kind", list(SetKind))
def test_a_sample_of_a_complete_set_has_no_gap_and_most_of_its_combinations(kind):
    marks = {SetKind.RING: ring_marks(2), SetKind.EDGE: edge_marks(2)}.get(kind)
    if marks is None:
        marks = np.pad(pair_marks([(1, 2)]), ((0, 0), (0, 1)))
    doc, map_, ground, _ = kind_project(kind, marks)
    table = doc.knitter.table(map_, ground)
    terrain = lay_sample(table, build_graph(table), 2)
    map_.height, map_.width = terrain.shape[0] - 1, terrain.shape[1] - 1
    layer = map_.new_ground_layer("s", "sheet", "Set", kind)
    layer.terrain = terrain
    cells = knit_box(table, layer, whole(layer.cells))
    assert not (cells == GAP).any()
    assert len(np.unique(cells)) - 1 >= {"corner": 13, "edge": 20, "ring": 16}[kind.value]


@pytest.mark.parametrize("wrap", [False, True])
def test_gaps_are_closed_by_changing_little(wrap):
    keys = [m for m in pair_marks([(1, 2)]) if tuple(m[CORNERS]) != (1, 2, 2, 1)]
    table = build_table(np.array(keys), list(range(1, 16)), [1.0] * 15, 2)
    terrain = np.full((20, 20), 1, np.uint8)
    terrain[5, 6] = terrain[6, 5] = 2
    if wrap:
        terrain[0, 0] = terrain[19, 1] = 2
    mended = close_gaps(table, terrain, wrap)
    assert 0 < int((mended != terrain).sum()) <= 4
    ground = np.pad(mended, ((0, 1), (0, 1)), mode="wrap") if wrap else mended
    key = np.stack([ground[:-1, :-1], ground[:-1, 1:], ground[1:, :-1], ground[1:, 1:]], -1)
    assert not (key == (1, 2, 2, 1)).all(-1).any()


def test_names_of_terrains_that_are_not_there():
    kit = TerrainSet("S", terrains=(Terrain("a", "#000000", "A"),))
    assert [kit.name_of(mark) for mark in (0, 1, 2, 254)] == ["nothing", "a", "nothing", "any"]
    assert small_project()[0].project.tilesets[0].sets[0].number_of("none") == 0
