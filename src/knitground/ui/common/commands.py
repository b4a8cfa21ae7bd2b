"""Commands: every one has a name, a place in a menu, perhaps a shortcut, and one action."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import SignalInstance
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMainWindow, QMenu

from knitground.core.base.tongue import say
from knitground.ui.common.words import keys_said, tip


def keys_of(*words: str) -> list[QKeySequence]:
    """Give shortcuts in words as Qt has them."""
    return [QKeySequence(each) for each in words]


_SHORTCUTS: dict[str, str] = {}
"""Keys of commands by their names, as they were added last."""


def with_key(name: str) -> str:
    """Name a command with its key, for texts: Undo (Ctrl+Z); the name alone if it has none."""
    keys = _SHORTCUTS.get(name, "")
    return f"{say(name)} ({keys_said(keys)})" if keys else say(name)


Menus = tuple[tuple[str, tuple[tuple[str, ...], ...]], ...]
"""Menus by their names: groups of commands, by theirs."""


@dataclass(eq=False)
class Command:
    """A command as the menus and the command finder show it."""

    text: str
    action: QAction
    menu: str = ""

    @property
    def keys(self) -> str:
        """Its shortcut in words."""
        return self.action.shortcut().toString(QKeySequence.SequenceFormat.NativeText)

    @property
    def title(self) -> str:
        """Menu and name, as the finder lists it."""
        return f"{say(self.menu)} › {say(self.text)}"


class Commands:
    """All commands of a window, in the order in which they were added."""

    def __init__(self, window: QMainWindow) -> None:
        self._window = window
        self._inner: dict[str, QMenu] = {}
        self.all: list[Command] = []

    def add(
        self,
        text: str,
        run: Callable[[], object],
        keys: str = "",
        *,
        checked: bool | None = None,
    ) -> QAction:
        """Add a command; with `checked` it is one that is on or off."""
        action = QAction(say(text), self._window)
        _SHORTCUTS[text] = keys
        if keys:
            action.setShortcut(QKeySequence(keys))
            action.setToolTip(tip(say(text), keys))
        if checked is not None:
            action.setCheckable(True)
            action.setChecked(checked)
        action.triggered.connect(lambda *_: run())
        self.all.append(Command(text, action))
        return action

    def add_menu(self, text: str) -> QMenu:
        """Add a menu of its own to a menu."""
        self._inner[text] = QMenu(say(text), self._window)
        return self._inner[text]

    def arrange(self, menus: Menus) -> None:
        """Put all commands into menus, with lines between groups; strangers come last."""
        known = {each.text: each for each in self.all}
        bar = self._window.menuBar()
        for name, groups in menus:
            menu = bar.addMenu(say(name))
            for n, group in enumerate(groups):
                if n:
                    menu.addSeparator()
                for text in group:
                    if text in self._inner:
                        menu.addMenu(self._inner[text])
                        continue
                    each = known.pop(text)
                    each.menu = name
                    menu.addAction(each.action)
        for each in known.values():
            each.menu = name
            menu.addAction(each.action)

    def follow(self, action: QAction, changed: SignalInstance, is_on: Callable[[], bool]) -> None:
        """Let a command that is on or off show what is so, whoever changes it."""
        changed.connect(lambda: action.setChecked(is_on()))
        action.triggered.connect(lambda *_: action.setChecked(is_on()))

    def named(self, text: str) -> Command:
        """Find a command by its name."""
        return next(each for each in self.all if each.text == text)
