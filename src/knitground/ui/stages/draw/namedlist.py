"""The base of lists of named things to take in hand: searched, and built when they change."""

from __future__ import annotations

from abc import abstractmethod

from PySide6.QtCore import Signal
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QWidget

from knitground.ui.common.widgets import column, show_when_laid_out
from knitground.ui.session import Session


class NamedList(QWidget):
    """Shows things of the project whose names the search fits; `lines` holds a widget for each."""

    taken = Signal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._shown: object = None
        self._words = ""
        self.lines = column(spacing=8)

    def search(self, words: str) -> None:
        """Show only those whose name has these words in it."""
        self._words = words.strip().lower()
        self.refresh()

    def again(self) -> None:
        """Draw all of it anew: tiles look different now."""
        self._shown = None
        if self.isVisible():
            self.refresh()

    def showEvent(self, event: QShowEvent) -> None:
        self.refresh()
        super().showEvent(event)

    def refresh(self) -> None:
        """Show what there is now, if it is not what is shown; in time, if nobody sees it."""
        if not self.isVisible():
            return
        state = (self.state(), self._words)
        if state != self._shown:
            self._shown = state
            self.build()
            show_when_laid_out(self)

    def fits(self, name: str) -> bool:
        """Whether the search fits a name."""
        return self._words in name.lower()

    @abstractmethod
    def state(self) -> object:
        """Give all that the list shows; equal states look alike."""

    @abstractmethod
    def build(self) -> None:
        """Fill the list anew."""
