"""The figure that walks on the map."""

from __future__ import annotations

from PySide6.QtCore import QPointF

from knitground.ui.common.figure import figure_picture
from knitground.ui.mapside.canvas.over import Canvas, Overlay


class FigureOver(Overlay):
    """Draws the figure, if one walks on the map of this view."""

    def draw(self, on: Canvas) -> bool:
        """Draw it where it stands."""
        walker = on.session.walker
        if walker is not None and walker.map is on.map:
            zoom = on.camera.zoom
            wide, high = walker.figure.wide, walker.figure.high
            x, y = on.camera.to_screen(walker.at.x - wide // 2, walker.at.y - high)
            on.painter.drawImage(
                QPointF(round(x), round(y)),
                figure_picture(walker.figure, walker.at, walker.hidden, zoom),
            )
        return True
