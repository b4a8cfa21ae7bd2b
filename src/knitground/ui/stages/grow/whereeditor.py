"""Where a step works: conditions, each a line."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLabel, QMenu, QPushButton, QWidget

from knitground.core.base.tongue import say
from knitground.core.model.conditions import Area, Condition, Conditions, Look
from knitground.core.model.layers import GroundLayer, Layer, TintLayer
from knitground.core.model.map import Map
from knitground.ui.common.form import Choice, Line, number_box
from knitground.ui.common.widgets import clear, column, icon_button, row
from knitground.ui.common.words import on_button
from knitground.ui.session import Session

_GROUND = (Look.TERRAIN, Look.MEETS, Look.NEAR)
_TILES = (Look.TILES, Look.NEAR_TILES, Look.TAG)
_FAR = (Look.NEAR, Look.NEAR_TILES, Look.EDGE)


class WhereEditor(QWidget):
    """Shows conditions; all of them must hold. Without any a step works everywhere."""

    changed = Signal(object)

    def __init__(self, session: Session, map_: Map) -> None:
        super().__init__()
        self.session, self.map = session, map_
        self.conditions: Conditions = ()
        self._shown: object = None
        self.add = QPushButton(say("+ where"))
        self.add.setToolTip(say("Let the step work only where something holds"))
        menu = QMenu(self.add)
        for look in Look:
            words = say(look.value)
            menu.addAction(words[0].upper() + words[1:], partial(self.add_one, look))
        self.add.setMenu(menu)
        self._lines = column(spacing=3)
        self.setLayout(column(self._lines, row(self.add, 1), spacing=3))

    def show_conditions(self, conditions: Conditions) -> None:
        """Show other conditions."""
        names = tuple((each.number, each.name) for each in self.map.layers)
        if (conditions, names) == self._shown:
            return
        self._shown = (conditions, names)
        self.conditions = conditions
        clear(self._lines)
        for n, each in enumerate(conditions):
            self._lines.addWidget(self._line(n, each))

    def _line(self, number: int, each: Condition) -> QWidget:
        held = Choice(
            say("Whether it must hold, or must not"), [(say("only"), False), (say("not"), True)]
        )
        held.show_value(each.negated)
        held.chosen.connect(lambda negated: self._put(number, negated=negated))
        gone = icon_button("mdi6.close", partial(self._take_out, number), say("Take it out"))
        first = row(held, QLabel(say(each.look.value)), 1, gone, spacing=4)
        second = row(spacing=4)
        if each.look in (*_GROUND, *_TILES, Look.TINT):
            second.addWidget(self._layers(number, each))
        if each.look in _GROUND:
            second.addWidget(self._names(number, each))
        if each.look is Look.TAG:
            second.addWidget(self._tags(number, each))
        if each.look in _FAR:
            second.addWidget(self._far(number, each, "low", say("from")))
            second.addWidget(self._far(number, each, "high", say("to")))
        if each.look is Look.AREA:
            cells = each.area.count if each.area else 0
            second.addWidget(QLabel(say("{cells} cells", cells=cells)))
            take = QPushButton(say("Take the selection"))
            take.setToolTip(say("The cells that are selected on the map now"))
            take.clicked.connect(lambda *_: self._take_selection(number))
            second.addWidget(take)
        second.addStretch(1)
        line = QWidget()
        line.setLayout(column(first, second, spacing=2))
        return line

    def _size(self) -> tuple[int, int]:
        return self.map.height, self.map.width

    def _layers(self, number: int, each: Condition) -> Choice:
        box = Choice(
            say("The layer that is looked at, as the steps before have made it"),
            [(layer.name, layer.number) for layer in fitting(self.map, each.look)],
        )
        box.show_value(each.layer)
        box.setMaximumWidth(120)
        box.chosen.connect(lambda layer: self._put(number, layer=layer, names=()))
        return box

    def _names(self, number: int, each: Condition) -> QWidget:
        """Choose terrains in a menu; none is any."""
        layer = self.map.layer_numbered(each.layer)
        found = None
        if isinstance(layer, GroundLayer):
            found = self.session.project.set_of(layer.tileset, layer.set_name)
        box = QPushButton(on_button(", ".join(each.names) or say("any terrain")))
        box.setToolTip(say("Which terrains are meant"))
        menu = QMenu(box)
        for terrain in found[1].terrains if found else ():
            act = menu.addAction(on_button(terrain.name))
            act.setCheckable(True)
            act.setChecked(terrain.name in each.names)
            act.triggered.connect(partial(self._toggle, number, terrain.name))
        box.setMenu(menu)
        return box

    def _tags(self, number: int, each: Condition) -> Line:
        line = Line(say("Cells whose tile has one of these tags"), empty=say("tags, with commas"))
        line.show_value(", ".join(each.names))
        line.told.connect(
            lambda text: self._put(
                number, names=tuple(t for w in text.split(",") if (t := w.strip()))
            )
        )
        return line

    def _far(self, number: int, each: Condition, of: str, words: str) -> QWidget:
        box = number_box(0, 256, say("Distance in cells"), decimals=1, prefix=f"{words} ",
                         value=getattr(each, of), at_once=False)  # fmt: skip
        box.valueChanged.connect(lambda value: self._put(number, **{of: value}))
        return box

    # Changing

    def add_one(self, look: Look) -> None:
        """Add a condition of a kind, on the first layer that it can look at."""
        fits = fitting(self.map, look)
        layer = next(iter(fits), None)
        needs = look in (*_GROUND, *_TILES, Look.TINT)
        if needs and layer is None:
            kind = (
                say("ground")
                if look in _GROUND
                else say("tint")
                if look is Look.TINT
                else say("tile")
            )
            self.session.warn(
                say(
                    "“{look}” looks at a {kind} layer, and there is none: add one first",
                    look=say(look.value),
                    kind=kind,
                )
            )
            return
        new = Condition(look=look, layer=layer.number if needs and layer else 0)
        if look is Look.AREA:
            area = self._selected()
            if area is None:
                self.session.warn(say("Select the cells on the map first, then add the area"))
                return
            new = replace(new, area=area)
        self._emit((*self.conditions, new))

    def _selected(self) -> Area | None:
        chosen = self.session.selection
        if chosen is None:
            return None
        return Area.of(0, 0, self.map.lattice.marked(chosen.box, chosen.mask))

    def _take_selection(self, number: int) -> None:
        area = self._selected()
        if area is None:
            self.session.warn(say("Nothing is selected: select cells on the map first"))
        else:
            self._put(number, area=area)

    def _toggle(self, number: int, name: str, on: bool) -> None:
        names = [each for each in self.conditions[number].names if each != name]
        self._put(number, names=tuple([*names, name] if on else names))

    def _put(self, number: int, **changes: Any) -> None:
        every = list(self.conditions)
        every[number] = replace(every[number], **changes)
        self._emit(tuple(every))

    def _take_out(self, number: int) -> None:
        self._emit((*self.conditions[:number], *self.conditions[number + 1 :]))

    def _emit(self, conditions: Conditions) -> None:
        if conditions != self.conditions:
            self.show_conditions(conditions)
            self.changed.emit(conditions)


def fitting(map_: Map, look: Look) -> list[Layer]:
    """List the layers that a condition can look at."""
    if look in _GROUND:
        return [each for each in map_.layers if isinstance(each, GroundLayer)]
    if look is Look.TINT:
        return [each for each in map_.layers if isinstance(each, TintLayer)]
    return [
        each
        for each in map_.layers
        if each.holds_tiles and each.cells.shape == (map_.height, map_.width)
    ]
