"""Another tileset for a map: which one instead of which, with a picture before it is done."""

from __future__ import annotations

from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QLabel,
    QVBoxLayout,
    QWidget,
)

from knitground.core.base.window import Box
from knitground.core.edit.reslice import swap_tileset
from knitground.core.model.map import Map
from knitground.core.render.atlas import Atlas
from knitground.core.render.compose import compose
from knitground.core.render.pixels import Pixels
from knitground.ui.session import Session
from knitground.ui.widgets import Swatch, note

_CELLS = 48


class SwapDialog(QDialog):
    """Shows the map as it would be with another tileset in one's place."""

    def __init__(self, session: Session, map_: Map, parent: QWidget) -> None:
        super().__init__(parent)
        self.session, self.map = session, map_
        self.setWindowTitle(f"Another tileset for “{map_.name}”")
        names = [each.name for each in session.project.tilesets]
        self.old, self.new = QComboBox(), QComboBox()
        self.old.addItems(names)
        self.new.addItems(names)
        self.new.setCurrentIndex(1)
        self.picture = Swatch()
        self.picture.setMinimumSize(420, 320)
        for box in (self.old, self.new):
            box.currentIndexChanged.connect(self.show_preview)
        buttons = QDialogButtonBox(
            QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel
        )
        buttons.button(QDialogButtonBox.StandardButton.Ok).setText("Take it")
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        form = QFormLayout()
        form.addRow("Instead of", self.old)
        form.addRow("take", self.new)
        layout = QVBoxLayout(self)
        layout.addLayout(form)
        layout.addWidget(QLabel("The map's upper left part:"))
        layout.addWidget(self.picture)
        layout.addWidget(note("Tiles keep their row and column. Undo takes it back."))
        layout.addWidget(buttons)
        self.show_preview()

    def show_preview(self) -> None:
        """Draw a part of the map as it would be; the change is made in a stroke and called off."""
        doc = self.session.doc
        if doc.in_stroke:
            return
        doc.begin_stroke("Preview")
        try:
            doc.apply(swap_tileset(self.map, self.old.currentText(), self.new.currentText()))
            self.picture.show_pixels(self._part())
        finally:
            doc.cancel_stroke()

    def _part(self) -> Pixels | None:
        box = Box(0, 0, min(_CELLS, self.map.height), min(_CELLS, self.map.width))
        stack = [
            self.session.doc.cells(self.map, layer, box)
            for layer in self.map.layers
            if layer.visible
        ]
        atlas = Atlas(self.session.project, self.map)
        return compose(atlas.at(1 if atlas.level_count > 1 else 0), stack) if stack else None

    def take(self) -> bool:
        """Do it, as one step."""
        edit = swap_tileset(self.map, self.old.currentText(), self.new.currentText())
        return self.session.apply(edit)
