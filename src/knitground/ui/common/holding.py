"""The window takes no input while work beside it reads or changes what it shows.

Nothing is greyed: most such work takes a few hundredths of a second, and a window that flashes at
each fill hurts. What is typed and clicked meanwhile waits in line and comes in its order, as long
as no progress window has come up and the work was on the document that is shown.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache

from PySide6.QtCore import QEvent, QObject, QTimer
from PySide6.QtWidgets import QApplication, QWidget
from shiboken6 import isValid

from knitground.ui.common.inputline import INPUT, InputLine

_DROPS = frozenset({QEvent.Type.DragEnter, QEvent.Type.DragMove, QEvent.Type.Drop})


class Hold(QObject):
    """Holds input back while there is work, and hands it on when all of it has ended."""

    def __init__(self, app: QApplication) -> None:
        super().__init__(app)
        self._app = app
        self._works = self._loops = 0
        self._keeps = True
        self._windows: list[QWidget] = []
        self._dialog: QWidget | None = None
        """What had to be answered first when the work began."""
        self._turn = QTimer(self, singleShot=True, interval=0)
        self._turn.timeout.connect(self._go_on)
        self._line = InputLine(self._turn.start)

    @property
    def is_on(self) -> bool:
        """Whether there is work."""
        return self._works > 0

    @property
    def has_waiting(self) -> bool:
        """Whether input waits for work, or for its turn after it."""
        return bool(self._line)

    def begin(self, *, keeps: bool) -> None:
        """Hold input back from now on; `keeps` whether it comes afterwards or is dropped."""
        if not self._works:
            self._dialog, self._keeps = QApplication.activeModalWidget(), True
            self._app.installEventFilter(self)
        self._works += 1
        self._keeps = self._keeps and keeps
        if not keeps:
            self._line.let_out()  # what waits was meant for what is shown now

    def end(self) -> None:
        """Note that some work has ended, with its progress window."""
        self._works -= 1
        if not self._works:
            self._windows.clear()
            self._turn.start()

    def let_in(self, window: QWidget) -> None:
        """Let a progress window take input. What came before was not meant for it: it goes."""
        self._windows.append(window)
        self._line.let_out()

    @contextmanager
    def loop(self) -> Iterator[None]:
        """Hold input back until whoever waits for work in a loop of his own has had his turn."""
        self._loops += 1
        try:
            yield
        finally:
            self._loops -= 1
            self._turn.start()

    @property
    def _holds(self) -> bool:
        return self._works > 0 or self._loops > 0

    def _go_on(self) -> None:
        if self._holds:
            return  # it is called again at the end
        if not self._line.hands_on:
            if _on_top() is self._dialog:
                self._line.hand_on(lambda: not self._holds)
                self._turn.stop()
            else:
                self._line.let_out()
        elif _on_top() is not self._dialog:
            self._line.let_out()  # what waits was not meant for what has come up
        if self._line:
            self._turn.start()
        elif not self._holds:
            self._app.removeEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        kind = event.type()
        if not self._holds and (self._line.hands_on or not self._line):
            return False
        if kind in _DROPS:
            event.ignore()
            return True
        if kind is QEvent.Type.ShortcutOverride and self._line.will_be_written():
            event.accept()
            return True
        if kind not in INPUT or self._is_let_in(watched):
            return False
        if self._keeps and not self._windows:
            self._line.add(watched, event)
        return True

    def _is_let_in(self, watched: QObject) -> bool:
        for window in self._windows:
            if isValid(window) and (
                watched is window or watched is window.windowHandle()
                or (isinstance(watched, QWidget) and window.isAncestorOf(watched))
            ):  # fmt: skip
                return True
        return False


def _on_top() -> QWidget | None:
    return QApplication.activePopupWidget() or QApplication.activeModalWidget()


@cache
def hold() -> Hold:
    """Return what holds input back in this program."""
    app = QApplication.instance()
    assert isinstance(app, QApplication), "input comes through it"
    return Hold(app)
