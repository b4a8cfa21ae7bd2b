"""The figure that walks: a spindle with a foot point, faint where it is hidden."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen

from knitground.core.walk.figure import Figure, Stand
from knitground.ui.common.theme import LINEN

_FAINT = 0.3
"""What is left of the figure's opacity behind something."""


def figure_picture(figure: Figure, at: Stand, hidden: NDArray[np.bool_], zoom: float) -> QImage:
    """Draw a figure as large as it is seen, its feet at the lower edge."""
    wide = max(3, round(figure.wide * zoom))
    high = max(5, round(figure.high * zoom))
    out = QImage(wide, high, QImage.Format.Format_ARGB32_Premultiplied)
    out.fill(0)
    painter = QPainter(out)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    pen = max(1.0, min(wide, high) / 12)
    room = QRectF(pen, pen, wide - 2 * pen, high - 2 * pen)
    middle, lean = room.center().x(), at.faces[0] * room.width() / 10
    spindle = QPainterPath(QPointF(middle + lean, room.top()))
    belly = room.top() + room.height() * 0.42
    spindle.cubicTo(room.right(), belly - room.height() / 8, room.right(),
                    belly + room.height() / 8, middle, room.bottom())  # fmt: skip
    spindle.cubicTo(room.left(), belly + room.height() / 8, room.left(),
                    belly - room.height() / 8, middle + lean, room.top())  # fmt: skip
    painter.setPen(QPen(QColor(LINEN.panel), pen))
    painter.setBrush(QColor(LINEN.madder if at.caught else LINEN.accent))
    painter.drawPath(spindle)
    painter.setBrush(QColor(LINEN.panel))
    painter.drawEllipse(QPointF(middle, room.bottom() - pen), pen, pen)
    painter.end()
    if hidden.any():
        rows = np.minimum(np.arange(high) * hidden.shape[0] // high,
                          hidden.shape[0] - 1)  # fmt: skip
        cols = np.minimum(np.arange(wide) * hidden.shape[1] // wide,
                          hidden.shape[1] - 1)  # fmt: skip
        behind = hidden[np.ix_(rows, cols)]
        raw = np.frombuffer(out.bits(), np.uint8).reshape(high, out.bytesPerLine())
        part = raw[:, : wide * 4].reshape(high, wide, 4)
        part[behind] = (part[behind] * _FAINT).astype(np.uint8)
    return out
