"""The base of all tools: one object from press to release."""

from __future__ import annotations

from abc import ABC, abstractmethod
from typing import Self

from PySide6.QtCore import Qt

from knitground.core.base.window import Box
from knitground.core.edit.desk import Desk, Pointer
from knitground.core.edit.laying import Plan
from knitground.core.model.marker import Marker
from knitground.ui.session import Session

PATCH_KIND = "application/x-knitground-tray"
"""What a patch of the tray is called while it is dragged; the data is its name."""


class Tool(ABC):
    """A tool of the map. It changes the project only through edits of the session's document.

    From `begin` to `end` or `call_off` it works on the desk as it was at the beginning: another
    tool, layer or thing in hand that is chosen meanwhile is none of its business.
    """

    key = ""
    name = ""
    shortcut = ""
    tip = ""
    icon = ""
    drags = False
    """Whether it works from one place to another: Enter begins, and Enter ends it elsewhere."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.modifiers = Qt.KeyboardModifier.NoModifier
        self._desk: Desk | None = None

    def on_desk(self, desk: Desk) -> Self:
        """Give a tool of the same kind that works on a desk of its own."""
        made = type(self)(self.session)
        made._desk = desk  # noqa: SLF001 - of its own class
        return made

    @property
    def desk(self) -> Desk:
        """What it works with: as it was when it began, else as it is now."""
        return self._desk or self.session.desk()

    def begin(self, at: Pointer, modifiers: Qt.KeyboardModifier) -> bool:
        """Press at a place; returns whether something is open then."""
        if self._desk is None:
            self._desk = self.session.desk()
        self.modifiers = modifiers
        opened = False
        try:
            opened = self.press(at)
        finally:
            if not (opened or self.is_open):
                self._desk = None
        return opened or self.is_open

    def end(self) -> None:
        """Let go: what has been drawn counts."""
        try:
            self.release()
        finally:
            if not self.is_open:
                self._desk = None

    def finish(self) -> None:
        """End it as it stands, whatever it is in the middle of."""
        try:
            self.close()
        finally:
            self._desk = None

    def call_off(self) -> None:
        """Call it off; nothing has changed."""
        try:
            self.cancel()
        finally:
            self._desk = None

    @property
    def preview(self) -> Plan | None:
        """What letting go now would lay; None if the tool lays while it moves."""
        return None

    @property
    def area(self) -> Box | None:
        """Cells that a drag has marked and that are to be outlined; None if there are none."""
        return None

    @property
    def marker(self) -> Marker | None:
        """The marker that letting go, or a click at the pointer, would lay; None if none."""
        return None

    @property
    def is_open(self) -> bool:
        """Whether something is begun that goes on after the button is let go."""
        return False

    def would_lay(self, at: Pointer) -> Marker | None:
        """Give the marker that a click at a place would lay; None for tools that lay none."""
        return None

    @abstractmethod
    def press(self, at: Pointer) -> bool:
        """Begin at a place; returns whether a stroke is open now."""

    def move(self, at: Pointer) -> None:  # noqa: B027 - not every tool drags
        """Go on to a place."""

    def release(self) -> None:  # noqa: B027 - not every tool drags
        """End the stroke."""

    def close(self) -> None:
        """End it where it is neither pressed nor let go."""
        self.release()

    def cancel(self) -> None:  # noqa: B027 - not every tool drags
        """Call the stroke off; nothing has changed."""
