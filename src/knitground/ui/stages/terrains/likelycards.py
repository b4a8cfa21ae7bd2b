"""Likely sets of a sheet: a card each with what it would knit; a click makes it."""

from __future__ import annotations

from collections.abc import Iterable
from copy import copy
from functools import partial

import numpy as np
from PySide6.QtCore import QEvent, QObject, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QEnterEvent, QPixmap
from PySide6.QtWidgets import QFrame, QLabel, QScrollArea, QWidget

from knitground.core.base.progress import Progress
from knitground.core.base.tongue import say
from knitground.core.edit.likelysets import (
    add_likely_set,
    guess_words,
    kit_of_guess,
    named_guess,
    sheet_sets,
    still_likely,
    with_guess,
    with_tiles,
    without_tiles,
)
from knitground.core.knit.likelysets import SetGuess
from knitground.core.model.terrain import TerrainSet
from knitground.core.model.tileset import At, Tileset
from knitground.core.render.pixels import Pixels
from knitground.ui.common.form import Line
from knitground.ui.common.painting import image_of
from knitground.ui.common.setswatch import sample_pixels
from knitground.ui.common.tasks import Job
from knitground.ui.common.terrainicon import terrain_icon
from knitground.ui.common.widgets import button, column, head, note, primary, row
from knitground.ui.common.words import tip_of
from knitground.ui.session import Session

_OFFERED, _SURE = 0.5, 0.8
_SIZE = QSize(220, 104)
_WIDE, _ICON = 264, 14
_COMES_MS = 150
_LOOKING = say("looking for likely sets…")
_GATHER = say("click tiles on the sheet; Esc ends")
Offer = tuple[SetGuess, Pixels]


