"""Where any part of the window asks for help: a dialog does not know the window that gives it."""

from __future__ import annotations

from functools import cache

from PySide6.QtCore import QObject, Signal


class HelpBell(QObject):
    """Rings when help is wanted."""

    wanted = Signal(object)
    """The part of a window that it is about."""


@cache
def help_bell() -> HelpBell:
    """Give the one bell that there is."""
    return HelpBell()
