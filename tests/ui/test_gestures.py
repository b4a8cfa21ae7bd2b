"""A gesture keeps what it began with; nothing that comes meanwhile loses or falsifies work."""

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMessageBox
from tests.maps import snapshot
from tests.ui.conftest import LEFT, RIGHT, click, drag, move, props_view, settle, wake

from knitground.core.edit.hand import MarkerInHand, TerrainInHand, TileInHand
from knitground.core.files.opening import open_project
from knitground.core.model.layers import GroundLayer, MarkerLayer
from knitground.core.model.tile import TileRef

NONE = Qt.KeyboardModifier.NoModifier


@pytest.fixture
def view(window):
    view = props_view(window)
    window.session.take(TileInHand(TileRef("props", 0, 4), 4))
    settle()
    return view


def key(window, *keys, modifiers=NONE):
    for each in keys:
        QTest.keyClick(window.shell, each, modifiers)


def half_a_stroke(view, col=4):
    drag(view, view.screen_at(30, col), view.screen_at(30, col + 4), release=False)


def release(view, row=30, col=12):
    move(view, view.screen_at(row, col), LEFT)
    QTest.mouseRelease(view, LEFT, NONE, view.screen_at(row, col))


@pytest.mark.parametrize(
    "keys",
    [[Qt.Key.Key_S], [Qt.Key.Key_L], [Qt.Key.Key_F], [Qt.Key.Key_K], [Qt.Key.Key_E],
     [Qt.Key.Key_PageUp], [Qt.Key.Key_PageDown, Qt.Key.Key_PageDown], [Qt.Key.Key_3],
     [Qt.Key.Key_M], [Qt.Key.Key_Period], [Qt.Key.Key_O, Qt.Key.Key_G]],
    ids=lambda keys: "+".join(each.name for each in keys),
)  # fmt: skip
def test_keys_during_a_stroke_leave_it_its_tool_layer_and_hand(window, view, keys):
    session = window.session
    layer, tool = session.layer, session.tool
    half_a_stroke(view)
    assert not session.doc.is_saved, "an open stroke is unsaved work"
    assert "not saved" in window.title.text()
    key(window, *keys)
    release(view)
    assert not session.doc.in_stroke
    assert not session.in_gesture
    assert session.doc.history.names[-1] == "Paint Tile 4 · props"
    place = session.map.legend.place(TileRef("props", 0, 4))
    assert (layer.cells[30, 4:13] == place).all()
    session.undo()
    assert session.doc.is_saved
    assert session.doc.redo() == "Paint Tile 4 · props"
    assert tool == "paint"


def test_the_menu_and_a_marker_layer_during_a_stroke_change_nothing_about_it(window, view):
    session = window.session
    layer = session.layer
    half_a_stroke(view)
    window.commands.named("Pick").action.trigger()
    markers = next(each for each in session.map.layers if isinstance(each, MarkerLayer))
    session.choose_layer(markers)
    release(view)
    assert (layer.cells[30, 4:13] > 0).all()
    assert not session.doc.in_stroke
    assert session.layer is markers, "what was chosen holds for what comes next"


def test_esc_and_undo_call_a_stroke_off(window, view):
    session = window.session
    start = snapshot(session.project)
    for stop in (lambda: key(window, Qt.Key.Key_Escape), session.undo):
        half_a_stroke(view)
        stop()
        assert snapshot(session.project) == start
        release(view)
        assert snapshot(session.project) == start
        assert session.doc.is_saved


def test_another_button_during_a_stroke_means_nothing(window, view):
    session = window.session
    hand = session.hand
    half_a_stroke(view)
    QTest.mousePress(view, RIGHT, NONE, view.screen_at(5, 5))
    QTest.mouseRelease(view, RIGHT, NONE, view.screen_at(5, 5))
    QTest.mousePress(view, Qt.MouseButton.MiddleButton, NONE, view.screen_at(5, 5))
    QTest.mouseRelease(view, Qt.MouseButton.MiddleButton, NONE, view.screen_at(5, 5))
    assert session.doc.in_stroke
    release(view)
    assert session.hand is hand
    assert session.doc.history.names == ["Paint Tile 4 · props"]


