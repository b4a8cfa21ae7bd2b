"""Touch pads: two fingers move what is seen, a pinch zooms; a wheel with notches zooms as ever."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QInputDevice, QNativeGestureEvent, QWheelEvent

_A_STEP = 0.22
"""How far fingers go apart, as a part of their distance, for one step of the zoom."""


def moved_by(event: QWheelEvent) -> QPointF | None:
    """Tell by how many pixels two fingers moved; None if it is a wheel that was turned.

    With Ctrl or Shift it means what it means with a wheel.
    """
    if event.modifiers() & (
        Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    ):
        return None
    device = event.pointingDevice()
    pad = device is not None and device.type() == QInputDevice.DeviceType.TouchPad
    fingers = pad or event.phase() != Qt.ScrollPhase.NoScrollPhase
    if not fingers or event.pixelDelta().isNull():
        return None
    return QPointF(event.pixelDelta())


class Pinch:
    """Adds up how far fingers go apart, and gives whole steps of the zoom."""

    def __init__(self) -> None:
        self._apart = 0.0

    def steps(self, event: QEvent) -> int | None:
        """Give the steps that an event comes to, often 0; None if it is no pinch."""
        if not isinstance(event, QNativeGestureEvent):
            return None
        kind = event.gestureType()
        if kind == Qt.NativeGestureType.BeginNativeGesture:
            self._apart = 0.0
        if kind != Qt.NativeGestureType.ZoomNativeGesture:
            return None
        self._apart += event.value()
        steps = int(self._apart / _A_STEP)
        self._apart -= steps * _A_STEP
        return steps
