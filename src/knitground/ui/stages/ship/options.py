"""The form of a format's options, made from the dataclass that holds them."""

from __future__ import annotations

from dataclasses import Field, fields
from typing import Any, Literal, get_args, get_origin, get_type_hints

from annotated_types import Ge, Le
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QLabel, QLineEdit, QWidget

from knitground.core.base.tongue import say
from knitground.core.files.ship.kinds import ShipFormat
from knitground.core.model.profile import OptionValue
from knitground.ui.common.numbers import WholeBox
from knitground.ui.common.words import tip_of


class OptionForm(QWidget):
    """Asks for the options of one format: a line for each."""

    changed = Signal()

    def __init__(self, kind: ShipFormat) -> None:
        super().__init__()
        self.kind = kind
        self.inputs: dict[str, QWidget] = {}
        layout = QGridLayout(self)
        layout.setContentsMargins(26, 0, 0, 4)
        layout.setVerticalSpacing(4)
        layout.setColumnStretch(1, 1)
        hints = get_type_hints(kind.options, include_extras=True)
        for line, each in enumerate(fields(kind.options)):
            made = self._made(each, hints[each.name])
            made.setToolTip(tip_of(each.metadata["hint"]) if each.metadata["hint"] else "")
            made.setAccessibleName(f"{kind.key} {each.metadata['title']}")
            self.inputs[each.name] = made
            if not isinstance(made, QCheckBox):
                layout.addWidget(QLabel(each.metadata["title"]), line, 0)
            layout.addWidget(made, line, 1)
        self.show_values({})

    def _made(self, each: Field[Any], hint: Any) -> QWidget:
        kind = get_args(hint)[0] if hasattr(hint, "__metadata__") else hint
        if get_origin(kind) is Literal:
            combo = QComboBox()
            for value in get_args(kind):
                combo.addItem(say(str(value)), value)
            combo.currentIndexChanged.connect(lambda _: self.changed.emit())
            return combo
        if kind is bool:
            box = QCheckBox(each.metadata["title"])
            box.toggled.connect(lambda _: self.changed.emit())
            return box
        if kind is int:
            number = WholeBox()
            bounds = getattr(hint, "__metadata__", ())
            least = [b.ge for b in bounds if isinstance(b, Ge) and isinstance(b.ge, int)]
            most = [b.le for b in bounds if isinstance(b, Le) and isinstance(b.le, int)]
            number.setRange(max(least, default=0), min(most, default=99_999))
            number.setKeyboardTracking(False)
            number.valueChanged.connect(lambda _: self.changed.emit())
            return number
        text = QLineEdit()
        text.setPlaceholderText(each.metadata["example"])
        text.editingFinished.connect(self.changed.emit)
        return text

    def values(self) -> dict[str, OptionValue]:
        """Give the options that are not as they are by themselves."""
        usual = self.kind.chosen()
        out: dict[str, OptionValue] = {}
        for name, each in self.inputs.items():
            value: OptionValue
            if isinstance(each, QComboBox):
                value = each.currentData()
            elif isinstance(each, QCheckBox):
                value = each.isChecked()
            elif isinstance(each, WholeBox):
                value = each.value()
            else:
                assert isinstance(each, QLineEdit)
                value = each.text().strip()
            if value != getattr(usual, name):
                out[name] = value
        return out

    def show_values(self, values: dict[str, OptionValue]) -> None:
        """Show options; those that are not given are as by themselves."""
        usual = self.kind.chosen()
        self.blockSignals(True)
        for name, each in self.inputs.items():
            value = values.get(name, getattr(usual, name))
            if isinstance(each, QComboBox):
                each.setCurrentIndex(each.findData(value))
            elif isinstance(each, QCheckBox):
                each.setChecked(bool(value))
            elif isinstance(each, WholeBox):
                each.show_value(int(value))
            elif isinstance(each, QLineEdit):
                each.setText(str(value))
        self.blockSignals(False)
