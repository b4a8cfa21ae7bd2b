"""A frame that draws itself."""

from __future__ import annotations

from PySide6.QtCore import QRectF
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QFrame

from knitground.ui.common.painting import painting
from knitground.ui.common.theme import theme


class Framed(QFrame):
    """A frame whose colours are roles of the theme and may change often.

    A style sheet of its own would be worked through for all that is in it at each change.
    """

    _edge, _ground, _wide = "line", "window", 1

    def dress(self, edge: str, ground: str, wide: int = 1) -> None:
        """Take the roles of its edge and ground, and the edge's width in px."""
        if (edge, ground, wide) != (self._edge, self._ground, self._wide):
            self._edge, self._ground, self._wide = edge, ground, wide
            self.update()

    def dress_chosen(self, chosen: bool) -> None:
        """Show whether it is the chosen one of many."""
        self.dress(*(("madder", "panel", 2) if chosen else ("line", "window", 1)))

    def paintEvent(self, event: QPaintEvent) -> None:
        t, half = theme(), self._wide / 2
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(QPen(t.colour(self._edge), self._wide))
            painter.setBrush(t.colour(self._ground))
            inner = QRectF(self.rect()).adjusted(half, half, -half, -half)
            painter.drawRoundedRect(inner, 4 - half, 4 - half)
