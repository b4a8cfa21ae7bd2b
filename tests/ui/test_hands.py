"""Taking in hand and laying: tray, search, orders, brushes, fills, held keys, two views."""

from collections import Counter
from itertools import pairwise

import numpy as np
import pytest
from PySide6.QtCore import QMimeData, QPointF, Qt
from PySide6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent, QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QInputDialog, QPushButton
from tests.maps import small_project, snapshot
from tests.ui.conftest import RIGHT, click, drag, move, pixels, props_view, settle

from knitground.core.base.errors import EditError, FormatError
from knitground.core.base.window import Box
from knitground.core.edit.desk import PICK_FROM
from knitground.core.edit.hand import MarkerInHand, PatchInHand, TerrainInHand, TileInHand
from knitground.core.edit.reslice import use_slicing
from knitground.core.edit.sheets import move_in_order, name_tile, scaled_tileset, tag_tiles
from knitground.core.edit.tint import disc
from knitground.core.edit.tray import keep_patch, rename_patch
from knitground.core.files.images import png_bytes
from knitground.core.files.mix_io import patch_from_file, patch_to_file
from knitground.core.files.opening import open_project
from knitground.core.files.saving import save_project
from knitground.core.files.ship.png import map_picture
from knitground.core.model.layers import GroundLayer, TileLayer
from knitground.core.model.patch import Patch
from knitground.core.model.slicing import Slicing
from knitground.core.model.standing import standing_of
from knitground.core.model.terrain import SetKind
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import TileFacts
from knitground.ui.common.painting import image_of
from knitground.ui.common.widgets import TakeButton
from knitground.ui.mapside.mockupdialog import ALL, MockupDialog
from knitground.ui.mapside.tools.tool import PATCH_KIND
from knitground.ui.stages.draw.bench import TABS
from knitground.ui.stages.draw.tilelist import WAYS

PAIR = Patch("pair", ((TileRef("sheet", 0, 0), None), (TileRef("sheet", 0, 1, 3),) * 2))
REEDS = TileRef("props", 0, 2)


@pytest.fixture
def view(window):
    return props_view(window)


# The tray, without a window


def test_the_tray_keeps_names_apart_is_saved_and_follows_another_slicing(tmp_path):
    doc, *_ = small_project()
    start = snapshot(doc.project)
    for name in ("pair", "pair 2"):
        edit, kept = keep_patch(doc.project, PAIR)
        doc.apply(edit)
        assert kept.name == name
    with pytest.raises(EditError, match="there is a patch “pair 2” already"):
        rename_patch(doc.project, doc.project.tray[0], "pair 2")
    doc.apply(rename_patch(doc.project, doc.project.tray[0], " post "))
    save_project(doc.project, tmp_path / "p")
    again = open_project(tmp_path / "p").project
    assert again.tray == [Patch("post", PAIR.rows), Patch("pair 2", PAIR.rows)]
    tileset = doc.project.tilesets[0]
    doc.apply(use_slicing(doc.project, tileset, Slicing(8, 8, start_x=8))[0])
    assert doc.project.tray[0].rows == (
        (None, None), (TileRef("sheet", 0, 0, 3), TileRef("sheet", 0, 0, 3)),
    )  # fmt: skip
    for _ in range(4):
        doc.undo()
    assert snapshot(doc.project) == start


@pytest.mark.parametrize(
    ("rows", "words"), [([[1, 2], [1]], "not of one length"), ([[3]], "3 is outside 0 … 2")]
)
def test_a_broken_patch_is_refused(rows, words):
    file = patch_to_file(PAIR)
    assert patch_from_file(file) == PAIR
    file.rows = rows
    with pytest.raises(FormatError, match=words):
        patch_from_file(file)


def test_names_tags_and_orders_are_edits_with_bounds():
    doc, *_ = small_project()
    tileset = doc.project.tilesets[0]
    doc.apply(name_tile(tileset, 0, 1, " reed "))
    doc.apply(tag_tiles(tileset, [(0, 1), (0, 2)], ["wet", " wet", "", "tall "]))
    offered = [(0, 0), (0, 1), (0, 2), (0, 3)]
    doc.apply(move_in_order(tileset, offered, (0, 3), (0, 0)))
    assert {at: f.name for at, f in tileset.facts.items() if f.name} == {(0, 1): "reed"}
    assert {at: f.tags for at, f in tileset.facts.items() if f.tags} == dict.fromkeys(
        ((0, 1), (0, 2)), ("wet", "tall")
    )
    assert tileset.order == ((0, 3), (0, 0), (0, 1), (0, 2))
    doc.apply(move_in_order(tileset, tileset.order, (0, 3), (0, 2)))
    assert tileset.order == ((0, 0), (0, 1), (0, 2), (0, 3))
    doc.apply(name_tile(tileset, 0, 1, ""))
    doc.apply(tag_tiles(tileset, [(0, 1)], []))
    assert [(at, f.name) for at, f in tileset.facts.items()] == [((0, 2), "")]
    with pytest.raises(EditError, match="at most 200 letters"):
        doc.apply(name_tile(tileset, 0, 1, "x" * 201))
    with pytest.raises(EditError, match="65 tags of tile facts are too many"):
        doc.apply(tag_tiles(tileset, [(0, 1)], [str(n) for n in range(65)]))


