"""A small window with the sheets, from which tiles are taken by a click."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QWidget

from knitground.core.edit.hand import TileInHand
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Tileset
from knitground.ui.common.dialog import Dialog
from knitground.ui.common.widgets import column, note
from knitground.ui.session import Session
from knitground.ui.stages.draw.tilelist import TileList


class SheetDialog(Dialog):
    """Stays open beside the window; each click on a tile hands it on."""

    def __init__(
        self, session: Session, parent: QWidget, words: str, taken: Callable[[TileRef], object],
        first: Tileset | None = None,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Tiles of the sheets")
        self.sheets = QComboBox()
        self.sheet = TileList(session)
        self._taken = taken
        self._tilesets = list(session.project.tilesets)
        self.sheets.addItems([each.name for each in self._tilesets])
        self.sheets.activated.connect(self._show)
        self.sheet.taken.connect(self._take)
        self.setLayout(column(self.sheets, self.sheet, note(words), margins=10))
        self.resize(460, 420)
        at = self._tilesets.index(first) if first in self._tilesets else 0
        self.sheets.setCurrentIndex(at)
        if self._tilesets:
            self._show(at)
        # What it shows belongs to the project that was open then.
        session.opened.connect(self.close)

    def _show(self, place: int) -> None:
        self.sheet.show_tileset(self._tilesets[place])

    def _take(self, row: int, col: int) -> None:
        if self.sheet.tileset is not None:
            self._taken(TileRef(self.sheet.tileset.name, row, col))


def take_in_hand(session: Session, parent: QWidget, first: Tileset | None = None) -> SheetDialog:
    """Show the sheets; a click takes a tile in hand."""

    def taken(tile: TileRef) -> None:
        owner = session.project.tileset_named(tile.tileset)
        if owner is not None:
            session.take(TileInHand(tile, owner.number(tile.row, tile.col)))

    dialog = SheetDialog(session, parent, "A click takes the tile in hand.", taken, first)
    dialog.show()
    return dialog
