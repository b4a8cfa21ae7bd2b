"""View › Light: the map as its lamps and its ambient colour light it."""

from __future__ import annotations

from math import ceil, floor

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from knitground.core.base.window import Box
from knitground.core.edit.changed import Changed, What
from knitground.core.model.lattice import Rect
from knitground.core.model.layers import Layer
from knitground.core.model.map import Map, grid_of
from knitground.core.shapes.light import lamps_of, ring
from knitground.core.shapes.maplight import MapLight
from knitground.ui.common.theme import LINEN
from knitground.ui.mapside.canvas.over import Canvas, Overlay
from knitground.ui.session import Session

_PLACES = 640
"""Places across of the field of light that is worked out for a view."""
_STEPS = (1, 2, 4, 8, 16, 32, 64)
_OF_CELLS = (What.CELLS, What.TERRAIN)


class LightOver(Overlay):
    """Darkens what no lamp lights, and draws the rings that lamps reach."""

    def __init__(self, session: Session, view: QWidget) -> None:
        super().__init__(session, view)
        self._lights: dict[int, MapLight] = {}
        self._map: Map | None = None

    def follow(self, change: Changed) -> None:
        """What lamps reach is worked out anew where something may block them."""
        if change.what in _OF_CELLS and change.box is not None and change.map is self._map:
            assert self._map is not None
            far = 2 * self._map.lattice.longer
            rect = self._map.lattice.bounds(change.box).grown(far, far, far, far)
            for each in self._lights.values():
                each.forget(rect)
        elif change.what not in (What.MARKERS, What.PROOF, What.SHIPPING, What.LOCK):
            self._lights.clear()

    def forget(self) -> None:
        """Know nothing of the project any more."""
        self._lights.clear()
        self._map = None

    def draw(self, on: Canvas) -> bool:
        """Multiply the map by the light that falls on it."""
        if not on.session.sight.light:
            return True
        if on.map is not self._map:
            self.forget()
            self._map = on.map
        x, y = on.camera.to_picture(0, 0)
        zoom = on.camera.zoom
        seen = Rect(x, y, on.room.width() / zoom, on.room.height() / zoom)
        seen = seen.shared(Rect(0, 0, *on.map.lattice.extent))
        if seen.is_empty:
            return True
        step = next((n for n in _STEPS if seen.width / n <= _PLACES), _STEPS[-1])
        left, top = floor(seen.x / step) * step, floor(seen.y / step) * step
        wide = ceil((seen.right - left) / step) * step
        high = ceil((seen.bottom - top) / step) * step
        rect = Rect(left, top, wide, high)
        lamps = lamps_of(on.map)
        if step not in self._lights:
            self._lights[step] = self._light(on.map, step)
        field = self._lights[step].field(rect, lamps=lamps)
        image = field_image(field)
        sx, sy = on.camera.to_screen(left, top)
        painter = on.painter
        painter.save()
        painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_Multiply)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, step > 1)
        painter.drawImage(QRectF(sx, sy, wide * zoom, high * zoom), image)
        painter.restore()
        painter.setPen(QPen(QColor(LINEN.madder), 1, Qt.PenStyle.DotLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for lamp in lamps:
            corners = [QPointF(*on.camera.to_screen(*each)) for each in ring(lamp)]
            painter.drawPolygon(QPolygonF(corners))
        return True

    def _light(self, map_: Map, step: int) -> MapLight:
        doc = self.session.doc

        def cells_of(layer: Layer, box: Box) -> NDArray[np.int32]:
            return doc.cells(grid_of(map_, layer), layer, box)

        return MapLight(self.session.project, map_, cells_of, step)


def field_image(field: NDArray[np.float32]) -> QImage:
    """Make an image of a field of light, white where all of it falls."""
    high, wide = field.shape[:2]
    values = np.rint(np.minimum(field, 1) * 255).astype(np.uint32)
    packed = np.uint32(0xFF000000) | values[..., 0] << 16 | values[..., 1] << 8 | values[..., 2]
    packed = np.ascontiguousarray(packed, np.uint32)
    return QImage(packed.data, wide, high, wide * 4, QImage.Format.Format_RGB32).copy()