class LikelyCards(QWidget):
    """Looks for sets beside the window, and shows each as soon as it is found.

    What was made leaves the list, and comes back when it is undone. Terrains are named on the card;
    of one card at a time tiles are put in and out on the sheet, before it is made.
    """

    made = Signal(object, object, list)
    """The sheet, the first set that was made, and all of them."""
    pointed = Signal(list)
    """The tiles of the card that is under the pointer; none if none is."""
    gathers = Signal(object)
    """The tiles of the card that takes tiles in and out on the sheet; None if none does."""
    changed = Signal()
    """Other sets are offered."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.shown: list[LikelyCard] = []
        """The cards of those that are not made yet, the best first."""
        self.tileset: Tileset | None = None
        self._found: list[Offer] = []
        self._cards: dict[int, LikelyCard] = {}
        """By what was found, which is kept with it."""
        self._asked: object = None
        self._job: Job[None] | None = None
        self._comes = QTimer(self, interval=_COMES_MS)
        self._comes.timeout.connect(self._show_left)
        self.title = head(say("It looks like"))
        self.looking = note()
        self.looking.setWordWrap(False)
        self.all = button("", self.make_all, say("Make each of these sets, as one step"))
        self.cards = row(spacing=10)
        self.cards.addStretch(1)
        room = self._room = QWidget()
        room.setLayout(self.cards)
        room.installEventFilter(self)
        self.around = QScrollArea()
        self.around.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.around.setWidget(room)
        self.around.setWidgetResizable(True)
        self.around.setFrameShape(QFrame.Shape.NoFrame)
        self.around.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.around.setAccessibleName(say("Likely sets"))
        self.setLayout(column(row(self.title, self.looking, 1, self.all), self.around, spacing=6))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self._room and event.type() is QEvent.Type.LayoutRequest:
            bar = self.around.horizontalScrollBar().sizeHint().height()
            self.around.setFixedHeight(self._room.sizeHint().height() + bar)
        return super().eventFilter(watched, event)

    @property
    def is_busy(self) -> bool:
        """Whether it still looks for more, or has more to show."""
        return self._job is not None or len(self._cards) < len(self._found)

    @property
    def offers(self) -> list[Offer]:
        """Those that are not made yet, as their cards show them, the best first."""
        return [(each.guess, each.pixels) for each in self.shown]

    @property
    def gathering(self) -> LikelyCard | None:
        """The card that takes tiles in and out on the sheet."""
        return next((each for each in self.shown if each.tiles.isChecked()), None)

    def show_sheet(self, tileset: Tileset | None, *, opened: bool = True) -> None:
        """Look at another sheet, if it is another or is cut otherwise; None: at nothing.

        Parameters
        ----------
        opened : whether the cards are shown, and looked for if nobody has yet
        """
        if tileset is None or tileset.picture is None:
            self.tileset = self._asked = None
            self._forget()
            self._show_left()
            self.hide()
            return
        asked = (id(tileset), id(tileset.picture), tileset.slicing, tileset.left_out)
        if asked != self._asked and opened:
            self._asked, self.tileset = asked, tileset
            self._look(tileset)
        elif asked != self._asked:
            self.tileset = self._asked = None
            self._forget()
        self._show_left()
        if not opened:
            self.end_gathering()
        self.setVisible(opened and (bool(self.shown) or self.is_busy))

    def end_gathering(self) -> bool:
        """Let no card take tiles in and out any more; returns whether one did."""
        card = self.gathering
        if card is not None:
            card.tiles.setChecked(False)
        return card is not None

    def _forget(self) -> None:
        """Let go of what was found, and of looking for more."""
        self.end_gathering()
        if self._job is not None:
            self._job.cancel()
            self._job = None
        self._comes.stop()
        self._found, self._cards = [], {}

    def _look(self, tileset: Tileset) -> None:
        """Look for sets beside the window.

        It reads a copy of the sheet's numbers, and pixels, which nobody changes: so sets can be
        made of what is found while more is looked for.
        """
        self._forget()
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

    def _end(self, job: Job[None]) -> None:
        if job is not self._job:
            return  # it was called off: another sheet is looked at by now
        self._job = None
        self._comes.stop()
        self._show_left()
        if not self.shown:
            self.hide()

    def _show_left(self) -> None:
        """Show those that are not made yet, the best first.

        A card is made once, and one in a pulse: several would be felt.
        """
        tileset = self.tileset
        if tileset is not None and len(self._cards) < len(self._found):
            self._cards[len(self._cards)] = self._card(tileset, *self._found[len(self._cards)])
            QTimer.singleShot(0, self, self._show_left)
        left = [each for each in self._cards.values()
                if tileset is not None and still_likely(tileset, each.guess)]  # fmt: skip
        left.sort(key=lambda each: -each.guess.score)
        self.title.setVisible(bool(left))
        self._say()
        if left == self.shown:
            return
        for each in self.shown:
            if each not in left:
                each.tiles.setChecked(False)
                self.cards.removeWidget(each)
                each.hide()
                if each not in self._cards.values():
                    each.deleteLater()
        self.shown = left
        for place, each in enumerate(left):
            if self.cards.indexOf(each) != place:
                self.cards.insertWidget(place, each)
            each.show()
        self._say_sure()
        self.around.setVisible(bool(left))
        self.changed.emit()

    def _say(self) -> None:
        gathers = self.gathering is not None
        self.looking.setText(_GATHER if gathers else _LOOKING)
        self.looking.setVisible(gathers or self.is_busy)

    def _say_sure(self) -> None:
        sure = len(self._sure())
        self.all.setText(
            say("Make the {sure} that are surer than {sure2:.0%}", sure=sure, sure2=_SURE)
        )
        self.all.setVisible(sure > 1)

    def _sure(self) -> list[SetGuess]:
        return [each.guess for each in self.shown if each.guess.score > _SURE]

    def _card(self, tileset: Tileset, guess: SetGuess, pixels: Pixels) -> LikelyCard:
        card = LikelyCard(tileset, guess, pixels)
        card.pointed.connect(self.pointed)
        card.wanted.connect(lambda: self._make(tileset, [card.guess]))
        card.named.connect(lambda number, name: self._name(card, number, name))
        card.tiles.toggled.connect(partial(self._gather, card))
        return card

    def _name(self, card: LikelyCard, number: int, name: str) -> None:
        self.session.attempt(
            lambda: card.show_guess(named_guess(card.tileset, card.guess, number, name))
        )
        card.show_names()  # what was refused is gone

    # Tiles in and out

    def _gather(self, card: LikelyCard, on: bool) -> None:
        for other in self.shown if on else ():
            if other is not card:
                other.tiles.setChecked(False)
        self._say()
        self.gathers.emit([*card.guess.places] if on else None)

    def put(self, places: list[At], inside: bool) -> None:
        """Put tiles into the set whose card takes them, or out of it."""
        card = self.gathering
        if card is None:
            return

        def change() -> None:
            assert card is not None
            new = (with_tiles(card.tileset, card.guess, places) if inside
                   else without_tiles(card.guess, places))  # fmt: skip
            project = self.session.project
            card.show_guess(new, sample_pixels(*with_guess(project, card.tileset, new))[0])

        self.session.attempt(change)
        self.gathers.emit([*card.guess.places])

    # Making

    def make(self, tileset: Tileset, number: int) -> None:
        """Make one of the offered sets."""
        if number < len(self.shown):
            self._make(tileset, [self.shown[number].guess])

    def make_all(self) -> None:
        """Make all that are sure, as one step."""
        if self.tileset is not None:
            self._make(self.tileset, self._sure())

    def _make(self, tileset: Tileset, guesses: Iterable[SetGuess]) -> None:
        chosen = list(guesses)
        name = say("Make {count} likely sets", count=len(chosen)) if len(chosen) > 1 else ""
        self.end_gathering()

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
        made: list[TerrainSet] = tileset.sets[first:]
        if made:
            self.made.emit(tileset, made[0], made)


class LikelyCard(QFrame):
    """What a likely set would knit, its terrains' names, and what can be done with it."""

    pointed = Signal(list)
    wanted = Signal()
    """It is to be made."""
    named = Signal(int, str)
    """The name of a terrain, counted from 0."""

    def __init__(self, tileset: Tileset, guess: SetGuess, pixels: Pixels) -> None:
        super().__init__()
        self.setProperty("panel", "true")
        self.tileset, self.guess, self.pixels = tileset, guess, pixels
        self.picture = QLabel()
        self.picture.setAccessibleName(say("What this set would knit"))
        self.names: list[Line] = []
        lines = column(spacing=2)
        kit = kit_of_guess(tileset, guess)
        for number, terrain in enumerate(kit.terrains):
            line = Line(say("Name of this terrain; empty: by its colour"))
            line.setAccessibleName(say("Name of {name}", name=terrain.name))
            line.told.connect(partial(self.named.emit, number))
            icon = QLabel()
            icon.setPixmap(terrain_icon(kit, number + 1).pixmap(_ICON, _ICON))
            lines.addLayout(row(icon, line, spacing=4))
            self.names.append(line)
        self.words = note()
        self.make = primary(say("Make this set"), self.wanted.emit, "")
        self.tiles = button(
            say("Choose tiles"), lambda: None,
            say("Put tiles in, or take them out: click them on the sheet, or drag over several"),
        )  # fmt: skip
        self.tiles.setCheckable(True)
        self.setLayout(column(
            row(1, self.picture, 1), lines, self.words, 1, row(self.make, self.tiles, spacing=6),
            margins=8, spacing=6,
        ))  # fmt: skip
        self.setFixedWidth(_WIDE)
        self.show_guess(guess, pixels)

    def show_guess(self, guess: SetGuess, pixels: Pixels | None = None) -> None:
        """Show it with other tiles or names; and what it knits then, if that is another picture."""
        self.guess = guess
        self.show_names()
        self.words.setText(
            say(
                "{guess_words} · {score:.0%} sure",
                guess_words=guess_words(guess),
                score=guess.score,
            )
        )
        what = say(
            "{value} set of {count} tiles", value=say(guess.kind.value), count=len(guess.places)
        )
        self.make.setToolTip(tip_of(say("Make a {what}, marks included", what=what)))
        if pixels is not None:
            self.pixels = pixels
            self.picture.setPixmap(_fitted(pixels))

    def show_names(self) -> None:
        """Show how its terrains are called."""
        for line, terrain in zip(self.names, kit_of_guess(self.tileset, self.guess).terrains):
            line.show_value(terrain.name)

    def enterEvent(self, event: QEnterEvent) -> None:
        self.pointed.emit(self.guess.places)
        super().enterEvent(event)

    def leaveEvent(self, event: QEvent) -> None:
        self.pointed.emit([])
        super().leaveEvent(event)


def _fitted(pixels: Pixels) -> QPixmap:
    """Make a picture as large as it fits on a card, by whole steps if it is enlarged."""
    shown = QPixmap.fromImage(image_of(np.ascontiguousarray(pixels)).copy())
    if shown.width() > _SIZE.width() or shown.height() > _SIZE.height():
        return shown.scaled(_SIZE, Qt.AspectRatioMode.KeepAspectRatio)
    whole = max(1, min(_SIZE.width() // shown.width(), _SIZE.height() // shown.height()))
    return shown.scaled(shown.size() * whole)
