"""A pen: how far it is pressed sets the brush's size if wanted, its other end rubs out."""

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QPointingDevice, QTabletEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from tests.ui.conftest import move, props_view, settle

from knitground.core.edit.hand import TileInHand
from knitground.core.model.tile import TileRef

TABLET = QPointingDevice.PointerType
KINDS = {
    "press": QEvent.Type.TabletPress,
    "move": QEvent.Type.TabletMove,
    "release": QEvent.Type.TabletRelease,
}


def pen(view, kind, at, pressure, pointer=TABLET.Pen):
    """What Qt does for a pen: the tablet's event, and the mouse's where nobody took that."""
    device = QPointingDevice(
        "pen", 1, QPointingDevice.DeviceType.Stylus, pointer,
        QPointingDevice.Capability.Position | QPointingDevice.Capability.Pressure, 1, 1,
    )  # fmt: skip
    held = Qt.MouseButton.NoButton if kind == "release" else Qt.MouseButton.LeftButton
    button = Qt.MouseButton.NoButton if kind == "move" else Qt.MouseButton.LeftButton
    place = QPointF(at)
    event = QTabletEvent(
        KINDS[kind], device, place, QPointF(view.mapToGlobal(at)), pressure, 0, 0, 0, 0, 0,
        Qt.KeyboardModifier.NoModifier, button, held,
    )  # fmt: skip
    QApplication.sendEvent(view, event)
    assert not event.isAccepted()
    if kind == "press":
        QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=at)
    elif kind == "release":
        QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=at)
    else:
        move(view, at, Qt.MouseButton.LeftButton)


@pytest.fixture
def view(window):
    view = props_view(window)
    view.session.take(TileInHand(TileRef("props", 0, 5), 5))
    view.session.set_size(5)
    settle()
    return view


def laid(view):
    layer = view.session.layer
    return {tuple(at) for at in np.argwhere(layer.cells == view.session.map.legend.place_of(
        TileRef("props", 0, 5)))}  # fmt: skip


def test_a_stroke_is_as_wide_as_the_pen_is_pressed(view, window):
    ribbon, session = window.mapside.ribbon, view.session
    assert ribbon.pen.isHidden(), "nobody has a pen yet"
    view.session.layer.cells[:] = 0
    start, end = (view.screen_at(row, 30) for row in (10, 24))
    pen(view, "press", start, 0.1)
    pen(view, "release", start, 0)
    assert len(laid(view)) == 25, "not wanted: the brush is as large as it is set"
    assert not ribbon.pen.isHidden()
    session.undo()
    ribbon.pen.click()
    assert session.options.pen_size
    assert window.memory.get("pen size", False)
    pen(view, "press", start, 0.1)
    assert len(laid(view)) == 1
    pen(view, "move", end, 1.0)
    pen(view, "release", end, 0)
    rows = np.bincount([row for row, _ in laid(view)], minlength=40)
    assert rows[20] == 5, "what lies between is as wide as the pen is pressed at the end"
    assert session.doc.history.undo_name
    session.undo()
    assert not laid(view), "one step"
    assert session.desk().size == 5, "a pen that hovers shows the whole brush"
    session.open(session.project)
    assert session.options.pen_size, "it is the person's, not the project's"
    ribbon.pen.click()


def test_the_other_end_of_a_pen_rubs_out_whatever_tool_is_chosen(view):
    session = view.session
    session.layer.cells[8:12, 30:34] = session.map.legend.place(TileRef("props", 0, 5))
    there = view.screen_at(10, 32)
    session.choose_tool("box")
    session.set_options(tile_size=1)
    pen(view, "press", there, 1.0, TABLET.Eraser)
    pen(view, "release", there, 0, TABLET.Eraser)
    assert session.layer.cells[10, 32] == 0
    assert session.tool == "box"
    assert session.doc.history.undo_name.startswith("Erase")
    session.undo()
    pen(view, "press", there, 1.0)
    pen(view, "release", there, 0)
    assert session.layer.cells[10, 32] != 0, "the point draws with the tool that is chosen"
