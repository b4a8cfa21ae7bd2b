"""Likely sets of a sheet that has none: a card each with what it would knit; a click makes it."""

from __future__ import annotations

from functools import partial

import numpy as np
from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QLabel, QWidget

from knitground.core.base.progress import Progress
from knitground.core.edit.likelysets import (
    add_likely_set,
    guess_words,
    kit_of_guess,
    sheet_sets,
    with_guess,
)
from knitground.core.knit.likelysets import SetGuess
from knitground.core.model.tileset import Tileset
from knitground.core.render.pixels import Pixels
from knitground.ui.common.painting import image_of
from knitground.ui.common.question import Question
from knitground.ui.common.setswatch import sample_pixels
from knitground.ui.common.widgets import clear, column, head, note, panel, primary, row
from knitground.ui.session import Session

_SHOWN = 3
_OFFERED = 0.5
_SIZE = QSize(220, 104)
Offer = tuple[SetGuess, Pixels]


class LikelyCards(QWidget):
    """Looks for sets beside the window and shows the best; shows nothing where there is none."""

    made = Signal(object, object)
    """The sheet and the set that was made."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.offers: list[Offer] = []
        self._asked: object = None
        self._beside = Question(lambda: session.doc, self)
        self.cards = row(spacing=10)
        self.title = head("It looks like")
        self.looking = note("looking for likely sets…")
        self.setLayout(column(self.title, self.looking, self.cards, spacing=6))

    def show_sheet(self, tileset: Tileset | None) -> None:
        """Look at another sheet, if it is another or is cut otherwise; None: at nothing."""
        if tileset is None or tileset.picture is None:
            self._asked = None
            self._beside.forget()
            self.hide()
            return
        picture = tileset.picture
        asked = (id(tileset), id(picture), tileset.slicing, tileset.left_out)
        if asked == self._asked:
            return
        self._asked = asked
        self.offers = []
        clear(self.cards)
        self.title.hide()
        self.looking.show()
        self.show()
        project = self.session.project

        def look(progress: Progress) -> list[Offer]:
            found = [each for each in sheet_sets(tileset, progress) if each.score >= _OFFERED]
            return [(each, sample_pixels(*with_guess(project, tileset, each))[0])
                    for each in found[:_SHOWN]]  # fmt: skip

        self._beside.ask(look, partial(self._show, tileset))

    def _show(self, tileset: Tileset, offers: list[Offer] | None) -> None:
        self.offers = offers or []
        self.looking.hide()
        self.setVisible(bool(self.offers))
        self.title.setVisible(bool(self.offers))
        for number, (guess, pixels) in enumerate(self.offers):
            self.cards.addWidget(self._card(tileset, guess, pixels, number))
        self.cards.addStretch(1)

    def _card(self, tileset: Tileset, guess: SetGuess, pixels: Pixels, number: int) -> QWidget:
        card, picture = panel(), QLabel()
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
        card.setMaximumWidth(300)
        return card

    def make(self, tileset: Tileset, number: int) -> None:
        """Make one of the offered sets."""
        if number >= len(self.offers):
            return
        edit = add_likely_set(tileset, self.offers[number][0])
        if self.session.apply(edit):
            self.made.emit(tileset, tileset.sets[-1])
