"""Markers: kinds to take in hand, and what the chosen markers are called and carry."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace
from functools import partial
from typing import Any

from PySide6.QtCore import QSize, Signal
from PySide6.QtGui import QColor, QIcon, QPainter
from PySide6.QtWidgets import QFormLayout, QLineEdit, QWidget

from knitground.core.base.tongue import say
from knitground.core.edit.document import Edit
from knitground.core.edit.hand import MarkerInHand
from knitground.core.edit.markers import change_markers, moved
from knitground.core.edit.planning import LOCK_KEYS
from knitground.core.edit.properties import (
    check_property,
    shared_properties,
    with_property,
    without_property,
)
from knitground.core.model.layers import MarkerLayer
from knitground.core.model.limits import MAX_SCALE, MIN_SCALE
from knitground.core.model.map import Map
from knitground.core.model.marker import Marker, Shape
from knitground.core.model.properties import Property
from knitground.ui.common.form import Form
from knitground.ui.common.painting import blank
from knitground.ui.common.propertyeditor import PropertyEditor
from knitground.ui.common.widgets import TakeButton, clear, column, head, note, row
from knitground.ui.common.words import on_button, tip_of
from knitground.ui.mapside.canvas.markers import READY_KINDS, kind_colour
from knitground.ui.mapside.tools.markers import chosen_markers
from knitground.ui.session import Session


def kind_icon(kind: str) -> QIcon:
    """A round spot in the colour of a kind."""
    out = blank(18, 18)
    painter = QPainter(out)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(QColor(kind_colour(kind)))
    painter.setPen(QColor("#2B2A33"))
    painter.drawEllipse(2, 2, 13, 13)
    painter.end()
    return QIcon(out)


def shared(values: Iterable[str]) -> str | None:
    """Give what all values are; None if they differ.

    Examples
    --------
    >>> shared(["a", "a"]), shared(["a", "b"])
    ('a', None)
    """
    found = set(values)
    return found.pop() if len(found) == 1 else None


class MarkerPage(QWidget):
    """Kinds of marker, and the form of what is chosen."""

    taken = Signal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._words = ""
        self._kinds: object = None
        self.buttons: dict[str, TakeButton] = {}
        self.kinds = column(spacing=4)
        self.new_kind = QLineEdit()
        self.new_kind.setPlaceholderText(say("another kind…"))
        self.new_kind.setToolTip(say("Any word; Enter takes it in hand"))
        self.new_kind.returnPressed.connect(self._take_new)
        self._make_form()
        self.setLayout(
            column(
                note(
                    say(
                        "Paint lays points, Box and Line lay areas; with a tile in hand "
                        "Paint lays a free "
                        "picture. Select moves them."
                    )
                ),
                self.kinds,
                self.new_kind,
                self.form_head,
                self.form,
                1,
            )
        )
        session.choice.selected.connect(self.refresh)

    def _make_form(self) -> None:
        self.form_head = head(say("Chosen marker"))
        form = self.fields = Form(self)
        self.name, self.kind = form.line("name"), form.line("kind")
        far = {"decimals": 1, "at_once": False}
        self.place_x = form.number("x", -1e6, 1e6, say("Pixels from the map's left border"),
                                   suffix=" px", **far)  # fmt: skip
        self.place_y = form.number("y", -1e6, 1e6, say("Pixels from the map's upper border"),
                                   suffix=" px", **far)  # fmt: skip
        self.turn = form.number("turn", -360, 360, say("How far the picture is turned, clockwise"),
                                suffix=" °", **far)  # fmt: skip
        self.scale = form.number(
            "scale", MIN_SCALE, MAX_SCALE, say("How many times its size it is drawn"), suffix=" ×",
            step=0.25, at_once=False,
        )  # fmt: skip
        for box in (self.place_x, self.place_y, self.turn, self.scale):
            box.setMinimumWidth(70)
        form.typed.connect(self._set)
        self.properties = PropertyEditor(say("these markers"))
        self.properties.put.connect(self._put_property)
        self.properties.removed.connect(self._remove_property)
        lines = QFormLayout()
        lines.setContentsMargins(0, 0, 0, 0)
        lines.addRow(say("Name"), self.name)
        lines.addRow(say("Kind"), self.kind)
        lines.addRow(say("Place"), row(self.place_x, self.place_y, spacing=4))
        lines.addRow(say("Turn, scale"), row(self.turn, self.scale, spacing=4))
        self.form = QWidget()
        self.form.setLayout(column(lines, self.properties))

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
                made = TakeButton(on_button(kind))
                made.setIcon(kind_icon(kind))
                made.setIconSize(QSize(18, 18))
                made.setToolTip(tip_of(say("Take the kind “{kind}” in hand", kind=kind)))
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
        first = chosen[0]
        several = len(chosen) > 1
        what = (
            say("{count} chosen markers", count=len(chosen))
            if several
            else say("Chosen {value}", value=say(first.shape.value))
        )
        self.form_head.setText(what)
        x, y = first.points[0]
        kind = shared(each.kind for each in chosen)
        self.fields.show({"name": first.name, "kind": kind, "x": x, "y": y, "turn": first.turn,
                          "scale": first.scale})  # fmt: skip
        self.name.setEnabled(not several)
        self.place_x.setEnabled(not several)
        self.place_y.setEnabled(not several)
        self.scale.setEnabled(first.shape is Shape.PICTURE)
        self.turn.setEnabled(first.shape is not Shape.POINT)
        self.properties.show_properties(shared_properties(each.properties for each in chosen))

    def _parts(self) -> tuple[Map, MarkerLayer] | None:
        map_, layer = self.session.map, self.session.layer
        if map_ is None or not isinstance(layer, MarkerLayer):
            return None
        return map_, layer

    def _apply(self, edit: Edit) -> None:
        if isinstance(self.session.layer, MarkerLayer) and self.session.layer.locked:
            self.session.warn(
                say(
                    "{name} is locked — {lock_keys} unlocks it",
                    name=self.session.layer.name,
                    lock_keys=LOCK_KEYS,
                )
            )
            return
        self.session.apply(edit)

    def _set(self, name: str, value: Any) -> None:
        if name in ("x", "y"):
            self._place("xy".index(name), value)
            return
        changes: dict[str, Any] = {name: value % 360 if name == "turn" else value}
        self._change(
            lambda each: replace(each, **changes), say("{name} of markers", name=name.capitalize())
        )

    def _place(self, axis: int, value: float) -> None:
        found, chosen = self._parts(), chosen_markers(self.session)
        if found is None or len(chosen) != 1:
            return
        step = value - chosen[0].points[0][axis]
        right, down = (step, 0.0) if axis == 0 else (0.0, step)
        self._apply(change_markers(
            *found, [chosen[0].number], lambda each: moved(each, right, down), say("Move markers")
        ))  # fmt: skip

    def _put_property(self, new: Property, old: str, keep: bool) -> None:
        """Give the chosen markers a property; their others stay."""

        def change(each: Marker) -> Marker:
            own = with_property(each.properties, new, old, keep=keep)
            return replace(each, properties=own)

        chosen = chosen_markers(self.session)
        taken = [each.name for marker in chosen for each in marker.properties]
        ready = self.session.attempt(lambda: check_property(new, old, taken))
        if ready:
            self._change(change, say("Property “{name}” of markers", name=new.name))
        self._show_form()

    def _remove_property(self, name: str) -> None:
        def change(each: Marker) -> Marker:
            return replace(each, properties=without_property(each.properties, name))

        self._change(change, say("Take property “{name}” from markers", name=name))

    def _change(self, change: Callable[[Marker], Marker], words: str) -> None:
        found = self._parts()
        if found is not None:
            self.session.attempt(
                lambda: self._apply(change_markers(*found, self.session.markers, change, words))
            )
