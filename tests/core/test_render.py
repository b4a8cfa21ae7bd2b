import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.maps import composed, small_project

from knitground.core.edit.frames import set_frames
from knitground.core.edit.sheets import set_anchor
from knitground.core.model.slicing import Slicing
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Frame, Tileset
from knitground.core.model.turns import turned_array as turned
from knitground.core.render.atlas import Atlas
from knitground.core.render.compose import lay_out
from knitground.core.render.pages import LevelPictures, Looks
from knitground.core.render.pixels import over, premultiplied, shrunk, straight
from knitground.core.render.tiles import filled_tiles, is_empty


@given(st.integers(0, 2**31))
@settings(max_examples=20, deadline=None)
def test_blending_is_exact_to_the_bit(seed):
    rng = np.random.default_rng(seed)
    top, low = (premultiplied(rng.integers(0, 256, (8, 8, 4), np.uint8)) for _ in "ab")
    found = over(top, low)
    rest = 255 - (top >> 24).astype(np.float64)
    for shift in (0, 8, 16, 24):
        a, b = ((p >> shift & 255).astype(np.float64) for p in (top, low))
        assert (found >> shift & 255 == np.minimum(a + np.floor(b * rest / 255 + 0.5), 255)).all()


def test_opaque_pixels_come_back_as_they_were():
    rgba = np.random.default_rng(1).integers(0, 256, (5, 7, 4), np.uint8)
    rgba[..., 3] = 255
    assert (straight(premultiplied(rgba)) == rgba).all()
    rgba[..., 3] = 0
    assert (straight(premultiplied(rgba)) == 0).all()


def test_turns_are_all_eight_and_different():
    tile = np.arange(9, dtype=np.uint32).reshape(3, 3)
    turns = [turned(tile, turn).tolist() for turn in range(8)]
    assert len({str(each) for each in turns}) == 8
    assert turns[1][0] == [6, 3, 0]  # a quarter clockwise: the left column comes to the top
    assert turns[4][0] == [2, 1, 0]


