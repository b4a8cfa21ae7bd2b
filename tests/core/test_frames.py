"""Animations: frames of other sheets and of files, cells out of step, and following their tiles."""

import json

import numpy as np
import pytest

from knitground.core.base.errors import EditError
from knitground.core.base.window import Box
from knitground.core.edit import frames as edits
from knitground.core.edit.document import Document
from knitground.core.edit.reslice import use_slicing
from knitground.core.edit.sheets import remove_tileset
from knitground.core.files.opening import open_project
from knitground.core.files.saving import save_project
from knitground.core.files.ship.ship import ship
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.slicing import Slicing
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Frame, Tileset
from knitground.core.render.atlas import Atlas
from knitground.core.render.pages import beginnings
from knitground.core.render.stack import draw_planes, stack_of

SIDE = 4


def coloured(name, rows, cols, first):
    """A sheet whose tiles are of one red each: `first`, `first` + 1 …"""
    reds = first + np.arange(rows * cols).reshape(rows, cols)
    picture = np.full((rows * SIDE, cols * SIDE, 4), 255, np.uint8)
    picture[..., 0] = reds.repeat(SIDE, 0).repeat(SIDE, 1)
    high, wide = picture.shape[:2]
    return Tileset(name, f"{name}.png", wide, high, Slicing(SIDE, SIDE), picture=picture)


@pytest.fixture
def doc():
    sheets = [coloured("a", 2, 4, 10), coloured("b", 2, 4, 50), coloured("c", 2, 4, 90)]
    project = Project("P", tilesets=sheets)
    map_ = Map("Yard", 6, 8, SIDE, SIDE)
    layer = map_.new_tile_layer("t")
    map_.layers.append(layer)
    project.maps = [map_]
    layer.cells[:] = map_.legend.place(TileRef("a", 0, 0))
    return Document(project)


def reds(atlas, map_, box=None):
    box = box or Box(0, 0, map_.height, map_.width)
    planes, margin = stack_of(
        map_, atlas, box, 0, lambda layer, b: layer.cells[b.top : b.bottom, b.left : b.right]
    )
    return draw_planes(atlas, 0, planes, margin)[::SIDE, ::SIDE] >> 16 & 255


def test_tiles_move_through_the_same_tiles_of_other_sheets(doc):
    project, (a, b, c) = doc.project, doc.project.tilesets
    assert edits.next_sheets(project, a, 5) == ["b", "c"]
    every = [(0, n) for n in range(4)]
    doc.apply(edits.move_through_sheets(project, a, every, ["b", "c"], 100))
    assert a.fact(0, 2).frames == (Frame(0, 2, 100), Frame(0, 2, 100, "b"), Frame(0, 2, 100, "c"))
    atlas = Atlas(project, project.maps[0])
    seen = []
    for ms in (0, 100, 200, 300):
        atlas.show_time(ms)
        seen.append(set(reds(atlas, project.maps[0]).ravel().tolist()))
    assert seen == [{10}, {50}, {90}, {10}]
    b.slicing = Slicing(2, 2)
    for names, words in ((["x"], "no sheet “x”"), ([], "no other sheet"), (["b"], "slice them al")):
        with pytest.raises(EditError, match=words):
            edits.move_through_sheets(project, a, every, names, 100)
    c.height = SIDE
    with pytest.raises(EditError, match="“c” has no tile in row 1"):
        edits.move_through_sheets(project, a, [(1, 0)], ["c"], 100)


def test_frames_of_other_sheets_follow_them_and_keep_them_in_the_project(doc, tmp_path):
    project, (a, b, _) = doc.project, doc.project.tilesets
    doc.apply(edits.give_frames(project, a, [(0, 0), (0, 1)], [(1, 2), (1, 3)], "b", 80))
    assert a.fact(0, 1).frames == (Frame(0, 1, 80), Frame(1, 3, 80, "b"))
    with pytest.raises(EditError, match="“a” move through “b”"):
        remove_tileset(project, b)
    save_project(project, tmp_path)
    again = open_project(tmp_path).project
    assert again.tilesets[0].facts == a.facts
    edit, _ = use_slicing(project, b, Slicing(SIDE, SIDE, start_y=SIDE))
    doc.apply(edit)
    assert a.fact(0, 1).frames[1] == Frame(0, 3, 80, "b")
    doc.undo()
    assert a.fact(0, 1).frames[1] == Frame(1, 3, 80, "b")
    with pytest.raises(EditError, match="another shape"):
        edits.give_frames(project, a, [(0, 0), (0, 1)], [(0, 0), (1, 0)], "b", 80)


def test_shipped_frames_name_their_sheets_which_come_along(doc, tmp_path):
    project, (a, _, _) = doc.project, doc.project.tilesets
    doc.apply(edits.move_through_sheets(project, a, [(0, 0)], ["c"], 70))
    doc.apply(edits.set_apart(a, [(0, 0)], True))
    files = ship(project, project.maps, tmp_path, ["json"]).files
    assert [each.name for each in files] == ["a.tiles.png", "c.tiles.png", "yard.json"]
    told = json.loads((tmp_path / "yard.json").read_text())
    assert [each["picture"] for each in told["tilesets"]] == ["a.tiles.png", "c.tiles.png"]
    frames = told["legend"][0]["frames"]
    assert [(f["tileset"], f["x"], f["ms"]) for f in frames] == [(0, 0, 70), (1, 0, 70)]
    assert told["legend"][0]["apart"] is True


