"""The card of a step: a line while it is closed, all its settings while it is open."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial
from typing import Any

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtGui import QColor, QPixmap
from PySide6.QtWidgets import (
    QApplication,
    QColorDialog,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QToolButton,
    QWidget,
)

from knitground.core.base.tongue import say
from knitground.core.edit.recipes import fitting_layers, step_title
from knitground.core.grow.kinds import STEP_KINDS
from knitground.core.grow.stepkind import As, Setting
from knitground.core.model.layers import GroundLayer, MarkerLayer
from knitground.core.model.map import Map
from knitground.core.model.recipe import RewriteStep, Step, UnknownStep
from knitground.core.model.solvestep import SolveStep
from knitground.core.model.terrain import SetKind, TerrainSet
from knitground.ui.common.form import Check, Choice, Form, Slide, Word
from knitground.ui.common.terrainicon import terrain_icon
from knitground.ui.common.theme import LINEN
from knitground.ui.common.widgets import (
    ElidedButton,
    ShareBar,
    button,
    clear,
    column,
    icon_button,
    note,
    row,
    set_role,
)
from knitground.ui.common.words import on_button, percent, tip_of
from knitground.ui.session import Session
from knitground.ui.stages.grow.whereeditor import WhereEditor

_TITLE_TIP = say(
    "Open or close this step; drag it to where it is to run (Alt+↑ ↓; Del takes it out)"
)
NOTHING = say("nothing")
LAID_WIDE = 92


@dataclass
class Told:
    """What a step has made, for its card: words, shares by name, and a picture."""

    words: str = ""
    shares: tuple[tuple[str, float, float], ...] = ()
    picture: QPixmap | None = None
    problem: str = ""
    spots: tuple[tuple[int, int], ...] = ()


class StepCard(QFrame):
    """Shows one step. What it is to become is told by `changed`, with whether a slider is held."""

    changed = Signal(object, bool)
    let_go = Signal()
    wanted = Signal(str)
    """An act of the card's menu."""
    opened = Signal()

    def __init__(self, session: Session, map_: Map, place: int, kind: type) -> None:
        super().__init__()
        self.session, self.map, self.place, self.kind = session, map_, place, kind
        about = STEP_KINDS.get(kind)
        self._settings = about.settings if about is not None else ()
        self.step: Step | None = None
        self.fields: dict[str, QWidget] = {}
        self.form = Form(self)
        self.form.typed.connect(lambda of, value, _: self._set(of, value))
        self.values: dict[str, QLabel] = {}
        self.lines: dict[str, tuple[QWidget, QWidget]] = {}
        self.sliders: dict[str, Slide] = {}
        """Of shares, by the terrain's name."""
        self.numbers: dict[str, QLabel] = {}
        self.bars: dict[str, ShareBar] = {}
        self.chips: dict[str, dict[str, QPushButton]] = {}
        self.built: dict[str, object] = {}
        self.is_open = False
        self.setProperty("panel", "true")
        self.setFrameShape(QFrame.Shape.StyledPanel)
        self._told = Told()
        self._has_body = False
        self._make_head()
        self.body = QWidget()
        self.setLayout(column(self.head, self.words, self.body, margins=8, spacing=4))
        self.body.hide()

    # Building

    def _make_head(self) -> None:
        self.active = Check("", say("Whether this step runs"))
        self.active.clicked.connect(lambda on: self._set("active", on))
        self.title = ElidedButton()
        self.title.setProperty("left", "true")
        self.title.setProperty("flat", "true")
        self.title.setProperty("strong", "true")
        self.title.setToolTip(_TITLE_TIP)
        self.title.setMinimumWidth(60)
        self.title.clicked.connect(lambda *_: self.opened.emit())
        self.picture = QLabel()
        self.picture.setFixedSize(44, 30)
        self.picture.setToolTip(say("What it made; drag it to where the step is to run"))
        up = icon_button("mdi6.arrow-up", partial(self.wanted.emit, "up"), say("Run it earlier"))
        self._parts = {self.active: say("Runs: {}"), up: say("Run {} earlier")}
        down = icon_button(
            "mdi6.arrow-down", partial(self.wanted.emit, "down"), say("Run it later")
        )
        self.more = QToolButton()
        self._parts |= {down: say("Run {} later"), self.more: say("More for {}")}
        self.more.setText("…")
        self.more.setToolTip(say("More for this step"))
        self.more.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(self.more)
        acts = ["rename", "double", "reroll", "copy"]
        words = [say("Rename…"), say("Double"), say("Reroll only this one"), say("Copy")]
        if self.kind is not RewriteStep:
            acts += ["look", "to here", "from here"]
            words += [say("Look at it alone…"), say("Run to here"), say("Run from here on, anew")]
        for act, text in zip(acts, words):
            menu.addAction(text, partial(self.wanted.emit, act))
        menu.addSeparator()
        menu.addAction(say("Take it out"), partial(self.wanted.emit, "remove"))
        self.more.setMenu(menu)
        self.words = note()
        line = row(self.active, self.picture, self.title, up, down, self.more, spacing=3)
        line.setStretch(2, 1)
        self.head = QWidget()
        self.head.setLayout(line)
        self.head.setMinimumHeight(32)

    def _make_body(self) -> None:
        self.grid = QGridLayout()
        self.grid.setHorizontalSpacing(8)
        self.grid.setVerticalSpacing(5)
        self.grid.setColumnStretch(1, 1)
        self.share_grid = QGridLayout()
        self.share_grid.setHorizontalSpacing(8)
        self.share_grid.setVerticalSpacing(3)
        self.share_grid.setColumnStretch(1, 1)
        for line, each in enumerate(self._settings):
            if each.shown is As.SHARES:
                continue
            label, widget = QLabel(each.label), self._widget(each)
            widget.setAccessibleName(each.label)
            self.fields[each.of] = widget
            # A label that lies in no layout would be a window of its own.
            self.lines[each.of] = (widget, widget) if each.shown is As.CHECK else (label, widget)
            if each.shown is As.CHECK:
                self.grid.addWidget(widget, line, 1, 1, 2)
                continue
            self.grid.addWidget(label, line, 0)
            if each.of in self.values:
                self.grid.addWidget(widget, line, 1)
                self.grid.addWidget(self.values[each.of], line, 2)
            else:
                self.grid.addWidget(widget, line, 1, 1, 2)
        self.layers = Choice(say("The layer that this step makes"), letters=7)
        self.layers.chosen.connect(self._choose_layer)
        self.where = WhereEditor(self.session, self.map)
        self.where.changed.connect(lambda conditions: self._set("where", conditions))
        self.makes = QWidget()
        self.makes.setLayout(row(QLabel(say("Makes")), self.layers, 1, spacing=8))
        self.pairs = button(
            say("Which pairs fit…"),
            partial(self.wanted.emit, "pairs"),
            say(
                "See which tiles it takes to fit, forbid pairs, and limit how many of a tile "
                "are laid"
            ),
        )
        self.body.setLayout(column(
            self.makes, self.grid, self.share_grid, row(self.pairs, 1), self.where, spacing=6,
        ))  # fmt: skip
        self.pairs.setVisible(self.kind is SolveStep)
        if self.kind is RewriteStep:
            self.where.hide()  # it follows wherever its rules fit

    def _widget(self, each: Setting) -> QWidget:
        """Make what asks for a setting."""
        of, hint, form = each.of, each.hint, self.form
        if each.shown in (As.SLIDER, As.PART):
            return self._slider(each)
        if each.shown is As.WHOLE:
            return form.whole(of, int(each.low), int(each.high), hint)
        if each.shown is As.CHECK:
            return form.check(of, each.label, hint)
        if each.shown in (As.MARKER, As.TAG):
            return form.word(of, hint, empty=say("no tag") if each.shown is As.TAG else "")
        if each.shown is As.TEXT:
            return form.line(of, hint)
        if each.shown is As.COLOUR:
            return button("", lambda: self._pick_colour(of), hint)
        if each.shown is As.TERRAINS:
            chips = QWidget()
            chips.setLayout(row(spacing=3))
            return chips
        names = each.names or tuple(say(str(option)) for option in each.options)
        return form.choice(of, hint, list(zip(names, each.options)), letters=8)

    def _slider(self, each: Setting) -> Slide:
        by = _step_of(each)
        slider = Slide(round(each.low / by), round(each.high / by), each.hint)
        slider.valueChanged.connect(lambda value: self._slide(each, value * by, slider))
        slider.sliderReleased.connect(self.let_go)
        words = QLabel()
        words.setMinimumWidth(64)
        self.values[each.of] = words
        return slider

    # Showing

    def open(self, on: bool) -> None:
        """Show all settings, or one line."""
        self.is_open = on
        if on and not self._has_body:
            self._has_body = True  # most cards stay closed
            self._make_body()
        if on and self.step is not None:
            self._show_body(self.step)
        self.body.setVisible(on and self.kind is not UnknownStep)

    def turn_to(self, map_: Map, place: int) -> None:
        """Stand for a step of the same kind at another place, or in another map's recipe."""
        self.map, self.place = map_, place
        if self._has_body:
            self.where.map = map_

    def let_go_of_fields(self) -> None:
        """Forget what is being written or dragged in it: it is about to show another step."""
        focus = QApplication.focusWidget()
        if focus is not None and self.isAncestorOf(focus):
            with QSignalBlocker(self):
                focus.clearFocus()
        for slider in self.findChildren(Slide):
            slider.setSliderDown(False)

    def show_step(self, step: Step, told: Told) -> None:
        """Show the step as it is, and what it has made."""
        self.step, self._told = step, told
        self.active.show_value(step.active)
        layer = self.map.layer_numbered(step.layer)
        title = f"{self.place + 1}  {step_title(step)}"
        title += f" → {layer.name}" if layer is not None else ""
        self.title.setText(on_button(title))
        self.title.setAccessibleName(title)
        for part, words in self._parts.items():
            part.setAccessibleName(words.format(title))
        self.title.setToolTip(tip_of(f"{title}\n{_TITLE_TIP}"))
        self.words.setText(told.problem or told.words)
        set_role(self.words, "warning" if told.problem or told.spots else "note")
        self.words.setVisible(bool(told.problem or told.words))
        if told.picture is not None:
            self.picture.setPixmap(told.picture)
        self.picture.setVisible(told.picture is not None)

    def _show_body(self, step: Step) -> None:
        """Show the step in the settings, which are there once the card has been opened."""
        self.layers.offer((e.name, e.number) for e in fitting_layers(self.map, self.kind))
        self.layers.show_value(step.layer)
        self.makes.setVisible(bool(STEP_KINDS.get(self.kind)))
        for each in self._settings:
            self._show_field(each, step, self._told)
        self.form.show(step)
        self.where.show_conditions(step.where)

    def _show_field(self, each: Setting, step: Step, told: Told) -> None:
        value = getattr(step, each.of)
        if each.shown is As.SHARES:
            self.show_shares(dict(value), told)
            return
        widget = self.fields[each.of]
        hidden = each.only is not None and getattr(step, each.only[0]) not in each.only[1]
        hidden |= self.means_nothing(each, step)
        for part in (*self.lines[each.of], *([self.values[each.of]] if each.of in self.values
                                             else [])):  # fmt: skip
            part.setVisible(not hidden)
        if isinstance(widget, Slide):
            widget.show_value(round(value / _step_of(each)))
            self.values[each.of].setText(_number_words(each, value, told))
        elif isinstance(widget, Choice):
            self._offer(each, step, widget)
        elif isinstance(widget, Word):
            widget.offer(self._known_words(each))
        elif each.shown is As.COLOUR and isinstance(widget, QPushButton):
            widget.setText(str(value).upper())
            ink = "#000000" if QColor(value).lightness() > 128 else "#FFFFFF"
            widget.setStyleSheet(f"background: {value}; color: {ink};")
        elif each.shown is As.TERRAINS:
            self.show_chips(each, step, widget, value)

    # Changing

    def _become(self, *, held: bool = False, **changes: Any) -> None:
        if self.step is None:
            return
        new = replace(self.step, **changes)
        if new != self.step:
            self.step = new
            self.changed.emit(new, held)

    def _set(self, of: str, value: Any) -> None:
        self._become(**{of: value})

    def _slide(self, each: Setting, value: float, slider: Slide) -> None:
        whole = isinstance(getattr(self.step, each.of), int)
        new = round(value) if whole else round(value, 4)
        self.values[each.of].setText(_number_words(each, new, Told()))
        self._become(held=slider.isSliderDown(), **{each.of: new})

    def share(self, slider: Slide, _: int) -> None:
        shares = tuple((name, each.value() / 100) for name, each in self.sliders.items())
        self._become(held=slider.isSliderDown(), shares=shares)

    def set_chips(self, of: str) -> None:
        chosen = tuple(name for name, chip in self.chips[of].items() if chip.isChecked())
        self._set(of, chosen)

    def _pick_colour(self, of: str) -> None:
        found = QColorDialog.getColor(
            QColor(getattr(self.step, of)), self, say("Colour of the tint")
        )
        if found.isValid():
            self._set(of, found.name())

    def _choose_layer(self, number: int) -> None:
        """Work on another layer; what is named of terrains follows as far as it is there too."""
        changes: dict[str, Any] = {"layer": number}
        kit = self.set_of(number)
        names = [t.name for t in kit.terrains] if kit else []
        if self.step is not None and hasattr(self.step, "shares"):
            kept = tuple(pair for pair in self.step.shares if pair[0] in names)
            changes["shares"] = kept or tuple((name, round(1 / len(names), 2)) for name in names)
        if self.step is not None and hasattr(self.step, "terrain") and names:
            changes["terrain"] = self.step.terrain if self.step.terrain in names else names[0]
        self._become(**changes)

    def _offer(self, each: Setting, step: Step, box: Choice) -> None:
        """Offer what a setting can be, where that depends on the project or the step."""
        if each.shown is As.CHOICE:
            return
        project, map_ = self.session.project, self.map
        items: list[tuple[str, object]] = []
        if each.shown is As.TERRAIN:
            kit = self.set_of(step.layer)
            items = [(NOTHING if each.of != "wall" else say("none"), "")]
            items += [(t.name, t.name) for t in (kit.terrains if kit else ())]
        elif each.shown is As.MIX:
            items = [(mix.name, mix.name) for mix in project.mixes]
        elif each.shown is As.RULES:
            items = [(rules.name, rules.name) for rules in project.rule_lists]
        elif each.shown is As.GROUND:
            grounds = [layer for layer in map_.layers if isinstance(layer, GroundLayer)]
            items = [(say("everywhere"), 0), *((layer.name, layer.number) for layer in grounds)]
        elif each.shown is As.LAYER:
            items = [(layer.name, layer.number) for layer in map_.layers
                     if layer.number != step.layer and layer.holds_tiles]  # fmt: skip
        elif each.shown is As.SHEET:
            items = [(sheet.name, sheet.name) for sheet in project.tilesets]
        elif each.shown is As.SET:
            owner = project.tileset_named(getattr(step, "tileset", ""))
            items = [(kit.name, kit.name) for kit in (owner.sets if owner else ())]
        box.offer(items)

    def _known_words(self, each: Setting) -> list[str]:
        """List the kinds of markers of the map, or the tags of all tiles."""
        if each.shown is As.MARKER:
            return sorted({m.kind for layer in self.map.layers if isinstance(layer, MarkerLayer)
                           for m in layer.markers if m.kind})  # fmt: skip
        return sorted({"", *(tag for owner in self.session.project.tilesets
                             for fact in owner.facts.values() for tag in fact.tags)})  # fmt: skip

    def set_of(self, number: int) -> TerrainSet | None:
        layer = self.map.layer_numbered(number) if number else None
        if not isinstance(layer, GroundLayer):
            return None
        found = self.session.project.set_of(layer.tileset, layer.set_name)
        return found[1] if found else None

    def means_nothing(self, each: Setting, step: Step) -> bool:
        """Whether a field of a route does not go with the kind of layer that it makes."""
        layer = self.map.layer_numbered(step.layer)
        ground = isinstance(layer, GroundLayer)
        if each.of == "terrain" and not ground:
            return True
        if each.of == "mix" and ground:
            return True
        edge = isinstance(layer, GroundLayer) and layer.kind_of_set is SetKind.EDGE
        if each.of == "width" and edge:
            return True
        return each.shown is As.TERRAINS and self.set_of(int(getattr(step, each.on))) is None

    def show_chips(self, each: Setting, step: Step, holder: QWidget, chosen: Any) -> None:
        kit = self.set_of(int(getattr(step, each.on)))
        built = (id(kit), kit.terrains if kit else ())
        layout = holder.layout()
        assert layout is not None
        if self.built.get(each.of) != built:
            self.built[each.of] = built
            clear(layout)
            self.chips[each.of] = {}
            for mark, terrain in enumerate(kit.terrains if kit else (), 1):
                assert kit is not None
                chip = QPushButton()
                chip.setIcon(terrain_icon(kit, mark))
                chip.setFixedWidth(34)
                chip.setCheckable(True)
                chip.setToolTip(tip_of(f"{each.hint}: {terrain.name}"))
                chip.setAccessibleName(terrain.name)
                chip.clicked.connect(lambda *_, of=each.of: self.set_chips(of))
                layout.addWidget(chip)
                self.chips[each.of][terrain.name] = chip
            if isinstance(layout, QHBoxLayout):
                layout.addStretch(1)
        for name, chip in self.chips.get(each.of, {}).items():
            chip.setChecked(name in chosen)

    def show_shares(self, asked: dict[str, float], told: Told) -> None:
        assert self.step is not None
        kit = self.set_of(self.step.layer)
        layer = self.map.layer_numbered(self.step.layer)
        bare = isinstance(layer, GroundLayer) and layer.kind_of_set is not SetKind.CORNER
        lines = [(t.name, t.colour) for t in (kit.terrains if kit else ())]
        if bare:
            lines.append(("", LINEN.ink2))
        built = (id(kit), tuple(lines))
        if self.built.get("shares") != built:
            self.built["shares"] = built
            self._build_shares(lines)
        laid = {name: part for name, _, part in told.shares}
        total = sum(asked.values()) or 1.0
        for name, slider in self.sliders.items():
            slider.show_value(round(asked.get(name, 0.0) * 100))
            want = asked.get(name, 0.0) / total
            have = laid.get(name or NOTHING)
            text = percent(want) if have is None else f"{percent(want)} / {percent(have)}"
            self.numbers[name].setText(text)
            self.bars[name].show_shares(want, have)

    def _build_shares(self, lines: list[tuple[str, str]]) -> None:
        clear(self.share_grid)
        self.sliders, self.numbers, self.bars = {}, {}, {}
        for line, (name, colour) in enumerate(lines):
            slider = Slide(0, 100, say("Share of {terrain}", terrain=name or NOTHING))
            slider.setAccessibleName(say("Share of {terrain}", terrain=name or NOTHING))
            slider.valueChanged.connect(partial(self.share, slider))
            slider.sliderReleased.connect(self.let_go)
            words = QLabel()
            words.setMinimumWidth(LAID_WIDE)
            words.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            bar = ShareBar(0, None, colour)
            self.sliders[name], self.numbers[name], self.bars[name] = (
                slider,
                words,
                bar,
            )
            self.share_grid.addWidget(QLabel(name or NOTHING), 2 * line, 0)
            self.share_grid.addWidget(slider, 2 * line, 1)
            self.share_grid.addWidget(words, 2 * line, 2)
            self.share_grid.addWidget(bar, 2 * line + 1, 1, 1, 2)


def _step_of(each: Setting) -> float:
    """How much one step of a slider is."""
    return 0.01 if each.shown is As.PART else each.step


def _number_words(each: Setting, value: float, told: Told) -> str:
    if each.shown is As.PART:
        words = percent(value)
        laid = told.shares[0][2] if each.of == "density" and told.shares else None
        return words if laid is None else f"{words} / {percent(laid)}"
    return f"{value:g}{each.unit}"
