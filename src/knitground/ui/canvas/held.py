"""A tool for as long as its key is held: used meanwhile, letting go brings the last one back."""

from __future__ import annotations

from PySide6.QtCore import Qt

from knitground.ui.session import Session

TOOL_KEYS = {
    "paint": Qt.Key.Key_P, "line": Qt.Key.Key_L, "box": Qt.Key.Key_B, "fill": Qt.Key.Key_F,
    "erase": Qt.Key.Key_E, "pick": Qt.Key.Key_K, "select": Qt.Key.Key_S,
}  # fmt: skip


class HeldTool:
    """Remembers the tool that was chosen before the present one.

    Pressing a tool's key chooses it. If it is used before the key is let go, it was meant for that
    only, and the tool before it comes back.
    """

    def __init__(self, session: Session) -> None:
        self._session = session
        self._tool = session.tool
        self._before: str | None = None
        self._used = False
        self._wants_back = False
        session.picked.connect(self._on_picked)

    def _on_picked(self) -> None:
        if self._session.tool != self._tool:
            self._before, self._tool = self._tool, self._session.tool
            self._used = self._wants_back = False

    def used(self) -> None:
        """Note that the tool has been used."""
        self._used = True

    def let_go(self, key: int, *, stroking: bool) -> bool:
        """Take note of a key that was let go; returns whether the tool before came back."""
        if key != TOOL_KEYS.get(self._tool) or not self._used or self._before is None:
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
