"""The base of all tools: one object from press to release."""

from __future__ import annotations

from abc import ABC, abstractmethod

from PySide6.QtCore import Qt

from knitground.core.base.window import Box
from knitground.core.edit.laying import Plan
from knitground.core.model.marker import Marker
from knitground.ui.planning import Pointer
from knitground.ui.session import Session


class Tool(ABC):
    """A tool of the map. It changes the project only through edits of the session's document."""

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

    def cancel(self) -> None:  # noqa: B027 - not every tool drags
        """Call the stroke off; nothing has changed."""
