"""The ground on which see-through pictures are shown."""

from __future__ import annotations

from functools import lru_cache

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QColor, QPainter, QPixmap

_STEP = 8
_TILE = 16 * _STEP


def checkers(painter: QPainter, rect: QRectF) -> None:
    """Draw a quiet chequered ground, so that see-through parts show as such."""
    device = painter.transform().inverted()[0].mapRect(QRectF(painter.viewport()))
    seen = rect.intersected(device)
    if not seen.isEmpty():
        offset = QPointF((seen.left() - rect.left()) % _TILE, (seen.top() - rect.top()) % _TILE)
        painter.drawTiledPixmap(seen, _ground(), offset)


@lru_cache(maxsize=1)
def _ground() -> QPixmap:
    """Some squares, to be laid side by side: a sheet may be thousands of squares wide."""
    out = QPixmap(_TILE, _TILE)
    out.fill(QColor("#C9C6BF"))
    painter = QPainter(out)
    for row in range(_TILE // _STEP):
        for col in range(row % 2, _TILE // _STEP, 2):
            painter.fillRect(col * _STEP, row * _STEP, _STEP, _STEP, QColor("#B9B5AD"))
    painter.end()
    return out
