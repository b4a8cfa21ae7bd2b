"""Markers: kinds to take in hand, and what the chosen markers are called and carry."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from functools import partial
from typing import Any

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QColor, QIcon, QPainter, QPixmap
from PySide6.QtWidgets import (
    QDoubleSpinBox,
    QFormLayout,
    QHeaderView,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from knitground.core.edit.document import Edit
from knitground.core.edit.hand import MarkerInHand
from knitground.core.edit.markers import change_markers, moved
from knitground.core.edit.planning import LOCK_KEYS
from knitground.core.model.layers import MarkerLayer
from knitground.core.model.limits import MAX_SCALE, MIN_SCALE
from knitground.core.model.map import Map
from knitground.core.model.marker import Marker, Shape
from knitground.ui.common.widgets import button, clear, column, head, note, row
from knitground.ui.mapside.canvas.markers import READY_KINDS, kind_colour
from knitground.ui.mapside.tools.markers import chosen_markers
from knitground.ui.session import Session


def kind_icon(kind: str) -> QIcon:
    """A round spot in the colour of a kind."""
    out = QPixmap(18, 18)
    out.fill(Qt.GlobalColor.transparent)
    painter = QPainter(out)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(QColor(kind_colour(kind)))
    painter.setPen(QColor("#2B2A33"))
    painter.drawEllipse(2, 2, 13, 13)
    painter.end()
    return QIcon(out)


DIFFERENT = "different"
"""Stands where the chosen markers do not have the same."""


def shared(values: Iterable[str]) -> str | None:
    """Give what all values are; None if they differ.

    Examples
    --------
    >>> shared(["a", "a"]), shared(["a", "b"])
    ('a', None)
    """
    found = set(values)
    return found.pop() if len(found) == 1 else None


def joined_properties(markers: Sequence[Marker]) -> list[tuple[str, str]]:
    """List the properties that any marker has, in order, and what they are if all have the same."""
    names = dict.fromkeys(name for each in markers for name, _ in each.properties)
    out = []
    for name in names:
        value = shared(dict(each.properties).get(name, DIFFERENT + " ") for each in markers)
        out.append((name, value if value is not None else DIFFERENT))
    return out


def with_property(marker: Marker, before: str, name: str, value: str) -> Marker:
    """Give a marker one property another name or value; no name takes it away.

    Examples
    --------
    >>> marker = Marker(1, Shape.POINT, ((0, 0),), properties=(("a", "1"), ("b", "2")))
    >>> with_property(marker, "a", "c", "3").properties
    (('c', '3'), ('b', '2'))
    >>> with_property(marker, "b", "", "").properties
    (('a', '1'),)
    """
    pairs = dict(marker.properties)
    kept = value if value != DIFFERENT else pairs.get(before, "")
    if before in pairs:
        renamed = {(name if key == before else key): each for key, each in pairs.items()}
        if name:
            renamed[name] = kept
        else:
            renamed.pop("", None)
        pairs = renamed
    elif name:
        pairs[name] = kept
    return replace(marker, properties=tuple(pairs.items()))


class MarkerPage(QWidget):
    """Kinds of marker, and the form of what is chosen."""

    taken = Signal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._words = ""
        self._kinds: object = None
        self._filling = False
        self.buttons: dict[str, QPushButton] = {}
        self.kinds = column(spacing=4)
        self.new_kind = QLineEdit()
        self.new_kind.setPlaceholderText("another kind…")
        self.new_kind.setToolTip("Any word; Enter takes it in hand")
        self.new_kind.returnPressed.connect(self._take_new)
        self._make_form()
        self.setLayout(column(
            note("Paint lays points, Box and Line lay areas; with a tile in hand Paint lays a free "
                 "picture. Select moves them."),
            self.kinds, self.new_kind, self.form_head, self.form, 1,
        ))  # fmt: skip
        session.choice.selected.connect(self.refresh)

    def _make_form(self) -> None:
        self.form_head = head("Chosen marker")
        self.name, self.kind = QLineEdit(), QLineEdit()
        for what, field in (("name", self.name), ("kind", self.kind)):
            field.editingFinished.connect(partial(self._set_text, what, field))
        self.place_x, self.place_y = self._number(-1e6, 1e6, " px"), self._number(-1e6, 1e6, " px")
        self.turn = self._number(-360, 360, " °")
        self.scale = self._number(MIN_SCALE, MAX_SCALE, " ×")
        self.scale.setDecimals(2)
        self.scale.setSingleStep(0.25)
        self.place_x.valueChanged.connect(lambda value: self._place(0, value))
        self.place_y.valueChanged.connect(lambda value: self._place(1, value))
        self.turn.valueChanged.connect(lambda value: self._set("turn", value % 360))
        self.scale.valueChanged.connect(lambda value: self._set("scale", value))
        self.table = QTableWidget(0, 2)
        self.table.setHorizontalHeaderLabels(["property", "value"])
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.table.verticalHeader().hide()
        self.table.setMinimumHeight(96)
        self.table.setAccessibleName("Properties of the chosen markers")
        self.table.itemChanged.connect(self._set_property)
        lines = QFormLayout()
        lines.setContentsMargins(0, 0, 0, 0)
        lines.addRow("Name", self.name)
        lines.addRow("Kind", self.kind)
        lines.addRow("Place", row(self.place_x, self.place_y, spacing=4))
        lines.addRow("Turn, scale", row(self.turn, self.scale, spacing=4))
        self.form = QWidget()
        self.form.setLayout(column(
            lines, self.table,
            row(button("+ property", self._add_property, "Add a property"),
                button("− property", self._drop_property, "Take the marked property away"), 1),
        ))  # fmt: skip

    def _number(self, low: float, high: float, suffix: str) -> QDoubleSpinBox:
        box = QDoubleSpinBox()
        box.setRange(low, high)
        box.setDecimals(1)
        box.setSuffix(suffix)
        box.setKeyboardTracking(False)
        box.setMinimumWidth(70)
        return box

    # Kinds

    def search(self, words: str) -> None:
        """Show only the kinds that have these words in them."""
        self._words = words.strip().lower()
        self.refresh()

    def all_kinds(self) -> list[str]:
        """List the ready kinds and all that the project's markers have."""
        used = {
            marker.kind
            for map_ in self.session.project.maps
            for layer in map_.layers
            if isinstance(layer, MarkerLayer)
            for marker in layer.markers
            if marker.kind
        }
        return list(dict.fromkeys([*READY_KINDS, *sorted(used)]))

    def _take_new(self) -> None:
        kind = self.new_kind.text().strip()[:200]
        if kind:
            self.new_kind.clear()
            self.taken.emit(MarkerInHand(kind))

    def _take(self, kind: str) -> None:
        self.taken.emit(MarkerInHand(kind))

    def refresh(self) -> None:
        """Show the kinds, and the chosen markers."""
        hand = self.session.hand
        in_hand = hand.kind if isinstance(hand, MarkerInHand) else None
        names = self.all_kinds()
        if in_hand and in_hand not in names:
            names.append(in_hand)
        names = [each for each in names if self._words in each.lower()]
        if names != self._kinds:
            self._kinds = names
            clear(self.kinds)
            self.buttons = {}
            for kind in names:
                made = QPushButton(kind)
                made.setIcon(kind_icon(kind))
                made.setIconSize(QSize(18, 18))
                made.setProperty("left", "true")
                made.setCheckable(True)
                made.setToolTip(f"Take the kind “{kind}” in hand")
                made.clicked.connect(partial(self._take, kind))
                self.kinds.addWidget(made)
                self.buttons[kind] = made
        for kind, made in self.buttons.items():
            made.setChecked(kind == in_hand)
        self._show_form()

    # The chosen markers

    def _show_form(self) -> None:
        chosen = chosen_markers(self.session)
        self.form.setVisible(bool(chosen))
        self.form_head.setVisible(bool(chosen))
        if not chosen:
            return
        self._filling = True
        first = chosen[0]
        several = len(chosen) > 1
        what = f"{len(chosen)} chosen markers" if several else f"Chosen {first.shape.value}"
        self.form_head.setText(what)
        for field, value in (
            (self.name, first.name), (self.kind, shared(each.kind for each in chosen)),
        ):  # fmt: skip
            if field.hasFocus() and field.isModified():
                continue
            field.setText(value if value is not None else "")
            field.setPlaceholderText("" if value is not None else DIFFERENT)
        self.name.setEnabled(not several)
        x, y = first.points[0]
        for box, number in (
            (self.place_x, x), (self.place_y, y), (self.turn, first.turn),
            (self.scale, first.scale),
        ):  # fmt: skip
            box.setValue(number)
        self.place_x.setEnabled(not several)
        self.place_y.setEnabled(not several)
        self.scale.setEnabled(first.shape is Shape.PICTURE)
        self.turn.setEnabled(first.shape is not Shape.POINT)
        self._show_properties(joined_properties(chosen))
        self._filling = False

    def _show_properties(self, pairs: list[tuple[str, str]]) -> None:
        rows = [(self._cell(n, 0), self._cell(n, 1)) for n in range(self.table.rowCount())]
        if [each for each in rows if each[0]] == pairs:
            return
        self.table.setRowCount(len(pairs))
        for n, (name, value) in enumerate(pairs):
            first = QTableWidgetItem(name)
            first.setData(Qt.ItemDataRole.UserRole, name)
            self.table.setItem(n, 0, first)
            self.table.setItem(n, 1, QTableWidgetItem(value))

    def _cell(self, line: int, col: int) -> str:
        item = self.table.item(line, col)
        return item.text().strip() if item is not None else ""

    def _parts(self) -> tuple[Map, MarkerLayer] | None:
        map_, layer = self.session.map, self.session.layer
        if self._filling or map_ is None or not isinstance(layer, MarkerLayer):
            return None
        return map_, layer

    def _apply(self, edit: Edit) -> None:
        if isinstance(self.session.layer, MarkerLayer) and self.session.layer.locked:
            self.session.warn(f"{self.session.layer.name} is locked — {LOCK_KEYS} unlocks it")
            return
        self.session.apply(edit)

    def _set(self, name: str, value: object) -> None:
        changes: dict[str, Any] = {name: value}
        self._change(lambda each: replace(each, **changes), f"{name.capitalize()} of markers")

    def _set_text(self, name: str, field: QLineEdit) -> None:
        if field.isModified():  # leaving a field that was not typed in changes nothing
            field.setModified(False)
            self._set(name, field.text().strip())

    def _place(self, axis: int, value: float) -> None:
        found, chosen = self._parts(), chosen_markers(self.session)
        if found is None or len(chosen) != 1:
            return
        step = value - chosen[0].points[0][axis]
        right, down = (step, 0.0) if axis == 0 else (0.0, step)
        self._apply(change_markers(
            *found, [chosen[0].number], lambda each: moved(each, right, down), "Move markers"
        ))  # fmt: skip

    def _set_property(self, item: QTableWidgetItem) -> None:
        """Give the chosen markers the one property that was typed; their others stay."""
        name, value = self._cell(item.row(), 0), self._cell(item.row(), 1)
        first = self.table.item(item.row(), 0)
        before = first.data(Qt.ItemDataRole.UserRole) if first is not None else None
        if item.column() == 1 and value == DIFFERENT:
            return
        if first is not None and name:
            self._filling = True
            first.setData(Qt.ItemDataRole.UserRole, name)
            self._filling = False
        change = partial(with_property, before=before or "", name=name, value=value)
        self._change(change, "Property of markers")

    def _change(self, change: Callable[[Marker], Marker], words: str) -> None:
        found = self._parts()
        if found is not None:
            self.session.attempt(
                lambda: self._apply(change_markers(*found, self.session.markers, change, words))
            )

    def _add_property(self) -> None:
        line = self.table.rowCount()
        name = QTableWidgetItem("")
        self._filling = True
        self.table.insertRow(line)
        self.table.setItem(line, 0, name)
        self.table.setItem(line, 1, QTableWidgetItem(""))
        self._filling = False
        self.table.editItem(name)

    def _drop_property(self) -> None:
        line = self.table.currentRow()
        if line >= 0:
            name = self._cell(line, 0)
            self.table.removeRow(line)
            change = partial(with_property, before=name, name="", value="")
            self._change(change, "Property of markers")
