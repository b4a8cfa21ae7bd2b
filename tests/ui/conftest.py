import shutil
import sys
from contextlib import contextmanager

import pytest
from PySide6.QtCore import QCoreApplication, QEvent, QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMessageBox

from knitground.core.model.project import Project
from knitground.ui import tour
from knitground.ui.common.pulse import begin_pulse
from knitground.ui.common.theme import THEMES, theme
from knitground.ui.project.memory import Memory
from knitground.ui.shell import Shell
from knitground.ui.start import make_app
from knitground.ui.window import Window


def settle():
    """Let the window finish what it is doing; thumbnails may come later."""
    tour.settle(3)


def settle_view(view):
    """Wait until a view of the map has drawn all of its pieces, however busy the machine is."""
    for _ in range(100):
        settle()
        begin_pulse()
        view.grab()  # whether a paint has come by itself or not
        if not view.cold:
            return


def rest(window):
    """Let the window do what it does in idle moments: tests are too short for any by itself."""
    while window._idle.isActive():
        begin_pulse()
        window._work_off()
    settle()


LAYERS = ["Pans", "Causeway", "Props", "Dykes", "Shore growth", "Places", "Evening"]
"""Of the demo's Harbour pans, back one first."""
LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton
NONE = Qt.KeyboardModifier.NoModifier


@pytest.fixture(scope="session")
def qapp():
    return make_app()


EXEC = QMessageBox.exec


@pytest.fixture(autouse=True)
def unasked(monkeypatch):
    """A question that a test does not answer fails it, instead of standing there for ever."""

    def fail(box):
        raise AssertionError(f"asked: {box.text()} {box.informativeText()}")

    monkeypatch.setattr(QMessageBox, "exec", fail)


@pytest.hookimpl(wrapper=True)
def pytest_runtest_setup(item):
    """Paint the window once, when all fixtures of a test have done what they do to it."""
    result = yield
    if "house" in item.fixturenames:
        wake(item._request.getfixturevalue("house"))
    return result


def wake(window):
    """Paint the window from now on."""
    if not window.shell.updatesEnabled():
        window.shell.setUpdatesEnabled(True)
        # One that came while the window took none is lost, and Qt would wait for it for ever.
        QCoreApplication.postEvent(window.shell, QEvent(QEvent.Type.UpdateRequest))
        settle_view(window.mapside.view)


class Houses:
    """One window for all tests of a process: making it takes longer than most of them."""

    def __init__(self, memory):
        self.memory, self._window = memory, None

    def window(self):
        if self._window is None:
            shell = Shell()
            self._window = Window(shell, Memory(self.memory))
            self._window._idle.setInterval(3_600_000)  # see `rest`
            self._window.stages["proof"].prover.by_itself = False  # who wants it shows Proof
            shell.show()
            settle()
        return self._window

    def leave(self):
        """Let the next test have a new window: for tests that leave this one in any state."""
        window, self._window = self._window, None
        if window is None:
            return
        window.session.doc.mark_saved()
        window.shell.close()
        settle()
        window.shell.deleteLater()
        settle()


@pytest.fixture(scope="session")
def houses(qapp, tmp_path_factory):
    made = Houses(tmp_path_factory.mktemp("memory"))
    yield made
    made.leave()


@pytest.fixture
def house(houses):
    return houses.window()


@contextmanager
def cleaned(house, memory, project):
    """The window as it is when it has just been opened; when a test ends, nothing goes on in it."""
    hook = sys.excepthook
    house.shell.setUpdatesEnabled(False)  # see `pytest_runtest_setup`
    as_new(house, memory, project)
    tour.settle(1)
    house.mapside.view.fit()
    yield house
    sys.excepthook = hook
    house.shell.setUpdatesEnabled(False)
    house.session.cancel_gesture()
    house.session.doc.cancel_stroke()
    house.session.doc.mark_saved()
    tour.settle(1)


