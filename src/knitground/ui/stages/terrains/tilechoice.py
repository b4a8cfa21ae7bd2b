"""A sheet to click a plain tile on."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPixmap
from PySide6.QtWidgets import QWidget

from knitground.core.base.tongue import say
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Tileset
from knitground.core.render.pixels import premultiplied
from knitground.ui.common.painting import image_of, painting
from knitground.ui.common.theme import theme

_SHOWN_PX = 1024
"""Of larger sheets pixels are left out: all of them would take the interface too long."""


class TileChoice(QWidget):
    """A sheet to click a tile on; arrows move, Enter takes."""

    picked = Signal(TileRef)

    def __init__(self) -> None:
        super().__init__()
        self.tileset: Tileset | None = None
        self.at = (0, 0)
        self._picture: QPixmap | None = None
        self.setMinimumSize(240, 150)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setToolTip(say("Click a plain tile; or arrows and Enter"))
        self.setAccessibleName(say("Tiles to choose from"))

    def show_sheet(self, tileset: Tileset | None) -> None:
        """Show another sheet."""
        self.tileset, self.at, self._picture = tileset, (0, 0), None
        if tileset is not None and tileset.picture is not None:
            step = -(-max(tileset.picture.shape[:2]) // _SHOWN_PX)
            small = np.ascontiguousarray(tileset.picture[::step, ::step])
            self._picture = QPixmap.fromImage(image_of(premultiplied(small)).copy())
        self.update()

    def _scale(self) -> float:
        assert self.tileset is not None
        scale = min(self.width() / self.tileset.width, self.height() / self.tileset.height)
        return int(2 * scale) / 2 if scale >= 1 else scale

    def tile_rect(self, row_: int, col: int) -> QRectF:
        """Where a tile lies in the view."""
        assert self.tileset is not None
        x, y, wide, high = self.tileset.slicing.tile_area(row_, col)
        scale = self._scale()
        return QRectF(x * scale, y * scale, wide * scale, high * scale)

    def _tile_at(self, at: QPointF) -> tuple[int, int] | None:
        if self.tileset is None or self._picture is None:
            return None
        for row_ in range(self.tileset.rows):
            rect = self.tile_rect(row_, 0)
            if rect.top() <= at.y() < rect.bottom():
                for col in range(self.tileset.columns):
                    if self.tile_rect(row_, col).contains(at):
                        return row_, col
        return None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        found = self._tile_at(event.position())
        if found is not None and self.tileset is not None:
            self.at = found
            self.picked.emit(TileRef(self.tileset.name, *found))
            self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Left: (0, -1), Qt.Key.Key_Right: (0, 1), Qt.Key.Key_Up: (-1, 0),
                 Qt.Key.Key_Down: (1, 0)}  # fmt: skip
        key = Qt.Key(event.key())
        if self.tileset is None:
            super().keyPressEvent(event)
        elif key in steps:
            down, right = steps[key]
            there = (self.at[0] + down, self.at[1] + right)
            if self.tileset.has(*there):
                self.at = there
                self.update()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.picked.emit(TileRef(self.tileset.name, *self.at))
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        with painting(self) as painter:
            painter.fillRect(self.rect(), theme().colour("sunken"))
            if self._picture is None or self.tileset is None:
                return
            scale = self._scale()
            rect = QRectF(0, 0, self.tileset.width * scale, self.tileset.height * scale)
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, scale < 1)
            painter.drawPixmap(rect, self._picture, QRectF(self._picture.rect()))
            painter.setPen(theme().colour("madder"))
            painter.drawRect(self.tile_rect(*self.at).adjusted(0, 0, -1, -1))
