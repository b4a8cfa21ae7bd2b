"""Fields of a step that depend on its layers: what can be chosen, terrains, shares."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Qt
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSlider,
    QWidget,
)

from knitground.core.model.layers import GroundLayer, MarkerLayer
from knitground.core.model.recipe import Step
from knitground.core.model.terrain import SetKind, TerrainSet
from knitground.ui.common.terrainicon import terrain_icon
from knitground.ui.common.theme import LINEN
from knitground.ui.common.widgets import (
    ShareBar,
    clear,
    fill_box,
)
from knitground.ui.common.words import percent, tip_of
from knitground.ui.stages.grow.fields import As, Field

if TYPE_CHECKING:
    from knitground.ui.stages.grow.stepcard import StepCard

NOTHING = "nothing"
LAID_WIDE = 92


@dataclass
class Told:
    """What a step has made, for its card: words, shares by name, and a picture."""

    words: str = ""
    shares: tuple[tuple[str, float, float], ...] = ()
    picture: QPixmap | None = None
    problem: str = ""
    spots: tuple[tuple[int, int], ...] = ()


class StepChoices:
    """Fills the fields of a card in."""

    def __init__(self, card: StepCard) -> None:
        self.card = card

    def show_choice(self, each: Field, step: Step, box: QComboBox, value: Any) -> None:
        if each.shown is As.CHOICE:
            box.setCurrentIndex([str(o) for o in each.options].index(str(value)))
            return
        project, map_ = self.card.session.project, self.card.map
        items: list[tuple[str, object]] = []
        if each.shown is As.TERRAIN:
            kit = self.set_of(step.layer)
            items = [(NOTHING if each.of != "wall" else "none", "")]
            items += [(t.name, t.name) for t in (kit.terrains if kit else ())]
        elif each.shown is As.MIX:
            items = [(mix.name, mix.name) for mix in project.mixes]
        elif each.shown is As.RULES:
            items = [(rules.name, rules.name) for rules in project.rule_lists]
        elif each.shown is As.GROUND:
            grounds = [layer for layer in map_.layers if isinstance(layer, GroundLayer)]
            items = [("everywhere", 0), *((layer.name, layer.number) for layer in grounds)]
        elif each.shown is As.LAYER:
            items = [(layer.name, layer.number) for layer in map_.layers
                     if layer.number != step.layer and layer.holds_tiles]  # fmt: skip
        elif each.shown is As.SHEET:
            items = [(sheet.name, sheet.name) for sheet in project.tilesets]
        elif each.shown is As.SET:
            owner = project.tileset_named(getattr(step, "tileset", ""))
            items = [(kit.name, kit.name) for kit in (owner.sets if owner else ())]
        elif each.shown in (As.MARKER, As.TAG):
            if each.shown is As.MARKER:
                kinds = {m.kind for layer in map_.layers if isinstance(layer, MarkerLayer)
                         for m in layer.markers if m.kind}  # fmt: skip
            else:
                kinds = {"", *(tag for owner in project.tilesets
                               for fact in owner.facts.values() for tag in fact.tags)}  # fmt: skip
            typed = box.lineEdit()
            if typed is not None and not typed.hasFocus():
                fill_box(box, [(kind, kind) for kind in sorted(kinds)], value)
                box.setEditText(value)
            return
        fill_box(box, items, value)

    def set_of(self, number: int) -> TerrainSet | None:
        layer = self.card.map.layer_numbered(number) if number else None
        if not isinstance(layer, GroundLayer):
            return None
        found = self.card.session.project.set_of(layer.tileset, layer.set_name)
        return found[1] if found else None

    def means_nothing(self, each: Field, step: Step) -> bool:
        """Whether a field of a route does not go with the kind of layer that it makes."""
        layer = self.card.map.layer_numbered(step.layer)
        ground = isinstance(layer, GroundLayer)
        if each.of == "terrain" and not ground:
            return True
        if each.of == "mix" and ground:
            return True
        edge = isinstance(layer, GroundLayer) and layer.kind_of_set is SetKind.EDGE
        if each.of == "width" and edge:
            return True
        return each.shown is As.TERRAINS and self.set_of(int(getattr(step, each.on))) is None

    def show_chips(self, each: Field, step: Step, holder: QWidget, chosen: Any) -> None:
        kit = self.set_of(int(getattr(step, each.on)))
        built = (id(kit), kit.terrains if kit else ())
        layout = holder.layout()
        assert layout is not None
        if self.card.built.get(each.of) != built:
            self.card.built[each.of] = built
            clear(layout)
            self.card.chips[each.of] = {}
            for mark, terrain in enumerate(kit.terrains if kit else (), 1):
                assert kit is not None
                chip = QPushButton()
                chip.setIcon(terrain_icon(kit, mark))
                chip.setFixedWidth(34)
                chip.setCheckable(True)
                chip.setToolTip(tip_of(f"{each.hint}: {terrain.name}"))
                chip.setAccessibleName(terrain.name)
                chip.clicked.connect(lambda *_, of=each.of: self.card.set_chips(of))
                layout.addWidget(chip)
                self.card.chips[each.of][terrain.name] = chip
            if isinstance(layout, QHBoxLayout):
                layout.addStretch(1)
        for name, chip in self.card.chips.get(each.of, {}).items():
            chip.setChecked(name in chosen)

    def show_shares(self, asked: dict[str, float], told: Told) -> None:
        assert self.card.step is not None
        kit = self.set_of(self.card.step.layer)
        layer = self.card.map.layer_numbered(self.card.step.layer)
        bare = isinstance(layer, GroundLayer) and layer.kind_of_set is not SetKind.CORNER
        lines = [(t.name, t.colour) for t in (kit.terrains if kit else ())]
        if bare:
            lines.append(("", LINEN.ink2))
        built = (id(kit), tuple(lines))
        if self.card.built.get("shares") != built:
            self.card.built["shares"] = built
            self._build_shares(lines)
        laid = {name: part for name, _, part in told.shares}
        total = sum(asked.values()) or 1.0
        for name, slider in self.card.sliders.items():
            if not slider.isSliderDown():
                slider.setValue(round(asked.get(name, 0.0) * 100))
            want = asked.get(name, 0.0) / total
            have = laid.get(name or NOTHING)
            text = percent(want) if have is None else f"{percent(want)} / {percent(have)}"
            self.card.numbers[name].setText(text)
            self.card.bars[name].show_shares(want, have)

    def _build_shares(self, lines: list[tuple[str, str]]) -> None:
        clear(self.card.share_grid)
        self.card.sliders, self.card.numbers, self.card.bars = {}, {}, {}
        for line, (name, colour) in enumerate(lines):
            slider = QSlider(Qt.Orientation.Horizontal)
            slider.setRange(0, 100)
            slider.setToolTip(tip_of(f"Share of {name or NOTHING}"))
            slider.setAccessibleName(f"Share of {name or NOTHING}")
            slider.valueChanged.connect(partial(self.card.share, slider))
            slider.sliderReleased.connect(self.card.let_go)
            words = QLabel()
            words.setMinimumWidth(LAID_WIDE)
            words.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            bar = ShareBar(0, None, colour)
            self.card.sliders[name], self.card.numbers[name], self.card.bars[name] = (
                slider,
                words,
                bar,
            )
            self.card.share_grid.addWidget(QLabel(name or NOTHING), 2 * line, 0)
            self.card.share_grid.addWidget(slider, 2 * line, 1)
            self.card.share_grid.addWidget(words, 2 * line, 2)
            self.card.share_grid.addWidget(bar, 2 * line + 1, 1, 1, 2)