@pytest.fixture
def empty_window(house, qtbot, tmp_path):
    """A real window without a project, as it is when it has just been opened."""
    with cleaned(house, tmp_path / "memory", Project()) as window:
        yield window


def as_new(window, memory, project):
    """Bring a window back to what it is when it has just opened a project, with another memory."""
    session, shell = window.session, window.shell
    for widget in QApplication.topLevelWidgets():
        if widget is not shell and widget.isVisible():
            widget.close()
    window.memory = window.files.memory = window.start.memory = Memory(memory)
    window.files.presence.release()
    window.files.presence.root = window.memory.presence
    session.recipes = window.memory.recipes
    session.sizes = []
    window.first.memory = window.memory
    window.first.put_away()
    keeper = window.files.keeper
    keeper.slot.let_go()
    keeper.slot.root = window.memory.recovery
    keeper.written, keeper._job = 0, None
    keeper._timer.start()
    window.crash.faults, window.crash._log = 0, None
    window.mapside.show()
    if theme() is not THEMES["Linen"]:
        window.set_theme("Linen")
    session.open(project)
    window.notices.hide()
    window.notices.text.clear()
    shell.resize(1280, 800)
    shell.show()
    shell.raise_()
    shell.activateWindow()
    QTest.qWaitForWindowActive(shell)
    window.memory._facts.clear()
    window.show_stage("draw")
    window.splitter.setSizes([320, 900])
    session.show(playing=False)  # what is compared stands still; tests of animations let it run


@pytest.fixture
def window(house, qtbot, demo_folder, copy_of_demo, tmp_path):
    """A real window on a copy of the demo project."""
    folder = shutil.copytree(demo_folder, tmp_path / "Harl Pans")
    with cleaned(house, tmp_path / "memory", copy_of_demo(folder)) as window:
        yield window


def props_view(window, tool="paint"):
    """The map's view with the layer of props and a tool chosen, showing the whole map."""
    window.show_stage("draw")
    session = window.session
    session.choose_layer(session.map.layers[2])
    session.choose_tool(tool)
    settle()
    window.mapside.view.fit()
    return window.mapside.view


def drag(widget, *points, button=LEFT, modifiers=NONE, release=True):
    """Press at the first point, move over the others, release at the last."""
    points = [QPoint(point) for point in points]
    QTest.mouseMove(widget, points[0])
    QTest.mousePress(widget, button, modifiers, points[0])
    for point in points[1:]:
        move(widget, point, button)
    if release:
        QTest.mouseRelease(widget, button, modifiers, points[-1])


def move(widget, point, button=Qt.MouseButton.NoButton):
    """Send a move with a button held, which QTest leaves out."""
    from PySide6.QtCore import QEvent, QPointF
    from PySide6.QtGui import QMouseEvent
    from PySide6.QtWidgets import QApplication

    at = QPointF(point)
    event = QMouseEvent(
        QEvent.Type.MouseMove,
        at,
        QPointF(widget.mapToGlobal(point)),
        Qt.MouseButton.NoButton,
        button,
        NONE,
    )
    QApplication.sendEvent(widget, event)


def click(widget, point, button=LEFT, modifiers=NONE):
    drag(widget, point, button=button, modifiers=modifiers)


def pixels(widget):
    """What a widget shows, as (h, w) uint32; a map with all of its pieces drawn."""
    import numpy as np

    for _ in range(100):
        image = widget.grab().toImage()
        if not getattr(widget, "cold", 0):
            break
        tour.settle(1)
    from PySide6.QtGui import QImage

    image = image.convertToFormat(QImage.Format.Format_RGB32)
    raw = np.frombuffer(image.constBits(), np.uint32).reshape(image.height(), image.width())
    return raw.copy()


def draw_thumbs(strip):
    """Have the small pictures of all layers drawn; one comes in a turn."""
    strip._draw_thumbs()
    while strip._to_draw:
        QApplication.processEvents()