def test_a_scaled_sheet_keeps_its_tiles_their_marks_and_weights():
    doc, *_ = small_project()
    tileset = doc.project.tilesets[0]
    tileset.facts = {(0, 1): TileFacts(weight=3.0)}
    edit, made = scaled_tileset(doc.project, tileset, 16, 24)
    doc.apply(edit)
    assert (made.rows, made.columns) == (tileset.rows, tileset.columns)
    tile = tileset.picture[8:16, 16:24]
    shown = made.picture[16:32, 48:72]
    assert (shown == np.repeat(np.repeat(tile, 2, 0), 3, 1)).all()
    assert (made.facts, made.unsaved) == ({(0, 1): TileFacts(weight=3.0)}, True)
    assert (made.sets[0].marks == tileset.sets[0].marks).all()
    assert made.sets[0].kind is SetKind.CORNER
    with pytest.raises(EditError, match="over 16384 px a side"):
        scaled_tileset(doc.project, tileset, 4096, 4096)


# The tray in the window


def test_patches_are_kept_taken_renamed_and_dropped_on_the_map(window, view, monkeypatch):
    session, tray = window.session, window.stages["draw"].tray
    start = snapshot(session.project)
    view.tool_of("pick").take_block(Box(29, 32, 30, 33))
    QTest.keyClick(window.shell, Qt.Key.Key_T, Qt.KeyboardModifier.ControlModifier)
    settle()
    assert window.stages["draw"].tabs.tabText(window.stages["draw"].tabs.currentIndex()) == "Tray"
    assert [each.name for each in session.project.tray] == ["salt store", "raker's things", "Props"]
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("mooring", True))
    tray._rename(session.project.tray[2])
    tray.search("moor")
    assert [card.patch.name for card in tray.cards] == ["mooring"]
    tray.search("")
    QTest.mouseClick(tray.cards[0], Qt.MouseButton.LeftButton)
    assert session.hand == PatchInHand(session.project.tray[0])
    session.take(None)
    data = QMimeData()
    data.setData(PATCH_KIND, b"salt store")
    at = view.screen_at(10, 70)
    buttons, none = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    enter = QDragEnterEvent(at, Qt.DropAction.CopyAction, data, buttons, none)
    QApplication.sendEvent(view, enter)
    assert enter.isAccepted()
    over = QDragMoveEvent(at, Qt.DropAction.CopyAction, data, buttons, none)
    QApplication.sendEvent(view, over)
    ghost = view.plan
    drop = QDropEvent(QPointF(at), Qt.DropAction.CopyAction, data, buttons, none)
    QApplication.sendEvent(view, drop)
    box = ghost.box
    cells = session.layer.cells[box.top : box.bottom, box.left : box.right]
    assert (cells == ghost.cells).all()
    assert (cells > 0).all()
    tray._drop(session.project.tray[2])
    while session.doc.history.undo_name:
        session.doc.undo()
    assert snapshot(session.project) == start


def test_a_selection_is_kept_and_nothing_is_told(window, view):
    session = window.session
    session.take(None)
    window.stages["draw"].keep()
    assert "Nothing to keep" in window.notices.text.text()
    session.choose_tool("select")
    drag(view, view.screen_at(29, 26), view.screen_at(29, 32))
    window.stages["draw"].keep()
    kept = session.project.tray[-1]
    assert (kept.height, kept.width) == (1, 7)
    assert kept.rows[0][0] == TileRef("props", 1, 4)


# Finding, packing, ordering


