"""From which corner a map is drawn: chosen from pictures of the person's own tiles."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QIcon, QPixmap
from PySide6.QtWidgets import QDialogButtonBox, QToolButton, QWidget

from knitground.core.base.tongue import say
from knitground.core.edit.maps import draw_from
from knitground.core.model.lattice import Corner, Point, Rect
from knitground.core.model.map import Map
from knitground.core.render.atlas import Atlas
from knitground.core.render.pixels import Pixels
from knitground.core.render.stack import draw_map, stack_of
from knitground.ui.common.dialog import Dialog
from knitground.ui.common.painting import image_of
from knitground.ui.common.widgets import column, note, row
from knitground.ui.common.words import tip_of
from knitground.ui.session import Session

_WIDE, _HIGH = 232, 168
_WORDS = {
    Corner.TOP: say("Upper corner first"),
    Corner.LEFT: say("Left corner first"),
    Corner.RIGHT: say("Right corner first"),
    Corner.BOTTOM: say("Lower corner first"),
}


def drawn_pictures(session: Session, map_: Map, middle: Point) -> dict[Corner, Pixels]:
    """Draw what lies round a place as it is seen from each corner."""
    wide, high = map_.lattice.extent
    x = round(max(0, min(middle[0] - _WIDE / 2, wide - _WIDE)))
    y = round(max(0, min(middle[1] - _HIGH / 2, high - _HIGH)))
    rect = Rect(x, y, min(_WIDE, wide), min(_HIGH, high))
    out = {}
    for corner in Corner:
        trial = replace(map_, grid=replace(map_.grid, drawn_from=corner))
        atlas = Atlas(session.project, trial)
        cells_of = lambda layer, box: session.doc.cells(map_, layer, box)  # noqa: E731
        out[corner] = draw_map(trial, atlas, stack_of(trial, atlas, rect, 0, cells_of))
    return out


class OrderDialog(Dialog):
    """Shows the map drawn from each of its corners; a click takes one."""

    def __init__(self, session: Session, map_: Map, middle: Point, parent: QWidget) -> None:
        super().__init__(parent)
        self.session, self.map = session, map_
        self.setWindowTitle(say("Order of drawing of “{name}”", name=map_.name))
        self.buttons: dict[Corner, QToolButton] = {}
        for corner, pixels in drawn_pictures(session, map_, middle).items():
            made = QToolButton()
            made.setText(_WORDS[corner])
            made.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            made.setIcon(QIcon(QPixmap.fromImage(image_of(pixels).copy())))
            made.setIconSize(QSize(_WIDE, _HIGH))
            made.setCheckable(True)
            made.setChecked(corner is map_.grid.drawn_from)
            made.setToolTip(
                tip_of(
                    say("{words}: what lies nearer to the other end hides it", words=_WORDS[corner])
                )
            )
            made.clicked.connect(lambda *_, corner=corner: self.take(corner))
            self.buttons[corner] = made
        close = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        close.rejected.connect(self.reject)
        first, *rest = (self.buttons[each] for each in _WORDS)
        words = note(
            say("Your own tiles, drawn from each corner: take the picture that looks right.")
        )
        self.setLayout(column(
            words, row(first, rest[0]), row(rest[1], rest[2]), row(1, close), margins=12,
        ))  # fmt: skip

    def take(self, corner: Corner) -> None:
        """Draw the map from a corner, as one step."""
        self.session.do(lambda: draw_from(self.map, corner))
        self.accept()
