"""What all dialogs of the program are."""

from __future__ import annotations

from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QDialog


class Dialog(QDialog):
    """A dialog that is as large as its parts need.

    Qt gives a dialog its size before the parts have the window's fonts and borders, with which they
    need more: words were cut.
    """

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        layout = self.layout()
        if layout is not None:
            layout.activate()
        self.resize(self.size().expandedTo(self.minimumSizeHint()))
