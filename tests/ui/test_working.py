"""What comes while work goes on beside the window: edits wait, strokes are refused, keys act."""

from threading import Event

import pytest
from PySide6.QtCore import QEvent, QObject, QPoint, Qt, QTimer
from PySide6.QtGui import QCloseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit, QProgressDialog, QPushButton
from tests.ui.conftest import click, props_view, settle, wake

from knitground.core.edit.hand import TileInHand
from knitground.core.edit.layers import lock_layer, rename_layer
from knitground.core.model.tile import TileRef
from knitground.ui.common.tasks import run_with_progress, wait_for_jobs, work_title


@pytest.fixture
def no_window(monkeypatch):
    """No progress window comes up, however slow the machine is."""
    monkeypatch.setattr("knitground.ui.common.tasks.SHOW_AFTER_MS", 60_000)


@pytest.fixture
def work(window, no_window):
    """Work on the document that goes on until it is let go."""
    wake(window)
    go_on = Event()
    window.session.run_long("Working…", lambda _: go_on.wait(20), lambda _: None)
    yield go_on
    let_go(go_on)
    assert not work_title()
    assert not window.session.doc.is_leased


@pytest.fixture
def view(window):
    """The map, with a tile in hand for the layer of props."""
    view = props_view(window)
    window.session.take(TileInHand(TileRef("props", 0, 4), 4))
    wake(window)
    return view


def steps(window):
    return window.session.doc.history.names


def rename(window, name, layer=0):
    session = window.session
    return session.do(lambda: rename_layer(session.map, session.map.layers[layer], name))


def let_go(work):
    work.set()
    assert wait_for_jobs()
    settle()


def test_edits_wait_for_work_and_come_in_their_order(window, work):
    layer = window.session.map.layers[0]
    before = layer.name
    rename(window, "First")
    rename(window, "Second")
    window.session.apply(lock_layer(window.session.map, layer, True), "key")
    QApplication.processEvents()
    assert layer.name == before
    assert steps(window) == []
    let_go(work)
    assert layer.name == "Second"
    assert layer.locked
    assert len(steps(window)) == 3


def test_an_edit_that_was_made_for_something_else_is_refused_with_a_note(window, no_window):
    session = window.session
    first, second = session.map.layers[:2]
    go_on = Event()
    session.run_long("Working…", lambda _: go_on.wait(20), lambda _: rename(window, "Done"))
    session.apply(rename_layer(session.map, second, "Late"))
    let_go(go_on)
    assert first.name == "Done"
    assert second.name != "Late"
    assert "came too early" in window.notices.text.text()


def test_strokes_and_undo_are_refused_with_a_note_and_tools_are_taken(window, view, work):
    click(view, view.screen_at(5, 5))
    assert "has to wait" in window.notices.text.text()
    window.session.note("")
    window.session.undo()
    assert "has to wait" in window.notices.text.text()
    QTest.keyClick(view, Qt.Key.Key_E)
    assert window.session.tool == "erase", "what changes no project needs not wait"
    QTest.keyClick(view, Qt.Key.Key_P)
    let_go(work)
    assert steps(window) == []
    assert not window.session.in_gesture
    click(view, view.screen_at(5, 5))
    assert len(steps(window)) == 1


def test_nothing_is_greyed_while_work_goes_on(window):
    go_on, greyed = Event(), []

    class Watch(QObject):
        def eventFilter(self, watched, event):  # noqa: N802 - Qt's name
            if event.type() is QEvent.Type.EnabledChange:
                greyed.append(watched)
            return False

    watch = Watch()
    QApplication.instance().installEventFilter(watch)
    window.session.run_long("Working…", lambda _: go_on.wait(20), lambda _: None)
    QApplication.processEvents()
    let_go(go_on)
    QApplication.instance().removeEventFilter(watch)
    assert greyed == []


