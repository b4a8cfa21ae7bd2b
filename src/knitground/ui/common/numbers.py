"""Number fields: what is typed means the same under every locale, and stays while it is typed."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QLocale, QSignalBlocker
from PySide6.QtGui import QValidator
from PySide6.QtWidgets import QDoubleSpinBox, QSpinBox, QWidget

from knitground.core.base.numbers import begins_number, plain_number

_Checked = tuple[QValidator.State, str, int]


class _Steady:
    """What both kinds of fields have: nothing rewrites what is being typed but another value.

    Words round the number are rewritten by Qt whenever they are set, and the number with them.
    """

    _later: str | None = None

    def _made(self: Any) -> None:
        self.setLocale(QLocale.c())
        self.editingFinished.connect(self._typed)

    def setSuffix(self: Any, suffix: str) -> None:
        self._later = None
        if suffix == self.suffix():
            return
        if self.hasFocus() and self.lineEdit().isModified():
            self._later = suffix  # once the number is typed
        else:
            super().setSuffix(suffix)  # type: ignore[misc]

    def setSpecialValueText(self: Any, words: str) -> None:
        if words != self.specialValueText():
            super().setSpecialValueText(words)  # type: ignore[misc]

    def _typed(self: Any) -> None:
        if self._later is not None:
            super().setSuffix(self._later)  # type: ignore[misc]
            self._later = None


class WholeBox(_Steady, QSpinBox):
    """A field for a whole number."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._made()

    def validate(self, text: str, pos: int) -> _Checked:
        return _checked(self, text, pos, parts=False)

    def valueFromText(self, text: str) -> int:
        return round(_number(self, text))

    def show_value(self, value: int) -> None:
        """Show a value without telling of it; what is being typed and means the same stays."""
        _show(self, value)


class NumberBox(_Steady, QDoubleSpinBox):
    """A field for a number with parts: point and comma are both understood."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._made()

    def validate(self, text: str, pos: int) -> _Checked:
        return _checked(self, text, pos, parts=self.decimals() > 0)

    def valueFromText(self, text: str) -> float:
        return _number(self, text)

    def show_value(self, value: float) -> None:
        """Show a value without telling of it; what is being typed and means the same stays."""
        _show(self, round(value, self.decimals()))


def _show(box: WholeBox | NumberBox, value: float) -> None:
    if box.value() != value:
        with QSignalBlocker(box):
            box.setValue(value)  # type: ignore[arg-type]


def _bare(box: QSpinBox | QDoubleSpinBox, text: str) -> str:
    """Take away what stands before and behind the number."""
    if box.prefix() and text.startswith(box.prefix()):
        text = text[len(box.prefix()) :]
    if box.suffix() and text.endswith(box.suffix()):
        text = text[: -len(box.suffix())]
    return text.strip()


def _is_special(box: QSpinBox | QDoubleSpinBox, text: str) -> bool:
    return bool(box.specialValueText()) and text == box.specialValueText()


def _number(box: QSpinBox | QDoubleSpinBox, text: str) -> float:
    if _is_special(box, text):
        return box.minimum()
    plain = plain_number(_bare(box, text))
    return float(plain) if plain is not None else box.value()


def _checked(box: QSpinBox | QDoubleSpinBox, text: str, pos: int, *, parts: bool) -> _Checked:
    """Say whether a text is a number within bounds, may become one, or can not.

    Too many digits behind the point can not, as in Qt's own fields; a number below the least may
    still grow.
    """
    if _is_special(box, text):
        return QValidator.State.Acceptable, text, pos
    bare = _bare(box, text)
    if not begins_number(bare, parts=parts, below_zero=box.minimum() < 0):
        return QValidator.State.Invalid, text, pos
    plain = plain_number(bare)
    if plain is None:
        return QValidator.State.Intermediate, text, pos
    behind = plain.partition(".")[2]
    if isinstance(box, QDoubleSpinBox) and len(behind) > box.decimals():
        return QValidator.State.Invalid, text, pos
    value = float(plain)
    if box.minimum() <= value <= box.maximum():
        return QValidator.State.Acceptable, text, pos
    # Further digits only lead away from zero.
    lost = value > box.maximum() if value >= 0 else value < box.minimum()
    state = QValidator.State.Invalid if lost else QValidator.State.Intermediate
    return state, text, pos
