"""The ground on which see-through pictures are shown."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QPainter


def checkers(painter: QPainter, rect: QRectF) -> None:
    """Draw a quiet chequered ground, so that see-through parts show as such."""
    painter.save()
    painter.setClipRect(rect, Qt.ClipOperation.IntersectClip)
    visible = painter.clipBoundingRect()
    painter.fillRect(visible, QColor("#C9C6BF"))
    step, dark = 8, QColor("#B9B5AD")
    top, left = (
        int((visible.top() - rect.top()) // step),
        int((visible.left() - rect.left()) // step),
    )
    rows, cols = int(visible.height() // step) + 2, int(visible.width() // step) + 2
    for row in range(top, top + rows):
        for col in range(left + (left + row) % 2, left + cols, 2):
            x, y = rect.left() + col * step, rect.top() + row * step
            painter.fillRect(QRectF(x, y, step, step), dark)
    painter.restore()