def test_pictures_of_files_become_frames_with_their_sheets_in_one_step(doc):
    project, (a, *_) = doc.project, doc.project.tilesets
    whole = [coloured("w", 2, 4, 130), coloured("w", 2, 4, 160)]
    doc.apply(edits.frames_of_files(project, a, [(0, 0), (1, 3)], whole, 60))
    names = [each.name for each in project.tilesets]
    assert names == ["a", "b", "c", "w", "w 2"]
    assert len({each.sheet for each in project.tilesets}) == 5
    assert a.fact(1, 3).frames == (Frame(1, 3, 60), Frame(1, 3, 60, "w"), Frame(1, 3, 60, "w 2"))
    doc.undo()
    assert len(project.tilesets) == 3
    assert not a.facts
    doc.apply(edits.frames_of_files(project, a, [(0, 1)], [coloured("f", 1, 1, 9)], 60))
    assert a.fact(0, 1).frames == (Frame(0, 1, 60), Frame(0, 0, 60, "f"))
    with pytest.raises(EditError, match="choose one tile"):
        edits.frames_of_files(project, a, [(0, 1), (0, 2)], [coloured("f", 1, 1, 9)], 60)
    with pytest.raises(EditError, match=r"odd.png has 8 × 4 px: a frame is as large as a tile"):
        edits.frames_of_files(project, a, [(0, 1)], [coloured("odd", 1, 2, 9)], 60)
    with pytest.raises(EditError, match="0 ms"):
        edits.frames_of_files(project, a, [(0, 1)], [coloured("f", 1, 1, 9)], 0)


def test_cells_out_of_step_show_the_frame_of_their_number_at_each_time(doc):
    project, map_ = doc.project, doc.project.maps[0]
    a = project.tilesets[0]
    frames = tuple(Frame(0, n, ms) for n, ms in enumerate((100, 50, 70, 30)))
    doc.apply(edits.set_frames(a, 0, 0, frames))
    doc.apply(edits.set_apart(a, [(0, 0)], True))
    layer = map_.layers[0]
    layer.cells[2, 3] = -1
    layer.cells[3, 3] = 0
    atlas = Atlas(project, map_)
    rows, cols = np.indices((6, 8))
    first = beginnings(rows.ravel(), cols.ravel()).reshape(6, 8) % 4
    ends = np.cumsum([each.ms for each in frames])
    passed = np.array([0, 100, 150, 220])
    for ms in (0, 60, 99, 100, 160, 245, 1000):
        atlas.show_time(ms)
        wanted = 10 + np.searchsorted(ends, (ms + passed[first]) % 250, side="right")
        shown = reds(atlas, map_)
        wanted[2, 3], wanted[3, 3] = shown[2, 3], 0
        assert (shown == wanted).all()
        assert (reds(atlas, map_, Box(1, 2, 5, 7)) == wanted[1:5, 2:7]).all()
    assert set(np.unique(first)) == {0, 1, 2, 3}
    # The legend grows, and the picture of another tile is read again: all goes on as before.
    layer.cells[0, 0] = map_.legend.place(TileRef("b", 1, 1))
    assert reds(atlas, map_)[0, 0] == 55
    assert (reds(atlas, map_)[1:2] == wanted[1:2]).all()
    atlas.refresh(a, {(0, 0)})
    atlas.show_time(1000)
    assert (reds(atlas, map_)[1:2] == wanted[1:2]).all()
    doc.apply(edits.set_apart(a, [(0, 0)], False))
    atlas.refresh(a, {(0, 0)})
    atlas.show_time(0)
    assert set(reds(atlas, map_)[1].tolist()) == {10}
    assert (layer.cells[1] == 1).all()  # what is shown never is what is laid


def test_single_frames_are_put_where_they_are_wanted(doc):
    project, a = doc.project, doc.project.tilesets[0]
    doc.apply(edits.add_frames(project, a, (0, 0), [Frame(0, 1, 40)]))
    assert a.fact(0, 0).frames == (Frame(0, 0, 40), Frame(0, 1, 40))
    doc.apply(edits.add_frames(project, a, (0, 0), [Frame(1, 1, 40, "c")], 1))
    assert a.fact(0, 0).frames[1] == Frame(1, 1, 40, "c")
    for frames, words in (
        ((Frame(0, 9, 40),), "“a” has no tile in row 0, column 9"),
        ((Frame(0, 9, 40, "c"),), "“c” has no tile"),
        ((Frame(0, 0, 40, "gone"),), "no sheet “gone”"),
        ((Frame(0, 0, 700_000),), "700000 ms is out"),
        ((Frame(0, 0, 40),) * 4097, "4097 frames are too many"),
    ):
        with pytest.raises(EditError, match=words):
            edits.set_frames(a, 0, 0, frames, project)


def test_tiles_that_come_while_cells_are_asked_for_widen_the_margin(doc):
    """Knitting may lay a tile that reaches further than any before, just when its part is drawn."""
    map_, tower = doc.project.maps[0], Tileset(
        "tower", "tower.png", SIDE, 3 * SIDE, Slicing(SIDE, 3 * SIDE),
        picture=np.full((3 * SIDE, SIDE, 4), 255, np.uint8),
    )  # fmt: skip
    doc.project.tilesets.append(tower)
    atlas = Atlas(doc.project, map_)
    layer = map_.layers[0]

    def knitted(each, b):
        layer.cells[3, 5] = map_.legend.place(TileRef("tower", 0, 0))
        return each.cells[b.top : b.bottom, b.left : b.right]

    box = Box(1, 5, 2, 6)  # two above the tower's foot: its tip shows there
    planes, margin = stack_of(map_, atlas, box, 0, knitted)
    assert margin == (0, 0, 2, 0)
    assert planes[0].cells.shape == (3, 1)
    assert (draw_planes(atlas, 0, planes, margin) == 0xFFFFFFFF).all()
