"""The bare window: what is there at the first paint, before the heavy parts are imported."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QTimer, Signal
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QMainWindow, QStackedWidget, QWidget

from knitground.core.base.tongue import say
from knitground.ui.rail import Rail


class Shell(QMainWindow):
    """The frame of the window: menu bar, rail, and an empty place for the rest.

    NumPy and all that needs it are imported after this has been painted once.
    """

    painted = Signal()
    dropped = Signal(list)
    """Paths of files that were dropped on the window."""

    def __init__(self) -> None:
        super().__init__()
        self.setWindowTitle("Knit Ground")
        self.resize(1280, 800)
        self.setAcceptDrops(True)
        self._painted = False
        self._then: Callable[[], object] | None = None
        self.rail = Rail()
        self.pages = QStackedWidget()
        middle = QWidget()
        layout = QHBoxLayout(middle)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.rail)
        layout.addWidget(self.pages, 1)
        self.setCentralWidget(middle)
        self.menuBar().addMenu(say("Project"))
        self.menuBar().clear()

    def after_first_paint(self, then: Callable[[], object]) -> None:
        """Run something once the window has been seen."""
        self._then = then

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        self.dropped.emit([Path(url.toLocalFile()) for url in event.mimeData().urls()])
        event.acceptProposedAction()

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if not self._painted:
            self._painted = True
            self.painted.emit()
            if self._then is not None:
                QTimer.singleShot(0, self._then)
