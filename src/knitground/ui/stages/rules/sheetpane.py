"""The sheets in the bench, in the place of the rules: a click hands a tile on."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QWidget

from knitground.core.base.tongue import say
from knitground.core.edit.hand import TileInHand
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Tileset
from knitground.ui.common.form import Choice
from knitground.ui.common.widgets import button, column, head, note, row
from knitground.ui.session import Session
from knitground.ui.stages.draw.tilelist import TileList

Taken = Callable[[TileRef], object]


class SheetPane(QWidget):
    """Stays open until it is closed; each click on a tile, or an arrow and its tile, is taken."""

    closed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.is_open = False
        self._taken: Taken = self._take_in_hand
        self.sheets = Choice(say("The sheet to take tiles from"), letters=8)
        self.sheet = TileList(session)
        self.sheets.chosen.connect(self.sheet.show_tileset)
        self.sheet.taken.connect(self._take)
        self.words = note()
        self.back = button(
            say("Back to the rules"), self.close_pane, say("Close the sheets"), "Esc"
        )
        layout = column(
            row(head(say("Tiles of the sheets")), 1, self.sheets, self.back),
            self.words,
            self.sheet,
            spacing=6,
        )
        layout.setStretch(2, 1)
        self.setLayout(layout)

    def open_pane(self, first: Tileset | None, words: str = "", taken: Taken | None = None) -> None:
        """Show the sheets, one of them first.

        Parameters
        ----------
        words, taken : what a click does; without them the tile comes in hand
        """
        tilesets = self.session.project.tilesets
        self.words.setText(words or say("A click takes the tile in hand."))
        self._taken = taken or self._take_in_hand
        self.sheets.offer((each.name, each) for each in tilesets)
        if tilesets:
            shown = first if first in tilesets else tilesets[0]
            self.sheets.show_value(shown)
            self.sheet.show_tileset(shown)
        self.is_open = True

    def close_pane(self) -> None:
        """Give the rules their place again."""
        if self.is_open:
            self.is_open = False
            self.closed.emit()

    def _take(self, row: int, col: int) -> None:
        if self.sheet.tileset is not None:
            self._taken(TileRef(self.sheet.tileset.name, row, col))

    def _take_in_hand(self, tile: TileRef) -> None:
        owner = self.session.project.tileset_named(tile.tileset)
        if owner is not None:
            self.session.take(TileInHand(tile, owner.number(tile.row, tile.col)))