def test_words_find_tiles_by_name_tag_number_and_terrain(window, view):
    session, draw = window.session, window.stages["draw"]
    draw.tabs.setCurrentIndex(TABS.index("Tiles"))
    session.choose_tileset(session.project.tilesets[1])
    settle()
    props = session.tileset
    session.doc.apply(tag_tiles(props, [(0, 2), (0, 3)], ["plant"]))
    session.doc.apply(name_tile(props, 0, 3, "thin reeds"))
    assert draw.tiles.search("plant") == 2
    assert draw.tiles.search("plant thin") == 1
    assert draw.tiles.search("5") == 1
    assert draw.tiles.search("nothing of the kind") == 0
    session.choose_tileset(session.project.tilesets[0])
    settle()
    pans = session.tileset
    blush = pans.sets[0].number_of("blush")
    assert draw.tiles.search("blush") == int((pans.sets[0].marks == blush).any(axis=2).sum())
    draw.sheet_way.setCurrentText(WAYS[1])
    draw.tiles.set_way(WAYS[1])
    assert len(draw.tiles.offered()) == draw.tiles.search("blush")
    window.stages["draw"].find_words()
    draw.search_field.setText("clay")
    draw.tabs.setCurrentIndex(TABS.index("Terrains"))
    settle()
    offered = [each.text() for each in draw.findChildren(QPushButton) if not each.isHidden()]
    assert "clay" in offered
    assert not {"brine", "crust", "planks"} & set(offered)
    draw.search_field.clear()


def test_packed_tiles_are_taken_and_a_block_lies_as_it_is_shown(window, view):
    session, tiles = window.session, window.stages["draw"].tiles
    window.stages["draw"].tabs.setCurrentIndex(TABS.index("Tiles"))
    session.choose_tileset(session.project.tilesets[1])
    settle()
    tiles.look(4, 20, 20)
    place = (tiles.camera.left, tiles.camera.top)
    tiles.set_way(WAYS[1])
    settle()
    offered = tiles.offered()
    assert (0, 0) in offered
    assert len(offered) < session.tileset.count  # empty ones are left out
    rects = [tiles.tile_rect(*each) for each in offered]
    assert all(rect.right() <= tiles.width() for rect in rects)
    assert not any(a.intersects(b) for a, b in pairwise(rects))
    drag(tiles, rects[0].center().toPoint(), rects[2].center().toPoint())
    assert session.hand.patch.rows == (tuple(TileRef("props", *each) for each in offered[:3]),)
    click(tiles, rects[4].center().toPoint())
    assert session.hand.tile == TileRef("props", *offered[4])
    assert pixels(tiles)[int(rects[0].center().y()), int(rects[0].center().x())] != 0
    tiles.set_way(WAYS[0])
    assert (tiles.camera.left, tiles.camera.top) == place  # where it was left
    session.choose_tileset(session.project.tilesets[0])
    session.choose_tileset(session.project.tilesets[1])
    settle()
    assert (tiles.camera.left, tiles.camera.top) == place


def test_in_an_own_order_a_drag_moves_a_tile_and_it_is_one_step(window, view):
    session, tiles = window.session, window.stages["draw"].tiles
    window.stages["draw"].tabs.setCurrentIndex(TABS.index("Tiles"))
    session.choose_tileset(session.project.tilesets[1])
    tiles.set_way(WAYS[2])
    settle()
    first = tiles.offered()
    rects = [tiles.tile_rect(*each).center().toPoint() for each in first]
    drag(tiles, rects[3], rects[0])
    assert tiles.offered()[:4] == [first[3], first[0], first[1], first[2]]
    assert (
        session.doc.history.names[-1]
        == f"Move tile {session.tileset.number(*first[3])} in the order"
    )
    window.commands.named("Undo").action.trigger()
    settle()
    assert tiles.offered() == first


# Brushes and fills


def test_round_brushes_lay_discs_for_tiles_and_lines(window, view):
    session = window.session
    layer = session.layer
    layer.cells[:] = 0
    session.take(TileInHand(REEDS, 2))
    session.set_size(5)
    session.set_options(round_brush=True)
    click(view, view.screen_at(20, 20))
    assert ((layer.cells[18:23, 18:23] > 0) == disc(5)).all()
    session.choose_tool("line")
    drag(view, view.screen_at(40, 20), view.screen_at(40, 40))
    assert (layer.cells[38:43, 22:39] > 0).all()
    assert not layer.cells[38, 18]
    assert (layer.cells[40, 18:43] > 0).all()


def like(values, row, col):
    """The cells connected to one over sides that hold the same: the long way."""
    found, todo = {(row, col)}, [(row, col)]
    while todo:
        r, c = todo.pop()
        for at in ((r - 1, c), (r + 1, c), (r, c - 1), (r, c + 1)):
            inside = 0 <= at[0] < values.shape[0] and 0 <= at[1] < values.shape[1]
            if inside and at not in found and values[at] == values[row, col]:
                found.add(at)
                todo.append(at)
    out = np.zeros(values.shape, bool)
    out[tuple(np.array(sorted(found)).T)] = True
    return out


