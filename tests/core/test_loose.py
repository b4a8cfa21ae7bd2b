"""Loose pictures: found by outline, packed, standing on their anchors, reaching beyond cells."""

import json

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.maps import drawn, small_project, snapshot

from knitground.core.base.errors import EditError, FormatError, SlicingError
from knitground.core.base.window import Box, read, whole
from knitground.core.edit.frames import set_frames
from knitground.core.edit.reslice import use_relaid, use_slicing
from knitground.core.edit.sheets import add_tileset, set_anchor
from knitground.core.files.newsheets import loose_tileset
from knitground.core.files.opening import open_project
from knitground.core.files.saving import save_project
from knitground.core.files.ship.json import JSON
from knitground.core.files.ship.kinds import ShipJob
from knitground.core.files.ship.names import ship_names
from knitground.core.files.ship.png import map_picture
from knitground.core.model.slicing import Slicing
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Frame
from knitground.core.render.atlas import Atlas
from knitground.core.render.pixels import over, premultiplied, straight
from knitground.core.render.stack import needed
from knitground.core.render.tiles import overhang, tile_pixels
from knitground.core.slicing.facts import grid_facts
from knitground.core.slicing.follow import follow_pixels
from knitground.core.slicing.grid import each_tile, lay_grid
from knitground.core.slicing.pieces import find_pieces, foot, in_reading_order, pack
from knitground.core.slicing.relay import relay

PLAIN = Slicing(16, 16)


def blob(high, wide, seed=0):
    """An opaque picture whose corners are see-through, all pixels different from black."""
    rng = np.random.default_rng(seed)
    out = rng.integers(1, 255, (high, wide, 4), np.uint8)
    out[..., 3] = 255
    if high > 4 and wide > 4:
        out[0, 0] = out[-1, -1] = 0
    return out


def sheet_with(places, size=(80, 100)):
    sheet = np.zeros((*size, 4), np.uint8)
    for n, (left, top, wide, high) in enumerate(places):
        sheet[top : top + high, left : left + wide] = blob(high, wide, n)
    return sheet


PLACES = [(3, 4, 10, 20), (30, 6, 16, 16), (60, 2, 30, 24), (5, 40, 40, 30), (60, 44, 8, 8)]


def test_pieces_are_found_by_their_outline_in_reading_order():
    assert list(find_pieces(sheet_with(PLACES), PLAIN)) == PLACES
    inside = Slicing(16, 16, area=(28, 0, 72, 40))
    assert list(find_pieces(sheet_with(PLACES), inside)) == PLACES[1:3]


def test_an_opaque_sheet_has_its_ground_taken_away_and_a_picked_colour_counts():
    sheet = sheet_with(PLACES)
    clear = sheet[..., 3] == 0
    sheet[clear] = (255, 0, 255, 255)
    assert list(find_pieces(sheet, PLAIN)) == PLACES
    sheet[:3, 80:83] = (9, 9, 9, 255)
    named = Slicing(16, 16, see_through=((255, 0, 255),))
    assert len(find_pieces(sheet, named, 0)) == len(PLACES)
    sheet[70:73, 80:83] = (9, 9, 9, 255)
    assert (80, 70, 3, 3) in find_pieces(sheet, named, 0)


@pytest.mark.parametrize(("gap", "count"), [(0, 3), (1, 3), (2, 2), (5, 1)])
def test_a_gap_joins_what_lies_near(gap, count):
    sheet = sheet_with([(0, 0, 6, 6), (8, 0, 6, 6), (19, 0, 6, 6)], (10, 30))
    sheet[..., 3] = np.where(sheet[..., :3].any(axis=-1), 255, 0)
    sheet[0:6, 0:6] = sheet[0:6, 8:14] = sheet[0:6, 19:25] = (200, 10, 10, 255)
    found = find_pieces(sheet, PLAIN, gap)
    assert len(found) == count
    assert sum(wide for _, _, wide, _ in found) >= 18


def test_dust_is_left_out_and_a_piece_inside_the_box_of_another_is_hit_first():
    sheet = sheet_with([(10, 10, 40, 40)], (60, 60))
    sheet[2, 2] = 255
    sheet[15:45, 15:45] = 0
    sheet[25:33, 25:33] = (1, 2, 3, 255)
    found = find_pieces(sheet, PLAIN, 0)
    assert len(found) == 2
    cut = Slicing(16, 16, pieces=found)
    assert cut.tile_area(*cut.tile_at(28, 28)) == (25, 25, 8, 8)
    assert cut.tile_area(*cut.tile_at(11, 30)) == (10, 10, 40, 40)
    assert cut.tile_at(1, 1) is None


