"""Forms: fields by the name of what they set.

What a form shows is not told, so nobody has to say that it is only being filled; what a person is
typing stays while it is shown again, and is told once it is another value.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any, Protocol, TypeVar

from PySide6.QtCore import QObject, QSignalBlocker, Qt, Signal
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QCheckBox, QComboBox, QLineEdit, QSlider, QWidget

from knitground.core.base.tongue import say
from knitground.core.model.limits import MAX_NAME
from knitground.ui.common.numbers import NumberBox, WholeBox
from knitground.ui.common.words import tip_of

DIFFERENT = say("different")
"""What a line says when things that are chosen together do not agree."""
Option = tuple[str, object] | tuple[str, object, QIcon]
"""Words of a choice, what it stands for, and its picture."""
_Box = TypeVar("_Box", WholeBox, NumberBox)


class Field(Protocol):
    """What shows a value."""

    def show_value(self, value: Any) -> None:
        """Show a value without telling of it."""


class Check(QCheckBox):
    """Yes or no."""

    def __init__(self, words: str, hint: str) -> None:
        super().__init__(words)
        self.setToolTip(tip_of(hint))

    def show_value(self, value: bool) -> None:
        """Show a value without telling of it."""
        self.setChecked(value)


class Choice(QComboBox):
    """One of several values, each with its words."""

    chosen = Signal(object)
    """A person chose this value."""

    def __init__(self, hint: str, options: Iterable[Option] = (), *, letters: int = 0) -> None:
        super().__init__()
        self.values: list[object] = []
        """Qt gives members of an enumeration back as plain text, so they are kept here."""
        self._options: list[Option] = []
        self.setToolTip(tip_of(hint))
        if letters:  # as wide as these, however long its words are
            fits = QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
            self.setSizeAdjustPolicy(fits)
            self.setMinimumContentsLength(letters)
        self.offer(options)
        self.activated.connect(lambda place: self.chosen.emit(self.values[place]))

    def offer(self, options: Iterable[Option]) -> None:
        """Offer these, in their order."""
        new = list(options)
        if new == self._options:
            return
        self._options = new
        with QSignalBlocker(self):
            self.clear()
            for words, value, *pictures in new:
                self.addItem(words, value)
                if pictures:
                    self.setItemIcon(self.count() - 1, pictures[0])
        self.values = [each[1] for each in new]

    def show_value(self, value: object) -> None:
        """Show a value without telling of it; nothing if it is not offered."""
        with QSignalBlocker(self):
            at = next((n for n, each in enumerate(self.values) if each == value), -1)
            self.setCurrentIndex(at)

    @property
    def value(self) -> Any:
        """What is chosen, None if nothing is."""
        at = self.currentIndex()
        return self.values[at] if at >= 0 else None


class Line(QLineEdit):
    """A line of text, told when it is written: at Enter, or when the keys go elsewhere."""

    told = Signal(str)

    def __init__(self, hint: str = "", *, empty: str = "", wide: int = 0) -> None:
        super().__init__()
        self.setMaxLength(MAX_NAME)
        self.setPlaceholderText(empty)
        self._empty, self._shown = empty, ""
        if hint:
            self.setToolTip(tip_of(hint))
        if wide:
            self.setFixedWidth(wide)
        self.editingFinished.connect(self.tell)

    def show_value(self, value: str | None) -> None:
        """Show a value, None for several; what is being typed stays."""
        if self.hasFocus() and self.isModified():
            return
        self.setPlaceholderText(DIFFERENT if value is None else self._empty)
        self._shown = value or ""
        if self.text() != self._shown:
            self.setText(self._shown)

    def tell(self) -> None:
        """Tell what is written, if it is another value."""
        self.setModified(False)
        new = self.text().strip()
        if new != self._shown:  # leaving a line that was not written in changes nothing
            self._shown = new
            self.told.emit(new)


class Word(QComboBox):
    """A word: one of those that are known, or another that is written."""

    told = Signal(str)

    def __init__(self, hint: str, *, empty: str = "") -> None:
        super().__init__()
        self._line = Line(empty=empty)
        self.setEditable(True)
        self.setLineEdit(self._line)
        self.setToolTip(tip_of(hint))
        self._line.told.connect(self.told)
        self.activated.connect(lambda _: self._line.tell())

    def offer(self, words: Iterable[str]) -> None:
        """Offer these, in their order."""
        new = list(words)
        if new != [self.itemText(n) for n in range(self.count())]:
            with QSignalBlocker(self):
                typed = self.currentText()
                self.clear()
                self.addItems(new)
                self.setEditText(typed)

    def show_value(self, value: str) -> None:
        """Show a value; what is being typed stays."""
        self._line.show_value(value)


class Slide(QSlider):
    """A number by hand; while it is held nothing moves it."""

    def __init__(self, low: int, high: int, hint: str) -> None:
        super().__init__(Qt.Orientation.Horizontal)
        self.setRange(low, high)
        self.setToolTip(tip_of(hint))

    def show_value(self, value: int) -> None:
        """Show a value without telling of it."""
        if not self.isSliderDown() and value != self.value():
            with QSignalBlocker(self):
                self.setValue(value)


def whole_box(
    low: int, high: int, hint: str, *, box: WholeBox | None = None, **looks: Any
) -> WholeBox:
    """Make a field for a whole number, or let `box` be it; for its looks see `_looking`."""
    return _looking(box or WholeBox(), low, high, hint, **looks)


def number_box(low: float, high: float, hint: str, *, decimals: int = 2, **looks: Any) -> NumberBox:
    """Make a field for a number with so many digits behind the point."""
    box = NumberBox()
    box.setDecimals(decimals)
    return _looking(box, low, high, hint, **looks)


def pixel_box(low: int, high: int, hint: str) -> WholeBox:
    """Make a field in pixels that tells of every keystroke."""
    box = whole_box(low, high, hint, suffix=" px")
    box.setMinimumWidth(84)
    return box


def _looking(
    box: _Box, low: float, high: float, hint: str, *, value: float | None = None,
    prefix: str = "", suffix: str = "", special: str = "", step: float = 1, wide: int = 0,
    at_once: bool = True, bare: bool = False,
) -> _Box:  # fmt: skip
    """Give a number field its bounds and words.

    `special` stands for the least value. `at_once`: it tells of every key, not only of the number
    when it is written. `bare`: without its two small buttons.
    """
    box.setRange(low, high)  # type: ignore[arg-type]
    box.setToolTip(tip_of(hint))
    box.setAccessibleName(box.accessibleName() or hint)
    box.setPrefix(prefix)
    box.setSuffix(suffix)
    box.setSpecialValueText(special)
    box.setSingleStep(step)  # type: ignore[arg-type]
    box.setKeyboardTracking(at_once)
    if value is not None:
        box.setValue(value)  # type: ignore[arg-type]
    if wide:
        box.setFixedWidth(wide)
    if bare:
        box.setButtonSymbols(box.ButtonSymbols.NoButtons)
    return box


class Form(QObject):
    """Fields by the names of what they set."""

    typed = Signal(str, object, object)
    """The name, the value that a person gave, and the key of the gesture: steps of one key that
    follow each other are one."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self._fields: dict[str, tuple[Field, float]] = {}

    def whole(
        self, of: str, low: int, high: int, hint: str, *, times: float = 1, **looks: Any
    ) -> WholeBox:
        """Add a whole number; what it sets is shown so many times as large (100: per cent)."""
        box = whole_box(low, high, hint, **looks)
        self._numbers(of, box, times)
        return box

    def number(
        self, of: str, low: float, high: float, hint: str, *, times: float = 1, **looks: Any
    ) -> NumberBox:
        """Add a number with parts; what it sets is shown so many times as large."""
        box = number_box(low, high, hint, **looks)
        self._numbers(of, box, times)
        return box

    def _numbers(self, of: str, box: WholeBox | NumberBox, times: float) -> None:
        self._fields[of] = box, times
        box.valueChanged.connect(
            lambda value: self.typed.emit(of, value if times == 1 else value / times, box)
        )

    def word(self, of: str, hint: str, *, empty: str = "") -> Word:
        """Add a word that may be known."""
        box = Word(hint, empty=empty)
        self._fields[of] = box, 1
        box.told.connect(lambda text: self.typed.emit(of, text, None))
        return box

    def check(self, of: str, words: str, hint: str) -> Check:
        """Add a yes or no."""
        box = Check(words, hint)
        self._fields[of] = box, 1
        box.clicked.connect(lambda on: self.typed.emit(of, on, None))
        return box

    def choice(
        self, of: str, hint: str, options: Sequence[Option] = (), *, letters: int = 0
    ) -> Choice:
        """Add a choice."""
        box = Choice(hint, options, letters=letters)
        self._fields[of] = box, 1
        box.chosen.connect(lambda value: self.typed.emit(of, value, None))
        return box

    def line(self, of: str, hint: str = "", *, empty: str = "", wide: int = 0) -> Line:
        """Add a line of text."""
        line = Line(hint, empty=empty, wide=wide)
        self._fields[of] = line, 1
        line.told.connect(lambda text: self.typed.emit(of, text, None))
        return line

    def show(self, thing: object) -> None:
        """Show a thing's own values, or those of a mapping; what it has none of stays."""
        get: Callable[[str, object], object] = (
            thing.get
            if isinstance(thing, Mapping)
            else lambda of, without: getattr(thing, of, without)
        )
        for of, (field, times) in self._fields.items():
            value = get(of, _NONE)
            if value is _NONE:
                continue
            if times != 1 and isinstance(value, int | float):
                value = value * times
            field.show_value(round(value) if isinstance(field, WholeBox) else value)  # type: ignore[call-overload]


_NONE = object()
