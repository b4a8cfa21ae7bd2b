"""Overview: the whole map small in a corner of the view, with what is shown of it in a frame."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, QTimer
from PySide6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from knitground.core.base.tongue import say
from knitground.core.edit.changed import Changed
from knitground.core.render.pixels import Pixels
from knitground.core.render.small import SMALL_HIGH, SMALL_WIDE, small_picture
from knitground.ui.common.painting import image_of
from knitground.ui.common.theme import LINEN, theme
from knitground.ui.common.zoom import Camera
from knitground.ui.session import Session

_LATER_MS = 250


class Overview(QWidget):
    """Shows the session's map; a click or a drag brings that place to the middle of the view."""

    def __init__(self, session: Session, camera: Callable[[], Camera], parent: QWidget) -> None:
        super().__init__(parent)
        self.session = session
        self._camera = camera
        self._pixels: Pixels | None = None
        self._image: QImage | None = None
        self._later = QTimer(self, singleShot=True, interval=_LATER_MS)
        self._later.timeout.connect(self.redraw)
        self.setToolTip(say("The whole map: click or drag to go there"))
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFixedSize(SMALL_WIDE + 8, SMALL_HIGH + 8)
        session.changed.connect(self._follow)
        session.choice.map_changed.connect(self._on_picked)
        self.hide()

    def _follow(self, change: Changed) -> None:
        self._later.start()

    def _on_picked(self) -> None:
        if self.isVisible():
            self._later.start()

    def redraw(self) -> None:
        """Draw the map anew."""
        map_ = self.session.map
        if map_ is None or not self.isVisible():
            return
        self._pixels = np.ascontiguousarray(small_picture(map_, self.session.atlases.of(map_)))
        self._image = image_of(self._pixels)
        self.update()

    def place(self) -> None:
        """Stand in the lower right corner of the view."""
        parent = self.parentWidget()
        if parent is not None:
            self.move(parent.width() - self.width() - 10, parent.height() - self.height() - 10)

    def showEvent(self, event: object) -> None:
        self.place()
        self.redraw()

    def _frame(self) -> tuple[QRectF, float]:
        """Where the small map lies in here, and how many of its pixels a map's pixel is."""
        map_ = self.session.map
        assert map_ is not None
        wide, high = map_.lattice.extent
        scale = min(SMALL_WIDE / wide, SMALL_HIGH / high)
        rect = QRectF(0, 0, wide * scale, high * scale)
        rect.moveCenter(QRectF(self.rect()).center())
        return rect, scale

    def seen(self) -> QRectF:
        """Where what the view shows lies in here."""
        rect, scale = self._frame()
        camera, parent = self._camera(), self.parentWidget()
        assert parent is not None
        x0, y0 = camera.to_picture(0, 0)
        x1, y1 = camera.to_picture(parent.width(), parent.height())
        part = QRectF(x0 * scale, y0 * scale, (x1 - x0) * scale, (y1 - y0) * scale)
        return part.translated(rect.topLeft()).intersected(rect)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme().colour("panel"))
        painter.setPen(QPen(theme().colour("line"), 1))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        if self._image is not None and self.session.map is not None:
            rect, _ = self._frame()
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(rect, self._image)
            for colour, width in ((LINEN.panel, 3.0), (LINEN.madder, 1.5)):
                painter.setPen(QPen(QColor(colour), width))
                painter.drawRect(self.seen())
        painter.end()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._go(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._go(event.position())

    def _go(self, at: QPointF) -> None:
        """Bring a place of the map to the middle of the view."""
        parent = self.parentWidget()
        if self.session.map is None or parent is None:
            return
        rect, scale = self._frame()
        x, y = (at.x() - rect.left()) / scale, (at.y() - rect.top()) / scale
        self._camera().centre(x, y, parent.width(), parent.height())
        parent.update()
        self.update()
