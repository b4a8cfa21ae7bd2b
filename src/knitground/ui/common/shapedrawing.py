"""Shapes as they are drawn everywhere: a thin fill, an outline, the letter of their kind."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF

from knitground.core.model.shapes import ShapeForm, ShapeKind, TileShape
from knitground.core.shapes.geometry import outline
from knitground.ui.common.painting import write_in
from knitground.ui.common.theme import LINEN

_LETTER_PX = 12
"""From this width on a shape has its letter."""


def shape_path(shape: TileShape, left: float, top: float, zoom: float) -> QPainterPath:
    """Give the outline of a shape on the screen; round ones are really round."""
    path = QPainterPath()
    if shape.form is ShapeForm.ROUND:
        (x0, y0), (x1, y1) = shape.corners[0], shape.corners[-1]
        path.addEllipse(
            QRectF(QPointF(left + x0 * zoom, top + y0 * zoom),
                   QPointF(left + x1 * zoom, top + y1 * zoom)).normalized()
        )  # fmt: skip
        return path
    points = [QPointF(left + x * zoom, top + y * zoom) for x, y in outline(shape)]
    path.addPolygon(QPolygonF(points))
    path.closeSubpath()
    return path


def draw_shape(
    painter: QPainter,
    path: QPainterPath,
    kind: ShapeKind,
    *,
    width: float = 1.5,
    thin: bool = False,
) -> None:
    """Draw one shape in the colour of its kind, with its letter if there is room."""
    colour = QColor(kind.colour)
    fill = QColor(colour)
    fill.setAlpha(34 if thin else 80)
    painter.setBrush(fill)
    if thin:
        painter.setPen(QPen(colour, 1, Qt.PenStyle.DotLine))
        painter.drawPath(path)
        return
    painter.setPen(QPen(QColor(LINEN.panel), width + 1.5))
    painter.drawPath(path)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(colour, width))
    painter.drawPath(path)
    rect = path.boundingRect()
    if min(rect.width(), rect.height()) >= _LETTER_PX:
        draw_letter(painter, _inside(path), kind, 11 if rect.width() >= 18 else 9)


def _inside(path: QPainterPath) -> QPointF:
    """Give a place inside an outline, its middle if that is."""
    rect = path.boundingRect()
    middle = rect.center()
    if path.contains(middle):
        return middle
    spots = (0.5, 0.25, 0.75, 0.12, 0.88)
    places = (QPointF(rect.left() + x * rect.width(), rect.top() + y * rect.height())
              for y in spots for x in spots)  # fmt: skip
    return next((each for each in places if path.contains(each)), middle)


def draw_letter(painter: QPainter, at: QPointF, kind: ShapeKind, size: int) -> None:
    """Write a kind's letter on paper, so that nothing hangs on its colour alone."""
    write_in(painter, size, bold=True)
    spot = QRectF(0, 0, size + 3, size + 3)
    spot.moveCenter(at)
    paper = QColor(LINEN.panel)
    paper.setAlpha(225)
    painter.fillRect(spot, paper)
    painter.setPen(QColor(LINEN.ink))
    painter.drawText(spot, Qt.AlignmentFlag.AlignCenter, kind.letter)


def ring_path(
    parts: Iterable[Sequence[Sequence[tuple[float, float]]]], left: float, top: float, zoom: float
) -> QPainterPath:
    """Give the outline on the screen of areas with holes, in pixels of the map."""
    path = QPainterPath()
    for rings in parts:
        for ring in rings:
            points = [QPointF(left + x * zoom, top + y * zoom) for x, y in ring]
            path.addPolygon(QPolygonF(points))
            path.closeSubpath()
    path.setFillRule(Qt.FillRule.OddEvenFill)
    return path
