"""The list of likely grids: best first, each with a picture, its reasons and how sure it is."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QLabel, QVBoxLayout, QWidget

from knitground.core.base.tongue import say
from knitground.core.model.slicing import Slicing
from knitground.core.model.tileset import Picture
from knitground.core.slicing.areas import AreaGuess
from knitground.core.slicing.grid import lay_grid
from knitground.core.slicing.likely import GridGuess
from knitground.ui.common.framed import Framed
from knitground.ui.common.theme import theme
from knitground.ui.common.widgets import button, clear, column, note, panel, row, tile_pixmap
from knitground.ui.common.words import tip_of
from knitground.ui.stages.slice.swatches import swatch_pixels

SURE = 0.35
"""Below this a guess is shown, but not tried by itself."""


class SureBar(QWidget):
    """A short bar: how sure a guess is."""

    def __init__(self, part: float) -> None:
        super().__init__()
        self.part = part
        self.setFixedSize(56, 8)
        self.setToolTip(tip_of(say("{part:.0%} sure", part=part)))

    def paintEvent(self, event: QPaintEvent) -> None:
        t = theme()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(t.colour("line"), 1))
        painter.setBrush(t.colour("sunken"))
        painter.drawRoundedRect(QRectF(0.5, 0.5, 55, 7), 3, 3)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(t.colour("good" if self.part >= SURE else "warning"))
        painter.drawRoundedRect(QRectF(1, 1, 54 * self.part, 6), 3, 3)
        painter.end()


class GuessCard(Framed):
    """One likely grid."""

    clicked = Signal()

    def __init__(self, guess: GridGuess, picture: Picture, chosen: bool) -> None:
        super().__init__()
        self.guess = guess
        self.dress(chosen)
        shown = QLabel()
        grid = lay_grid(guess.slicing, picture.shape[1], picture.shape[0])
        pixels = swatch_pixels(picture, grid, 40)
        side = min(40, *pixels.shape) if pixels.size else 1
        shown.setPixmap(tile_pixmap(np.ascontiguousarray(pixels[:side, :side]), 44, framed=True))
        name = QLabel(f"<b>{guess.words()}</b>")
        name.setWordWrap(True)
        reasons = note("; ".join(guess.reasons))
        top = row(name, SureBar(guess.score), spacing=6)
        top.setStretch(0, 1)
        text = column(top, reasons, spacing=1)
        line = row(shown, text, margins=7, spacing=8)
        line.setStretch(1, 1)
        self.setLayout(line)
        self.setToolTip(
            tip_of(say("Try {words} (arrow keys step through the list)", words=guess.words()))
        )

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.clicked.emit()


class GuessList(QWidget):
    """All likely grids of a sheet; a click or the arrow keys try one."""

    tried = Signal(object)
    areas_wanted = Signal(object)
    """The sheet is to be cut into these areas."""

    def __init__(self) -> None:
        super().__init__()
        self.guesses: list[GridGuess] = []
        self.cards: list[GuessCard] = []
        self._picture: Picture | None = None
        self._chosen = -1
        self._cards = QVBoxLayout()
        self._cards.setSpacing(6)
        self.state = note()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(say("Likely grids"))
        self.areas: list[AreaGuess] = []
        self._areas_words = note()
        self._areas_words.setTextFormat(Qt.TextFormat.RichText)  # no name of anything is in it
        self._areas_words.setWordWrap(True)
        make = button(
            say("Cut into these areas"), lambda: self.areas_wanted.emit(self.areas),
            say("Each area gets a slicing of its own; undo takes it back"),
        )  # fmt: skip
        self._areas_card = panel()
        self._areas_card.setLayout(column(self._areas_words, row(make, 1), margins=8, spacing=6))
        self._areas_card.hide()
        self.setLayout(column(self.state, self._cards, self._areas_card, spacing=4))

    def wait(self) -> None:
        """Say that the sheet is being looked at."""
        self.guesses, self.cards, self._chosen = [], [], -1
        self.show_areas([])
        clear(self._cards)
        self.state.setText(say("looking at the pixels…"))

    def show_guesses(self, guesses: list[GridGuess], picture: Picture) -> None:
        """Show what was found."""
        self.guesses, self._picture, self._chosen = guesses[:4], picture, -1
        if guesses:
            self.state.setText(say("Best first; click to try. Why: what the pixels show."))
        else:
            self.state.setText(say("Nothing regular found: type the numbers, or draw one tile."))
        self.rebuild()

    def show_areas(self, areas: list[AreaGuess]) -> None:
        """Offer to cut the sheet into areas with grids of their own, if there are such."""
        self.areas = areas
        told = []
        for place, each in enumerate(areas):
            x, y, wide, high = each.area
            what = each.guess.words() if each.guess else say("no grid")
            where = say("This area") if place == 0 else say("that area")
            told.append(
                say(
                    "{where} ({wide} × {high} px from {x}, {y}): <b>{what}</b>",
                    where=where,
                    wide=wide,
                    high=high,
                    x=x,
                    y=y,
                    what=what,
                )
            )
        self._areas_words.setText(";<br>".join(told))
        self._areas_card.setVisible(bool(areas))

    def mark(self, slicing: Slicing | None) -> None:
        """Mark the guess that is being tried, if it is one of them."""
        chosen = next((n for n, g in enumerate(self.guesses) if _same(g.slicing, slicing)), -1)
        for place in {chosen, self._chosen} - {-1} if chosen != self._chosen else ():
            self.cards[place].dress(place == chosen)
        self._chosen = chosen

    def rebuild(self) -> None:
        """Draw the cards anew."""
        clear(self._cards)
        self.cards = []
        if self._picture is None:
            return
        for place, guess in enumerate(self.guesses):
            card = GuessCard(guess, self._picture, place == self._chosen)
            card.clicked.connect(lambda p=place: self.choose(p))
            self._cards.addWidget(card)
            self.cards.append(card)

    def choose(self, place: int) -> None:
        """Try one of the guesses."""
        if 0 <= place < len(self.guesses):
            self.setFocus()
            self.tried.emit(self.guesses[place].slicing)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()), 0)
        if step:
            self.choose(max(0, min(len(self.guesses) - 1, self._chosen + step)))
        else:
            super().keyPressEvent(event)


def _same(a: Slicing, b: Slicing | None) -> bool:
    if b is None:
        return False
    return (
        (a.tile_width, a.tile_height, a.spacing_x, a.spacing_y)
        == (b.tile_width, b.tile_height, b.spacing_x, b.spacing_y)
        and a.is_loose == b.is_loose
        and a.left(0) == b.left(0)
        and a.top(0) == b.top(0)
    )
