"""The editor of properties: named values of a kind, of one or many things at once."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QGridLayout, QLineEdit, QSizePolicy, QWidget

from knitground.core.base.numbers import plain_number
from knitground.core.base.tongue import say
from knitground.core.model.limits import MAX_NAME
from knitground.core.model.properties import Property, PropertyKind
from knitground.ui.common.form import DIFFERENT
from knitground.ui.common.widgets import button, clear, column, icon_button, note, row
from knitground.ui.common.words import tip_of

_KIND = 68


class PropertyEditor(QWidget):
    """Shows properties; values that differ among what is chosen are shown as different."""

    put = Signal(object, str, bool)
    """A property as it is to be, the name that it had, and whether each keeps its own value."""
    removed = Signal(str)

    def __init__(self, things: str) -> None:
        super().__init__()
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(6)
        self._grid.setVerticalSpacing(4)
        for col, share in enumerate((5, 4, 5)):
            self._grid.setColumnStretch(col, share)
        self.empty = note(
            say("No property yet: what a game should know of {things}.", things=things)
        )
        self.add = button(say("+ property"), self.add_one, say("Give the chosen ones a property"))
        self.fields: dict[str, tuple[QLineEdit, QComboBox, QLineEdit]] = {}
        self._shown: list[tuple[Property, bool]] | None = None
        self.setLayout(column(self._grid, self.empty, row(self.add, 1), 1, spacing=6))

    def show_properties(self, shown: list[tuple[Property, bool]]) -> None:
        """Show properties, each with whether all that is chosen has the same."""
        if shown == self._shown:
            return
        self._shown = shown
        at = self._focus()
        clear(self._grid)
        self.fields = {}
        self.empty.setVisible(not shown)
        for line, (each, same) in enumerate(shown):
            self._add_line(line, each, same)
        item = self._grid.itemAtPosition(*at) if at else None
        field = item.widget() if item is not None else None
        if field is not None:
            field.setFocus()

    def _focus(self) -> tuple[int, int] | None:
        """Line and column of the field that has the keys: it is made anew, and keeps them."""
        for line, parts in enumerate(self.fields.values()):
            for col, part in enumerate((parts[0], parts[1], parts[2])):
                if part.hasFocus():
                    return line, col
        return None

    def _add_line(self, line: int, each: Property, same: bool) -> None:
        name, value, kind = QLineEdit(each.name), QLineEdit(), QComboBox()
        name.setMaxLength(MAX_NAME)
        name.setToolTip(say("Name of the property"))
        for one in PropertyKind:
            kind.addItem(say(one.value))
        kind.setCurrentIndex(list(PropertyKind).index(each.kind))
        kind.setToolTip(
            tip_of(say("What kind of value it is: {value}", value=say(each.kind.value)))
        )
        kind.setMinimumWidth(_KIND)  # where it is narrow names and values need the room
        kind.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        kind.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        kind.view().setMinimumWidth(2 * _KIND)
        value.setText(each.value if same else "")
        for field in (name, value):
            field.setCursorPosition(0)
        value.setPlaceholderText("" if same else DIFFERENT)
        value.setToolTip(_hint(each.kind))
        name.editingFinished.connect(partial(self._rename, each, name))
        value.editingFinished.connect(partial(self._revalue, each, value))
        kind.activated.connect(partial(self._rekind, each))
        gone = icon_button(
            "mdi6.close",
            partial(self.removed.emit, each.name),
            say("Take “{name}” away", name=each.name),
        )
        for col, part in enumerate((name, kind, value, gone)):
            self._grid.addWidget(part, line, col)
        self.fields[each.name] = (name, kind, value)

    def add_one(self) -> None:
        """Add a property with a name that is free."""
        number, name = 1, say("property")
        while name in self.fields:
            number += 1
            name = say("property {number}", number=number)
        self.put.emit(Property(name), "", False)

    def _rename(self, each: Property, field: QLineEdit) -> None:
        name = field.text().strip()
        if name and name != each.name:
            self.put.emit(replace(each, name=name), each.name, True)

    def _revalue(self, each: Property, field: QLineEdit) -> None:
        text = field.text().strip()
        if each.kind in (PropertyKind.WHOLE, PropertyKind.NUMBER):
            text = plain_number(text) or text
        different = not text and field.placeholderText() == DIFFERENT
        if text == each.value or different:
            return
        choices = each.choices
        if each.kind is PropertyKind.CHOICE and text and text not in choices:
            choices = (*choices, text)  # a new choice is typed once
        before = self._shown
        self.put.emit(Property(each.name, text, each.kind, choices), each.name, False)
        if before is not None and self._shown is before and not field.hasFocus():
            self._shown = None  # it was refused, and what was typed is not what is kept
            self.show_properties(before)

    def _rekind(self, each: Property, place: int) -> None:
        kind = list(PropertyKind)[place]
        if kind is each.kind:
            return
        first = {
            PropertyKind.WHOLE: "0", PropertyKind.NUMBER: "0", PropertyKind.YES_NO: "no",
            PropertyKind.COLOUR: "#000000",
        }  # fmt: skip
        choices = (each.value,) if kind is PropertyKind.CHOICE else ()
        new = Property(each.name, first.get(kind, each.value), kind, choices)
        self.put.emit(new, each.name, True)


def _hint(kind: PropertyKind) -> str:
    return {
        PropertyKind.YES_NO: say("yes or no"), PropertyKind.COLOUR: "#rrggbb",
        PropertyKind.FILE: say("a path inside the project's folder"),
        PropertyKind.CHOICE: say("one of its choices; another word becomes a choice more"),
    }.get(kind, say("a {kind}", kind=say(kind.value)))  # fmt: skip
