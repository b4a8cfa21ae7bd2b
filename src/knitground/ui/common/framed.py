"""A card that draws its own frame."""

from __future__ import annotations

from PySide6.QtCore import QRectF
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QFrame

from knitground.ui.common.painting import painting
from knitground.ui.common.theme import theme


class Framed(QFrame):
    """A card among others, of which one may be chosen.

    A style sheet of its own would be worked through for all that is in it at each change.
    """

    _chosen = False

    def dress(self, chosen: bool) -> None:
        """Show whether it is the chosen one of many."""
        if chosen is not self._chosen:
            self._chosen = chosen
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        edge, ground, wide = ("madder", "panel", 2) if self._chosen else ("line", "window", 1)
        t, half = theme(), wide / 2
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(QPen(t.colour(edge), wide))
            painter.setBrush(t.colour(ground))
            inner = QRectF(self.rect()).adjusted(half, half, -half, -half)
            painter.drawRoundedRect(inner, 4 - half, 4 - half)
