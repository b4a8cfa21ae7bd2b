"""The numbers of a slicing: what is typed, and the colours that are see-through."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QToolButton, QWidget

from knitground.core.base.tongue import say
from knitground.core.model.limits import MAX_SIDE_PX
from knitground.core.model.slicing import Slicing
from knitground.ui.common.form import pixel_box, whole_box
from knitground.ui.common.numbers import WholeBox
from knitground.ui.common.theme import theme
from knitground.ui.common.widgets import button, clear, column, note, row
from knitground.ui.common.words import tip_of

_USUAL = (8, 16, 24, 32, 48, 64)
_PAIRS = {"tile_width": "tile_height", "margin_x": "margin_y", "spacing_x": "spacing_y",
          "start_x": "start_y"}  # fmt: skip
"""By the number that is typed: the one that follows while both are the same."""
_GAP = 1
_FIELDS = (
    ("tile_width", 1, say("Tile width")),
    ("tile_height", 1, say("Tile height")),
    ("margin_x", 0, say("Margin left")),
    ("margin_y", 0, say("Margin above")),
    ("spacing_x", 0, say("Spacing across")),
    ("spacing_y", 0, say("Spacing down")),
    ("start_x", 0, say("Start x")),
    ("start_y", 0, say("Start y")),
)


class SliceNumbers(QWidget):
    """Fields for all numbers of a slicing; it tells of every keystroke."""

    typed = Signal()
    size_wanted = Signal(int)
    """Square tiles of a usual size are wanted."""
    colour_gone = Signal(object)
    """A colour is to be see-through no more."""
    pieces_wanted = Signal()
    """Separate pieces are to be found."""

    def __init__(self) -> None:
        super().__init__()
        self._before = Slicing(1, 1)
        self.boxes: dict[str, WholeBox] = {}
        for key, low, hint in _FIELDS:
            self.boxes[key] = self._box(key, low, hint)
        self.tolerance = whole_box(0, 64, say("How near to a see-through colour a pixel must be"))
        self.tolerance.valueChanged.connect(self._tell)
        self.colours = QHBoxLayout()
        self.pick = button(say("Pick"), lambda: None, say("Click a colour on the sheet"))
        self.draw = button(
            say("Draw a tile"), lambda: None, say("Draw one tile on the sheet (Shift+drag)")
        )
        self.loose = button(
            say("Find pieces"), lambda: None, say("Find separate pictures by their outline")
        )
        for each in (self.pick, self.draw, self.loose):
            each.setCheckable(True)
        self.gap = whole_box(
            0, 64, say("See-through pixels inside a piece that do not part it"), value=_GAP,
            prefix=say("gap "), suffix=" px", at_once=False,
        )  # fmt: skip
        self.gap.valueChanged.connect(self.pieces_wanted)
        self.size_label = QLabel()
        self.setLayout(column(self._grid(), self._line()))

    def begin_anew(self) -> None:
        """Become as at first."""
        self.gap.show_value(_GAP)
        for each in (self.pick, self.draw):
            each.setChecked(False)

    def _box(self, key: str, low: int, hint: str) -> WholeBox:
        box = pixel_box(low, MAX_SIDE_PX, hint)
        other = _PAIRS.get(key)
        if other is not None:
            box.setToolTip(
                tip_of(say("{hint}; the one beside it follows while both are the same", hint=hint))
            )
            box.valueChanged.connect(partial(self._typed_across, key, other))
        else:
            box.valueChanged.connect(self._tell)
        return box

    def _grid(self) -> QGridLayout:
        numbers = QGridLayout()
        numbers.setHorizontalSpacing(8)
        numbers.setVerticalSpacing(6)
        for place, (label, x, y) in enumerate(
            (
                (say("Tile  w × h"), "tile_width", "tile_height"),
                (say("Margin  x, y"), "margin_x", "margin_y"),
                (say("Spacing  x, y"), "spacing_x", "spacing_y"),
                (say("Start  x, y"), "start_x", "start_y"),
            )
        ):
            at, down = (place % 2) * 3, place // 2
            numbers.addWidget(self.size_label if place == 0 else QLabel(label), down, at)
            numbers.addWidget(self.boxes[x], down, at + 1)
            numbers.addWidget(self.boxes[y], down, at + 2)
        numbers.addLayout(self._usual_sizes(), 2, 0, 1, 6)
        numbers.setColumnMinimumWidth(2, 96)
        numbers.setColumnStretch(6, 1)
        return numbers

    def _line(self) -> QHBoxLayout:
        return row(
            QLabel(say("See-through")),
            self.colours,
            self.pick,
            QLabel(say("tolerance")),
            self.tolerance,
            self.draw,
            self.loose,
            self.gap,
            1,
        )

    def _usual_sizes(self) -> QHBoxLayout:
        """Make a button for each usual size of tiles."""
        sizes = row(note(say("usual sizes")), spacing=4)
        self.usual: dict[int, QToolButton] = {}
        for side in _USUAL:
            made = QToolButton()
            made.setText(str(side))
            made.setToolTip(tip_of(say("Tiles of {side} × {side} px", side=side)))
            made.setAccessibleName(say("Tiles of {side} × {side} px", side=side))
            made.clicked.connect(partial(self.size_wanted.emit, side))
            sizes.addWidget(made)
            self.usual[side] = made
        sizes.addStretch(1)
        return sizes

    # What was typed

    def show_slicing(self, slicing: Slicing) -> None:
        """Fill the fields in."""
        for key, box in self.boxes.items():
            box.show_value(getattr(slicing, key))
        self.tolerance.show_value(slicing.tolerance)
        self._before = slicing

    def slicing(self, before: Slicing) -> Slicing:
        """Give a slicing with the numbers of the fields."""
        numbers: dict[str, Any] = {key: box.value() for key, box in self.boxes.items()}
        return replace(before, tolerance=self.tolerance.value(), **numbers)

    def _typed_across(self, across: str, down: str, value: int) -> None:
        """Take a number that was typed; where both were the same, the other one follows."""
        if getattr(self._before, across) == getattr(self._before, down):
            self.boxes[down].show_value(value)
        self._tell()

    def _tell(self) -> None:
        self._before = self.slicing(self._before)
        self.typed.emit()

    def show_kind(self, slicing: Slicing) -> None:
        """Show the colours, and which fields mean what: loose pieces have a cell only."""
        self._before = slicing
        self._show_colours(slicing.see_through)
        loose = slicing.is_loose
        self.loose.setChecked(loose)
        self.gap.setVisible(loose)
        self.size_label.setText(say("Cell  w × h") if loose else say("Tile  w × h"))
        for key, box in self.boxes.items():
            box.setEnabled(not loose or key.startswith("tile_"))
        self.boxes["tile_width"].setToolTip(say("Cell width") if loose else say("Tile width"))
        self.boxes["tile_height"].setToolTip(say("Cell height") if loose else say("Tile height"))

    def _show_colours(self, colours: tuple[tuple[int, int, int], ...]) -> None:
        clear(self.colours)
        if not colours:
            self.colours.addWidget(note(say("none")))
        for colour in colours:
            chip = button("×", partial(self.colour_gone.emit, colour))
            ink = "#000" if sum(colour) > 380 else "#fff"
            name = QColor(*colour).name()
            chip.setStyleSheet(
                f"background: {name}; color: {ink}; border: 1px solid {theme().line};"
                "padding: 2px 8px;"
            )
            chip.setToolTip(tip_of(say("{name}: click to take it away", name=name)))
            self.colours.addWidget(chip)
