"""Likely sets of a sheet: a card each with what it would knit; a click makes it."""

from __future__ import annotations

from collections.abc import Iterable
from copy import copy
from functools import partial

import numpy as np
from PySide6.QtCore import QEvent, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QEnterEvent, QPixmap
from PySide6.QtWidgets import QFrame, QLabel, QScrollArea, QWidget

from knitground.core.base.progress import Progress
from knitground.core.edit.likelysets import (
    add_likely_set,
    guess_words,
    kit_of_guess,
    sheet_sets,
    still_likely,
    with_guess,
)
from knitground.core.knit.likelysets import SetGuess
from knitground.core.model.tileset import Tileset
from knitground.core.render.pixels import Pixels
from knitground.ui.common.painting import image_of
from knitground.ui.common.setswatch import sample_pixels
from knitground.ui.common.tasks import Job
from knitground.ui.common.widgets import button, clear, column, head, note, primary, row
from knitground.ui.session import Session

_OFFERED, _SURE = 0.5, 0.8
_SIZE = QSize(220, 104)
_COMES_MS = 150
Offer = tuple[SetGuess, Pixels]


class LikelyCards(QWidget):
    """Looks for sets beside the window, and shows each as soon as it is found.

    What was made leaves the list, and comes back when it is undone.
    """

    made = Signal(object, object)
    """The sheet and the set that was made."""
    pointed = Signal(list)
    """The tiles of the card that is under the pointer; none if none is."""
    changed = Signal()
    """Other sets are offered."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.offers: list[Offer] = []
        """Those that are not made yet, the best first."""
        self.tileset: Tileset | None = None
        self._found: list[Offer] = []
        self._asked: object = None
        self._job: Job[None] | None = None
        self._comes = QTimer(self, interval=_COMES_MS)
        self._comes.timeout.connect(self._come)
        self.title = head("It looks like")
        self.looking = note("looking for likely sets…")
        self.all = button("", self.make_all, "Make each of these sets, as one step")
        self.cards = row(spacing=10)
        room = QWidget()
        room.setLayout(self.cards)
        self.around = QScrollArea()
        self.around.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.around.setWidget(room)
        self.around.setWidgetResizable(True)
        self.around.setFrameShape(QFrame.Shape.NoFrame)
        self.around.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.around.setAccessibleName("Likely sets")
        self.setLayout(column(row(self.title, self.looking, 1, self.all), self.around, spacing=6))

    @property
    def is_busy(self) -> bool:
        """Whether it still looks for more."""
        return self._job is not None

    def show_sheet(self, tileset: Tileset | None, *, opened: bool = True) -> None:
        """Look at another sheet, if it is another or is cut otherwise; None: at nothing.

        Parameters
        ----------
        opened : whether the cards are shown, and looked for if nobody has yet
        """
        if tileset is None or tileset.picture is None:
            self.tileset = self._asked = None
            self._stop()
            self.offers, self._found = [], []
            self.hide()
            return
        asked = (id(tileset), id(tileset.picture), tileset.slicing, tileset.left_out)
        if asked != self._asked and opened:
            self._asked, self.tileset = asked, tileset
            self._look(tileset)
        elif asked != self._asked:
            self.tileset = self._asked = None
            self._stop()
            self._found = []
        self._show_left()
        self.setVisible(opened and (bool(self.offers) or self.is_busy))

    def _stop(self) -> None:
        if self._job is not None:
            self._job.cancel()
            self._job = None
        self._comes.stop()

    def _look(self, tileset: Tileset) -> None:
        """Look for sets beside the window.

        It reads a copy of the sheet's numbers, and pixels, which nobody changes: so sets can be
        made of what is found while more is looked for.
        """
        self._stop()
        project, sheet = self.session.project, copy(tileset)
        sheet.sets = [*tileset.sets]
        mine: list[Offer] = []
        self._found = mine

        def look(progress: Progress) -> None:
            def found(guess: SetGuess) -> None:
                if guess.score >= _OFFERED:
                    mine.append((guess, sample_pixels(*with_guess(project, sheet, guess))[0]))

            sheet_sets(sheet, progress, found)

        job: Job[None] = Job(look, lambda _: self._end(job), lambda _: self._end(job), owner=self)
        self._job = job
        job.start()
        self._comes.start()

    def _come(self) -> None:
        """Show what was found since."""
        self._show_left()

    def _end(self, job: Job[None]) -> None:
        if job is not self._job:
            return  # it was called off: another sheet is looked at by now
        self._job = None
        self._comes.stop()
        self._show_left()
        if not self.offers:
            self.hide()

    def _show_left(self) -> None:
        """Show those that are not made yet, the best first."""
        tileset = self.tileset
        there = [*self._found] if tileset is not None else []
        left = sorted((each for each in there if tileset and still_likely(tileset, each[0])),
                      key=lambda each: -each[0].score)  # fmt: skip
        self.title.setVisible(bool(left))
        self.looking.setVisible(self.is_busy)
        if [id(each) for each in left] == [id(each) for each in self.offers]:
            return
        self.offers = left
        clear(self.cards)
        high = 0
        for number, (guess, pixels) in enumerate(left):
            assert tileset is not None
            card = self._card(tileset, guess, pixels, number)
            self.cards.addWidget(card)
            high = max(high, card.sizeHint().height())
        self.cards.addStretch(1)
        sure = len(self._sure())
        self.all.setText(f"Make the {sure} that are surer than {_SURE:.0%}")
        self.all.setVisible(sure > 1)
        self.around.setVisible(bool(left))
        self.around.setFixedHeight(high + self.around.horizontalScrollBar().sizeHint().height())
        self.changed.emit()

    def _sure(self) -> list[SetGuess]:
        return [guess for guess, _ in self.offers if guess.score > _SURE]

    def _card(self, tileset: Tileset, guess: SetGuess, pixels: Pixels, number: int) -> QWidget:
        card, picture = _Card(guess.places), QLabel()
        card.pointed.connect(self.pointed)
        shown = QPixmap.fromImage(image_of(np.ascontiguousarray(pixels)).copy())
        whole = max(1, min(_SIZE.width() // shown.width(), _SIZE.height() // shown.height()))
        if shown.width() > _SIZE.width() or shown.height() > _SIZE.height():
            shown = shown.scaled(_SIZE, Qt.AspectRatioMode.KeepAspectRatio)
        else:
            shown = shown.scaled(shown.size() * whole)
        picture.setPixmap(shown)
        picture.setAccessibleName("What this set would knit")
        names = ", ".join(each.name for each in kit_of_guess(tileset, guess).terrains)
        make = primary(
            "Make this set", partial(self.make, tileset, number),
            f"Make a {guess.kind.value} set of {len(guess.places)} tiles, marks included",
        )  # fmt: skip
        words = note(f"{names}\n{guess_words(guess)} · {guess.score:.0%} sure")
        card.setLayout(column(row(1, picture, 1), words, 1, make, margins=8, spacing=6))
        card.setFixedWidth(264)
        return card

    def make(self, tileset: Tileset, number: int) -> None:
        """Make one of the offered sets."""
        if number < len(self.offers):
            self._make(tileset, [self.offers[number][0]])

    def make_all(self) -> None:
        """Make all that are sure, as one step."""
        if self.tileset is not None:
            self._make(self.tileset, self._sure())

    def _make(self, tileset: Tileset, guesses: Iterable[SetGuess]) -> None:
        chosen = list(guesses)
        name = f"Make {len(chosen)} likely sets" if len(chosen) > 1 else ""

        def do() -> None:
            doc = self.session.doc
            if not name:
                doc.apply(add_likely_set(tileset, chosen[0]))
                return
            with doc.stroke(name):
                for each in chosen:
                    doc.apply(add_likely_set(tileset, each))

        first = len(tileset.sets)
        self.session.attempt(do)
        self.pointed.emit([])
        if len(tileset.sets) > first:
            self.made.emit(tileset, tileset.sets[first])


class _Card(QFrame):
    """A card that tells when the pointer is on it."""

    pointed = Signal(list)

    def __init__(self, places: list[tuple[int, int]]) -> None:
        super().__init__()
        self.setProperty("panel", "true")
        self._places = places

    def enterEvent(self, event: QEnterEvent) -> None:
        self.pointed.emit(self._places)
        super().enterEvent(event)

    def leaveEvent(self, event: QEvent) -> None:
        self.pointed.emit([])
        super().leaveEvent(event)
