"""Drawing on a staggered map, with the pointer and with keys, in the real window."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton
from tests.ui.conftest import LEFT, click, drag, move, pixels, settle, settle_view, wake

from knitground.core.edit.hand import TerrainInHand, TileInHand
from knitground.core.edit.sizes import Margins
from knitground.core.files.opening import open_project
from knitground.core.files.saving import save_project
from knitground.core.files.ship.png import map_picture
from knitground.core.model.lattice import Corner, GridKind
from knitground.core.model.layers import GroundLayer
from knitground.core.model.standing import close_seam
from knitground.core.model.tile import TileRef
from knitground.demo.yard import yard_tile
from knitground.ui.common.tasks import wait_for_jobs
from knitground.ui.mapside.dialogs import NewMapDialog, ResizeDialog
from knitground.ui.mapside.mockupdialog import MockupDialog
from knitground.ui.mapside.orderdialog import OrderDialog

NONE, SHIFT = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier
WAYS = [(False, False, False), (True, True, False), (False, True, True)]


@pytest.fixture(params=WAYS, ids=["rows", "columns, the first", "rows that wrap"])
def view(window, request):
    """A staggered map of salt, made in the dialog for new maps, at its full size."""
    session = window.session
    session.choose_tileset(session.project.tileset_named("yard"))
    dialog = NewMapDialog(session, window.shell)
    assert dialog.kind is GridKind.DIAMOND, "the sheet stands on diamonds"
    dialog.grid.setCurrentIndex(dialog.grid.findData("staggered"))
    assert dialog.shift.isVisibleTo(dialog)
    by_columns, first, wraps = request.param
    dialog.shift.setCurrentIndex(2 * by_columns + first)
    rows, columns = (6, 14) if by_columns else (14, 6)
    dialog.height_box.setValue(rows)
    dialog.width_box.setValue(columns)
    dialog.filled.setCurrentIndex(1)
    dialog.wrap.setChecked(wraps)
    window.mapside.maps.add_map(dialog)
    dialog.deleteLater()
    assert session.map.lattice.counted == (rows, columns)
    stagger = session.map.grid.stagger
    assert (stagger.by_columns, stagger.first, session.map.wrap) == request.param
    window.show_stage("draw")
    wake(window)
    view = window.mapside.view
    session.show(grid=False)
    view.fit()
    settle()
    return view


def spot(view, row, col):
    return view.screen_at(*view.shown_map.lattice.cell_named(row, col))


def cells(view, layer=None):
    session = view.session
    return view.shown_map.lattice.unfolded((layer or session.layer).cells)


def test_the_map_fills_its_rectangle_and_nothing_else(view):
    session, lattice = view.session, view.shown_map.lattice
    assert (cells(view, session.map.layers[0]) != 0).all()
    assert (session.map.layers[0].cells[~lattice.exists] == 0).all()
    for at in ((0, 0), (3, 2), (5, 5)):
        pointed = view._pointer(spot(view, *at)).cell(view.shown_map)
        assert lattice.name_of(*pointed) == at
        move(view, spot(view, *at))
        settle()
    move(view, spot(view, 2, 3))
    settle()
    assert "column 3, row 2" in session_words(view)


def session_words(view):
    said = []
    view.session.pointed.connect(said.append)
    view.tell()
    view.session.pointed.disconnect(said.append)
    return said[-1]


@pytest.mark.parametrize("tool", ["paint", "erase", "line", "box", "fill"])
def test_every_tool_lays_what_its_ghost_showed(view, tool):
    session = view.session
    session.choose_layer(session.map.layers[-1])
    session.take(TileInHand(yard_tile("crate"), 0))
    if tool == "erase":
        session.set_options(fill_by="same tile")
        session.choose_tool("fill")
        click(view, spot(view, 1, 1))
        settle()
    session.choose_tool(tool)
    session.set_options(fill_by="same tile")
    points = [spot(view, 1, 1), spot(view, 2, 2), spot(view, 4, 3)]
    if tool in ("paint", "fill", "erase"):
        move(view, points[0])
        settle()
        plan = view.plan
        before = session.layer.cells.copy()
        drag(view, *points[: 1 if tool == "fill" else 3])
    else:
        before = session.layer.cells.copy()
        drag(view, *points, release=False)
        plan = view.plan
        QTest.mouseRelease(view, LEFT, NONE, points[-1])
    settle()
    layer, box = session.layer, plan.box
    if tool != "paint":
        after = layer.cells[box.top : box.bottom, box.left : box.right]
        assert tool == "erase" or (after == plan.cells).all()
    assert (layer.cells != before).any()
    assert (layer.cells[~view.shown_map.lattice.exists] == 0).all()
    laid = cells(view) > 0
    if tool == "box":
        wanted = np.zeros_like(laid)
        wanted[1:5, 1:4] = True
        assert (laid == wanted).all(), "a rectangle of rows and columns"
    if tool == "fill":
        assert laid.all()
    session.undo()
    assert (layer.cells == before).all()


def test_terrain_is_painted_up_to_the_border_and_over_it(view):
    session, map_ = view.session, view.shown_map
    floor = map_.layers[0]
    session.choose_layer(floor)
    session.take(TerrainInHand("yard", "Floor", 2, "planks"))
    session.choose_tool("paint")
    rows, columns = map_.lattice.counted
    drag(view, *(spot(view, row, 0) for row in range(rows)))
    settle()
    settle_view(view)
    session.doc.ensure_all(map_)
    shown = cells(view, floor)
    assert (shown > 0).all()
    tiles = {map_.legend.tile(int(place)) for place in np.unique(shown)}
    assert len(tiles) > 3
    drag(view, spot(view, 3, columns - 1), spot(view, 3, columns - 1) + QPoint(300, 0))
    settle()
    assert session.layer is floor
    click(view, spot(view, rows, 0) + QPoint(0, 90))
    settle()
    if map_.wrap:
        assert (close_seam(floor.terrain.copy(), map_.lattice) == floor.terrain).all()
    else:
        assert "outside the map" in view.label()[0]


def test_the_cell_cursor_goes_along_the_screen_and_never_off_the_map(view):
    session = view.session
    session.choose_layer(session.map.layers[-1])
    session.take(TileInHand(yard_tile("crate"), 0))
    session.choose_tool("paint")
    view.show_cell(*view.shown_map.lattice.cell_named(0, 0))
    for key in (Qt.Key.Key_Up, Qt.Key.Key_Left):
        for _ in range(4):
            QTest.keyClick(view, key)
            assert view.shown_map.lattice.holds(*view.cell_cursor)
    for _ in range(60):
        QTest.keyClick(view, Qt.Key.Key_Right)
        QTest.keyClick(view, Qt.Key.Key_Down)
    rows, columns = view.shown_map.lattice.counted
    at = view.shown_map.lattice.name_of(*view.cell_cursor)
    if not view.shown_map.wrap:
        assert rows - 2 <= at[0] < rows
        assert columns - 2 <= at[1] < columns
    assert view.shown_map.lattice.holds(*view.cell_cursor)
    QTest.keyClick(view, Qt.Key.Key_Return)
    settle()
    assert cells(view)[at] > 0
    WINDOW[0].mapside.maps.show_cell("2, 1")
    assert view.shown_map.lattice.name_of(*view.cell_cursor) == (1, 2)
    QTest.keyClick(view, Qt.Key.Key_Right, SHIFT)
    row, col = view.shown_map.lattice.cell_named(1, 2)
    assert view.cell_cursor == (row, col + 1)


WINDOW = []


@pytest.fixture(autouse=True)
def known_window(window):
    WINDOW[:] = [window]


def test_a_selection_is_of_rows_and_columns_and_is_copied(view):
    session = view.session
    session.choose_layer(session.map.layers[-1])
    session.take(TileInHand(yard_tile("crate"), 0))
    session.choose_tool("box")
    drag(view, spot(view, 1, 1), spot(view, 2, 2))
    session.choose_tool("select")
    drag(view, spot(view, 1, 1), spot(view, 4, 3))
    settle()
    assert session.selection.count == 12
    names = {view.shown_map.lattice.name_of(r + session.selection.box.top,
                                            c + session.selection.box.left)
             for r, c in np.argwhere(session.selection.mask).tolist()}  # fmt: skip
    assert names == {(row, col) for row in range(1, 5) for col in range(1, 4)}
    WINDOW[0].commands.named("Copy").action.trigger()
    WINDOW[0].commands.named("Paste into hand").action.trigger()
    assert session.in_hand.floats
    session.drop_floating()


def test_the_border_is_dragged_by_whole_rows_and_columns(view):
    session, map_ = view.session, view.shown_map
    rows, columns = map_.lattice.counted
    rect = map_.lattice.frame
    edge = QPoint(*(int(n) for n in view.camera.to_screen(rect.right, rect.y + rect.height / 2)))
    by = round(map_.cell_width * view.camera.zoom * (1 if columns == 6 else 0.5))
    start = edge + QPoint(5, 0)
    if not map_.wrap:  # one that does has none to take hold of
        move(view, start)
        drag(view, start, start + QPoint(by, 0), release=False)
        assert f"→ {columns + 1} × {rows}" in view.border.label
        QTest.mouseRelease(view, LEFT, NONE, start + QPoint(by, 0))
        settle()
        assert session.map.lattice.counted == (rows, columns + 1)
        assert (cells(view, map_.layers[0])[:, :columns] != 0).all()
        session.undo()
    assert session.map.lattice.counted == (rows, columns)
    dialog = ResizeDialog(map_, WINDOW[0].shell)
    dialog.boxes["top"].setValue(1)
    if map_.wrap:
        assert f"{rows + 1} rows, every other of which is shifted" in dialog.facts.text()
        assert not dialog.ok.isEnabled()
        dialog.boxes["top"].setValue(2)
    more = 2 if map_.wrap else 1
    assert f"{columns} × {rows} cells become {columns} × {rows + more}" in dialog.facts.text()
    assert dialog.ok.isEnabled()
    dialog.deleteLater()


def test_lines_between_cells_and_the_overview_have_the_maps_form(view):
    session = view.session
    session.show(grid=False)
    view.leaveEvent(None)
    settle_view(view)
    bare = pixels(view)
    session.show(grid=True)
    settle_view(view)
    lined = np.argwhere(bare != pixels(view))
    rect = view.shown_map.lattice.frame
    left, top = view.camera.to_screen(rect.x, rect.y)
    right, bottom = view.camera.to_screen(rect.right, rect.bottom)
    assert len(lined) > 500
    assert lined[:, 1].min() >= left - 1
    assert lined[:, 1].max() <= right + 1
    assert lined[:, 0].min() >= top - 1
    assert lined[:, 0].max() <= bottom + 1
    assert (bare[lined[:, 0], lined[:, 1]] & 0xFFFFFF != 0x84898A).mean() > 0.9, "on cells only"
    overview = view.overview
    session.show(overview=True)
    settle()
    assert overview._pixels.shape[1] > 4
    filled = overview._pixels != 0
    assert filled[1:-1, 1:-1].all()


def test_another_corner_first_is_taken_from_a_picture(view):
    session, map_ = view.session, view.shown_map
    session.choose_layer(map_.layers[1])
    session.take(TerrainInHand("yard", "Walls", 1, "wall"))
    session.choose_tool("box")
    drag(view, spot(view, 1, 1), spot(view, 4, 4))
    view.leaveEvent(None)
    settle_view(view)
    before = pixels(view)
    WINDOW[0].mapside.maps.ask_order()
    dialog = WINDOW[0].mapside.findChild(OrderDialog)
    pictures = {corner: button.icon().pixmap(232, 168).toImage()
                for corner, button in dialog.buttons.items()}  # fmt: skip
    assert len({bytes(each.constBits()) for each in pictures.values()}) == 4
    assert dialog.buttons[Corner.TOP].isChecked()
    dialog.buttons[Corner.BOTTOM].click()
    settle()
    assert map_.grid.drawn_from is Corner.BOTTOM
    settle_view(view)
    assert (pixels(view) != before).any()
    assert session.doc.history.undo_name == "Draw from the bottom"
    session.undo()
    view.leaveEvent(None)
    settle_view(view)
    assert (pixels(view) == before).all()
    session.choose_map(session.project.maps[0])
    WINDOW[0].mapside.maps.ask_order()
    assert "upright cells" in WINDOW[0].notices.text.text()


def test_what_was_drawn_is_saved_and_opens_equal(view, tmp_path):
    session, map_ = view.session, view.shown_map
    session.choose_layer(map_.layers[-1])
    session.take(TileInHand(TileRef("yard", 0, 0), 0))
    click(view, spot(view, 2, 3))
    shown = cells(view).copy()
    assert (shown > 0).sum() == 1
    save_project(session.project, tmp_path / "kept")
    again = open_project(tmp_path / "kept").project.maps[-1]
    assert again.lattice == map_.lattice
    assert (again.lattice.unfolded(again.layers[-1].cells) > 0).tolist() == (shown > 0).tolist()
    assert (again.layers[0].terrain == map_.layers[0].terrain).all()


def test_a_picture_of_diamonds_becomes_a_staggered_map(view):
    session, map_ = view.session, view.shown_map
    if map_.grid.stagger.by_columns or map_.wrap:
        return
    session.choose_layer(map_.layers[0])
    session.take(TerrainInHand("yard", "Floor", 2, "planks"))
    session.choose_tool("paint")
    drag(view, spot(view, 3, 2), spot(view, 9, 3))
    settle()
    session.doc.ensure_all(map_)
    picture = np.ascontiguousarray(map_picture(session.project, map_)[map_.lattice.rise :])
    picture[..., 3] = np.where(picture[..., 3] > 0, 255, 0)
    WINDOW[0].mapside.maps.map_from_picture(picture, "read")
    dialog = WINDOW[0].shell.findChild(MockupDialog)
    for box, value in ((dialog.tile_width, 64), (dialog.tile_height, 32), (dialog.start_x, 0),
                       (dialog.start_y, 0)):  # fmt: skip
        box.setValue(value)
    dialog.form.setCurrentIndex(1)
    dialog.form.activated.emit(1)
    wait_for_jobs()
    settle()
    wait_for_jobs()
    settle()
    assert "6 × 14 cells" in dialog.facts.text()
    assert "left out" not in dialog.facts.text()
    assert dialog.sets.isChecked()
    assert dialog.sets.isVisibleTo(dialog)
    lined = pixels(dialog.view)
    assert len(np.unique(lined)) > 10
    dialog.accept()
    wait_for_jobs()
    settle()
    made = session.map
    assert made is not map_
    assert made.lattice == map_.lattice
    assert (made.lattice.unfolded(made.layers[0].cells) > 0).all()
    kit = session.project.tileset_named("read").sets
    assert isinstance(made.layers[0], GroundLayer) == bool(kit)


def test_rows_that_do_not_meet_get_one_more_to_wrap(window):
    session = window.session
    session.choose_map(session.project.map_named("Loading quay"))
    map_ = session.map
    session.resize_map(map_, Margins(0, 0, 1, 0))
    rows, columns = map_.lattice.counted
    assert rows % 2
    window.show_stage("grow")
    settle()
    grow = window.stages["grow"]
    grow.wrap.click()
    assert f"{rows} rows, every other of which is shifted" in window.notices.text.text()
    assert not grow.wrap.isChecked()
    assert not map_.wrap
    button = next(each for each in window.notices.findChildren(QPushButton)
                  if each.text() == "Give it one more, and wrap")  # fmt: skip
    button.click()
    settle()
    assert map_.wrap
    assert map_.lattice.counted == (rows + 1, columns)
    assert grow.wrap.isChecked()
    session.undo()
    assert not map_.wrap, "in one step"
    assert map_.lattice.counted == (rows, columns)
    dialog = NewMapDialog(session, window.shell)
    dialog.grid.setCurrentIndex(dialog.grid.findData("staggered"))
    dialog.height_box.setValue(7)
    assert dialog.ok.isEnabled()
    dialog.wrap.setChecked(True)
    assert not dialog.ok.isEnabled()
    assert "7 rows" in dialog.facts.text()
    dialog.one_more.click()
    assert dialog.height_box.value() == 8
    assert dialog.ok.isEnabled()
    assert dialog.one_more.isHidden()
    dialog.deleteLater()


def test_what_is_painted_over_the_border_is_seen_at_the_other_side(view):
    session, map_ = view.session, view.shown_map
    if not map_.wrap:
        return
    floor = map_.layers[0]
    session.choose_layer(floor)
    session.take(TerrainInHand("yard", "Floor", 2, "planks"))
    session.choose_tool("paint")
    session.set_options(terrain_size=3)
    rows, columns = map_.lattice.counted
    move(view, spot(view, 6, columns - 1))
    settle()
    assert view.plan.changes_anything
    drag(view, spot(view, 6, columns - 1), spot(view, 8, columns - 1))
    settle()
    session.doc.ensure_all(map_)
    changed = cells(view, floor) != cells(view, floor)[0, 0]
    assert changed[:, 0].any()
    assert changed[:, columns - 1].any()
    picture = map_picture(session.project, map_)
    right, left = ((picture[:, part, 2].astype(int) < 120) & (picture[:, part, 3] > 0)
                   for part in (np.s_[-64:], np.s_[:64]))  # fmt: skip
    assert right.any()
    assert left.any()
    session.show(repeat=True)
    settle_view(view)
    assert len(view.copies()) == 9
    session.undo()
    session.doc.ensure_all(map_)
    assert rows == 14
    assert (cells(view, floor) > 0).all()