@pytest.mark.parametrize("everywhere", [False, True])
@pytest.mark.parametrize("by", ["same terrain", "same tile"])
def test_fill_goes_by_terrain_or_tile_connected_or_everywhere(window, view, by, everywhere):
    session = window.session
    ground = session.map.layers[0]
    session.choose_layer(ground)
    session.choose_tool("fill")
    session.set_options(fill_by=by, fill_all=everywhere)
    session.take(TileInHand(TileRef("pans", 0, 3), 3))
    row, col = 28, 40
    values = ground.cells if by == "same tile" else standing_of(SetKind.CORNER).same(ground.terrain)
    wanted = values == values[row, col] if everywhere else like(values, row, col)
    values = values.copy()
    move(view, view.screen_at(row, col))
    assert view.plan is not None
    click(view, view.screen_at(row, col))
    assert (ground.pinned == wanted).all()
    assert wanted.sum() > (1 if everywhere else 0)
    assert session.doc.history.names[-1].startswith("Fill Tile 3")
    session.doc.undo()
    assert not ground.pinned.any()


def test_fill_lays_on_the_selection_and_says_when_there_is_none(window, view):
    session = window.session
    session.choose_tool("fill")
    session.set_options(fill_by="selection")
    session.take(TileInHand(REEDS, 2))
    move(view, view.screen_at(3, 3))
    assert view.label()[0].startswith("nothing is selected")
    session.choose_tool("select")
    drag(view, view.screen_at(10, 10), view.screen_at(12, 14))
    session.choose_tool("fill")
    session.layer.cells[:] = 0
    click(view, view.screen_at(50, 50))
    assert np.argwhere(session.layer.cells).min(0).tolist() == [10, 10]
    assert (session.layer.cells > 0).sum() == 15


def test_select_by_terrain(window, view):
    session = window.session
    ground = session.map.layers[0]
    session.choose_layer(ground)
    session.choose_tool("select")
    session.set_options(select_way="same terrain")
    click(view, view.screen_at(28, 40))
    wanted = standing_of(SetKind.CORNER).same(ground.terrain)
    wanted = wanted == wanted[28, 40]
    box = session.selection.box
    found = np.zeros_like(wanted)
    found[box.top : box.bottom, box.left : box.right] = session.selection.mask
    assert (found == wanted).all()


def test_pick_looks_where_it_is_told(window, view):
    session = window.session
    props, ground = session.map.layers[2], session.map.layers[0]
    row, col = 28, 40
    assert not props.cells[row, col]
    session.set_options(pick_from=PICK_FROM[1])
    click(view, view.screen_at(row, col), button=RIGHT)
    assert "empty on this layer" in window.notices.text.text()
    session.set_options(pick_from=PICK_FROM[0])
    click(view, view.screen_at(row, col), button=RIGHT)
    assert isinstance(session.hand, TerrainInHand)
    assert session.layer is ground
    session.set_options(pick_from=PICK_FROM[2])
    drag(view, view.screen_at(29, 26), view.screen_at(30, 28), button=RIGHT)
    rows = session.hand.patch.rows
    assert all(tile for line in rows for tile in line)
    assert rows[0][0] == TileRef("props", 1, 4)
    assert {tile.tileset for line in rows for tile in line} >= {"props", "works"}


# Keys that are held, pins, borders, views


def test_a_tool_whose_key_is_held_is_left_again_once_it_was_used(window, view):
    session = window.session
    session.take(TileInHand(REEDS, 2))
    session.layer.cells[:] = session.map.legend.place(REEDS)
    view.setFocus()
    QTest.keyPress(view, Qt.Key.Key_E)
    assert session.tool == "erase"
    drag(view, view.screen_at(10, 10), view.screen_at(10, 12))
    QTest.keyRelease(view, Qt.Key.Key_E)
    assert session.tool == "paint"
    assert not session.layer.cells[10, 10:13].any()
    QTest.keyPress(view, Qt.Key.Key_E)
    QTest.keyRelease(view, Qt.Key.Key_E)
    assert session.tool == "erase"  # not used meanwhile: chosen for good
    session.choose_tool("paint")
    QTest.keyPress(view, Qt.Key.Key_K)
    drag(view, view.screen_at(20, 20), view.screen_at(20, 21), release=False)
    QTest.keyRelease(view, Qt.Key.Key_K)
    assert session.tool == "pick"  # the drag goes on
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=view.screen_at(20, 21))
    assert session.tool == "paint"
    assert session.hand.patch.width == 2


