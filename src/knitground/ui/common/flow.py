"""Parts one after another, in as many rows as they need."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QWidget

_SPACING = 4


class Flow(QWidget):
    """Lays its parts out in rows; what has no room beside the others begins a new one."""

    laid = Signal(int)
    """The height that all rows take, in px, when it has changed."""

    def __init__(self) -> None:
        super().__init__()
        self.parts: list[QWidget] = []

    def put(self, parts: Sequence[QWidget]) -> None:
        """Show other parts; those that were here are gone."""
        for gone in self.parts:
            gone.hide()
            gone.deleteLater()
        self.parts = list(parts)
        for part in self.parts:
            part.setParent(self)
            part.show()
        self._lay()

    def take(self, part: QWidget) -> None:
        """Show all but one of its parts."""
        if part in self.parts:
            self.parts.remove(part)
            part.hide()
            part.deleteLater()
            self._lay()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._lay()

    def _lay(self) -> None:
        across = down = 0
        high = max((each.sizeHint().height() for each in self.parts), default=0)
        for part in self.parts:
            wide = min(part.sizeHint().width(), self.width())
            if across and across + wide > self.width():
                across, down = 0, down + high + _SPACING
            part.setGeometry(across, down, wide, high)
            across += wide + _SPACING
        if down + high != self.minimumHeight():
            self.setMinimumHeight(down + high)
            self.laid.emit(down + high)
