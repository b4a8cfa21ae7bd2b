"""Input while work goes on beside the window: it waits and comes in its order, or is dropped."""

from threading import Event

import pytest
from PySide6.QtCore import QEvent, QMimeData, QObject, QPoint, Qt, QTimer
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QApplication,
    QDialog,
    QLineEdit,
    QProgressDialog,
    QPushButton,
    QWidget,
)
from tests.ui.conftest import LEFT, NONE, click, props_view, settle, wake

from knitground.core.edit.hand import TileInHand
from knitground.core.edit.layers import rename_layer
from knitground.core.model.tile import TileRef
from knitground.ui.common.holding import hold
from knitground.ui.common.tasks import run_with_progress, wait_for_jobs


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
    go_on.set()
    assert wait_for_jobs()
    settle()
    assert not hold().is_on


@pytest.fixture
def view(window):
    """The map, with a tile in hand for the layer of props."""
    view = props_view(window)
    window.session.take(TileInHand(TileRef("props", 0, 4), 4))
    wake(window)
    return view


@pytest.fixture
def tile(view):
    """Where that tile is to be laid."""
    return view.screen_at(5, 5)


def steps(window):
    return window.session.doc.history.names


def come():
    """Let what waits come, a bit in each turn."""
    for _ in range(500):
        settle()
        if not hold().has_waiting:
            return
    raise AssertionError("it waits for ever")


def let_go(work):
    work.set()
    wait_for_jobs()
    come()


def test_a_click_and_a_key_wait_for_work_and_come_in_their_order(window, view, tile, work):
    click(view, tile)
    QTest.keyClick(view, Qt.Key.Key_E)
    QApplication.processEvents()
    assert steps(window) == []
    assert window.session.tool == "paint"
    let_go(work)
    assert len(steps(window)) == 1
    assert window.session.tool == "erase"


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


def test_what_comes_before_a_progress_window_is_dropped_and_cancel_works(window, view, tile, qtbot):
    ended = []

    def work(progress):
        for _ in range(4000):
            progress(0.3)
            Event().wait(0.005)

    run_with_progress(window.shell, "Working…", work, ended.append,
                      lambda error: ended.append(str(error)), window.session.doc)  # fmt: skip
    click(view, tile)
    qtbot.waitUntil(lambda: window.shell.findChild(QProgressDialog) is not None, timeout=3000)
    dialog = window.shell.findChild(QProgressDialog)
    qtbot.waitUntil(dialog.isVisible, timeout=3000)
    click(view, tile)  # behind the window: nobody could
    click(dialog.findChild(QPushButton), QPoint(5, 5))
    qtbot.waitUntil(lambda: bool(ended), timeout=3000)
    settle()
    assert "called off" in ended[0]
    assert steps(window) == []
    click(view, tile)
    assert len(steps(window)) == 1


def test_what_comes_while_another_project_is_opened_is_not_for_that(window, view, tile):
    go_on = Event()
    run_with_progress(window.shell, "Opening…", lambda _: go_on.wait(20), print, print)
    click(view, tile)
    let_go(go_on)
    assert steps(window) == []


@pytest.mark.usefixtures("no_window")
def test_what_waits_goes_no_further_than_to_a_project_that_is_opened_next(window, view, tile):
    go_on, opened = Event(), []

    def then(_):
        run_with_progress(window.shell, "Opening…", lambda _: None, opened.append, print)

    window.session.run_long("Drawing…", lambda _: go_on.wait(20), then)
    click(view, tile)
    let_go(go_on)
    assert opened == [None]
    assert steps(window) == []
    assert not hold().has_waiting


@pytest.mark.usefixtures("no_window")
def test_a_click_during_a_save_comes_after_it_and_is_not_saved(window, view, tile, tmp_path):
    session = window.session
    click(view, tile)
    assert not session.doc.is_saved
    QTimer.singleShot(0, lambda: click(view, view.screen_at(9, 9)))
    assert window.files.save_to(tmp_path / "here")
    assert session.doc.is_saved, "it waits until the save has been settled"
    assert len(steps(window)) == 1
    come()
    assert len(steps(window)) == 2
    assert not session.doc.is_saved


def test_two_pieces_of_work_one_after_the_other_keep_the_order(window, view, tile, work):
    second, session = Event(), window.session
    starts = QPushButton(window.shell)
    starts.clicked.connect(
        lambda: session.run_long("Again…", lambda _: second.wait(20), lambda _: None)
    )
    starts.show()
    click(view, tile)
    click(starts, QPoint(5, 5))
    click(view, view.screen_at(9, 9))
    work.set()
    for _ in range(200):
        QApplication.processEvents()
        Event().wait(0.001)
    assert len(steps(window)) == 1, "the second click waits for what the button has begun"
    assert hold().is_on
    let_go(second)
    assert len(steps(window)) == 2
    starts.deleteLater()


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
    seen = []
    window.session.run_long("Working…", lambda _: seen.append(layer.name), lambda _: None)
    wait_for_jobs()
    settle()
    assert seen == ["Half written"]
    assert field.hasFocus(), "and one can write on"
    field.deleteLater()


@pytest.mark.usefixtures("no_window")
def test_a_dialog_that_work_brings_up_gets_nothing_that_was_not_meant_for_it(window, view):
    go_on, closed = Event(), []
    dialog = QDialog(window.shell)
    field = QLineEdit(dialog)
    dialog.accepted.connect(lambda: closed.append("accepted"))

    def ask(_):
        QTimer.singleShot(50, dialog.reject)
        dialog.exec()

    window.session.run_long("Working…", lambda _: go_on.wait(20), ask)
    QTest.keyClicks(view, "e")
    QTest.keyClick(view, Qt.Key.Key_Return)
    let_go(go_on)
    assert closed == []
    assert field.text() == ""
    assert window.session.tool == "paint"
    dialog.deleteLater()


def test_nothing_is_dropped_on_the_window_meanwhile(window, work):
    data = QMimeData()
    data.setText("a file")
    drop = QDropEvent(QPoint(5, 5).toPointF(), Qt.DropAction.CopyAction, data, LEFT, NONE)
    seen = []

    class Place(QWidget):
        def event(self, event):
            if event.type() in (QEvent.Type.DragEnter, QEvent.Type.Drop):
                seen.append(event.type())
                event.accept()
                return True
            return super().event(event)

    place = Place(window.shell)
    place.setAcceptDrops(True)
    enter = QDragEnterEvent(QPoint(5, 5), Qt.DropAction.CopyAction, data, LEFT, NONE)
    for event in (enter, drop):
        QApplication.sendEvent(place, event)
        assert not event.isAccepted()
    let_go(work)
    for event in (enter, drop):
        QApplication.sendEvent(place, event)
    assert seen == [QEvent.Type.DragEnter, QEvent.Type.Drop]
    place.deleteLater()


@pytest.mark.usefixtures("no_window")
def test_a_fault_when_work_ends_holds_nothing_back(window, view, tile, monkeypatch):
    monkeypatch.setattr("sys.excepthook", lambda *_: None)
    go_on = Event()

    def fails(_):
        raise ValueError("of ours")

    window.session.run_long("Working…", lambda _: go_on.wait(20), fails)
    click(view, tile)
    let_go(go_on)
    assert not hold().is_on
    assert len(steps(window)) == 1