def test_behind_a_progress_window_nothing_is_done_and_cancel_works(window, view, qtbot):
    ended = []

    def work(progress):
        for _ in range(4000):
            progress(0.3)
            Event().wait(0.005)

    run_with_progress(window.shell, "Working…", work, ended.append,
                      lambda error: ended.append(str(error)), window.session.doc)  # fmt: skip
    qtbot.waitUntil(lambda: window.shell.findChild(QProgressDialog) is not None, timeout=3000)
    dialog = window.shell.findChild(QProgressDialog)
    qtbot.waitUntil(dialog.isVisible, timeout=3000)
    assert QApplication.activeModalWidget() is dialog, "no other window takes input"
    assert dialog.windowModality() is Qt.WindowModality.ApplicationModal
    click(dialog.findChild(QPushButton), QPoint(5, 5))
    qtbot.waitUntil(lambda: bool(ended), timeout=3000)
    settle()
    assert "called off" in ended[0]
    click(view, view.screen_at(5, 5))
    assert len(steps(window)) == 1


def test_only_one_piece_of_such_work_goes_on_at_a_time(window, work, tmp_path):
    ran = []
    window.session.run_long("Filling…", lambda _: ran.append(1), ran.append)
    assert window.notices.text.text() == "“Filling” has to wait: “Working” still goes on"
    assert not window.files.save_to(tmp_path / "here")
    assert "“Saving” has to wait" in window.notices.text.text()
    name = window.session.project.name
    window.files.new_project()
    assert window.session.project.name == name
    close = QCloseEvent()
    QApplication.sendEvent(window.shell, close)
    assert not close.isAccepted()
    assert "“Working” still goes on" in window.notices.text.text()
    let_go(work)
    assert ran == []
    assert not (tmp_path / "here").exists()
    assert window.files.save_to(tmp_path / "here")


def test_what_comes_while_another_project_is_opened_is_for_neither(window, tmp_path, no_window):
    assert window.files.save_to(tmp_path / "here")
    old = window.session.project
    layer = old.maps[0].layers[0]
    before = layer.name
    window.files.open_project(tmp_path / "here")
    rename(window, "Late")
    assert wait_for_jobs()
    settle()
    assert window.session.project is not old
    assert layer.name == before
    assert window.session.map.layers[0].name == before


@pytest.mark.usefixtures("no_window")
def test_an_edit_during_a_save_comes_after_it_and_is_not_saved(window, tmp_path):
    session = window.session
    rename(window, "Before")
    assert not session.doc.is_saved
    seen = []

    def during():
        seen.append(session.doc.is_leased)
        rename(window, "During")

    QTimer.singleShot(0, during)
    assert window.files.save_to(tmp_path / "here")
    assert seen == [True]
    assert session.map.layers[0].name == "During"
    assert len(steps(window)) == 2
    assert not session.doc.is_saved
    session.undo()
    assert session.doc.is_saved


def test_what_is_being_written_is_part_of_what_is_worked_on(window):
    wake(window)
    field = QLineEdit(window.shell)
    field.show()
    field.setFocus()
    layer = window.session.map.layers[0]
    field.editingFinished.connect(
        lambda: window.session.apply(rename_layer(window.session.map, layer, field.text()))
    )
    QTest.keyClicks(field, "Half written")
    seen, go_on = [], Event()

    def work(_):
        seen.append(layer.name)
        go_on.wait(20)

    window.session.run_long("Working…", work, lambda _: None)
    assert field.hasFocus(), "and one can write on"
    QTest.keyClicks(field, " name")
    let_go(go_on)
    assert seen == ["Half written"]
    assert field.text() == "Half written name"
    field.deleteLater()


@pytest.mark.usefixtures("no_window")
def test_a_fault_when_work_ends_holds_nothing_back(window, monkeypatch):
    monkeypatch.setattr("sys.excepthook", lambda *_: None)
    go_on = Event()

    def fails(_):
        raise ValueError("of ours")

    window.session.run_long("Working…", lambda _: go_on.wait(20), fails)
    rename(window, "After all")
    let_go(go_on)
    assert not work_title()
    assert window.session.map.layers[0].name == "After all"
