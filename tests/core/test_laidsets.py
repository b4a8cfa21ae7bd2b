"""Sets of finished pictures: terrain read back from how tiles lie, and a map to paint on."""

import numpy as np
import pytest
from scipy.ndimage import gaussian_filter
from tests.core.test_setmaking import GRASS, SAND, tile

from knitground.core.base.window import Box, whole
from knitground.core.edit.document import Document
from knitground.core.edit.makeset import made_tileset, set_terrains
from knitground.core.edit.mockup import map_from_mockup, mockup_sets
from knitground.core.files.ship.png import map_picture
from knitground.core.knit.knit import knit_box
from knitground.core.knit.laidsets import laid_sets
from knitground.core.knit.layer import knit_map, layer_table
from knitground.core.knit.outline import Outline, OutlineShape
from knitground.core.knit.setmaking import SetPlan, make_set
from knitground.core.model.lattice import Grid, GridKind
from knitground.core.model.layers import GroundLayer, TileLayer
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.standing import standing_of
from knitground.core.model.terrain import SetKind, Slot
from knitground.core.slicing.mapgrid import MapGrid, find_map_grid
from knitground.core.slicing.mockup import read_mockup, sheet_columns
from knitground.demo.yard import yard_tile

WATER = np.array([[30, 70, 150], [40, 90, 170], [25, 60, 130]], float)


