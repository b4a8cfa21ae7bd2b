"""Input that waits in line while something is finished, and comes in its order afterwards."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from time import perf_counter

from PySide6.QtCore import QCoreApplication, QEvent, QObject
from PySide6.QtGui import (
    QAction,
    QGuiApplication,
    QKeyEvent,
    QMouseEvent,
    QWindow,
)
from PySide6.QtWidgets import QAbstractSpinBox, QApplication, QLineEdit, QWidget
from shiboken6 import delete, isValid

INPUT = frozenset(
    {
        QEvent.Type.KeyPress, QEvent.Type.KeyRelease, QEvent.Type.Shortcut, QEvent.Type.Wheel,
        QEvent.Type.MouseButtonPress, QEvent.Type.MouseButtonRelease, QEvent.Type.MouseMove,
        QEvent.Type.MouseButtonDblClick, QEvent.Type.ContextMenu,
    }
)  # fmt: skip
_TURN_S = 0.01
"""How long input that has waited is handed on in one turn of the interface."""


class InputLine:
    """What waits.

    Parameters
    ----------
    come_again : called before anything is handed on: if that opens a dialog which waits for an
        answer, the rest has to be looked at in there
    """

    def __init__(self, come_again: Callable[[], object]) -> None:
        self._come_again = come_again
        self._waiting: deque[tuple[QObject, QEvent]] = deque()
        self.hands_on = False
        """Whether something that has waited is being handled just now."""

    def __bool__(self) -> bool:
        return bool(self._waiting)

    def add(self, watched: QObject, event: QEvent) -> None:
        """Let input wait, one of the kinds in `INPUT`."""
        self._waiting.append((watched, event.clone()))

    def will_be_written(self) -> bool:
        """Whether what waits will take keys for itself: they are text then, not shortcuts."""
        return any(_takes_text(watched, each) for watched, each in self._waiting)

    def hand_on(self, may: Callable[[], bool]) -> None:
        """Hand on what waits, in its order, as long as it may, or until the turn is over."""
        until = perf_counter() + _TURN_S
        while self._waiting and may() and perf_counter() < until:
            watched, event = self._waiting.popleft()
            self._come_again()
            self.hands_on = True
            try:
                _send(watched, event)
            finally:
                self.hands_on = False
                delete(event)

    def let_out(self) -> None:
        """Forget what waits."""
        while self._waiting:
            delete(self._waiting.popleft()[1])


def _takes_text(watched: QObject, event: QEvent) -> bool:
    """Whether input brings up something to write in: a press on a field, a command with “…”."""
    if event.type() is QEvent.Type.Shortcut:
        return isinstance(watched, QAction) and watched.text().endswith("…")
    if event.type() is not QEvent.Type.MouseButtonPress or not isinstance(event, QMouseEvent):
        return False
    under = QApplication.widgetAt(event.globalPosition().toPoint())
    return isinstance(under, QLineEdit | QAbstractSpinBox)


def _send(watched: QObject, event: QEvent) -> None:
    """Send input to where it went, or to where it goes by now.

    Nowhere if that is gone, or behind a dialog that is to be answered first.
    """
    if QApplication.activeModalWidget() and not isinstance(event, QKeyEvent):
        return
    to: QObject | None = watched
    if isinstance(watched, QWindow):
        if isinstance(event, QKeyEvent):
            popup = QApplication.activePopupWidget()
            to = (popup.focusWidget() or popup) if popup else QApplication.focusWidget()
        there = to is not None and watched in QGuiApplication.allWindows()
    elif isinstance(watched, QWidget):
        there = watched in QApplication.allWidgets()
    else:
        there = isValid(watched)
    if there and to is not None:
        QCoreApplication.sendEvent(to, event)
