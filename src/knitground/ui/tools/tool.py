"""The base of all tools: one object from press to release."""

from __future__ import annotations

from knitground.ui.planning import Pointer
from knitground.ui.session import Session


class Tool:
    """A tool of the map. It changes the project only through edits of the session's document."""

    key = ""
    name = ""
    shortcut = ""
    tip = ""
    icon = ""

    def __init__(self, session: Session) -> None:
        self.session = session

    def press(self, at: Pointer) -> bool:
        """Begin at a place; returns whether a stroke is open now."""
        raise NotImplementedError

    def move(self, at: Pointer) -> None:
        """Go on to a place."""

    def release(self) -> None:
        """End the stroke."""

    def cancel(self) -> None:
        """Call the stroke off; nothing has changed."""
