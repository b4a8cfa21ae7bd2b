"""Relief of a sheet: made from its art, with a lamp that goes over it to see what it does."""

from __future__ import annotations

from math import cos, sin

import numpy as np
from PySide6.QtCore import QEvent, QObject, QPointF, QTimer
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QDialogButtonBox, QFormLayout, QLabel, QVBoxLayout, QWidget

from knitground.core.base.errors import SlicingError
from knitground.core.base.tongue import say
from knitground.core.files.images import relief_name
from knitground.core.model.lattice import Rect
from knitground.core.model.slicing import Slicing
from knitground.core.model.tileset import Picture, Tileset
from knitground.core.render.pixels import premultiplied
from knitground.core.render.relief import By, facing, flat_relief, made_relief
from knitground.core.render.tiles import filled_tiles
from knitground.core.shapes.light import Lamp, Light, lit
from knitground.core.slicing.grid import cut_tile
from knitground.ui.common.dialog import Dialog
from knitground.ui.common.form import Choice, number_box, whole_box
from knitground.ui.common.widgets import Swatch, column, note, row

_SIDE = 96
"""Pixels across and down of the part of the sheet that is shown."""
_MS = 40
_AMBIENT = (0.35, 0.36, 0.45)


class ReliefDialog(Dialog):
    """Asks how the relief is to be made, and shows it in the light of a lamp."""

    def __init__(self, tileset: Tileset, parent: QWidget, *, moves: bool = True) -> None:
        super().__init__(parent)
        self.setWindowTitle(say("Relief of “{name}”", name=tileset.name))
        self.tileset = tileset
        self.removes = False
        """Whether it is to have none any more."""
        self.by = Choice(
            say("What is bright lies higher; what has an outline rises from it"),
            [(say("brightness and outline"), By.BOTH), (say("brightness"), By.BRIGHTNESS),
             (say("outline"), By.OUTLINE)],
        )  # fmt: skip
        self.strength = number_box(-4, 4, say("How steep it is; less than 0 goes inwards"), value=1,
                                   step=0.1)  # fmt: skip
        self.round = whole_box(
            1, 64, say("By the outline: from there to where it lies flat"), value=4, suffix=" px"
        )
        form = QFormLayout()
        form.addRow(say("From"), self.by)
        form.addRow(say("Strength"), self.strength)
        form.addRow(say("Rounding"), self.round)
        self.lit, self.relief = Swatch(), Swatch()
        for swatch in (self.lit, self.relief):
            swatch.setMinimumSize(290, 290)
        self.lit.setMouseTracking(True)
        self.lit.installEventFilter(self)
        self.lit.setToolTip(say("A lamp goes over it; it follows the pointer"))
        hint = note(
            say(
                "It is kept as {relief_name} beside the sheet: paint on it in another "
                "program, and it is read again. Red is right, green up, blue towards you.",
                relief_name=relief_name(tileset.sheet),
            )
        )
        hint.setWordWrap(True)
        buttons = self.make_buttons(say("Make the relief"))
        if tileset.relief is not None:
            away = buttons.addButton(
                say("Take it away"), QDialogButtonBox.ButtonRole.DestructiveRole
            )
            away.setToolTip(say("The sheet is lit as if it were flat"))
            away.clicked.connect(self._remove)
        layout = QVBoxLayout(self)
        layout.addLayout(row(
            column(form, hint, 1), column(QLabel(say("In the light of a lamp")), self.lit),
            column(QLabel(say("The relief")), self.relief),
        ))  # fmt: skip
        layout.addWidget(buttons)
        self._angle = 0.0
        self._pointed: QPointF | None = None
        self._clock = QTimer(self, interval=_MS)
        self._clock.timeout.connect(self._turn)
        self._part, self._cut = _first_tiles(tileset)
        for signal in (self.by.currentIndexChanged, self.strength.valueChanged,
                       self.round.valueChanged):  # fmt: skip
            signal.connect(self._make)
        self._make()
        if moves:
            self._clock.start()

    def numbers(self) -> tuple[By, float, int]:
        """Give what is asked for, as `made_relief` takes it."""
        return self.by.value, self.strength.value(), self.round.value()

    def _remove(self) -> None:
        self.removes = True
        self.accept()

    def _make(self) -> None:
        """Make the relief of what is shown, and light it."""
        self.round.setEnabled(self.by.value is not By.BRIGHTNESS)
        try:
            relief = made_relief(self._part, self._cut, *self.numbers())
        except SlicingError:
            relief = flat_relief(self._part)
        relief[..., 3] = self._part[..., 3]
        self._facing = facing(premultiplied(relief))
        self.relief.show_pixels(premultiplied(relief))
        self._show()

    def _turn(self) -> None:
        self._angle += _MS / 1000
        if self._pointed is None:
            self._show()

    def _show(self) -> None:
        high, wide = self._part.shape[:2]
        x, y = wide / 2 + wide * 0.4 * cos(self._angle), high / 2 + high * 0.4 * sin(self._angle)
        if self._pointed is not None:
            x, y = self._pointed.x(), self._pointed.y()
        lamp = Lamp(round(x), round(y), 1.2 * max(high, wide), (1, 0.9, 0.75), 1.3, height=16)
        light = Light(relief=self._around)
        field = light.field([lamp], _AMBIENT, Rect(0, 0, wide, high))
        self.lit.show_pixels(lit(premultiplied(self._part), field))

    def _around(self, rect: Rect) -> np.ndarray:
        """Give which way the pixels of what is shown face; beyond it is flat."""
        out = np.zeros((int(rect.height), int(rect.width), 3), np.float32)
        out[..., 2] = 1
        seen = rect.shared(Rect(0, 0, self._part.shape[1], self._part.shape[0]))
        if not seen.is_empty:
            x, y, wide, high = (int(each) for each in seen)
            left, top = x - int(rect.x), y - int(rect.y)
            out[top : top + high, left : left + wide] = self._facing[y : y + high, x : x + wide]
        return out

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self.lit and isinstance(event, QMouseEvent):
            high, wide = self._part.shape[:2]
            scale = min(self.lit.width() / wide, self.lit.height() / high)
            scale = max(1.0, float(int(scale))) if scale >= 1 else scale
            left = int((self.lit.width() - wide * scale) / 2)
            self._pointed = (event.position() - QPointF(left, 0)) / scale
            self._show()
        elif watched is self.lit and event.type() == QEvent.Type.Leave:
            self._pointed = None
            self._show()
        return super().eventFilter(watched, event)


def _first_tiles(tileset: Tileset) -> tuple[Picture, Slicing]:
    """Put the first tiles that show something edge to edge; gives also how that is cut."""
    assert tileset.picture is not None
    cut = tileset.slicing
    there = np.argwhere(filled_tiles(tileset))
    first, col = there[0].tolist() if len(there) else (0, 0)
    if cut.pieces:
        part = cut_tile(tileset.picture, cut, 0, col)
        return part, Slicing(part.shape[1], part.shape[0])
    wide, high = cut.tile_width, cut.tile_height
    columns = min(tileset.columns, max(1, _SIDE // wide))
    rows = min(tileset.rows - first, max(1, _SIDE // high))
    out = np.zeros((rows * high, columns * wide, 4), np.uint8)
    for row_, col in np.ndindex(rows, columns):
        part = cut_tile(tileset.picture, cut, first + row_, col)
        out[row_ * high : (row_ + 1) * high, col * wide : (col + 1) * wide] = part
    return out, Slicing(wide, high)