def test_pins_are_shown_or_not_and_released_in_a_selection(window, view):
    session = window.session
    ground = session.map.layers[0]
    session.choose_layer(ground)
    session.take(TileInHand(TileRef("pans", 0, 3), 3))
    view.zoom_by(1)
    for col in (40, 41, 44):
        click(view, view.screen_at(28, col))
    view.leaveEvent(None)
    settle()
    at = view.screen_at(28, 40, 0.84, 0.16)
    shown = pixels(view)[at.y(), at.x()]
    window.commands.named("Pins").action.trigger()
    settle()
    assert pixels(view)[at.y(), at.x()] != shown
    session.choose_tool("select")
    drag(view, view.screen_at(28, 40), view.screen_at(28, 42))
    window.commands.named("Release pins here").action.trigger()
    assert np.argwhere(ground.pinned).tolist() == [[28, 44]]
    window.commands.named("Release pins here").action.trigger()
    assert "No pin there" in window.notices.text.text()


def test_the_border_is_dragged_to_grow_and_to_cut_the_map(window, view):
    session = window.session
    map_ = session.map
    start = snapshot(session.project)
    high, wide = map_.height, map_.width
    edge = view.screen_at(30, wide - 1, 1.0, 0.5)
    grip = edge + type(edge)(5, 0)
    move(view, grip)
    assert view.cursor().shape() is Qt.CursorShape.SizeHorCursor
    six = round(6 * 16 * view.camera.zoom)
    drag(view, grip, edge + type(edge)(six, 0), release=False)
    assert view.label() == (f"{wide} × {high} → {wide + 6} × {high} cells", False)
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=edge + type(edge)(six, 0))
    assert (map_.width, map_.height) == (wide + 6, high)
    assert session.doc.history.names == [f"Resize “{map_.name}” to {wide + 6} × {high}"]
    session.doc.undo()
    corner = view.screen_at(0, 0, 0, 0) - type(edge)(5, 5)
    inner = view.screen_at(4, 3, 0, 0)
    drag(view, corner, inner, release=False)
    text, warns = view.label()
    assert text.startswith(f"{wide} × {high} → {wide - 3} × {high - 4} cells · cuts off")
    assert warns
    QTest.keyClick(view, Qt.Key.Key_Escape)
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=inner)
    assert snapshot(session.project) == start
    drag(view, corner, inner)
    assert (map_.width, map_.height) == (wide - 3, high - 4)
    session.doc.undo()
    assert snapshot(session.project) == start


@pytest.mark.parametrize("page", ["terrains", "mixes", "tray", "markers", "tints"])
def test_a_second_click_on_what_is_in_hand_leaves_it_there_and_the_button_pressed(window, page):
    window.show_stage("draw")
    session, home = window.session, getattr(window.stage, page)
    session.choose_layer(session.map.layers[{"markers": 5, "tints": 6}.get(page, 0)])
    names = {"mixes": "Mixes", "tray": "Tray", "terrains": "Terrains"}
    if page in names:
        window.stage.tabs.setCurrentIndex(TABS.index(names[page]))
    home.refresh()
    settle()

    def buttons():
        return [each for each in home.findChildren(TakeButton) if each.isVisibleTo(home)]

    assert len(buttons()) > 1
    for place in (1, 0):
        for _ in range(2):
            buttons()[place].click()
            settle()
            assert [n for n, each in enumerate(buttons()) if each.isChecked()] == [place]
            taken = session.hand
    assert taken is not None


def test_two_views_of_one_map_follow_one_another(window, view):
    session, mapside = window.session, window.mapside
    window.shell.resize(1280, 800)
    window.commands.named("Second view").action.trigger()
    settle()
    second = mapside.second
    assert second.isVisible()
    second.zoom_by(-1)
    settle()
    assert second.camera.step != view.camera.step
    session.take(TileInHand(REEDS, 2))
    second.show_cell(20, 20)
    view.show_cell(20, 20)
    settle()
    at, there = view.screen_at(20, 22), second.screen_at(20, 22)
    before = [pixels(each)[p.y(), p.x()] for each, p in ((view, at), (second, there))]
    session.layer.cells[20, 22] = 0
    click(second, there)
    second.leaveEvent(None)
    settle()
    assert session.layer.cells[20, 22] > 0
    spots = [pixels(each)[p.y() - 2 : p.y() + 3, p.x() - 2 : p.x() + 3].tolist()
             for each, p in ((view, at), (second, there))]  # fmt: skip
    assert all(any(value != old for line in spot for value in line)
               for spot, old in zip(spots, before))  # fmt: skip
    move(second, there)
    QApplication.sendEvent(second, _enter(there))
    assert mapside.active is second
    window.commands.named("Grid lines").action.trigger()
    assert second.session.sight.grid is False
    session.choose_map(session.project.maps[1])
    settle()
    assert second.shown_map is session.map
    window.commands.named("Second view").action.trigger()
    settle()
    assert mapside.second is None
    assert mapside.active is view
    session.choose_map(session.project.maps[0])
    click(view, view.screen_at(20, 20))


