"""Making missing tiles: shown before they are made, each can be left out."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QLabel,
    QScrollArea,
    QWidget,
)

from knitground.core.base.tongue import say
from knitground.core.knit.makeable import makeable
from knitground.core.knit.making import Made
from knitground.core.knit.missing import key_words
from knitground.core.model.project import Project
from knitground.core.model.terrain import TerrainSet
from knitground.core.model.tileset import Tileset
from knitground.core.render.pixels import premultiplied
from knitground.ui.common.dialog import Dialog
from knitground.ui.common.form import Check
from knitground.ui.common.widgets import clear, column, note, row, tile_pixmap
from knitground.ui.common.words import tip_of


class MakeDialog(Dialog):
    """Asks which ways the art allows, and shows every tile that they give."""

    def __init__(
        self, project: Project, owner: Tileset, kit: TerrainSet, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(say("Make missing tiles of “{name}”", name=kit.name))
        self.resize(620, 460)
        self.kit = kit
        self.able = makeable(project, owner, kit)
        self.turn = Check(say("turn tiles"), say("Light and grain turn too"))
        self.mirror = Check(say("mirror tiles"), say("Left and right, top and bottom"))
        self.join = Check(
            say("join quarters of tiles"), say("Each quarter of a tile that shows it")
        )
        flat = self.able.lattice is None
        for box, on in ((self.turn, False), (self.mirror, True), (self.join, flat)):
            box.show_value(on)
            box.clicked.connect(self.show_made)
        for box in () if flat else (self.turn, self.join):
            box.setEnabled(False)
            box.setToolTip(
                say("What stands on diamonds is seen from one side: it is mirrored only")
            )
        self.head = QLabel()
        self.grid = QGridLayout()
        self.made: list[Made] = []
        self.boxes: list[QCheckBox] = []
        inner = QWidget()
        inner.setLayout(column(self.grid, 1, margins=4))
        area = QScrollArea()
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setWidget(inner)
        area.setWidgetResizable(True)
        self.buttons = self.make_buttons(say("Make them"))
        layout = column(
            note(
                say(
                    "They go on a new sheet of the project, with their marks; the sheet that "
                    "they are "
                    "made from is not touched. What does the art allow?"
                )
            ),
            row(self.turn, self.mirror, self.join, 1),
            self.head,
            area,
            self.buttons,
            margins=14,
        )
        layout.setStretch(3, 1)
        self.setLayout(layout)
        self.show_made()

    def show_made(self) -> None:
        """Make the tiles anew, in the ways that are allowed now."""
        self.made = self.able.made(
            turn=self.turn.isChecked(), mirror=self.mirror.isChecked(), join=self.join.isChecked()
        )
        clear(self.grid)
        self.boxes = []
        for place, each in enumerate(self.made[:400]):
            picture = QLabel()
            picture.setPixmap(tile_pixmap(premultiplied(each.pixels), 48, framed=True))
            picture.setToolTip(tip_of(key_words(self.kit, each.key)))
            box = QCheckBox(each.how)
            box.setChecked(True)
            self.boxes.append(box)
            cell = column(picture, box, spacing=2)
            cell.setAlignment(picture, Qt.AlignmentFlag.AlignHCenter)
            self.grid.addLayout(cell, place // 3, place % 3)
        missing = len(self.able.missing)
        lack = missing - len(self.made)
        text = say(
            "{missing} combinations are missing · {count} can be made so",
            missing=missing,
            count=len(self.made),
        )
        self.head.setText(text + (say(" · {lack} can not", lack=lack) if lack else ""))
        self.ok.setEnabled(bool(self.made))

    def chosen(self) -> list[Made]:
        """Tiles that are ticked."""
        shown = [each for each, box in zip(self.made, self.boxes) if box.isChecked()]
        return shown + self.made[len(self.boxes) :]
