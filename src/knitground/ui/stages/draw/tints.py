"""Colours for tint layers: ready ones, those in use, one's own, and how strong they are."""

from __future__ import annotations

from functools import partial

import numpy as np
from PySide6.QtCore import QSize, Signal
from PySide6.QtGui import QColor, QIcon, QPixmap
from PySide6.QtWidgets import QColorDialog, QGridLayout, QLabel, QWidget

from knitground.core.base.tongue import say
from knitground.core.edit.hand import TintInHand
from knitground.core.model.layers import TintLayer
from knitground.core.model.limits import FULL_TINT
from knitground.ui.common.form import Slide
from knitground.ui.common.widgets import TakeButton, button, clear, column, note, row
from knitground.ui.common.words import on_button, tip_of
from knitground.ui.session import Session

READY = (
    (say("dusk"), "#5a5f9e"),
    (say("night"), "#2e3566"),
    (say("shade"), "#7c7f8c"),
    (say("dawn"), "#f0b7a0"),
    (say("lamp"), "#ffcf7a"),
    (say("rust"), "#c9714f"),
    (say("weed"), "#8fae6b"),
    (say("deep"), "#3f7f8f"),
)
_ACROSS = 3
_USED_LOOKED_AT = 512 * 512
_ALIKE = 40


def swatch_icon(colour: str) -> QIcon:
    """A plain square of a colour."""
    out = QPixmap(20, 20)
    out.fill(QColor(colour))
    return QIcon(out)


class TintPage(QWidget):
    """Lets a colour and its strength be taken in hand."""

    taken = Signal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.colour = READY[0][1]
        self._shown: object = None
        self.buttons: dict[str, TakeButton] = {}
        self.grid = QGridLayout()
        self.grid.setSpacing(4)
        self.strength = Slide(
            1, FULL_TINT, say("How strongly the colour is multiplied over what lies beneath")
        )
        self.strength.setValue(90)
        self.strength.setAccessibleName(say("Strength"))
        self.strength.valueChanged.connect(lambda _: self.take(self.colour))
        self.words = QLabel()
        self.words.setMinimumWidth(48)
        own = button(say("Another colour…"), self.ask, say("Choose any colour"))
        self.setLayout(
            column(
                note(
                    say(
                        "A colour is multiplied over what lies beneath; the soft brush lays "
                        "less at its "
                        "rim. Paint it on a tint layer."
                    )
                ),
                self.grid,
                own,
                row(QLabel(say("Strength")), self.strength, self.words),
                1,
            )
        )

    def take(self, colour: str) -> None:
        """Take a colour in hand, as strong as the slider says."""
        self.colour = colour
        self.taken.emit(TintInHand(colour, self.strength.value()))

    def ask(self) -> None:
        """Ask for any colour and take it."""
        found = QColorDialog.getColor(QColor(self.colour), self, say("Colour of the tint"))
        if found.isValid():
            self.take(found.name())

    def refresh(self) -> None:
        """Show the ready colours, then those that the chosen layer uses."""
        used = self._used()
        hand = self.session.hand
        if isinstance(hand, TintInHand):
            self.colour = hand.colour
            self.strength.blockSignals(True)
            self.strength.setValue(hand.strength)
            self.strength.blockSignals(False)
        self.words.setText(f"{round(self.strength.value() / FULL_TINT * 100)} %")
        names = {colour: name for name, colour in READY}
        own = [self.colour] if isinstance(hand, TintInHand) else []
        colours = list(dict.fromkeys([*names, *used, *own]))
        if colours != self._shown:
            self._shown = colours
            clear(self.grid)
            self.buttons = {}
            for n, colour in enumerate(colours):
                made = TakeButton(on_button(names.get(colour, "")), left=False)
                made.setIcon(swatch_icon(colour))
                made.setIconSize(QSize(18, 18))
                made.setMinimumWidth(30)
                made.setToolTip(
                    tip_of(
                        say(
                            "Take {get} {colour} in hand",
                            get=names.get(colour, say("colour")),
                            colour=colour,
                        )
                    )
                )
                made.setAccessibleName(f"{names.get(colour, say('colour'))} {colour}")
                made.clicked.connect(partial(self._click, colour))
                self.grid.addWidget(made, n // _ACROSS, n % _ACROSS)
                self.buttons[colour] = made
        for colour, made in self.buttons.items():
            made.setChecked(isinstance(hand, TintInHand) and hand.colour == colour)

    def _click(self, colour: str) -> None:
        self.take(colour)

    def _used(self) -> list[str]:
        """Colours that the chosen layer uses most."""
        layer = self.session.layer
        if not isinstance(layer, TintLayer) or layer.cells.size > _USED_LOOKED_AT:
            return []
        values, counts = np.unique(layer.cells & 0xFFFFFF, return_counts=True)
        colours = values[np.argsort(-counts)][:256]
        # Soft strokes make many that are nearly the same: one of each sort will do.
        channels = np.stack([colours >> shift & 255 for shift in (16, 8, 0)], axis=1)
        known = [[int(each[n : n + 2], 16) for n in (1, 3, 5)] for _, each in READY]
        out: list[str] = []
        for colour, own in zip(colours.tolist(), channels.tolist()):
            near = any(max(abs(a - b) for a, b in zip(own, each)) < _ALIKE for each in known)
            if colour and not near:
                known.append(own)
                out.append(f"#{colour:06x}")
        return out[:7]
