"""The terrains of all sets, to take one in hand."""

from __future__ import annotations

from PySide6.QtCore import QSize, Signal

from knitground.core.base.tongue import say
from knitground.core.edit.hand import TerrainInHand
from knitground.core.model.terrain import TerrainSet
from knitground.core.model.tileset import Tileset
from knitground.ui.common.terrainicon import set_title, terrain_icon
from knitground.ui.common.widgets import TakeButton, button, clear, column, note
from knitground.ui.common.words import on_button, tip_of
from knitground.ui.session import Session
from knitground.ui.stages.draw.namedlist import NamedList


class TerrainList(NamedList):
    """Shows the terrains, set by set; the one in hand is pressed."""

    marking_asked = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.lines.setSpacing(6)
        self.buttons: dict[TerrainInHand, TakeButton] = {}
        self.setLayout(column(self.lines, 1))

    def state(self) -> object:
        return [
            (set_title(tileset, kit), tileset.name, kit.name, tuple(kit.terrains))
            for tileset in self.session.project.tilesets
            for kit in tileset.sets
        ]

    def refresh(self) -> None:
        super().refresh()
        for hand, made in self.buttons.items():
            made.setChecked(self.session.hand == hand)

    def build(self) -> None:
        clear(self.lines)
        self.buttons = {}
        terrains = 0
        for tileset in self.session.project.tilesets:
            for kit in tileset.sets:
                self.lines.addWidget(note(set_title(tileset, kit)))
                terrains += len(kit.terrains)
                for mark, terrain in enumerate(kit.terrains, 1):
                    if self.fits(terrain.name):
                        self._add(tileset, kit, mark)
        if not terrains:
            self.lines.addWidget(
                note(
                    say(
                        "No terrain yet: say in Terrains what tiles show at their sides and "
                        "corners."
                    )
                )
            )
            self.lines.addWidget(button(say("Go to Terrains"), self.marking_asked.emit))

    def _add(self, tileset: Tileset, kit: TerrainSet, mark: int) -> None:
        name = kit.name_of(mark)
        hand = TerrainInHand(tileset.name, kit.name, mark, name)
        made = TakeButton(on_button(name))
        made.setIcon(terrain_icon(kit, mark))
        made.setIconSize(QSize(20, 20))
        made.setToolTip(tip_of(say("Take {name} in hand (key {mark})", name=name, mark=mark)))
        made.clicked.connect(lambda: self.taken.emit(hand))
        self.lines.addWidget(made)
        self.buttons[hand] = made
