"""The mark of a finding: a knot, two threads that cross, in madder on paper."""

from __future__ import annotations

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen

from knitground.ui.common.theme import LINEN


def draw_knot(painter: QPainter, at: QPointF, radius: float) -> None:
    """Draw a knot round a place, on any ground."""
    threads = []
    for way in (1, -1):
        path = QPainterPath(QPointF(at.x() - radius, at.y() - way * radius))
        path.cubicTo(
            QPointF(at.x() + radius * 1.1, at.y() - way * radius * 0.7),
            QPointF(at.x() - radius * 1.1, at.y() + way * radius * 0.7),
            QPointF(at.x() + radius, at.y() + way * radius),
        )
        threads.append(path)
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    width = max(1.6, radius * 0.36)
    for colour, more in ((LINEN.panel, 2.6), (LINEN.madder, 0.0)):
        pen = QPen(QColor(colour), width + more)
        pen.setCapStyle(Qt.PenCapStyle.RoundCap)
        painter.setPen(pen)
        for path in threads:
            painter.drawPath(path)
    painter.restore()