@pytest.mark.parametrize("how", ["stage", "map", "layer deleted", "hidden", "saved", "copied"])
def test_what_ends_a_stroke_keeps_it(window, view, how):
    session = window.session
    map_, layer = session.map, session.layer
    half_a_stroke(view)
    if how == "stage":
        window.show_stage("slice")
    elif how == "map":
        session.choose_map(session.project.maps[1])
    elif how == "layer deleted":
        window.commands.named("Delete layer").action.trigger()
    elif how == "hidden":
        window.mapside.hide()
    elif how == "saved":
        assert window.files.save()
        opened = open_project(session.project.folder).project
        assert snapshot(opened) == snapshot(session.project)
    else:
        window.commands.named("Duplicate layer").action.trigger()
    assert not session.doc.in_stroke
    assert (layer.cells[30, 4:9] > 0).all()
    move(view, view.screen_at(40, 40), LEFT)
    QTest.mouseRelease(view, LEFT, NONE, QPoint(5, 5))
    assert "Paint Tile 4 · props" in session.doc.history.names
    assert session.map is map_ or how == "map"
    while session.doc.history.undo_name:
        session.undo()
    assert not (layer.cells[30, 4:9] > 0).any()


def test_closing_during_a_stroke_asks_and_keeps_it(window, view, monkeypatch):
    asked = []

    def answer(box):
        asked.append(box.text())
        next(each for each in box.buttons() if each.text() == "Save").click()

    monkeypatch.setattr(QMessageBox, "exec", answer)
    half_a_stroke(view)
    session = window.session
    window.shell.close()
    assert asked == ["“Harl Pans” has changes that are not saved."]
    opened = open_project(session.project.folder).project
    assert snapshot(opened) == snapshot(session.project)
    assert (opened.maps[0].layers[2].cells[30, 4:9] > 0).all()


def test_a_polygon_keeps_its_layer_and_is_laid_when_it_is_left(window):
    window.show_stage("draw")
    session = window.session
    window.mapside.strip.layers.add_kind("Markers")
    layer = session.layer
    session.take(MarkerInHand("well"))
    session.choose_tool("line")
    settle()
    view = window.mapside.view
    view.fit()
    for row, col in ((4, 4), (4, 12), (12, 12)):
        click(view, view.screen_at(row, col))
    assert layer.markers == ()
    session.choose_tool("paint")
    session.choose_layer(session.map.layers[0])
    assert session.in_gesture
    window.show_stage("grow")
    assert len(layer.markers) == 1
    assert not session.in_gesture
    session.undo()
    assert layer.markers == ()
    window.show_stage("draw")
    session.choose_layer(layer)
    session.choose_tool("line")
    for row, col in ((4, 4), (4, 12)):
        click(view, view.screen_at(row, col))
    key(window, Qt.Key.Key_Escape)
    assert not session.in_gesture
    assert layer.markers == ()


def test_a_marks_stroke_is_ended_by_another_stage_and_called_off_by_undo(window):
    window.show_stage("terrains")
    settle()
    stage, session = window.stages["terrains"], window.session
    start = snapshot(session.project)
    stage.choose(2)
    sheet = stage.sheet
    spots = [sheet.tile_rect(0, col).center().toPoint() for col in (0, 1, 2)]
    drag(sheet, *[each + QPoint(-6, -6) for each in spots], release=False)
    assert session.in_gesture
    window.stage.digit(3)  # what is chosen meanwhile holds for the next stroke
    session.undo()
    assert snapshot(session.project) == start
    drag(sheet, *[each + QPoint(-6, -6) for each in spots], release=False)
    window.show_stage("draw")
    assert not session.doc.in_stroke
    changed = session.doc.history.undo_name
    assert changed == "Mark clay"
    session.undo()
    assert snapshot(session.project) == start


def test_arrows_without_a_map_and_a_brush_longer_than_a_wrapping_map_do_no_harm(window, qtbot):
    session = window.session
    window.show_stage("draw")
    basin = session.project.maps[1]
    assert basin.wrap
    session.choose_map(basin)
    window.mapside.strip.layers.add_tiles()
    from knitground.core.edit.sizes import Margins

    session.resize_map(basin, Margins(right=16))
    session.take(TileInHand(TileRef("props", 0, 4), 4))
    session.choose_tool("paint")
    session.set_size(64)
    settle()
    view = window.mapside.view
    view.fit()
    settle()
    click(view, view.screen_at(24, 40))
    settle()
    assert session.layer.cells.shape == (48, 64)
    assert (session.layer.cells > 0).all()
    for map_ in list(session.project.maps):
        session.choose_map(map_)
        window.commands.named("Delete map").action.trigger()
    for each in (Qt.Key.Key_Left, Qt.Key.Key_Return, Qt.Key.Key_W):
        QTest.keyClick(view, each)
    settle()
    assert window.crash.faults == 0


def test_a_fault_in_painting_leaves_no_painter_behind(window, monkeypatch):
    window.crash.install()
    from knitground.ui.mapside.canvas.picture import MapPicture

    def broken(self, painter, clip):
        raise IndexError("on purpose")

    with monkeypatch.context() as patched:
        patched.setattr(MapPicture, "draw_over", broken)
        window.mapside.view.repaint()
        window.mapside.view.repaint()
    assert window.crash.faults == 0  # not told in the middle of a paint
    settle()
    assert window.crash.faults == 2
    assert "on purpose" in window.notices.text.text()
    window.mapside.view.repaint()
    settle()
    assert QApplication.instance() is not None
    assert window.crash.faults == 2


