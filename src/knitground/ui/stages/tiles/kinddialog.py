"""A kind of area: its name, letter and colour."""

from __future__ import annotations

from PySide6.QtGui import QColor
from PySide6.QtWidgets import QColorDialog, QLabel, QLineEdit, QWidget

from knitground.core.base.tongue import say
from knitground.core.model.limits import MAX_NAME
from knitground.core.model.shapes import ShapeKind
from knitground.ui.common.dialog import Dialog
from knitground.ui.common.widgets import button, column, row

_NEW = ShapeKind(say("new"), "N", "#6B6672")


class KindDialog(Dialog):
    """Asks for all that a kind is."""

    def __init__(self, old: ShapeKind | None, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(say("New kind") if old is None else say("Kind “{name}”", name=old.name))
        self.name = QLineEdit("" if old is None else old.name)
        self.name.setMaxLength(MAX_NAME)
        self.name.setPlaceholderText(say("what it is to the game"))
        self.letter = QLineEdit("" if old is None else old.letter)
        self.letter.setMaxLength(1)
        self.letter.setFixedWidth(36)
        self.letter.setToolTip(say("Stands on the shapes; empty takes one that is free"))
        self.colour = (old or _NEW).colour
        self.paint = button(say("Colour…"), self._pick, say("Colour of the shapes"))
        self.buttons = self.make_buttons()
        self.setLayout(column(
            row(QLabel(say("Name")), self.name, QLabel(say("Letter")), self.letter, self.paint),
            self.buttons, margins=14,
        ))  # fmt: skip
        self._show()

    def _pick(self) -> None:
        found = QColorDialog.getColor(QColor(self.colour), self, say("Colour of the kind"))
        if found.isValid():
            self.colour = found.name()
            self._show()

    def _show(self) -> None:
        self.paint.setText(say("Colour {colour}…", colour=self.colour.upper()))

    def kind(self) -> ShapeKind:
        """Give the kind as it was filled in; its letter may be empty."""
        return ShapeKind(self.name.text().strip(), self.letter.text(), self.colour)