@given(st.lists(st.tuples(st.integers(1, 40), st.integers(1, 40)), min_size=1, max_size=25))
def test_packed_pictures_lie_apart_and_are_found_again(sizes):
    pictures = [np.full((*size, 4), 255, np.uint8) for size in sizes]
    sheet, places = pack(pictures, 2)
    taken = np.zeros(sheet.shape[:2], np.int32)
    for left, top, wide, high in places:
        taken[max(0, top - 1) : top + high + 1, max(0, left - 1) : left + wide + 1] += 1
    assert taken.max() <= 2  # a pixel between two belongs to both rims at most
    assert [(high, wide) for _, _, wide, high in places] == sizes
    found = find_pieces(sheet, PLAIN, 0, 1)
    assert found == tuple(in_reading_order(places))


def test_too_many_or_too_large_is_refused_with_the_cure():
    with pytest.raises(SlicingError, match="take fewer"):
        pack([np.zeros((9000, 9000, 4), np.uint8)] * 4)
    with pytest.raises(SlicingError, match="0 pictures"):
        pack([])
    dots = np.zeros((600, 600, 4), np.uint8)
    dots[::4, ::4] = dots[::4, 1::4] = 255
    with pytest.raises(SlicingError, match="larger gap"):
        find_pieces(dots, PLAIN, 0)
    with pytest.raises(SlicingError, match="piece 0"):
        lay_grid(Slicing(16, 16, pieces=((90, 0, 20, 5),)), 100, 100)


def test_pieces_and_tiles_follow_one_another_by_their_pixels():
    pieces = Slicing(16, 16, pieces=((0, 0, 16, 16), (20, 0, 30, 30), (64, 64, 4, 4)))
    back = follow_pixels(pieces, Slicing(16, 16), 6, 6)
    assert back((0, 0)) == (0, 0)
    assert back((0, 1)) is None
    there = follow_pixels(Slicing(16, 16), pieces, 1, 3)
    assert there((0, 0)) == (0, 0)
    assert there((4, 4)) is None
    moved = follow_pixels(pieces, Slicing(16, 16, pieces=((22, 1, 28, 29), (0, 2, 16, 14))), 1, 2)
    assert [moved((0, n)) for n in range(3)] == [(0, 1), (0, 0), None]


def loose_project(wrap=False):
    """The small project with a loose tileset: a tall tree, a wide heap and a small stone."""
    doc, map_, _ground, tiles = small_project(wrap=wrap)
    pictures = [("tree", blob(29, 14, 1)), ("heap", blob(10, 27, 2)), ("stone", blob(5, 6, 3))]
    made = loose_tileset("props", pictures, (8, 8))
    doc.apply(add_tileset(doc.project, made))
    return doc, map_, tiles, made