def test_what_is_under_the_pointer_is_told_after_the_frame_while_something_is_drawn(window, view):
    told = []
    window.session.pointed.connect(told.append)
    move(view, view.screen_at(30, 5))
    assert told[-1].startswith("column 5, row 30")
    drag(view, view.screen_at(30, 6), view.screen_at(30, 9), release=False)
    before = len(told)
    for col in (10, 11, 12):
        move(view, view.screen_at(30, col), LEFT)
    assert len(told) == before, "what is drawn comes first"
    settle()
    assert len(told) == before + 1, "and only the last place is told"
    assert told[-1].startswith("column 12, row 30")
    QTest.mouseRelease(view, LEFT, NONE, view.screen_at(30, 12))
    window.session.pointed.disconnect(told.append)


# Jumps: the pointer is far from where it was looked at last


def laid(window, row=30):
    place = window.session.map.legend.place(TileRef("props", 0, 4))
    return int((window.session.layer.cells[row, 4:65] == place).sum())


def jump(view, row=30, **how):
    drag(view, view.screen_at(row, 4), view.screen_at(row, 64), **how)


def test_a_jump_is_laid_at_once_is_one_step_and_what_a_slow_stroke_is(window, view):
    session = window.session
    jump(view, release=False)
    assert laid(window) == 61
    QTest.mouseRelease(view, LEFT, NONE, view.screen_at(30, 64))
    assert not session.in_gesture
    assert session.doc.history.names == ["Paint Tile 4 · props"]
    row_30 = session.layer.cells[30].copy()
    session.undo()
    assert session.doc.is_saved
    assert laid(window) == 0
    drag(view, *(view.screen_at(30, col) for col in range(4, 65)))
    assert (session.layer.cells[30] == row_30).all()


@pytest.mark.parametrize("kind", ["corner", "edge"])
def test_terrain_drawn_fast_is_terrain_drawn_slowly(window, view, kind):
    session = window.session
    layer = next(each for each in session.map.layers
                 if isinstance(each, GroundLayer) and each.kind_of_set.value == kind)  # fmt: skip
    _, kit = session.project.set_of(layer.tileset, layer.set_name)
    session.choose_layer(layer)
    session.take(TerrainInHand(layer.tileset, layer.set_name, 1, kit.terrains[0].name))
    wake(window)
    made = []
    for parts in (1, 8, 40):  # of a way whose places lie on whole pixels of the screen
        begin, part = view.screen_at(8, 6), QPoint(400, 160) / parts
        drag(view, *(begin + part * n for n in range(parts + 1)))
        session.doc.ensure_all(session.map)
        assert len(session.doc.history.names) == 1
        made.append((layer.terrain.copy(), layer.cells.copy()))
        session.undo()
    first = made[0]
    for terrain, cells in made[1:]:
        assert (terrain == first[0]).all()
        assert (cells == first[1]).all()


def test_a_straight_line_is_laid_while_the_button_is_still_down(window, view):
    jump(view)
    here = view.screen_at(34, 4)  # it begins where the last stroke ended
    drag(view, here, modifiers=Qt.KeyboardModifier.ShiftModifier, release=False)
    assert window.session.in_gesture
    place = window.session.map.legend.place(TileRef("props", 0, 4))
    assert (window.session.layer.cells[30:35] == place).any(axis=0)[4:65].all()
    QTest.mouseRelease(view, LEFT, Qt.KeyboardModifier.ShiftModifier, here)
    settle()
    assert len(window.session.doc.history.names) == 2


def test_a_fault_in_a_stroke_leaves_a_usable_window(window, view, monkeypatch):
    def broken(*_, **__):
        raise ZeroDivisionError

    session = window.session
    with monkeypatch.context() as patched:
        patched.setattr("knitground.ui.mapside.tools.brushes.plan_dabs", broken)
        with pytest.raises(ZeroDivisionError):
            jump(view)
    QTest.mouseRelease(view, LEFT, NONE, view.screen_at(30, 64))
    settle()
    assert not session.in_gesture
    assert not session.doc.in_stroke
    session.undo()
    assert laid(window) == 0
    assert session.doc.is_saved
    jump(view)
    assert laid(window) == 61


def test_a_jump_that_is_called_off_before_its_release_leaves_nothing(window, view):
    jump(view, release=False)
    QTest.keyClick(view, Qt.Key.Key_Escape)
    QTest.mouseRelease(view, LEFT, NONE, view.screen_at(30, 64))
    settle()
    assert window.session.doc.is_saved
    assert laid(window) == 0
