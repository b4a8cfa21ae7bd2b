"""A gesture keeps what it began with; nothing that comes meanwhile loses or falsifies work."""

from itertools import pairwise

import pytest
from PySide6.QtCore import QEventLoop, QPoint, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMessageBox, QPushButton
from shiboken6 import delete
from tests.maps import snapshot
from tests.ui.conftest import LEFT, RIGHT, click, drag, move, props_view, settle, wake

from knitground.core.edit.hand import MarkerInHand, TileInHand
from knitground.core.files.opening import open_project
from knitground.core.model.layers import MarkerLayer
from knitground.core.model.tile import TileRef
from knitground.ui.common.finder import Finder

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
    from knitground.ui.mapside.canvas.mappainter import MapPainter

    def broken(self, painter, clip):
        raise IndexError("on purpose")

    with monkeypatch.context() as patched:
        patched.setattr(MapPainter, "draw_over", broken)
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


@pytest.fixture
def behind(window, view, monkeypatch):
    """A stroke whose pointer has jumped, of which one dab is laid in a turn; before its release."""
    wake(window)
    monkeypatch.setattr("knitground.ui.mapside.tools.brushes.TURN_S", 0.0)
    drag(view, view.screen_at(30, 4), view.screen_at(30, 64), release=False)
    return view


def jump_ends(view):
    QTest.mouseRelease(view, LEFT, NONE, view.screen_at(30, 64))


def turns(count=200):
    """Every second one is for painting."""
    for _ in range(count):
        QApplication.processEvents()


def laid(window):
    place = window.session.map.legend.place(TileRef("props", 0, 4))
    return int((window.session.layer.cells[30, 4:65] == place).sum())


def test_a_jump_is_laid_turn_by_turn_and_is_one_step(window, behind):
    session, before = window.session, laid(window)
    assert before < 5, "the rest waits, so that the window goes on"
    assert not session.doc.is_saved
    jump_ends(behind)
    assert laid(window) < 8
    turns(2)
    assert before < laid(window) < 61
    move(behind, behind.screen_at(10, 10))  # the button is up: this draws nothing
    lays = []
    for _ in range(20):
        now = laid(window)
        turns(1)
        lays.append(laid(window) > now)
    assert sum(lays) > 6
    assert not any(one and two for one, two in pairwise(lays)), "what is laid is painted first"
    turns()
    assert laid(window) == 61
    assert not session.in_gesture
    assert not session.doc.in_stroke
    row_30 = session.layer.cells[30].copy()
    session.undo()
    assert session.doc.is_saved
    # Drawn slowly it comes to the same.
    places = [behind.screen_at(30, col) for col in range(4, 65)]
    drag(behind, *places)
    turns()
    assert (session.layer.cells[30] == row_30).all()


@pytest.mark.parametrize("act", ["save", "key", "press", "other button", "stage", "hide"])
def test_what_comes_while_a_jump_is_laid_finds_all_of_it(window, behind, act, tmp_path):
    session, layer = window.session, window.session.layer
    jump_ends(behind)
    if act == "save":
        window.files.save_to(tmp_path / "elsewhere")
    elif act == "key":
        QTest.keyClick(behind, Qt.Key.Key_Left)
        assert behind.cell_cursor is None
        turns()
        assert behind.cell_cursor is not None
    elif act == "stage":
        window.show_stage("ship")
    elif act == "hide":
        window.mapside.hide()
    else:
        button = LEFT if act == "press" else RIGHT
        drag(behind, behind.screen_at(5, 5), button=button, release=False)
        turns()
        assert session.in_gesture
        session.cancel_gesture()
    settle()
    assert laid(window) == 61
    assert layer is session.layer
    assert not session.in_gesture
    assert session.doc.history.names[-1] == "Paint Tile 4 · props"


@pytest.mark.parametrize("way", ["undo", "escape"])
def test_a_jump_that_is_taken_back_while_it_is_laid_can_be_done_again(window, behind, way):
    session = window.session
    jump_ends(behind)
    session.undo() if way == "undo" else QTest.keyClick(behind, Qt.Key.Key_Escape)
    turns()
    assert laid(window) == 0
    assert session.doc.is_saved
    assert not session.in_gesture
    session.redo()
    assert laid(window) == 61


def test_taking_back_a_jump_that_changed_nothing_takes_back_nothing_else(window, view, monkeypatch):
    session = window.session
    click(view, view.screen_at(5, 5))
    before = list(session.doc.history.names)
    assert len(before) == 1
    session.choose_tool("erase")
    monkeypatch.setattr("knitground.ui.mapside.tools.brushes.TURN_S", 0.0)
    session.layer.cells[30] = 0
    drag(view, view.screen_at(30, 4), view.screen_at(30, 64), release=False)
    jump_ends(view)
    assert session.in_gesture
    session.undo()
    assert session.doc.history.names == before
    assert not session.in_gesture


