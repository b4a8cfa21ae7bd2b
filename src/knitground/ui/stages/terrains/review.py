"""Reviewing guessed marks: the least sure tiles in a line, accepted or mended with the keyboard."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLabel, QWidget

from knitground.core.base.tongue import say
from knitground.core.model.tileset import At
from knitground.ui.common.widgets import button, column, note, primary, row


class ReviewPanel(QWidget):
    """Leads through the least sure tiles, one after the other."""

    shown = Signal(int, int)
    """A tile to look at."""
    ended = Signal()
    guess_wanted = Signal()
    """Marks are to be guessed: that lines up what can be reviewed."""
    look_wanted = Signal()
    """What was guessed and nobody has looked at is to be lined up."""
    right_wanted = Signal()
    """All of that is right."""

    def __init__(self) -> None:
        super().__init__()
        self.line: list[tuple[At, float | None]] = []
        """Tiles, and how sure their marks are, if that is known."""
        self.at = 0
        self.unseen = 0
        self.head = QLabel()
        self.head.setWordWrap(True)
        self.words = note(
            say(
                "Enter accepts and goes on, Shift+Enter goes back. Choose a terrain with 1 … 9 "
                "(0: any); mark slots with Q W E / A S D / Z X C as they lie on the tile. "
                "Shift clears one, Space fills the tile, Backspace clears it."
            )
        )
        self.next = button(
            say("Accept, next"), lambda: self.step(1), say("This one is right"), "Enter"
        )
        self.back = button(say("Back"), lambda: self.step(-1), say("The one before"), "Shift+Enter")
        hint = say("Guess the marks of all other tiles, and line up the least sure")
        self.guess = primary(say("Guess marks"), self.guess_wanted.emit, hint)
        self.look = primary(say("Look at them"), self.look_wanted.emit,
                            say("Line them up, to be looked at one after the other"))  # fmt: skip
        self.right = button(say("All are right"), self.right_wanted.emit,
                            say("Take all of them as looked at"))  # fmt: skip
        self.setLayout(column(
            self.head, self.words,
            row(self.next, self.back, self.look, self.right, self.guess, 1), 1,
        ))  # fmt: skip
        self.show_line([])

    def show_unseen(self, count: int) -> None:
        """Tell how many tiles have guessed marks that nobody has looked at."""
        if count != self.unseen:
            self.unseen = count
            if not self.line:
                self._show()

    def show_line(self, line: list[tuple[At, float | None]]) -> None:
        """Begin a review."""
        self.line, self.at = line, 0
        self._show()

    def step(self, by: int) -> None:
        """Go on to the next tile, or back."""
        if not self.line:
            return
        self.at += by
        if self.at >= len(self.line):
            self.line = []
            self.ended.emit()
        self.at = max(0, self.at)
        self._show()

    def _show(self) -> None:
        going = bool(self.line)
        for each in (self.words, self.next, self.back):
            each.setVisible(going)
        self.guess.setVisible(not going and not self.unseen)
        for each in (self.look, self.right):
            each.setVisible(not going and self.unseen > 0)
        self.back.setEnabled(going and self.at > 0)
        if not going and self.unseen:
            tiles = (
                say("1 tile has")
                if self.unseen == 1
                else say("{unseen} tiles have", unseen=self.unseen)
            )
            self.head.setText(
                say(
                    "{tiles} guessed marks that nobody has looked at: they have a red corner on "
                    "the sheet. A click on one looks at it.",
                    tiles=tiles,
                )
            )
            return
        if not going:
            self.head.setText(
                say(
                    "Mark one plain tile of each terrain; the others can be guessed from "
                    "those. What "
                    "is least sure is lined up here, to be looked at tile by tile."
                )
            )
            return
        place, sure = self.line[self.at]
        words = say("<b>{at} of {count}</b>", at=self.at + 1, count=len(self.line))
        self.head.setText(
            words if sure is None else say("{words} · {sure:.0%} sure", words=words, sure=sure)
        )
        self.shown.emit(*place)