def _enter(at):
    from PySide6.QtGui import QEnterEvent

    return QEnterEvent(QPointF(at), QPointF(at), QPointF(at))


def keys(view, *names):
    for name in names:
        QTest.keyClick(view, getattr(Qt.Key, f"Key_{name}"))


def test_every_dragging_tool_is_worked_by_the_keyboard_alone(window, view):
    session, layer = window.session, window.session.layer
    layer.cells[:] = 0
    session.take(TileInHand(REEDS, 2))
    view.show_cell(20, 20)
    keys(view, "B", "Return", "Right", "Right", "Down")
    assert view.plan.cells.shape == (2, 3)
    assert not layer.cells.any()
    keys(view, "Return")
    assert np.argwhere(layer.cells).tolist() == [[r, c] for r in (20, 21) for c in (20, 21, 22)]
    keys(view, "L", "Down", "Return", "Down", "Down", "Escape")
    assert (layer.cells > 0).sum() == 6
    keys(view, "Return", "Down", "Return")
    assert (layer.cells > 0).sum() == 8
    view.show_cell(20, 20)
    keys(view, "S", "Return", "Right", "Right", "Down", "Return")
    assert session.selection.count == 6
    keys(view, "Delete")
    assert (layer.cells > 0).sum() == 2
    keys(view, "P", "Return", "Left", "Return")
    assert (layer.cells > 0).sum() == 4
    assert len(session.doc.history.names) == 5
    session.choose_layer(session.map.layers[5])
    session.choose_tool("box")
    count = len(session.layer.markers)
    session.take(MarkerInHand("door"))
    view.show_cell(10, 10)
    keys(view, "Return", "Right", "Right", "Down", "Down", "Return")
    assert len(session.layer.markers) == count + 1
    assert session.layer.markers[-1].points == ((160, 160), (192, 192))


def test_a_selection_is_turned_and_mirrored_in_place(window, view):
    session, layer = window.session, window.session.layer
    heap, rake = (session.map.legend.place(TileRef("props", *at)) for at in ((0, 0), (1, 5)))
    layer.cells[:] = 0
    layer.cells[10, 10:13] = heap, rake, heap
    layer.cells[11, 10] = rake
    session.choose_tool("select")
    drag(view, view.screen_at(10, 10), view.screen_at(11, 12))
    keys(view, "BracketRight")
    found = layer.cells[9:12, 10:12]
    tiles = [[session.map.legend.tile(int(p)) for p in line] for line in found]
    of = lambda at, turn: TileRef("props", *at, turn)  # noqa: E731
    assert tiles == [
        [of((1, 5), 1), of((0, 0), 1)], [None, of((1, 5), 1)], [None, of((0, 0), 1)],
    ]  # fmt: skip
    assert (layer.cells > 0).sum() == 4
    assert session.selection.count == 6
    keys(view, "M")
    assert session.map.legend.tile(int(layer.cells[9, 10])) == of((0, 0), 7)
    for _ in range(2):
        session.doc.undo()
    assert layer.cells[10, 10:13].tolist() == [heap, rake, heap]
    window.commands.named("Lock or unlock layer").action.trigger()
    keys(view, "BracketRight")
    assert "Nothing turned: Props is locked" in window.notices.text.text()
    assert layer.cells[10, 10:13].tolist() == [heap, rake, heap]


def test_a_turned_tile_shows_its_marks_turned_along(window, view):
    session = window.session
    pans = session.project.tilesets[0]
    kit = pans.sets[0]
    corners = list(kit.kind.slots)
    row, col = next(
        (r, c) for r, c in np.argwhere(kit.marks.any(axis=2)).tolist()
        if len({int(kit.marks[r, c, slot]) for slot in corners}) > 1
    )  # fmt: skip
    clockwise = {"NE": "NW", "SE": "NE", "SW": "SE", "NW": "SW"}  # what comes to stand there
    session.take(TileInHand(TileRef("pans", row, col), pans.number(row, col)))
    keys(view, "BracketRight")
    click(view, view.screen_at(8, 9))
    move(view, view.screen_at(8, 9))
    names = {slot.name: kit.name_of(int(kit.marks[row, col, slot])) for slot in corners}
    shown = " · ".join(f"{slot.name} {names[clockwise[slot.name]]}" for slot in corners)
    assert f", 90°, shows {shown}" in window.under.toolTip()


