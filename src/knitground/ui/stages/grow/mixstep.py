"""The card of a mix-fill step: which mix, how dense, on which terrain."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QFormLayout, QFrame, QLabel, QPushButton, QSlider

from knitground.core.model.layers import GroundLayer, GrownLayer
from knitground.core.model.map import Map
from knitground.core.model.recipe import PLACES, MixStep, Step
from knitground.core.model.terrain import TerrainSet
from knitground.ui.common.terrainicon import terrain_icon
from knitground.ui.common.widgets import column, fill_box, icon_button, row
from knitground.ui.common.words import percent
from knitground.ui.session import Session

EVERYWHERE = "everywhere"


class MixCard(QFrame):
    """Shows one step; `change` gets what it is to become, None if it is to go."""

    def __init__(
        self, session: Session, number: int, change: Callable[[MixStep | None, bool], object]
    ) -> None:
        super().__init__()
        self.session, self.number = session, number
        self._change = change
        self._step: MixStep | None = None
        self._filling = False
        self._built: object = None
        self.setProperty("panel", "true")
        self.setFrameShape(QFrame.Shape.StyledPanel)
        title = QLabel(f"{number}  Mix fill")
        title.setProperty("role", "head")
        self.layers, self.mixes, self.on, self.place = (QComboBox() for _ in range(4))
        self.layers.setToolTip("The grown layer that this step makes")
        self.on.setToolTip("The ground layer that says where tiles may lie")
        self.place.addItems(list(PLACES))
        self.place.setToolTip("Inside the chosen terrains, or only where two of them meet")
        for box in (self.layers, self.mixes, self.on, self.place):
            box.activated.connect(lambda _: self._edited())
        self.density = QSlider(Qt.Orientation.Horizontal)
        self.density.setRange(0, 100)
        self.density.setToolTip("Part of the cells that get a tile")
        self.density.setAccessibleName("Density")
        self.density.valueChanged.connect(lambda _: self._edited(held=self.density.isSliderDown()))
        self.words = QLabel()
        self.words.setMinimumWidth(92)
        self.chips = row(spacing=4)
        self.terrains: dict[str, QPushButton] = {}
        remove = icon_button(
            "mdi6.trash-can-outline", lambda: change(None, False), "Take this step out"
        )
        lines = QFormLayout()
        lines.addRow("Mix", self.mixes)
        lines.addRow("Density", row(self.density, self.words))
        lines.addRow("On", row(self.on, self.place))
        self.setLayout(column(
            row(title, 1, QLabel("makes"), self.layers, remove), lines, self.chips, margins=12,
        ))  # fmt: skip

    def show_step(self, map_: Map, step: Step, laid: float | None) -> None:
        """Show the step as it is, and the part of the cells that it has filled."""
        assert isinstance(step, MixStep)
        self._step = step
        self._filling = True
        project = self.session.project
        grown = [each for each in map_.layers if isinstance(each, GrownLayer)]
        grounds = [each for each in map_.layers if isinstance(each, GroundLayer)]
        fill_box(self.layers, [(each.name, each.number) for each in grown], step.layer)
        fill_box(self.mixes, [(each.name, each.name) for each in project.mixes], step.mix)
        places = [(EVERYWHERE, 0), *((each.name, each.number) for each in grounds)]
        fill_box(self.on, places, step.on)
        self.place.setCurrentText(step.place)
        self.place.setVisible(step.on != 0)
        if not self.density.isSliderDown():
            self.density.setValue(round(step.density * 100))
        words = percent(step.density)
        self.words.setText(words if laid is None else f"{words} / {percent(laid)}")
        layer = map_.layer_numbered(step.on) if step.on else None
        found = None
        if isinstance(layer, GroundLayer):
            found = project.set_of(layer.tileset, layer.set_name)
        self._show_terrains(found[1] if found else None, step)
        self._filling = False

    def _show_terrains(self, kit: TerrainSet | None, step: MixStep) -> None:
        built = (id(kit), kit.terrains if kit else ())
        if built != self._built:
            self._built = built
            while (item := self.chips.takeAt(0)) is not None:
                widget = item.widget()
                if widget is not None:
                    widget.deleteLater()
            self.terrains = {}
            for mark, terrain in enumerate(kit.terrains if kit else (), 1):
                assert kit is not None
                chip = QPushButton(terrain.name)
                chip.setIcon(terrain_icon(kit, mark))
                chip.setCheckable(True)
                chip.setToolTip(f"Lay tiles on {terrain.name}; none chosen: on any terrain")
                chip.clicked.connect(lambda *_: self._edited())
                self.chips.addWidget(chip)
                self.terrains[terrain.name] = chip
            self.chips.addStretch(1)
        for name, chip in self.terrains.items():
            chip.setChecked(name in step.terrains)

    def _edited(self, *, held: bool = False) -> None:
        if self._filling or self._step is None:
            return
        on = int(self.on.currentData() or 0)
        chosen = tuple(name for name, chip in self.terrains.items() if chip.isChecked())
        changed = replace(
            self._step,
            layer=int(self.layers.currentData() or 0),
            mix=str(self.mixes.currentData() or ""),
            density=self.density.value() / 100,
            on=on,
            terrains=chosen if on == self._step.on else (),
            place=self.place.currentText(),
        )
        if changed != self._step:
            self._step = changed
            self._change(changed, held)