def drawn_by_hand(doc, map_, layers, box):
    """What a map shows, pixel by pixel: every picture of every layer laid in turn, oracle.

    A map that wraps is laid nine times, and the middle one is looked at.
    """
    high, wide = map_.lattice.cell_size
    times = 3 if map_.wrap else 1
    out = np.zeros((times * map_.height * high, times * map_.width * wide), np.uint32)
    for layer in layers:
        cells = np.tile(doc.cells(map_, layer, whole(layer.cells)), (times, times))
        for big in (False, True):
            for row, col in np.argwhere(cells > 0):
                tile = map_.legend.tile(int(cells[row, col]))
                owner = doc.project.tileset_named(tile.tileset)
                if (owner.name == "props" and tile.col != 2) != big:
                    continue
                picture = tile_pixels(owner, tile)
                down, across = overhang(owner, tile, map_.lattice)
                for y in range(picture.shape[0]):
                    for x in range(picture.shape[1]):
                        r, c = row * high + down + y, col * wide + across + x
                        if 0 <= r < out.shape[0] and 0 <= c < out.shape[1]:
                            out[r, c] = over(picture[y, x : x + 1], out[r, c : c + 1])[0]
    first = (times // 2) * map_.height * high, (times // 2) * map_.width * wide
    part = out[first[0] :, first[1] :]
    return part[box.top * high : box.bottom * high, box.left * wide : box.right * wide]


@pytest.mark.parametrize("wrap", [False, True])
@pytest.mark.parametrize("box", [Box(0, 0, 8, 10), Box(2, 3, 5, 7), Box(0, 0, 1, 1)])
def test_pictures_reach_beyond_their_cells_and_any_part_shows_what_the_whole_does(wrap, box):
    doc, map_, layer, _ = loose_project(wrap)
    for row, col, piece in ((0, 0, 0), (2, 4, 1), (3, 4, 0), (7, 9, 0), (4, 4, 2), (5, 0, 1)):
        layer.cells[row, col] = map_.legend.place(TileRef("props", 0, piece))
    atlas = Atlas(doc.project, map_)
    assert (atlas.reach.up, atlas.reach.right) == (21, 10)
    found = drawn(map_, atlas, box, cells_of=lambda each, part: doc.cells(map_, each, part))
    assert (found == drawn_by_hand(doc, map_, map_.layers, box)).all()


def test_the_shipped_picture_and_the_json_draw_the_same(tmp_path):
    doc, map_, layer, _props = loose_project()
    for row, col, piece in ((3, 2, 0), (6, 5, 1), (7, 7, 2)):
        layer.cells[row, col] = map_.legend.place(TileRef("props", 0, piece))
    doc.knitter.ensure_all(map_)
    picture = map_picture(doc.project, map_)
    files = JSON.files(ShipJob(doc.project, ship_names(doc.project, [map_])), map_, JSON.chosen())
    shipped = json.loads(next(data for path, data in files.items() if path.endswith(".json")))
    sheets = {each.name: each.picture for each in doc.project.tilesets}
    out = np.zeros((map_.height * 8, map_.width * 8), np.uint32)
    for each in shipped["layers"]:
        for row, line in enumerate(each["cells"]):
            for col, place in enumerate(line):
                if place:
                    t = shipped["legend"][place - 1]
                    sheet = sheets[shipped["tilesets"][t["tileset"]]["name"]]
                    part = sheet[t["y"] : t["y"] + t["height"], t["x"] : t["x"] + t["width"]]
                    y, x = row * 8 + t["offset_y"], col * 8 + t["offset_x"]
                    tall, wide = part.shape[:2]
                    view = out[y : y + tall, x : x + wide]
                    view[:] = over(premultiplied(part)[: view.shape[0], : view.shape[1]], view)
    assert (straight(out) == picture).all()


def test_an_anchor_moves_the_picture_and_a_mirrored_tile_mirrors_it():
    doc, map_, _, props = loose_project()
    assert overhang(props, TileRef("props", 0, 0), map_.lattice) == (8 - 29, 4 - 7)
    doc.apply(set_anchor(props, 0, 0, (2, 20)))
    assert overhang(props, TileRef("props", 0, 0), map_.lattice) == (8 - 20, 4 - 2)
    assert overhang(props, TileRef("props", 0, 0, 4), map_.lattice) == (8 - 20, 4 - 12)
    doc.apply(set_anchor(props, 0, 0, None))
    assert overhang(props, TileRef("props", 0, 0), map_.lattice) == (8 - 29, 0)
    doc.undo()
    assert props.fact(0, 0).anchor == (2, 20)
    with pytest.raises(EditError, match="no tile"):
        doc.apply(set_anchor(props, 0, 9, (0, 0)))


def test_a_sheet_cut_into_pieces_keeps_its_facts_and_undo_brings_the_grid_back():
    doc, map_, _ground, tiles = small_project()
    sheet = doc.project.tilesets[0]
    before = snapshot(doc.project)
    tiles.cells[1, 1] = map_.legend.place(TileRef("sheet", 0, 1))
    trial = Slicing(8, 8, pieces=((8, 0, 8, 8), (0, 0, 8, 8), (16, 8, 8, 8)))
    edit, losses = use_slicing(doc.project, sheet, trial)
    assert losses.marks > 0
    doc.apply(edit)
    assert map_.legend.tile(int(tiles.cells[1, 1])) == TileRef("sheet", 0, 0)
    assert sheet.fact(0, 2).anchor == foot((16, 8, 8, 8))
    assert (sheet.rows, sheet.columns, sheet.count) == (1, 3, 3)
    doc.undo()
    tiles.cells[1, 1] = 0
    assert snapshot(doc.project) == before


def test_loose_tilesets_are_saved_and_hostile_pieces_refused(tmp_path):
    doc, _map, _layer, props = loose_project()
    doc.apply(set_frames(props, 0, 0, (Frame(0, 0, 100), Frame(0, 2, 50))))
    save_project(doc.project, tmp_path / "p")
    again = open_project(tmp_path / "p").project.tileset_named("props")
    assert again.slicing == props.slicing
    assert again.facts == props.facts  # fmt: skip
    assert (again.picture == props.picture).all()
    file = next((tmp_path / "p").glob("props*.tiles.json"))
    data = json.loads(file.read_text())
    data["slicing"]["pieces"][0] = [60_000, 0, 5, 5]
    file.write_text(json.dumps(data))
    with pytest.raises(FormatError, match=r"60000|16384"):
        open_project(tmp_path / "p")
    data["slicing"]["pieces"][0] = [9000, 0, 5, 5]
    file.write_text(json.dumps(data))
    with pytest.raises(FormatError, match="outside the sheet"):
        open_project(tmp_path / "p")


def test_pieces_are_packed_anew_with_their_borders_extruded():
    _, _, _, props = loose_project()
    grid = lay_grid(props.slicing, props.width, props.height)
    sheet, slicing = relay(props.picture, grid, margin=0, spacing=6, columns=1, extrude=2)
    again = each_tile(sheet, lay_grid(slicing, sheet.shape[1], sheet.shape[0]))
    for old, new in zip(each_tile(props.picture, grid), again):
        assert (old == new).all()
    left, top, wide, _ = slicing.pieces[0]
    assert (sheet[top - 2, left : left + wide] == sheet[top, left : left + wide]).all()
    doc, map_, layer, props = loose_project()
    layer.cells[0, 0] = map_.legend.place(TileRef("props", 0, 1))
    doc.apply(use_relaid(doc.project, props, sheet, slicing, "new.png"))
    assert map_.legend.tile(int(layer.cells[0, 0])) == TileRef("props", 0, 1)
    with pytest.raises(SlicingError, match="at least 8"):
        relay(props.picture, lay_grid(slicing, props.width, props.height),
              margin=0, spacing=3, columns=1, extrude=4)  # fmt: skip


def test_twin_pieces_are_told():
    sheet = sheet_with(PLACES)
    sheet[70:78, 80:88] = sheet[44:52, 60:68]
    cut = Slicing(16, 16, pieces=find_pieces(sheet, PLAIN))
    facts = grid_facts(sheet, lay_grid(cut, 100, 80))
    assert int(facts.doubles.sum()) == 1
    assert not facts.empty.any()


def test_an_animation_shows_each_frame_for_its_time():
    doc, map_, _layer, props = loose_project()
    doc.apply(set_frames(props, 0, 0, (Frame(0, 0, 100), Frame(0, 2, 50), Frame(0, 1, 10))))
    place = map_.legend.place(TileRef("props", 0, 0))
    atlas = Atlas(doc.project, map_)
    assert atlas.moving
    stone = tile_pixels(props, TileRef("props", 0, 2))
    tree = tile_pixels(props, TileRef("props", 0, 0))
    assert not atlas.show_time(99)
    assert (atlas.picture(place) == tree).all()
    assert atlas.show_time(100)
    assert atlas.picture(place).shape == (8, 8)
    assert (atlas.picture(place)[-5:, 1:7] == stone).all()
    assert atlas.show_time(155)
    assert atlas.picture(place).shape == (10, 27)
    assert atlas.show_time(160)
    assert (atlas.picture(place) == tree).all()
    with pytest.raises(EditError, match="ms"):
        doc.apply(set_frames(props, 0, 0, (Frame(0, 0, 0),)))


def test_cells_over_the_border_are_read_for_what_reaches_in():
    doc, map_, layer, _ = loose_project(wrap=True)
    atlas = Atlas(doc.project, map_)
    layer.cells[0, 0] = map_.legend.place(TileRef("props", 0, 0))
    wide = needed(map_, atlas, layer, map_.lattice.bounds(Box(7, 0, 8, 2)), 0)
    assert (wide.top, wide.bottom) == (7, 8 + 3)  # 21 px above its cell: three rows of 8 px
    assert read(layer.cells, wide)[1, -wide.left] > 0
