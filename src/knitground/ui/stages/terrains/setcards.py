"""The three kinds of terrain set as cards, each with a drawn example of what it is for."""

from __future__ import annotations

from functools import partial
from itertools import pairwise

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from knitground.core.base.tongue import say
from knitground.core.model.terrain import SetKind
from knitground.ui.common.painting import painting
from knitground.ui.common.theme import theme
from knitground.ui.common.widgets import button, column, head, note, panel, row

_WORDS = {
    SetKind.CORNER: (
        say("Corner set"),
        say("Ground that blends: terrain stands where four tiles meet."),
    ),
    SetKind.EDGE: (
        say("Edge set"),
        say("Paths: what goes over a tile's sides, from cell to cell."),
    ),
    SetKind.RING: (
        say("Ring set"),
        say("Walls, water, floors: whole cells, joined to their eight round."),
    ),
}
_PAPER, _INK, _LINES = "#E8DFC9", "#3F7F6B", "#B9AE97"
_CELLS = 4
_ASKED, _INSTEAD = say("What does this sheet show?"), say("Or mark it yourself")


class Example(QWidget):
    """A few cells with what a kind of set makes of them."""

    def __init__(self, kind: SetKind) -> None:
        super().__init__()
        self.kind = kind
        self.setFixedSize(QSize(132, 92))
        self.setAccessibleName(say("Example of a {value} set", value=say(kind.value)))

    def paintEvent(self, event: QPaintEvent) -> None:
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            area = QRectF(self.rect()).adjusted(1, 1, -1, -1)
            painter.fillRect(area, QColor(_PAPER))
            wide, high = area.width() / _CELLS, area.height() / (_CELLS - 1)
            painter.save()
            painter.setClipRect(area)
            draw = {SetKind.CORNER: _areas, SetKind.EDGE: _paths, SetKind.RING: _cells}[self.kind]
            draw(painter, area.topLeft(), wide, high)
            painter.restore()
            painter.setPen(QPen(QColor(_LINES), 1, Qt.PenStyle.DotLine))
            for n in range(_CELLS + 1):
                x = area.left() + n * wide
                painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
            for n in range(_CELLS):
                y = area.top() + n * high
                painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            painter.setPen(theme().colour("line"))
            painter.drawRect(area)


def _areas(painter: QPainter, at: QPointF, wide: float, high: float) -> None:
    """Draw ground round three vertices, its border going through the middles of tiles' sides."""
    path = QPainterPath()
    for col, row_ in ((1, 1), (2, 1), (2, 2)):
        spot = QPainterPath()
        middle = at + QPointF(col * wide, row_ * high)
        spot.addRoundedRect(
            QRectF(middle.x() - wide / 2, middle.y() - high / 2, wide, high), wide / 3, high / 3
        )
        path = path.united(spot)
    painter.setPen(QPen(QColor(_INK).darker(130), 2))
    painter.setBrush(QColor(_INK))
    painter.drawPath(path.simplified())
    painter.setBrush(QColor("#FFFFFF"))
    painter.setPen(QPen(QColor("#2B2A33"), 1))
    for col, row_ in ((1, 1), (2, 1), (2, 2)):
        painter.drawEllipse(at + QPointF(col * wide, row_ * high), 3.5, 3.5)


def _paths(painter: QPainter, at: QPointF, wide: float, high: float) -> None:
    """Draw a way from middle to middle of some cells."""
    way = [(0, 1), (1, 1), (1, 0), (2, 0), (2, 2), (3, 2)]
    points = [at + QPointF((col + 0.5) * wide, (row_ + 0.5) * high) for col, row_ in way]
    for colour, width in ((QColor(_INK).darker(130), 11.0), (QColor(_INK), 7.0)):
        pen = QPen(colour, width)
        pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
        pen.setCapStyle(Qt.PenCapStyle.RoundCap)
        painter.setPen(pen)
        for one, two in pairwise(points):
            painter.drawLine(one, two)


def _cells(painter: QPainter, at: QPointF, wide: float, high: float) -> None:
    """Draw whole cells that are joined, with a rim where the neighbour is another."""
    path = QPainterPath()
    for col, row_ in ((0, 0), (1, 0), (1, 1), (2, 1), (3, 1), (3, 2)):
        cell = QPainterPath()
        cell.addRect(QRectF(at.x() + col * wide, at.y() + row_ * high, wide, high))
        path = path.united(cell)
    painter.setPen(QPen(QColor(_INK).darker(150), 4))
    painter.setBrush(QColor(_INK))
    painter.drawPath(path.simplified())


class SetCards(QWidget):
    """What Terrains shows while the sheet has no set: the kinds, and what comes next."""

    wanted = Signal(object)
    """The kind of set that was chosen."""
    making = Signal()
    """A set is to be made from two tiles."""

    def __init__(self) -> None:
        super().__init__()
        self._rich: list[QWidget] = []
        """What is left out where likely sets are offered instead."""
        cards = [self._card(kind) for kind in SetKind]
        make = button(
            say("Make a set from two plain tiles…"), self.making.emit,
            say("Two plain tiles and an outline become all tiles of a set"),
        )  # fmt: skip
        words = note(
            say(
                "Next: mark one plain tile of each terrain (choose the terrain, then Shift "
                "and click "
                "the tile); then “Guess marks” does the others."
            )
        )
        below = row(make, words)
        below.setStretch(1, 1)
        self.title = head(_ASKED)
        self._rich.append(words)
        self.setLayout(column(self.title, row(*cards, spacing=10), below, spacing=8))

    def set_slim(self, on: bool) -> None:
        """Show buttons alone: likely sets stand above, and the sheet wants its room."""
        self.title.setText(_INSTEAD if on else _ASKED)
        for each in self._rich:
            each.setVisible(not on)

    def _card(self, kind: SetKind) -> QWidget:
        name, words = _WORDS[kind]
        card = panel()
        make = button(
            name, partial(self.wanted.emit, kind), say("Make a {value} set", value=say(kind.value))
        )
        about = QWidget()
        about.setLayout(column(row(1, Example(kind), 1), note(words), 1, spacing=6))
        self._rich.append(about)
        card.setLayout(column(about, make, margins=8, spacing=6))
        return card
