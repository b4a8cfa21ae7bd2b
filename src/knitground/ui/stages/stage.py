"""What the window knows of a stage: no more than this."""

from __future__ import annotations

from typing import ClassVar

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QTabBar, QWidget

from knitground.core.edit.hand import TerrainInHand
from knitground.core.model.layers import GroundLayer
from knitground.ui.common.commands import Commands
from knitground.ui.common.form import Choice
from knitground.ui.common.sheetview import SheetView
from knitground.ui.session import Session


class Stage(QWidget):
    """The bench of one stage of the work; the window shows one at a time.

    A bench that is not seen does nothing: `refresh_later` brings it up to date at once if it is
    shown, else when it is shown next.
    """

    zoomed = Signal()
    """What it shows is zoomed in another way."""

    key: ClassVar[str] = ""
    shows_map: ClassVar[bool] = True
    """Whether the map side stands beside it."""
    wide: ClassVar[int] = 380
    """Width that it has until somebody gives it another."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._is_late = True
        session.opened.connect(self.begin_anew)

    @property
    def zoom_words(self) -> str | None:
        """How far what it shows is zoomed; None if the map's zoom is meant."""
        return None

    def focus_first(self) -> bool:
        """Give the keyboard to its main part; False leaves it to the map."""
        return False

    def digit(self, number: int) -> None:
        """React to a key from 0 to 9: by default the n-th terrain of the layer comes in hand."""
        layer = self.session.layer
        if not isinstance(layer, GroundLayer):
            return
        found = self.session.project.set_of(layer.tileset, layer.set_name)
        if found is not None and 0 < number <= len(found[1].terrains):
            owner, kit = found
            name = kit.name_of(number)
            self.session.take(TerrainInHand(owner.name, kit.name, number, name))

    def cancel(self) -> bool:
        """React to Esc when no gesture is open; returns whether there was anything to call off."""
        return False

    def add_commands(self, commands: Commands) -> None:
        """Add the commands of the stage to the menus."""

    def begin_anew(self) -> None:
        """Become as it is in a new window: another project is open."""
        for sheet in self.findChildren(SheetView):
            sheet.forget()
        for tabs in self.findChildren(QTabBar):
            tabs.setCurrentIndex(0)
        for choice in self.findChildren(Choice):
            choice.setCurrentIndex(0)
        self.refresh_later()

    def refresh(self) -> None:
        """Show everything as it is now."""

    def refresh_later(self, *_: object) -> None:
        """Refresh now if somebody can see it, else when somebody does."""
        if self.isVisible():
            self._is_late = False
            self.refresh()
        else:
            self._is_late = True

    def catch_up(self) -> None:
        """Refresh now if it has missed anything: before a command works with what it shows."""
        if self._is_late:
            self._is_late = False
            self.refresh()

    def showEvent(self, event: object) -> None:
        self.catch_up()