def test_what_is_pasted_floats_until_it_is_dropped(window, view):
    session = window.session
    session.take(TileInHand(REEDS, 2))
    session.choose_tool("select")
    drag(view, view.screen_at(29, 26), view.screen_at(29, 32))
    window.commands.named("Copy").action.trigger()
    window.commands.named("Paste into hand").action.trigger()
    assert session.tool == "paint"
    move(view, view.screen_at(12, 12))
    assert view.label()[0].endswith("· Esc drops it")
    keys(view, "BracketRight")
    assert session.hand.patch.height == 7
    click(view, view.screen_at(12, 12))
    assert session.in_hand.floats  # laid once; it can be laid again
    keys(view, "Escape")
    assert (session.hand, session.tool) == (TileInHand(REEDS, 2), "select")
    assert not session.in_hand.floats
    window.commands.named("Paste into hand").action.trigger()
    session.take(TileInHand(REEDS, 2))
    assert not session.in_hand.floats


def test_a_patch_larger_than_the_map_is_laid_as_far_as_it_fits(window, view):
    session, map_ = window.session, window.session.map
    rows = tuple((REEDS,) * 200 for _ in range(150))
    session.take(PatchInHand(Patch("large", rows)))
    click(view, view.screen_at(30, 40))
    assert (session.layer.cells == map_.legend.place(REEDS)).all()
    session.doc.undo()
    session.choose_map(session.project.maps[1])
    session.choose_layer(session.map.layers[1])
    settle()
    view.fit()
    click(view, view.screen_at(20, 20))
    assert (session.layer.cells == session.map.legend.place(REEDS)).all()


def test_wrapping_is_switched_from_the_map_menu(window, view):
    command = window.commands.named("Wraps at the borders, or not")
    command.action.trigger()
    assert window.session.map.wrap
    assert window.mapside.tabs.tabText(0).endswith("⟲")
    window.session.doc.undo()
    assert not window.session.map.wrap


# Pictures from outside


def test_a_map_is_made_of_a_picture_and_of_the_project_s_tiles(window, view, tmp_path):
    session = window.session
    start = snapshot(session.project)
    basin = session.project.maps[1]
    session.doc.knitter.ensure_all(basin)
    for layer in basin.layers[1:]:
        layer.visible = False
    picture = map_picture(session.project, basin)
    for layer in basin.layers[1:]:
        layer.visible = True
    path = tmp_path / "mock-up.png"
    path.write_bytes(png_bytes(picture[3:, 5:]))
    window.mapside.maps.map_from_file(path)
    settle()
    dialog = window.shell.findChild(MockupDialog)
    settle()
    grid = dialog.grid()
    assert (grid.tile_width, grid.tile_height, grid.start_x, grid.start_y) == (16, 16, 11, 13)
    assert "47 × 47 cells of" in dialog.facts.text()
    assert "left out: 11 px left, 13 above" in dialog.facts.text()
    assert dialog.ok.isEnabled()
    dialog.use.setCurrentText(ALL)
    dialog.look()
    settle()
    assert "0 are not: their 0 cells are marked" in dialog.facts.text()
    dialog.accept()
    settle()
    made = session.map
    assert (made.name, made.width, len(session.project.tilesets)) == ("mock-up", 47, 5)
    session.doc.knitter.ensure_all(made)
    assert (map_picture(session.project, made) == picture[16:, 16:]).all()
    session.doc.undo()
    assert snapshot(session.project) == start