def lays_turn_by_turn(window, then):
    """Count the turns until something holds, and note that cells were laid in many of them."""
    seen = set()
    for _ in range(300):
        QApplication.processEvents()
        seen.add(laid(window))
        if then():
            return len(seen)
    raise AssertionError("it never came")


def test_commands_by_key_wait_in_line_until_the_jump_is_laid(window, behind):
    session = window.session
    jump_ends(behind)
    QTest.keyClick(behind, Qt.Key.Key_S)
    QTest.keyClick(behind, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.tool == "paint", "it waits"
    assert session.in_gesture
    assert laid(window) < 8, "and nothing is laid for it at once"
    assert lays_turn_by_turn(window, lambda: session.doc.history.redo_name is not None) > 50
    assert session.tool == "select"
    assert session.doc.history.redo_name == "Paint Tile 4 · props"
    session.redo()
    assert laid(window) == 61


def test_a_click_beside_the_map_waits_in_line(window, behind):
    session, layer = window.session, window.session.layer
    jump_ends(behind)
    card = next(each for each in window.mapside.strip.cards if each.layer is layer)
    QTest.mouseClick(card.eye, LEFT)
    assert layer.visible
    assert laid(window) < 8
    assert lays_turn_by_turn(window, lambda: not layer.visible) > 50
    assert session.doc.history.names[-2] == "Paint Tile 4 · props"
    assert laid(window) == 61


def test_keys_while_the_button_is_down_wait_too_and_the_stroke_goes_on_behind_them(window, behind):
    session = window.session
    QTest.keyClick(behind, Qt.Key.Key_H, Qt.KeyboardModifier.AltModifier)  # nothing: just a key
    QTest.keyClick(behind, Qt.Key.Key_L)
    move(behind, behind.screen_at(34, 64), LEFT)
    QTest.mouseRelease(behind, LEFT, NONE, behind.screen_at(34, 64))
    assert session.tool == "paint"
    lays_turn_by_turn(window, lambda: not session.in_gesture)
    place = session.map.legend.place(TileRef("props", 0, 4))
    assert (session.layer.cells[30:35, 64] == place).all(), "moves behind the key were not lost"
    assert session.tool == "line"
    assert session.doc.history.names == ["Paint Tile 4 · props"]


def test_a_stroke_that_waits_behind_a_jump_is_the_one_that_was_drawn(window, behind):
    session = window.session
    jump_ends(behind)
    drag(behind, *(behind.screen_at(40, col) for col in (4, 30, 20)))
    QTest.keyClick(behind, Qt.Key.Key_E)
    drag(behind, behind.screen_at(40, 10), behind.screen_at(40, 12))
    assert laid(window) < 8
    lays_turn_by_turn(window, lambda: len(session.doc.history.names) == 3)
    turns()
    place = session.map.legend.place(TileRef("props", 0, 4))
    row = session.layer.cells[40, 4:31] == place
    assert laid(window) == 61
    assert row.sum() == 27 - 3
    assert not row[6:9].any(), "the eraser came last, as it did in time"
    assert not session.in_gesture


def test_what_comes_through_the_system_waits_as_well(window, view, monkeypatch):
    """Keys and buttons as they come from the screen: to the window, which finds the widget."""
    wake(window)
    monkeypatch.setattr("knitground.ui.mapside.tools.brushes.TURN_S", 0.0)
    session, layer, handle = window.session, window.session.layer, window.shell.windowHandle()
    start, end = (view.mapTo(window.shell, view.screen_at(30, col)) for col in (4, 64))
    for button in (LEFT, RIGHT):  # another test may have left one down
        QTest.mouseRelease(window.shell, button)
    QTest.mousePress(handle, LEFT, NONE, start)
    QTest.mouseMove(handle, end)
    QTest.mouseRelease(handle, LEFT, NONE, end)
    card = next(each for each in window.mapside.strip.cards if each.layer is layer)
    QTest.mouseClick(handle, LEFT, NONE, card.eye.mapTo(window.shell, card.eye.rect().center()))
    QTest.keyClick(handle, Qt.Key.Key_L)
    assert layer.visible
    assert session.tool == "paint"
    assert laid(window) < 8
    assert lays_turn_by_turn(window, lambda: session.tool == "line") > 50
    assert not layer.visible
    assert laid(window) == 61


def test_what_is_written_behind_a_jump_is_text_and_not_a_command(window, behind):
    session = window.session
    tool = session.tool
    jump_ends(behind)
    QTest.keyClick(behind, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
    for each in (Qt.Key.Key_L, Qt.Key.Key_E):  # keys of two tools
        QTest.keyClick(window.shell.windowHandle(), each)
    found = lambda: [each for each in QApplication.topLevelWidgets() if isinstance(each, Finder)]  # noqa: E731
    lays_turn_by_turn(window, lambda: found() and found()[0].field.text() == "le")
    assert session.tool == tool
    assert laid(window) == 61
    found()[0].close()


@pytest.mark.parametrize("dialog", [True, False])
def test_what_waits_behind_a_dialog_that_has_come_up_is_dropped(window, behind, dialog):
    """Behind something else that is waited for, such as a save, it comes after that."""
    session = window.session
    jump_ends(behind)
    asked = []

    def asks():
        loop, box = QEventLoop(), QMessageBox(window.shell)
        box.setModal(True)
        box.setVisible(dialog)
        QTimer.singleShot(30, loop.quit)
        asked.append(loop)
        loop.exec()
        box.hide()
        box.deleteLater()
        session.choose_tool("paint")

    window.commands.named("Select").action.triggered.connect(asks)
    QTest.keyClick(behind, Qt.Key.Key_S)
    QTest.mouseClick(behind, LEFT, NONE, behind.screen_at(5, 5))
    lays_turn_by_turn(window, lambda: asked)
    turns()
    window.commands.named("Select").action.triggered.disconnect(asks)
    assert len(session.doc.history.names) == (1 if dialog else 2)
    click(behind, behind.screen_at(5, 6))
    assert len(session.doc.history.names) == (2 if dialog else 3), "and then everything goes on"


def test_a_click_does_not_go_through_a_dialog_that_has_come_up_before_it(window, behind):
    session = window.session
    jump_ends(behind)
    box = QMessageBox(window.shell)
    window.commands.named("Select").action.triggered.connect(box.open)
    QTest.keyClick(behind, Qt.Key.Key_S)
    drag(behind, behind.screen_at(5, 5), behind.screen_at(8, 8))
    lays_turn_by_turn(window, box.isVisible)
    turns()
    window.commands.named("Select").action.triggered.disconnect(box.open)
    assert box.isVisible()
    assert session.selection is None
    box.hide()
    box.deleteLater()
    drag(behind, behind.screen_at(5, 5), behind.screen_at(8, 8))
    assert session.selection is not None


def test_what_waits_for_a_widget_that_is_gone_goes_nowhere(window, behind):
    session = window.session
    gone = QPushButton("gone", window.shell)
    gone.show()
    jump_ends(behind)
    QTest.mouseClick(gone, LEFT)
    delete(gone)
    QTest.keyClick(behind, Qt.Key.Key_L)
    lays_turn_by_turn(window, lambda: session.tool == "line")
    assert laid(window) == 61
    assert not session.in_gesture


def test_a_straight_line_is_laid_while_the_button_is_still_down(window, behind):
    jump_ends(behind)
    turns()
    assert len(window.session.doc.history.names) == 1
    here = behind.screen_at(34, 4)  # it begins where the last stroke ended
    drag(behind, here, modifiers=Qt.KeyboardModifier.ShiftModifier, release=False)
    turns()
    assert window.session.in_gesture
    place = window.session.map.legend.place(TileRef("props", 0, 4))
    assert (window.session.layer.cells[30:35] == place).any(axis=0)[4:65].all()
    QTest.mouseRelease(behind, LEFT, Qt.KeyboardModifier.ShiftModifier, here)
    settle()
    assert len(window.session.doc.history.names) == 2


def test_a_fault_in_a_dab_comes_once_and_leaves_a_usable_window(window, behind, monkeypatch, qtbot):
    def broken(*_, **__):
        raise ZeroDivisionError

    with monkeypatch.context() as patched:
        patched.setattr("knitground.ui.mapside.tools.brushes.plan_dab", broken)
        with qtbot.captureExceptions() as faults:
            for _ in range(20):
                QApplication.processEvents()
    assert [kind for kind, *_ in faults] == [ZeroDivisionError]
    jump_ends(behind)
    settle()
    session = window.session
    assert not session.in_gesture
    assert not session.doc.in_stroke
    session.undo()
    assert laid(window) == 0
    assert session.doc.is_saved


def test_input_behind_a_jump_that_fails_does_not_wait_for_ever(window, behind, monkeypatch, qtbot):
    def broken(*_, **__):
        raise ZeroDivisionError

    jump_ends(behind)
    QTest.keyClick(behind, Qt.Key.Key_L)
    with monkeypatch.context() as patched:
        patched.setattr("knitground.ui.mapside.tools.brushes.plan_dab", broken)
        with qtbot.captureExceptions() as faults:
            turns(10)
    assert [kind for kind, *_ in faults] == [ZeroDivisionError]
    turns(10)
    assert window.session.tool == "line"
    assert not window.session.in_gesture
    click(behind, behind.screen_at(5, 5))
    assert window.session.doc.history.names[-1].startswith("Line")


def test_a_jump_that_is_called_off_before_its_release_leaves_nothing(window, behind):
    QTest.keyClick(behind, Qt.Key.Key_Escape)
    jump_ends(behind)
    settle()
    assert window.session.doc.is_saved
    assert laid(window) == 0
