"""What the parts of the Rules stage know of it."""

from __future__ import annotations

from collections.abc import Callable
from typing import ClassVar, Protocol

from PySide6.QtWidgets import QWidget

from knitground.core.edit.document import Edit
from knitground.core.edit.rulehome import RuleHome


class Bench(Protocol):
    """The stage as its parts see it."""

    key: ClassVar[str]
    home: RuleHome | None

    def do(self, build: Callable[[RuleHome], Edit], key: object = None) -> bool:
        """Change the list that is shown."""

    def choose_rule(self, number: int) -> None:
        """Show everything anew, and choose a rule."""

    def show_list(self, name: str) -> None:
        """Show one of the project's own lists."""

    def show_sheets(self) -> None:
        """Show the sheets, to take a tile in hand."""

    def catch_up(self) -> None:
        """Bring what is shown up to date."""

    def window(self) -> QWidget:
        """The window, for dialogs."""
