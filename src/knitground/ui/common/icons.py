"""Icons of the one icon font, each drawn once a size, colour and state."""

from __future__ import annotations

from functools import cache

from PySide6.QtCore import QRect, QSize
from PySide6.QtGui import QIcon, QIconEngine, QPainter, QPixmap

from knitground.ui.common.theme import theme


class _Kept(QIconEngine):
    """Keeps what the font drew: drawing a letter takes a millisecond, at each paint of a button."""

    def __init__(self, drawn: QIcon, kept: dict[object, QPixmap]) -> None:
        super().__init__()
        self._drawn, self._pixmaps = drawn, kept

    def pixmap(self, size: QSize, mode: QIcon.Mode, state: QIcon.State) -> QPixmap:
        key = (size.width(), size.height(), mode, state)
        kept = self._pixmaps.get(key)
        if kept is None:
            kept = self._pixmaps[key] = self._drawn.pixmap(size, 1.0, mode, state)
        return kept

    def paint(self, painter: QPainter, rect: QRect, mode: QIcon.Mode, state: QIcon.State) -> None:
        self._drawn.paint(painter, rect, mode=mode, state=state)

    def clone(self) -> _Kept:
        return _Kept(self._drawn, self._pixmaps)


def icon(name: str, role: str = "ink") -> QIcon:
    """Return an icon of the one icon font, in a colour of the theme."""
    t = theme()
    return _icon(name, getattr(t, role), t.on_accent, t.line)


@cache
def _icon(name: str, colour: str, chosen: str, disabled: str) -> QIcon:
    import qtawesome  # late: it is slow to import

    made = qtawesome.icon(name, color=colour, color_on=chosen, color_disabled=disabled)
    return QIcon(_Kept(made, {}))