def smooth_field(rng, shape, parts):
    """Patches of some terrains, several cells across."""
    small = rng.random((-(-shape[0] // 3) + 2, -(-shape[1] // 3) + 2))
    rows, cols = np.arange(shape[0]) / 3, np.arange(shape[1]) / 3
    r, c = rows.astype(int), cols.astype(int)
    fr, fc = (rows - r)[:, None], (cols - c)[None]
    value = (small[r][:, c] * (1 - fr) + small[r + 1][:, c] * fr) * (1 - fc) + (
        small[r][:, c + 1] * (1 - fr) + small[r + 1][:, c + 1] * fr
    ) * fc
    order = np.argsort(np.argsort(value, axis=None)).reshape(shape)
    return (order * parts // order.size).astype(np.uint8)


def picture_of(kind, seed=1, size=(26, 32)):
    """A finished picture knitted from a made set, with the layer that it shows."""
    rng = np.random.default_rng(seed)
    plan = SetPlan(
        kind, tile(GRASS), tile(SAND if kind is SetKind.CORNER else WATER, seed=2),
        Outline(OutlineShape.RAGGED, 0.6, seed), variants=2,
    )  # fmt: skip
    project = Project("p", None)
    tileset = made_tileset(project, "s", plan, make_set(plan), set_terrains(plan, [None, None]))
    project.tilesets = [tileset]
    map_ = Map("m", *size, 16, 16)
    kit = tileset.sets[0]
    if kind is not SetKind.CORNER:  # the ground that the set lies on
        ground = map_.new_tile_layer("under")
        from knitground.core.model.tile import TileRef

        place = map_.legend.place(TileRef("s", tileset.rows - 1, (len(make_set(plan)) - 1) % 8))
        ground.cells[:] = place
        if kind is SetKind.EDGE:
            map_.layers.append(ground)
    layer = map_.new_ground_layer("g", "s", kit.name, kit.kind)
    high, wide = size
    if kind is SetKind.CORNER:
        layer.terrain[:] = smooth_field(rng, (high + 1, wide + 1), 2) + 1
    elif kind is SetKind.RING:
        layer.terrain[:high, :wide] = smooth_field(rng, size, 2)
    else:
        north = rng.random((high + 1, wide + 1)) < 0.35
        west = rng.random((high + 1, wide + 1)) < 0.35
        layer.terrain[:] = north | (west.astype(np.uint16) << 8)
        layer.terrain[-1, -1] = 0
    map_.layers.append(layer)
    knit_map(project, map_)
    return project, map_, layer, map_picture(project, map_)


def read(picture):
    return read_mockup(picture, MapGrid(16, 16), turns=False)


def agreement(found, true):
    """Part of the places whose terrain is right, up to names."""
    names = {}
    for value in np.unique(found):
        own = true[found == value]
        names[value] = np.bincount(own.ravel().astype(int)).argmax()
    assert len(set(names.values())) == len(names)
    return float((np.vectorize(names.get)(found) == true).mean())


@pytest.mark.parametrize("seed", [1, 2])
def test_the_terrain_of_a_corner_set_is_read_back(seed):
    _, _, layer, picture = picture_of(SetKind.CORNER, seed)
    mockup = read(picture)
    found = laid_sets(mockup.tiles, mockup.tile_of_cell, sheet_columns(len(mockup.tiles)))
    assert found[0].guess.kind is SetKind.CORNER
    assert found[0].share > 0.98
    assert agreement(found[0].terrain, layer.terrain) > 0.99


def test_cells_of_a_ring_set_and_sides_of_an_edge_set_are_read_back():
    for kind in (SetKind.RING, SetKind.EDGE):
        _, map_, layer, picture = picture_of(kind, 3)
        mockup = read(picture)
        found = laid_sets(mockup.tiles, mockup.tile_of_cell, sheet_columns(len(mockup.tiles)))
        own = [each for each in found if each.guess.kind is kind]
        assert own, kind
        if kind is SetKind.RING:
            shown = own[0].terrain[: map_.height, : map_.width]
            assert agreement(shown, layer.terrain[: map_.height, : map_.width]) > 0.98
        else:
            for byte in (0, 8):
                shown = own[0].terrain >> byte & 255
                assert agreement(shown, layer.terrain >> byte & 255) > 0.95


def test_tiles_outvoted_by_their_neighbours_are_marked_as_these_say(monkeypatch):
    from knitground.core.knit import laidsets

    _, _, layer, picture = picture_of(SetKind.CORNER, 4)
    mockup = read(picture)
    columns = sheet_columns(len(mockup.tiles))
    real = laidsets.find_sets

    def damaged(tiles, places, progress):
        guesses = real(tiles, places, progress)
        rng = np.random.default_rng(1)
        for n in rng.permutation(len(guesses[0].marks))[:4]:
            guesses[0].marks[n, Slot.NE] = 3 - guesses[0].marks[n, Slot.NE]
        return guesses

    monkeypatch.setattr(laidsets, "find_sets", damaged)
    found = laidsets.laid_sets(mockup.tiles, mockup.tile_of_cell, columns)
    assert agreement(found[0].terrain, layer.terrain) > 0.99
    assert found[0].share > 0.97


def made_map(picture, *, sets=True):
    project = Project("p", None)
    mockup = read(picture)
    columns = sheet_columns(len(mockup.tiles))
    found = laid_sets(mockup.tiles, mockup.tile_of_cell, columns) if sets else []
    doc = Document(project)
    edit, map_, tileset = map_from_mockup(project, "pic", mockup, sets=found)
    doc.apply(edit)
    return doc, map_, tileset, found


@pytest.mark.parametrize("tall", [False, True])
def test_a_flat_picture_of_diamonds_is_ground_with_the_terrain_that_it_shows(demo, tall):
    """A staggered map of the yard's floor, as a picture; with walls on it some cells are pinned."""
    grid = Grid.of(GridKind.STAGGERED, 30, 16)
    size = grid.lattice(30, 16, 32, 64)
    shown = Map("Shown", size.rows, size.columns, 32, 64, grid=grid)
    floor = shown.new_ground_layer("Floor", "yard", "Floor")
    rng = np.random.default_rng(2)
    field = gaussian_filter(rng.normal(size=floor.terrain.shape), 2)
    there = standing_of(SetKind.CORNER).shown(shown.lattice)
    floor.terrain[:] = np.where(there, 1 + (field > 0), 0)
    shown.layers.append(floor)
    if tall:
        props = shown.new_tile_layer("Props")
        laid = np.zeros((30, 16), np.int32)
        laid[8:22:5, 3:14:4] = shown.legend.place(yard_tile("crate"))
        props.cells = shown.lattice.folded(laid)
        shown.layers.append(props)
    knit_map(demo, shown)
    picture = np.ascontiguousarray(map_picture(demo, shown)[size.rise :])
    mockup = read_mockup(picture, MapGrid(32, 64, diamonds=True), turns=False)
    found = mockup_sets(mockup)
    assert found[0].guess.kind is SetKind.CORNER
    project = Project("p", None)
    doc = Document(project)
    edit, map_, tileset = map_from_mockup(project, "pic", mockup, sets=found)
    doc.apply(edit)
    ground = map_.layers[0]
    assert isinstance(ground, GroundLayer)
    right = agreement(ground.terrain[there], floor.terrain[there])
    assert right > (0.97 if tall else 0.999)
    assert (ground.pinned.sum() > 0) == tall
    assert not ground.pinned[~size.exists].any()
    pinned = float(ground.pinned.sum()) / size.exists.sum()
    assert found[0].share == pytest.approx(1 - pinned, abs=0.001)
    doc.ensure_all(map_)
    assert (map_.lattice.unfolded(ground.cells) > 0).all()
    assert len(tileset.sets[0].terrains) >= 2


def test_the_map_looks_as_the_picture_and_paints_as_ground():
    _, _, _, picture = picture_of(SetKind.CORNER, 5)
    doc, map_, tileset, _ = made_map(picture)
    layer = map_.layers[0]
    assert isinstance(layer, GroundLayer)
    assert tileset.sets[0].kind is SetKind.CORNER
    table = layer_table(doc.project, map_, layer)
    knit = knit_box(table, layer, whole(layer.cells))
    assert (knit > 0).all()
    marks = tileset.sets[0].marks_within(tileset.rows, tileset.columns)
    shown, made = (
        np.array(
            [
                [marks[map_.legend.tiles[n].row, map_.legend.tiles[n].col] for n in row]
                for row in cells
            ]
        )
        for cells in (layer.cells, knit)
    )
    slots = [int(slot) for slot in SetKind.CORNER.slots]
    assert (shown[..., slots] == made[..., slots]).all()  # other variants at most
    layer.terrain[5:9, 5:9] = 1
    again = knit_box(table, layer, Box(4, 4, 9, 9))
    plain = marks[[map_.legend.tiles[n].row for n in again[1:4, 1:4].ravel()],
                  [map_.legend.tiles[n].col for n in again[1:4, 1:4].ravel()]]  # fmt: skip
    assert (plain[:, slots] == 1).all()
    doc.undo()
    assert doc.project.maps == []
    assert doc.project.tilesets == []


def test_what_does_not_follow_from_terrain_is_pinned_and_stays():
    _, _, _, picture = picture_of(SetKind.CORNER, 6)
    rng = np.random.default_rng(2)
    spots = [(3, 4), (10, 12), (20, 25)]
    for row, col in spots:  # things that stand on the ground
        picture[row * 16 + 3 : row * 16 + 13, col * 16 + 2 : col * 16 + 14] = rng.integers(
            0, 255, (10, 12, 4), np.uint8
        ) | np.array([0, 0, 0, 255], np.uint8)
    doc, map_, _, found = made_map(picture)
    layer = map_.layers[0]
    assert {(int(r), int(c)) for r, c in np.argwhere(layer.pinned)} >= set(spots)
    assert layer.pinned.sum() < 30
    rare = [map_.legend.tiles[n] for n in layer.cells[tuple(np.array(spots).T)]]
    owner = doc.project.tilesets[0]
    assert [owner.fact(each.row, each.col).weight for each in rare] == [0, 0, 0]  # never elsewhere
    assert found[0].share > 0.97
    knit_map(doc.project, map_)
    shown = map_picture(doc.project, map_)
    for row, col in spots:
        at = np.s_[row * 16 : row * 16 + 16, col * 16 : col * 16 + 16]
        assert (shown[at] == picture[at]).all()


def test_weights_follow_how_often_tiles_lie():
    _, _, _, picture = picture_of(SetKind.CORNER, 7)
    _, _, tileset, found = made_map(picture)
    mockup = read(picture)
    counts = np.bincount(mockup.tile_of_cell.ravel())
    first = found[0].guess
    weights = [tileset.fact(*at).weight for at in first.places]
    often = [int(counts[row * tileset.columns + col + 1]) for row, col in first.places]
    kept = [(w, n) for w, n in zip(weights, often) if w > 0]
    assert np.corrcoef(*zip(*kept))[0, 1] > 0.95


def test_a_picture_without_sets_becomes_a_layer_of_tiles():
    rng = np.random.default_rng(1)
    tiles = rng.integers(0, 256, (12, 16, 16, 4), np.uint8)
    tiles[..., 3] = 255
    cells = rng.integers(0, 12, (14, 14))
    picture = np.ascontiguousarray(tiles[cells].transpose(0, 2, 1, 3, 4)).reshape(224, 224, 4)
    assert find_map_grid(picture)[0].tile_width == 16
    _, map_, tileset, found = made_map(picture)
    assert found == []
    assert isinstance(map_.layers[0], TileLayer)
    assert tileset.sets == []
    assert laid_sets(np.zeros((0, 16, 16, 4), np.uint8), np.zeros((3, 3), np.int32), 1) == []


def test_two_sets_that_meet_on_the_map_become_one_with_their_terrain_in_common(monkeypatch):
    from knitground.core.knit import laidsets
    from knitground.core.knit.likelysets import SetGuess
    from knitground.core.model.terrain import NOTHING

    rng = np.random.default_rng(3)
    field = smooth_field(rng, (31, 37), 9) // 3 + 1  # 1 beside 2 beside 3
    corners = np.stack([field[:-1, :-1], field[:-1, 1:], field[1:, :-1], field[1:, 1:]], axis=2)
    kinds, numbers = np.unique(corners.reshape(-1, 4), axis=0, return_inverse=True)
    cells = numbers.reshape(30, 36).astype(np.int32) + 1
    marks = np.full((len(kinds), 9), NOTHING, np.uint8)
    marks[:, [int(slot) for slot in SetKind.CORNER.slots]] = kinds
    columns = sheet_columns(len(kinds))
    low = [n for n, each in enumerate(kinds) if 3 not in each]
    high = [n for n, each in enumerate(kinds) if 3 in each and 1 not in each]
    swapped = marks.copy()
    swapped[marks == 3] = 1

    def guess(which, own):
        places = [divmod(n, columns) for n in which]
        return SetGuess(SetKind.CORNER, places, own[which], 2, (places[0], places[-1]), 9, 0.9)

    monkeypatch.setattr(laidsets, "find_sets", lambda *_: [guess(low, marks), guess(high, swapped)])
    tiles = rng.integers(0, 256, (len(kinds), 8, 8, 4), np.uint8)
    found = laidsets.laid_sets(tiles, cells, columns)
    assert len(found) == 1
    assert found[0].guess.terrains == 3
    assert len(found[0].guess.plain) == 3
    assert len(found[0].guess.places) == len(low) + len(high)
    known = np.isin(cells, [n + 1 for n in (*low, *high)])
    inner = known[:-1, :-1] & known[1:, 1:] & known[:-1, 1:] & known[1:, :-1]
    assert agreement(found[0].terrain[1:-1, 1:-1][inner], field[1:-1, 1:-1][inner]) == 1


def test_little_that_follows_from_terrain_stays_a_layer_of_tiles(monkeypatch):
    from knitground.core.edit import mockup as edits

    _, _, _, picture = picture_of(SetKind.CORNER, 8)
    monkeypatch.setattr(edits, "KNITTED_FROM", 2.0)
    _, map_, tileset, _ = made_map(picture)
    assert isinstance(map_.layers[0], TileLayer)
    assert tileset.sets  # the sheet is marked all the same
