"""A sheet on the screen: zoom, pan, and the base of what each stage draws over it."""

from __future__ import annotations

from typing import ClassVar
from weakref import WeakKeyDictionary

import numpy as np
from PySide6.QtCore import QEvent, QPoint, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QImage,
    QMouseEvent,
    QNativeGestureEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from knitground.core.base.tongue import say
from knitground.core.model.slicing import Slicing
from knitground.core.model.tileset import At, Picture, Tileset
from knitground.core.slicing.grid import clear_see_through
from knitground.ui.common.checkers import checkers
from knitground.ui.common.painting import painting
from knitground.ui.common.theme import theme
from knitground.ui.common.touch import Pinch, moved_by
from knitground.ui.common.zoom import STEPS, Camera

_BETWEEN = 2
"""Pixels of the sheet between the lines of a folded strip."""
_LARGER, _MOST_FOLDED = 1.4, 1024
"""How many times as large tiles have to be on the screen that a strip is folded, and how many tiles
it may have."""


class SheetView(QWidget):
    """Shows a tileset's sheet. Stages draw over it and react to the pointer.

    A strip, a sheet of one row or one column, may be folded: its tiles then stand in several lines,
    as many as show them largest, for as a whole it would be a thread on the screen.
    """

    zoomed = Signal()
    folds: ClassVar[bool] = False
    """Whether strips are folded."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.camera = Camera()
        self.tileset: Tileset | None = None
        self.look_as: Slicing | None = None
        """See-through colours to show instead of the tileset's own, while they are tried."""
        self._button: Qt.MouseButton | None = None
        self._pan_from: QPointF | None = None
        self._places: WeakKeyDictionary[Tileset, dict[object, Camera]] = WeakKeyDictionary()
        self._fresh = True
        self._line = 0
        """How many tiles of a strip stand in a line; 0: the sheet is shown as it stands."""
        self._folded: object = None
        self._pinch = Pinch()
        self.setAccessibleName(say("Sheet"))
        self.setMouseTracking(True)
        self.setMinimumSize(160, 120)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)

    def show_tileset(self, tileset: Tileset | None) -> None:
        """Show a tileset's sheet; the view stays where it is if it is the same picture."""
        if tileset is not self.tileset:
            self._remember()
            self._fresh = True
        self.tileset = tileset
        if tileset is not None and self._folded != (tileset, tileset.slicing):
            self._fold()
        self._recall()
        if self._fresh:
            self.fit()
        self.update()

    def forget(self) -> None:
        """Become as at first: another project is open."""
        self._fresh, self._button = True, None
        self._places.clear()

    def _remember(self) -> None:
        """Keep where the view stands, for when the same sheet is shown again."""
        if self.tileset is not None and not self._fresh:
            self._places.setdefault(self.tileset, {})[self._place_key()] = self.camera

    def _recall(self) -> None:
        known = None
        if self.tileset is not None:
            known = self._places.get(self.tileset, {}).pop(self._place_key(), None)
        if known is not None:
            self.camera, self._fresh = known, False
        elif self._fresh:
            self.camera = Camera()

    def _place_key(self) -> object:
        """What the remembered place of the view belongs to, besides the sheet."""
        return None

    def _fold(self) -> None:
        """Say how many tiles stand in a line, if it is a strip that is larger so."""
        tileset, before = self.tileset, self._line
        self._line = 0
        if tileset is None:
            return
        cut, count = tileset.slicing, tileset.count
        self._folded = (tileset, cut)
        if self.folds and not cut.pieces and 1 in (tileset.rows, tileset.columns):
            wide, high = self._room()
            if 1 < count <= _MOST_FOLDED:
                sizes = [
                    min(wide / (line * cut.tile_width),
                        high / (-(-count // line) * (cut.tile_height + _BETWEEN)))
                    for line in range(1, count + 1)
                ]  # fmt: skip
                whole = min(wide / tileset.width, high / tileset.height)
                best = max(range(count), key=lambda n: sizes[n])
                if sizes[best] > _LARGER * whole:
                    self._line = best + 1
        if self._line != before:
            self._fresh = True

    def _room(self) -> tuple[int, int]:
        return max(1, self.width() - 16), max(1, self.height() - 16)

    def area_of(self, row: int, col: int) -> tuple[int, int, int, int]:
        """Give left, top, width and height of a tile as it is shown, in pixels of the sheet."""
        assert self.tileset is not None
        cut = self.tileset.slicing
        if not self._line:
            return cut.tile_area(row, col)
        down, across = divmod(row + col, self._line)  # one of them is 0
        wide, high = cut.tile_width, cut.tile_height
        return across * wide, down * (high + _BETWEEN), wide, high

    def tile_beside(self, at: At, down: int, across: int) -> At:
        """Give the tile so many further down and to the right on the screen; there may be none."""
        assert self.tileset is not None
        if not self._line:
            return at[0] + down, at[1] + across
        number = sum(at) + down * self._line + across
        return (number, 0) if self.tileset.columns == 1 else (0, number)

    def extent(self) -> tuple[int, int]:
        """Width and height of all there is to show, in pixels of the sheet."""
        assert self.tileset is not None
        if self._line:
            cut, lines = self.tileset.slicing, -(-self.tileset.count // self._line)
            return self._line * cut.tile_width, lines * (cut.tile_height + _BETWEEN) - _BETWEEN
        return self.tileset.width, self.tileset.height

    def fit(self) -> None:
        """Show all of the sheet."""
        if self.tileset is not None:
            self._fold()
            room = self._room()
            extent = self.extent()
            self.camera.fit(*extent, *room)
            middle = (extent[0] / 2, extent[1] / 2)
            self.camera.centre(*middle, self.width(), self.height())
            self._fresh = True
            self.zoomed.emit()
            self.update()

    def look(self, zoom: int, x: float, y: float) -> None:
        """Show a place of the sheet in the middle, at a whole zoom."""
        self.camera.step = STEPS.index(zoom)
        self.camera.centre(x, y, self.width(), self.height())
        self._fresh = False
        self.zoomed.emit()
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        if self._fresh:
            self.fit()
        super().resizeEvent(event)

    def sheet_at(self, at: QPointF) -> tuple[float, float]:
        """Place on the sheet of a place on the screen, in pixels of the sheet."""
        return self.camera.to_picture(at.x(), at.y())

    def sheet_point(self, x: float, y: float) -> QPoint:
        """Place on the screen of a pixel of the sheet."""
        return QPointF(*self.camera.to_screen(x, y)).toPoint()

    def tile_rect(self, row: int, col: int) -> QRectF:
        """Where a tile lies on the screen."""
        left, top, wide, high = self.area_of(row, col)
        zoom = self.camera.zoom
        return QRectF(*self.camera.to_screen(left, top), wide * zoom, high * zoom)

    def tile_at(self, at: QPointF) -> tuple[int, int] | None:
        """Row and column of the tile under a place on the screen."""
        if self.tileset is None:
            return None
        if self._line:
            x, y = self.sheet_at(at)
            cut = self.tileset.slicing
            across, down = int(x // cut.tile_width), int(y // (cut.tile_height + _BETWEEN))
            if not 0 <= across < self._line or y % (cut.tile_height + _BETWEEN) >= cut.tile_height:
                return None
            beside = self.tile_beside((0, 0), down, across)
            return beside if self.tileset.has(*beside) else None
        found = self.tileset.slicing.tile_at(*self.sheet_at(at))
        return found if found is not None and self.tileset.has(*found) else None

    def seen_tiles(self) -> list[tuple[int, int]]:
        """Rows and columns of the tiles that the view shows."""
        if self.tileset is None:
            return []
        cut = self.tileset.slicing
        if cut.pieces or self._line:
            view, tall = QRectF(self.rect()), self.tileset.columns == 1 and not cut.pieces
            every = [(n, 0) if tall else (0, n) for n in range(self.tileset.count)]
            return [each for each in every if view.intersects(self.tile_rect(*each))]
        x0, y0 = self.sheet_at(QPointF(0, 0))
        x1, y1 = self.sheet_at(QPointF(self.width(), self.height()))
        first_row = max(0, int((y0 - cut.top(0)) // cut.pitch_y))
        last_row = min(self.tileset.rows - 1, int((y1 - cut.top(0)) // cut.pitch_y))
        first_col = max(0, int((x0 - cut.left(0)) // cut.pitch_x))
        last_col = min(self.tileset.columns - 1, int((x1 - cut.left(0)) // cut.pitch_x))
        return [
            (row, col)
            for row in range(first_row, last_row + 1)
            for col in range(first_col, last_col + 1)
        ]

    def paintEvent(self, event: QPaintEvent) -> None:
        with painting(self) as painter:
            painter.fillRect(event.rect(), theme().colour("canvas"))
            if self.tileset is not None:
                self.paint_sheet(painter)
                self.paint_over(painter)

    def paint_sheet(self, painter: QPainter) -> None:
        """Draw the sheet itself, or what stands for it while its file is missing."""
        assert self.tileset is not None
        zoom = self.camera.zoom
        wide, high = self.tileset.width * zoom, self.tileset.height * zoom
        rect = QRectF(self.camera.left, self.camera.top, wide, high)
        picture = self.tileset.picture
        if picture is None:
            painter.fillRect(rect, theme().colour("sunken"))
            painter.setPen(theme().colour("warning"))
            painter.drawText(
                rect,
                Qt.AlignmentFlag.AlignCenter,
                say("{sheet} is missing", sheet=self.tileset.sheet),
            )
            return
        if self._line:
            self._paint_folded(painter, picture)
            return
        checkers(painter, rect)
        self._paint_seen(painter, picture)

    def _paint_folded(self, painter: QPainter, picture: Picture) -> None:
        """Draw the tiles of a strip, line by line."""
        assert self.tileset is not None
        cut = self.look_as or self.tileset.slicing
        step = max(1, int(1 / self.camera.zoom))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
        for at in self.seen_tiles():
            left, top, wide, high = self.tileset.slicing.tile_area(*at)
            part = np.ascontiguousarray(picture[top : top + high : step, left : left + wide : step])
            if cut.see_through:
                part = self.touch_up(clear_see_through(part, cut), cut)
            rect = self.tile_rect(*at)
            checkers(painter, rect)
            image = QImage(part.data, part.shape[1], part.shape[0], part.shape[1] * 4,
                           QImage.Format.Format_RGBA8888)  # fmt: skip
            painter.drawImage(rect, image)

    def _paint_seen(self, painter: QPainter, picture: Picture) -> None:
        """Draw what the view shows; the work is bounded by the view, not by the sheet."""
        zoom = self.camera.zoom
        step = max(1, int(1 / zoom))
        x0, y0 = self.sheet_at(QPointF(0, 0))
        x1, y1 = self.sheet_at(QPointF(self.width(), self.height()))
        left, top = (max(0, int(v) // step * step) for v in (x0, y0))
        right, bottom = min(picture.shape[1], int(x1) + 1), min(picture.shape[0], int(y1) + 1)
        if right <= left or bottom <= top:
            return
        part = np.ascontiguousarray(picture[top:bottom:step, left:right:step])
        slicing = self.look_as or (self.tileset.slicing if self.tileset else None)
        if slicing is not None and slicing.see_through:
            part = self.touch_up(clear_see_through(part.copy(), slicing), slicing)
        high, wide = part.shape[:2]
        image = QImage(part.data, wide, high, wide * 4, QImage.Format.Format_RGBA8888)
        target = QRectF(*self.camera.to_screen(left, top), wide * step * zoom, high * step * zoom)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
        painter.drawImage(target, image)

    def touch_up(self, part: Picture, slicing: Slicing) -> Picture:
        """Change what is shown of a sheet with see-through colours; a stage may add to it."""
        return part

    def paint_over(self, painter: QPainter) -> None:
        """Draw what the stage adds."""

    def wheelEvent(self, event: QWheelEvent) -> None:
        moved = moved_by(event)
        if moved is not None:
            self.camera.left += moved.x()
            self.camera.top += moved.y()
            self._fresh = False
            self.update()
        elif event.angleDelta().y():
            self._zoom_by(1 if event.angleDelta().y() > 0 else -1, event.position())

    def _zoom_by(self, steps: int, at: QPointF) -> None:
        if steps and self.camera.zoom_by(steps, at.x(), at.y()):
            self._fresh = False
            self.zoomed.emit()
            self.update()

    def event(self, event: QEvent) -> bool:
        if event.type() is QEvent.Type.NativeGesture:
            steps = self._pinch.steps(event)
            if steps is not None and isinstance(event, QNativeGestureEvent):
                self._zoom_by(steps, event.position())
                return True
        return super().event(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self._button not in (None, event.button()) and self._button in event.buttons():
            return  # one thing at a time: another button means nothing now
        self._button = event.button()
        if event.button() == Qt.MouseButton.MiddleButton:
            self._pan_from = event.position()
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
        else:
            self.pressed(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pan_from is not None:
            step = event.position() - self._pan_from
            self._pan_from = event.position()
            self.camera.left += step.x()
            self.camera.top += step.y()
            self._fresh = False
            self.update()
        else:
            self.moved(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() != self._button:
            return
        self._button = None
        if self._pan_from is not None:
            self._pan_from = None
            self.unsetCursor()
        else:
            self.released(event)

    def pressed(self, event: QMouseEvent) -> None:
        """React to a press that does not pan."""

    def moved(self, event: QMouseEvent) -> None:
        """React to the pointer."""

    def released(self, event: QMouseEvent) -> None:
        """React to a release."""
