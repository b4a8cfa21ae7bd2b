"""Another tileset for a map: which one instead of which, with a picture before it is done."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtWidgets import (
    QComboBox,
    QFormLayout,
    QLabel,
    QVBoxLayout,
    QWidget,
)

from knitground.core.base.tongue import say
from knitground.core.edit.reslice import swap_tileset
from knitground.core.knit.layer import knit_map
from knitground.core.model.lattice import Rect
from knitground.core.model.map import Map, as_laid
from knitground.core.render.atlas import Atlas
from knitground.core.render.stack import draw, stack_of
from knitground.ui.common.dialog import Dialog
from knitground.ui.common.widgets import Swatch, note
from knitground.ui.session import Session

_CELLS = 48
_QUIET_CELLS = 2_000_000


class SwapDialog(Dialog):
    """Shows the map as it would be with another tileset in one's place."""

    def __init__(self, session: Session, map_: Map, parent: QWidget) -> None:
        super().__init__(parent)
        self.session, self.map = session, map_
        self.setWindowTitle(say("Another tileset for “{name}”", name=map_.name))
        names = [each.name for each in session.project.tilesets]
        self.old, self.new = QComboBox(), QComboBox()
        self.old.addItems(names)
        self.new.addItems(names)
        self.new.setCurrentIndex(1)
        self.picture = Swatch()
        self.picture.setMinimumSize(420, 320)
        for box in (self.old, self.new):
            box.currentIndexChanged.connect(self.show_preview)
        buttons = self.make_buttons(say("Take it"))
        form = QFormLayout()
        form.addRow(say("Instead of"), self.old)
        form.addRow(say("take"), self.new)
        layout = QVBoxLayout(self)
        layout.addLayout(form)
        layout.addWidget(QLabel(say("The map's upper left part:")))
        layout.addWidget(self.picture)
        layout.addWidget(note(say("Tiles keep their row and column. Undo takes it back.")))
        layout.addWidget(buttons)
        self.show_preview()

    def show_preview(self) -> None:
        """Draw a part of the map as it would be: a small map of its own is changed."""
        part = _corner(self.map)
        edit = swap_tileset(part, self.old.currentText(), self.new.currentText())
        for atom in edit.atoms:
            atom.do()
        knit_map(self.session.project, part)
        atlas = Atlas(self.session.project, part)
        level = 1 if part.lattice.level_count > 1 else 0
        rect = Rect(0, 0, *atlas.lattice(level).extent)
        stack = stack_of(part, atlas, rect, level, as_laid(part))
        self.picture.show_pixels(draw(atlas, stack) if stack.planes else None)

    def take(self) -> None:
        """Do it, as one step; on a large map beside the interface."""
        names = self.old.currentText(), self.new.currentText()
        map_ = self.map
        if map_.height * map_.width * len(map_.layers) <= _QUIET_CELLS:
            self.session.apply(swap_tileset(map_, *names))
        else:
            self.session.run_long(
                say("Taking another tileset…"),
                lambda _: swap_tileset(map_, *names),
                self.session.apply,
            )


def _corner(map_: Map) -> Map:
    """Copy the upper left part of a map."""
    high, wide = min(_CELLS, map_.height), min(_CELLS, map_.width)
    part = replace(map_, height=high, width=wide, wrap=False, layers=[])
    for layer in map_.layers:
        made = layer.copy()
        for name in made.arrays if layer.own_cell is None else ():
            array = getattr(made, name)
            more = array.shape[0] - map_.height  # terrain has a row and a column more
            setattr(made, name, array[: high + more, : wide + more])
        part.layers.append(made)
    return part
