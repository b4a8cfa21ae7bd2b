"""What all dialogs of the program are."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent, QShowEvent
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QPushButton

from knitground.ui.common.helping import help_bell


class Dialog(QDialog):
    """A dialog that is as large as its parts need.

    Qt gives a dialog its size before the parts have the window's fonts and borders, with which they
    need more: words were cut. F1 asks for help about it.
    """

    ok: QPushButton
    """The button that does what is asked, once there are buttons."""

    def make_buttons(self, act: str = "OK") -> QDialogButtonBox:
        """Make the buttons at its foot: the one that does it, and Cancel."""
        made = QDialogButtonBox(
            QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel
        )
        self.ok = made.button(QDialogButtonBox.StandardButton.Ok)
        self.ok.setText(act)
        made.accepted.connect(self.accept)
        made.rejected.connect(self.reject)
        return made

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_F1:
            help_bell().wanted.emit(self)
        else:
            super().keyPressEvent(event)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        layout = self.layout()
        if layout is not None:
            layout.activate()
        self.resize(self.size().expandedTo(self.minimumSizeHint()))
