"""A tool for as long as its key is held: used meanwhile, letting go brings the last one back."""

from __future__ import annotations

from knitground.ui.mapside.tools.tool import Tool
from knitground.ui.session import Session


class HeldTool:
    """Remembers the tool that was chosen before the present one.

    Pressing a tool's key chooses it. If it is used before the key is let go, it was meant for that
    only, and the tool before it comes back.
    """

    def __init__(self, session: Session, tools: dict[str, Tool]) -> None:
        self._session = session
        # A letter's key has the number of its capital.
        self._keys = {key: ord(tool.shortcut) for key, tool in tools.items()}
        self._tool = session.tool
        self._before: str | None = None
        self._used = False
        self._wants_back = False
        session.tools.tool_changed.connect(self._on_picked)
        session.opened.connect(self._forget)

    def _on_picked(self) -> None:
        if self._session.tool != self._tool:
            self._before, self._tool = self._tool, self._session.tool
            self._used = self._wants_back = False

    def _forget(self) -> None:
        self._before, self._used, self._wants_back = None, False, False

    def used(self) -> None:
        """Note that the tool has been used."""
        self._used = True

    def let_go(self, key: int, *, stroking: bool) -> bool:
        """Take note of a key that was let go; returns whether the tool before came back."""
        if key != self._keys.get(self._tool) or not self._used or self._before is None:
            return False
        self._wants_back = True
        return not stroking and self.ended()

    def ended(self) -> bool:
        """Take note that a stroke has ended; returns whether the tool before came back."""
        if not self._wants_back or self._before is None:
            return False
        before, self._before, self._wants_back = self._before, None, False
        self._session.choose_tool(before)
        return True
