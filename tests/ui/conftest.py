import shutil

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from knitground.core.files.opening import open_project
from knitground.ui import tour
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
        if not view.cold:
            return


LAYERS = ["Pans", "Causeway", "Props", "Dykes", "Shore growth", "Places", "Evening"]
"""Of the demo's Harbour pans, back one first."""
LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton
NONE = Qt.KeyboardModifier.NoModifier


@pytest.fixture(scope="session")
def qapp():
    return make_app()


@pytest.fixture
def empty_window(qapp, qtbot, tmp_path):
    """A real window without a project; what it remembers is the test's own."""
    shell = Shell()
    window = Window(shell, Memory(tmp_path / "memory"))
    shell.show()
    settle()
    yield window
    window.session.cancel_gesture()
    window.session.doc.cancel_stroke()
    window.session.doc.mark_saved()
    shell.close()
    settle()
    shell.deleteLater()


@pytest.fixture
def window(empty_window, demo_folder, tmp_path):
    """A real window on a copy of the demo project."""
    folder = shutil.copytree(demo_folder, tmp_path / "Harl Pans")
    empty_window.session.open(open_project(folder).project)
    settle()
    empty_window.mapside.view.fit()
    return empty_window


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
    """What a widget shows, as (h, w) uint32."""
    import numpy as np

    image = widget.grab().toImage()
    from PySide6.QtGui import QImage

    image = image.convertToFormat(QImage.Format.Format_RGB32)
    raw = np.frombuffer(image.constBits(), np.uint32).reshape(image.height(), image.width())
    return raw.copy()
