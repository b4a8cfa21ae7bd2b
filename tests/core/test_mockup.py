"""Maps from finished pictures: the grid, the tiles, how they are turned, what is close enough."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.ndimage import uniform_filter
from tests.maps import small_project, snapshot

from knitground.core.base.errors import EditError, SlicingError
from knitground.core.edit.mockup import map_from_mockup
from knitground.core.files.ship.png import map_picture
from knitground.core.model.patch import turn_tile
from knitground.core.model.tile import TileRef
from knitground.core.model.turns import turned_array as turned
from knitground.core.render.pixels import premultiplied, straight
from knitground.core.slicing.mapgrid import MapGrid, find_map_grid, packed
from knitground.core.slicing.mockup import lay_with, read_mockup, sheet_of


def art(rng, count, size):
    """Tiles of soft blobs in eight colours, all opaque and all different."""
    colours = rng.integers(0, 256, (8, 4), np.uint8)
    colours[:, 3] = 255
    field = uniform_filter(rng.random((count, *size)), (0, 3, 3))
    return colours[np.argsort(np.argsort(field.reshape(count, -1))) * 8 // field[0].size].reshape(
        count, *size, 4
    )


def laid(tiles, cells):
    """A picture of tiles (n, h, w, 4) as cells name them."""
    rows, cols = cells.shape
    out = tiles[cells].transpose(0, 2, 1, 3, 4)
    return np.ascontiguousarray(out).reshape(rows * tiles.shape[1], cols * tiles.shape[2], 4)


@pytest.mark.parametrize("size", [(16, 16), (8, 8), (24, 24), (16, 24), (32, 16), (20, 20)])
@pytest.mark.parametrize("seed", [0, 1])
def test_the_grid_of_a_mock_up_is_found_wherever_it_starts(size, seed):
    rng = np.random.default_rng(seed)
    tiles = art(rng, 20, size)
    cells = np.minimum(rng.geometric(0.12, (480 // size[0], 640 // size[1])) - 1, 19)
    off = (0, 0) if not seed else (size[0] // 3, size[1] - 1)
    found = find_map_grid(laid(tiles, cells)[off[0] :, off[1] :])[0]
    assert (found.tile_height, found.tile_width) == size
    assert (found.start_y, found.start_x) == (-off[0] % size[0], -off[1] % size[1])


def test_where_nothing_repeats_no_grid_is_offered():
    rng = np.random.default_rng(2)
    assert find_map_grid(rng.integers(0, 256, (200, 220, 4), np.uint8)) == []
    assert find_map_grid(np.full((64, 64, 4), 200, np.uint8)) == []
    assert find_map_grid(rng.integers(0, 256, (5, 7, 4), np.uint8)) == []


@given(st.integers(0, 2**31), st.booleans(), st.sampled_from([(6, 6), (4, 7)]))
def test_what_is_read_draws_the_picture_again(seed, turns, size):
    rng = np.random.default_rng(seed)
    tiles = rng.integers(0, 256, (5, *size, 4), np.uint8)
    tiles[..., 3] = 255
    tiles[0] = 0  # nothing there
    ways = [0] if not turns else list(range(8)) if size[0] == size[1] else [0, 2, 4, 6]
    cells = rng.integers(0, 5, (6, 7))
    picture = np.zeros((6 * size[0], 7 * size[1], 4), np.uint8)
    for row in range(6):
        for col in range(7):
            one = turned(premultiplied(tiles[cells[row, col]]), int(rng.choice(ways)))
            top, left = row * size[0], col * size[1]
            picture[top : top + size[0], left : left + size[1]] = straight(one)
    found = read_mockup(picture, MapGrid(*size), turns=turns)
    assert len(found.tiles) == len(set(np.unique(cells)) - {0})
    assert ((found.tile_of_cell == 0) == (cells == 0)).all()
    for row in range(6):
        for col in range(7):
            number, turn = found.tile_of_cell[row, col], int(found.turn_of_cell[row, col])
            part = picture[row * size[0] : (row + 1) * size[0], col * size[1] : (col + 1) * size[1]]
            if number:
                shown = straight(turned(premultiplied(found.tiles[number - 1]), turn))
                assert (shown == part).all()


@pytest.mark.parametrize("turns", [False, True])
def test_tiles_within_a_tolerance_are_one_and_those_beyond_are_not(turns):
    rng = np.random.default_rng(5)
    tiles = art(rng, 6, (8, 8)).astype(np.int16)
    cells = rng.integers(0, 6, (20, 20))
    way = 4 if turns else 0
    exact = laid(tiles.astype(np.uint8), cells)
    if turns:
        flipped = np.ascontiguousarray(tiles[2][:, ::-1]).astype(np.uint8)
        exact[0:8, 0:8], cells[0, 0] = flipped, 2
    noise = rng.integers(-3, 4, exact.shape)
    noise[..., 3] = 0
    picture = np.clip(exact.astype(np.int16) + noise, 0, 255).astype(np.uint8)
    loose = read_mockup(picture, MapGrid(8, 8), tolerance=6, turns=turns)
    assert len(loose.tiles) == 6
    for number in range(1, 7):
        assert len(np.unique(cells[loose.tile_of_cell == number])) == 1
    assert loose.turn_of_cell[0, 0] in ((0, way) if turns else (0,))
    strict = read_mockup(picture, MapGrid(8, 8), tolerance=0, turns=turns)
    assert len(strict.tiles) == 400


def test_a_mock_up_of_the_project_is_laid_with_its_tiles_again(tmp_path):
    doc, map_, ground, tiles = small_project((12, 14))
    rng = np.random.default_rng(6)
    ground.terrain[:] = 1 + (np.indices(ground.terrain.shape).sum(0) // 5 % 2)
    doc.knitter.ensure_all(map_)
    tiles.cells[:] = 0
    picture = map_picture(doc.project, map_)
    found = read_mockup(picture, MapGrid(8, 8))
    known = lay_with(found, doc.project.tilesets)
    assert set(known) == set(range(1, len(found.tiles) + 1))
    start = snapshot(doc.project)
    edit, made, sheet = map_from_mockup(doc.project, "Map", found, known)
    doc.apply(edit)
    assert sheet is None
    assert made.name == "Map 2"
    assert (map_picture(doc.project, made) == picture).all()
    assert doc.undo() == "Map “Map 2” from a picture"
    assert snapshot(doc.project) == start
    noisy = np.clip(picture.astype(int) + rng.integers(-2, 3, picture.shape), 0, 255)
    noisy[..., 3] = 255
    again = read_mockup(noisy.astype(np.uint8), MapGrid(8, 8), tolerance=4)
    near = lay_with(again, doc.project.tilesets, tolerance=4)
    assert len(near) == len(again.tiles)
    assert lay_with(again, doc.project.tilesets) == {}


def test_tiles_that_are_not_there_become_a_sheet_or_stay_empty():
    doc, _, _, _ = small_project()
    rng = np.random.default_rng(7)
    own = doc.project.tilesets[0].picture[0:8, 8:16]
    strange = rng.integers(0, 256, (3, 8, 8, 4), np.uint8)
    strange[..., 3] = 255
    cells = rng.integers(0, 4, (5, 6))
    picture = laid(np.concatenate([own[None], strange]), cells)
    found = read_mockup(picture, MapGrid(8, 8))
    known = lay_with(found, doc.project.tilesets)
    assert [each._replace(turn=0) for each in known.values()] == [TileRef("sheet", 0, 1)]
    edit, made, sheet = map_from_mockup(doc.project, "a/b", found, known)
    doc.apply(edit)
    assert sheet.count >= 3
    assert sheet.sheet == "a-b.png"
    assert (map_picture(doc.project, made) == picture).all()
    doc.undo()
    edit, made, sheet = map_from_mockup(doc.project, "m", found, known, rest=False)
    assert sheet is None
    assert ((made.layers[0].cells > 0) == (cells == 0)).all()
    with pytest.raises(EditError, match="nothing to lay"):
        map_from_mockup(doc.project, "m", found, {}, rest=False)


def test_turned_tiles_that_the_project_has_turned_already_add_up():
    doc, _, _, _ = small_project()
    tile = premultiplied(doc.project.tilesets[0].picture[0:8, 0:8])
    picture = np.concatenate([straight(turned(tile, way)) for way in (3, 5, 0, 6)], axis=1)
    found = read_mockup(picture, MapGrid(8, 8))
    assert len(found.tiles) == 1
    known = lay_with(found, doc.project.tilesets)
    edit, made, _ = map_from_mockup(doc.project, "m", found, known)
    doc.apply(edit)
    assert (map_picture(doc.project, made) == picture).all()
    laid_tiles = [made.legend.tile(int(n)) for n in made.layers[0].cells[0]]
    assert [each.turn for each in laid_tiles] == [3, 5, 0, 6]
    assert turn_tile(laid_tiles[0], 1).turn == 0


@pytest.mark.parametrize(
    ("grid", "tolerance", "words"),
    [
        (MapGrid(40, 8), 0, "no whole tile of 8 × 40 px fits into 32 × 32 px from 0, 0 on"),
        (MapGrid(8, 8, 30, 0), 0, "no whole tile of 8 × 8 px fits into 32 × 32 px from 0, 30 on"),
        (MapGrid(0, 8), 0, "can not be: give sizes from 1 px on"),
        (MapGrid(8, 8), 300, "with tolerance 300 can not be"),
    ],
)
def test_grids_that_can_not_be_say_why(grid, tolerance, words):
    with pytest.raises(SlicingError, match=words):
        read_mockup(np.zeros((32, 32, 4), np.uint8), grid, tolerance=tolerance)


def test_a_sheet_of_many_tiles_stays_within_bounds_and_see_through_counts_as_one():
    tiles = np.arange(40 * 4, dtype=np.uint8).reshape(40, 1, 1, 4)
    assert sheet_of(tiles).shape == (3, 16, 4)
    with pytest.raises(SlicingError, match="a sheet of 20480"):
        sheet_of(np.broadcast_to(np.zeros((1, 1, 1, 1), np.uint8), (400, 1024, 1024, 4)))
    picture = np.zeros((1, 2, 4), np.uint8)
    picture[0, 0, :3] = 90
    assert (packed(picture) == 0).all()