@pytest.mark.parametrize("size", [(16, 16), (24, 16), (5, 7), (1, 1)])
def test_shrinking_keeps_the_mean(size):
    tiles = np.full((3, *size), 0xFF408020, np.uint32)
    small = shrunk(tiles, max(1, size[0] // 2), max(1, size[1] // 2))
    assert (small == 0xFF408020).all()


def test_composing_is_laying_tile_on_tile():
    rng = np.random.default_rng(2)
    tiles = premultiplied(rng.integers(0, 256, (6, 4, 3, 4), np.uint8))
    tiles[0] = 0
    stack = [rng.integers(0, 5, (5, 6)).astype(np.int32) for _ in range(3)]
    found = composed(LevelPictures(tiles, Looks.of(tiles)), stack)
    for row in range(5):
        for col in range(6):
            pixel = tiles[stack[0][row, col]]
            for cells in stack[1:]:
                if cells[row, col]:
                    pixel = over(tiles[cells[row, col]], pixel)
            assert (found[row * 4 : row * 4 + 4, col * 3 : col * 3 + 3] == pixel).all()


def test_gaps_and_cells_beyond_the_atlas_show_the_last_picture():
    tiles = np.arange(4 * 4, dtype=np.uint32).reshape(4, 2, 2)
    shown = lay_out(tiles, np.array([[-1, 99, 1]], np.int32))
    assert (shown[:, :2] == tiles[3]).all()
    assert (shown[:, 2:4] == tiles[3]).all()


def test_the_atlas_grows_with_the_legend_and_has_every_level():
    doc, map_, _ground, _ = small_project()
    atlas = Atlas(doc.project, map_)
    assert len(atlas.pictures()) == 2
    assert [atlas.lattice(n).cell_size for n in range(map_.lattice.level_count)] == [
        (8, 8),
        (4, 4),
        (2, 2),
        (1, 1),
    ]
    place = map_.legend.place(TileRef("sheet", 1, 2))
    tile = doc.project.tilesets[0].picture[8:16, 16:24]
    assert (straight(atlas.pictures()[place]) == tile).all()
    assert atlas.pictures(3).shape == (len(map_.legend) + 1, 1, 1)


def test_missing_sheets_and_tiles_are_hatched_not_blank():
    doc, map_, _, _ = small_project()
    places = [map_.legend.place(TileRef(*at)) for at in (("sheet", 999, 0), ("gone", 0, 0))]
    atlas = Atlas(doc.project, map_)
    for place in places:
        assert len(np.unique(atlas.pictures()[place])) == 2
    doc.project.tilesets[0].picture = None
    there = map_.legend.place(TileRef("sheet", 0, 0))
    atlas.refresh()
    assert (atlas.pictures()[there] == atlas.pictures()[places[0]]).all()


def test_tiles_of_another_size_stand_at_the_lower_left_and_are_not_cut():
    doc, map_, _, _ = small_project()
    map_.cell_height, map_.cell_width = 12, 6
    place = map_.legend.place(TileRef("sheet", 0, 0))
    atlas = Atlas(doc.project, map_)
    big = atlas.at().big[place]
    assert (big.down, big.across) == (4, 0)
    assert (straight(big.pixels) == doc.project.tilesets[0].picture[:8, :8]).all()
    assert atlas.reach.right == 2


@pytest.mark.parametrize("columns", [4, 60])
def test_filled_tiles_are_found_at_once_as_one_by_one(columns):
    rng = np.random.default_rng(9)
    picture = np.zeros((columns * 6 + 2, columns * 6 + 2, 4), np.uint8)
    for row, col in rng.integers(0, columns, (columns * 4, 2)):
        picture[3 + row * 6, 4 + col * 6] = (9, 9, 9, 200)
    tileset = Tileset("s", "s.png", *picture.shape[:2], Slicing(4, 4, 2, 2, 2, 2), picture=picture)
    found = filled_tiles(tileset)
    assert found.shape == (tileset.rows, tileset.columns)
    for row in range(tileset.rows):
        for col in range(tileset.columns):
            assert found[row, col] == (not is_empty(tileset, row, col))
    assert found.any()
    assert not found.all()


@given(st.data())
def test_an_atlas_that_grew_and_was_refreshed_is_the_same_as_a_new_one(data):
    doc, map_, _, _ = small_project()
    sheet = doc.project.tilesets[0]
    atlas = Atlas(doc.project, map_)
    some = st.builds(
        TileRef, st.just("sheet"), st.integers(0, sheet.rows), st.integers(0, sheet.columns - 1),
        st.integers(0, 7),
    )  # fmt: skip
    for _ in range(data.draw(st.integers(1, 6))):
        for tile in data.draw(st.lists(some, max_size=5)):
            map_.legend.place(tile)
        at = (data.draw(st.integers(0, sheet.rows - 1)), data.draw(st.integers(0, 2)))
        edit = data.draw(st.sampled_from((
            set_anchor(sheet, *at, (data.draw(st.integers(0, 9)), 3)), set_anchor(sheet, *at, None),
            set_frames(sheet, *at, (Frame(0, 1, 50), Frame(0, 0, 50))), set_frames(sheet, *at, ()),
        )))  # fmt: skip
        doc.apply(edit)
        for atom in edit.atoms:
            atlas.refresh(sheet, atom.changed.tiles)
        atlas.show_time(data.draw(st.integers(0, 99)))
        cells = np.array([data.draw(st.lists(st.integers(-1, len(map_.legend)), min_size=1))])
        level = data.draw(st.integers(0, map_.lattice.level_count - 1))
        fresh = Atlas(doc.project, map_)
        fresh.show_time(atlas._now)
        mine, new = atlas.at(level, [cells]), fresh.at(level)
        assert mine.tiles.shape == new.tiles.shape
        shown = np.minimum(cells, len(new.tiles) - 1)
        assert (mine.tiles[shown] == new.tiles[shown]).all()
        assert atlas.reach == fresh.reach
        assert mine.big.keys() == new.big.keys()
        for place, big in new.big.items():
            assert (mine.big[place].pixels == big.pixels).all()
            assert (mine.big[place].down, mine.big[place].across) == (big.down, big.across)


def test_pictures_are_drawn_a_few_at_a_time():
    doc, map_, _, _ = small_project()
    places = [map_.legend.place(TileRef("sheet", 0, n)) for n in range(3)]
    atlas = Atlas(doc.project, map_)
    cells = [np.array([places], np.int32)]
    turns = [atlas.fill(1, cells, most=1) for _ in places]
    assert turns == [False, False, True]
    assert atlas.at(1, cells).tiles[places].any(axis=(1, 2)).all()