def test_a_finished_picture_becomes_ground_that_is_painted_on(window, view, qtbot):
    session = window.session
    basin = session.project.maps[1]
    session.doc.knitter.ensure_all(basin)
    for layer in basin.layers[1:]:
        layer.visible = False
    picture = map_picture(session.project, basin)
    for layer in basin.layers[1:]:
        layer.visible = True
    ground = basin.layers[0]
    window.mapside.maps.map_from_picture(picture, "found basin")
    settle()
    dialog = window.shell.findChild(MockupDialog)
    qtbot.waitUntil(lambda: dialog.found is not None and bool(dialog.found.sets), timeout=20_000)
    settle()
    assert "corner set" in dialog.facts.text()
    assert not dialog.turns.isEnabled()
    dialog.accept()
    settle()
    made = session.map
    layer = made.layers[0]
    assert isinstance(layer, GroundLayer)
    kit = session.project.tilesets[-1].sets[0]
    assert len(kit.terrains) >= 3
    # Each terrain of the map that was is one terrain here.
    names = {}
    for old, new in zip(ground.terrain.ravel().tolist(), layer.terrain.ravel().tolist()):
        names.setdefault(new, Counter())[old] += 1
    right = sum(max(each.values()) for each in names.values())
    assert right > 0.97 * ground.terrain.size
    owner = session.project.tilesets[-1]
    mark = int(np.bincount(layer.terrain[18:24, 18:30].ravel(), minlength=3).argmin())
    mark = max(1, mark)
    window.show_stage("draw")
    session.take(TerrainInHand(owner.name, kit.name, mark, kit.terrains[mark - 1].name))
    before = layer.terrain.copy()
    view.fit()
    settle()
    drag(view, *(view.screen_at(20, col, 0.5, 0.5) for col in (20, 23, 27)))
    settle()
    painted = layer.terrain != before
    assert painted.any()
    assert (layer.terrain[painted] == mark).any()
    assert (layer.cells > 0).all()
    session.undo()
    assert (layer.terrain == before).all()
    session.undo()
    settle()
    assert made not in session.project.maps


def test_without_terrains_a_picture_is_a_layer_of_tiles(window, view, qtbot):
    session = window.session
    basin = session.project.maps[1]
    session.doc.knitter.ensure_all(basin)
    picture = map_picture(session.project, basin)[:192, :192]
    window.mapside.maps.map_from_picture(np.ascontiguousarray(picture), "plain")
    settle()
    dialog = window.shell.findChild(MockupDialog)
    dialog.sets.setChecked(False)
    dialog.look()
    settle()
    assert dialog.turns.isEnabled()
    assert "set" not in dialog.facts.text()
    dialog.accept()
    settle()
    assert isinstance(session.map.layers[0], TileLayer)
    assert session.project.tilesets[-1].sets == []
    session.undo()


def test_the_dialog_tells_a_grid_that_does_not_fit_and_lets_go(window, view):
    rng = np.random.default_rng(8)
    window.mapside.maps.map_from_picture(rng.integers(0, 256, (40, 50, 4), np.uint8), "noise")
    settle()
    dialog = window.shell.findChild(MockupDialog)
    assert dialog.likely.currentText() == "none: nothing repeats"
    dialog.tile_width.setValue(60)
    dialog.look()
    settle()
    assert "no whole tile of 60 × 16 px fits into 50 × 40 px" in dialog.facts.text()
    assert not dialog.ok.isEnabled()
    count = len(window.session.project.maps)
    dialog.reject()
    settle()
    assert len(window.session.project.maps) == count


def test_a_pasted_picture_of_known_tiles_is_taken_in_hand_else_ways_are_offered(window, view):
    session = window.session
    pans = session.project.tilesets[0]
    cut = pans.slicing
    parts = [pans.picture[cut.top(0) :, cut.left(col) :][:16, :16] for col in (0, 3)]
    shown = np.ascontiguousarray(np.concatenate(parts, axis=1))
    data = QMimeData()
    argb = np.ascontiguousarray(shown[..., [2, 1, 0, 3]]).view(np.uint32)[..., 0]
    data.setImageData(image_of(argb).copy())
    QApplication.clipboard().setMimeData(data)
    window.commands.named("Paste into hand").action.trigger()
    settle()
    hand = session.hand
    assert hand.patch.rows == ((TileRef("pans", 0, 0), TileRef("pans", 0, 3)),)
    strange = QImage(20, 30, QImage.Format.Format_RGB32)
    strange.fill(0xFF336699)
    data = QMimeData()
    data.setImageData(strange)
    QApplication.clipboard().setMimeData(data)
    window.commands.named("Paste into hand").action.trigger()
    settle()
    assert "a picture of 20 × 30 px" in window.notices.text.text()
    assert session.hand is hand
    QTest.mouseClick(window.notices.cures[0], Qt.MouseButton.LeftButton)
    settle()
    made = session.project.tilesets[-1]
    assert (made.name, made.width, made.height, window.stage.key) == ("pasted", 20, 30, "slice")
    assert (made.picture == (0x33, 0x66, 0x99, 255)).all()
    session.doc.undo()
    window.show_stage("draw")
    window.commands.named("Paste into hand").action.trigger()
    settle()
    QTest.mouseClick(window.notices.cures[1], Qt.MouseButton.LeftButton)
    settle()
    window.shell.findChild(MockupDialog).reject()
