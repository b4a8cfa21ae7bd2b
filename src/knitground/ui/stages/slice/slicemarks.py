"""What is drawn over the sheet in Slice: lines, what is left over, ticks, anchors, the loupe."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import (
    QBrush,
    QColor,
    QImage,
    QPainter,
    QPainterPath,
    QPen,
    QPolygonF,
)

from knitground.ui.common.theme import LINEN, theme

if TYPE_CHECKING:
    from knitground.ui.stages.slice.slicesheet import SliceSheet

_LOUPE_PX, _LOUPE_SIDE = 15, 180


class SliceMarks:
    """Draws over a sheet."""

    def __init__(self, sheet: SliceSheet) -> None:
        self.sheet = sheet

    def draw_lines(self, painter: QPainter) -> None:
        assert self.sheet.grid is not None
        cut, zoom = self.sheet.grid.slicing, self.sheet.camera.zoom
        colour = QColor(LINEN.madder)
        far = cut.pitch_x * zoom < 4 or cut.pitch_y * zoom < 4
        colour.setAlpha(90 if far else 220)
        painter.setPen(QPen(colour, 1))
        left, top = self.sheet.camera.to_screen(cut.left(0), cut.top(0))
        right = left + (self.sheet.grid.columns * cut.pitch_x - cut.spacing_x) * zoom
        bottom = top + (self.sheet.grid.rows * cut.pitch_y - cut.spacing_y) * zoom
        lines = []
        grid, wide, high = self.sheet.grid, self.sheet.width(), self.sheet.height()
        for x in self._lines(left, cut.pitch_x, cut.tile_width, grid.columns, wide):
            lines.append(QLineF(x, top, x, bottom))
        for y in self._lines(top, cut.pitch_y, cut.tile_height, grid.rows, high):
            lines.append(QLineF(left, y, right, y))
        painter.drawLines(lines)

    def _lines(self, first: float, pitch: int, tile: int, count: int, room: int) -> list[float]:
        zoom = self.sheet.camera.zoom
        low = max(0, int(-first // (pitch * zoom)))
        high = min(count, int((room - first) // (pitch * zoom)) + 1)
        out = []
        for n in range(low, high):
            start = first + n * pitch * zoom
            out += [start, start + tile * zoom]
        return out

    def draw_anchors(self, painter: QPainter) -> None:
        """Mark the point of each piece that stands on its cell: a foot line with a stem."""
        if not self.sheet.settled or self.sheet.tileset is None:
            return
        for _, number in self.sheet.seen_tiles()[:2000]:
            if self.sheet.tile_rect(0, number).width() >= 12:
                at = self.sheet.anchor_point(number)
                for colour, width in ((LINEN.panel, 4.0), (LINEN.accent, 2.0)):
                    painter.setPen(QPen(QColor(colour), width))
                    painter.drawLine(at - QPointF(5, 0), at + QPointF(5, 0))
                    painter.drawLine(at, at - QPointF(0, 6))

    def shade_regions(self, painter: QPainter) -> None:
        """Dim what lies outside the region, and outline the sheet's other regions."""
        assert self.sheet.tileset is not None
        area = self.sheet.grid.slicing.area if self.sheet.grid is not None else None
        if area is not None:
            whole = QPainterPath()
            whole.addRect(
                self.sheet.area_rect((0, 0, self.sheet.tileset.width, self.sheet.tileset.height))
            )
            inside = QPainterPath()
            inside.addRect(self.sheet.area_rect(area))
            painter.fillPath(whole - inside, QColor(132, 137, 138, 170))
        for name, slicing in self.sheet.others:
            if slicing.area is not None:
                rect = self.sheet.area_rect(slicing.area)
                painter.setPen(QPen(QColor(LINEN.accent), 1.5, Qt.PenStyle.DashLine))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(rect)
                painter.drawText(rect.topLeft() + QPointF(4, 13), name)

    def shade_leftover(self, painter: QPainter) -> None:
        assert self.sheet.grid is not None
        assert self.sheet.tileset is not None
        cut, zoom = self.sheet.grid.slicing, self.sheet.camera.zoom
        shade = QColor(LINEN.warning)
        shade.setAlpha(110)
        if cut.area is not None:
            return
        wide, high = self.sheet.tileset.width, self.sheet.tileset.height
        for x, y, w, h in (
            (wide - self.sheet.grid.leftover_x - cut.margin_x, 0, self.sheet.grid.leftover_x, high),
            (0, high - self.sheet.grid.leftover_y - cut.margin_y, wide, self.sheet.grid.leftover_y),
        ):
            if w > 0 and h > 0:
                at = self.sheet.camera.to_screen(max(0, x), max(0, y))
                painter.fillRect(QRectF(*at, w * zoom, h * zoom), shade)

    def mark_tiles(self, painter: QPainter) -> None:
        assert self.sheet.grid is not None
        assert self.sheet.tileset is not None
        if self.sheet.grid.slicing == self.sheet.tileset.slicing:
            painter.setPen(QPen(QColor(LINEN.madder), 2))
            for row, col in self.sheet.tileset.left_out:
                if row < self.sheet.grid.rows and col < self.sheet.grid.columns:
                    rect = self.sheet.trial_rect(row, col).adjusted(3, 3, -3, -3)
                    painter.drawLine(rect.topLeft(), rect.bottomRight())
                    painter.drawLine(rect.topRight(), rect.bottomLeft())
        small = self.sheet.grid.slicing.tile_width * self.sheet.camera.zoom < 10
        if self.sheet.facts is None or small or self.sheet.grid.count > 40_000:
            return
        rows, cols = self.sheet.facts.empty.shape
        hatch = QBrush(QColor(43, 42, 51, 120), Qt.BrushStyle.BDiagPattern)
        doubles = self.sheet.facts.doubles
        # Where most tiles are cut the pictures span several: no news, and nothing to warn of.
        warns = not self.sheet.facts.mostly_crossed
        for row, col in self.sheet.seen(rows, cols):
            rect = self.sheet.trial_rect(row, col)
            if self.sheet.facts.empty[row, col]:
                painter.fillRect(rect, hatch)
            elif doubles[row, col]:
                self._tick(painter, rect, LINEN.accent, twice=True)
            elif warns and self.sheet.facts.crossed[row, col]:
                self._tick(painter, rect, LINEN.warning)

    def _tick(self, painter: QPainter, rect: QRectF, colour: str, *, twice: bool = False) -> None:
        """Draw a small tick in the upper right corner of a tile, or two for a double."""
        side = min(5.0, rect.width() / 5)
        for shift in (0.0, side + 1.5)[: 2 if twice else 1]:
            right, top = rect.right() - 1 - shift, rect.top() + 1
            tick = QPolygonF(
                [QPointF(right - side, top), QPointF(right, top), QPointF(right, top + side)]
            )
            path = QPainterPath()
            path.addPolygon(tick)
            path.closeSubpath()
            painter.fillPath(path, QColor(colour))

    def draw_new_tile(self, painter: QPainter) -> None:
        if self.sheet.pressed_at is None or self.sheet.at is None or self.sheet.grips:
            return
        left, top, right, bottom = self.sheet.new_tile()
        x, y = self.sheet.camera.to_screen(left, top)
        zoom = self.sheet.camera.zoom
        rect = QRectF(x, y, (right - left) * zoom, (bottom - top) * zoom)
        painter.setPen(QPen(QColor("#FFFFFF"), 2, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(rect)
        painter.drawText(rect.bottomRight() + QPointF(6, 12), f"{right - left} × {bottom - top}")

    def draw_loupe(self, painter: QPainter) -> None:
        """Draw the pixels round the pointer, large, in the corner farthest from it."""
        assert self.sheet.at is not None
        if self.sheet.tileset is None or self.sheet.tileset.picture is None:
            return
        x, y = (int(v) for v in self.sheet.sheet_at(self.sheet.at))
        half, scale = _LOUPE_PX // 2, _LOUPE_SIDE / _LOUPE_PX
        right = self.sheet.at.x() < self.sheet.width() / 2
        low = self.sheet.at.y() < self.sheet.height() / 2
        place = QRectF(
            self.sheet.width() - _LOUPE_SIDE - 12 if right else 12,
            self.sheet.height() - _LOUPE_SIDE - 12 if low else 12,
            _LOUPE_SIDE,
            _LOUPE_SIDE,
        )
        painter.fillRect(place.adjusted(-3, -3, 3, 3), QColor(LINEN.ink))
        painter.fillRect(place, theme().colour("canvas"))
        part = np.zeros((_LOUPE_PX, _LOUPE_PX, 4), np.uint8)
        picture = self.sheet.tileset.picture
        top, left = max(0, y - half), max(0, x - half)
        seen = picture[top : max(top, y + half + 1), left : max(left, x + half + 1)]
        dy, dx = top - (y - half), left - (x - half)
        part[dy : dy + seen.shape[0], dx : dx + seen.shape[1]] = seen
        image = QImage(
            part.data, _LOUPE_PX, _LOUPE_PX, _LOUPE_PX * 4, QImage.Format.Format_RGBA8888
        )
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
        painter.drawImage(place, image)
        painter.save()
        painter.setClipRect(place)
        painter.setPen(QPen(QColor(LINEN.madder), 1.5))
        for axis, value in self._lines_near(x - half, y - half):
            at = value * scale
            if axis == "x":
                line = QLineF(place.left() + at, place.top(), place.left() + at, place.bottom())
            else:
                line = QLineF(place.left(), place.top() + at, place.right(), place.top() + at)
            painter.drawLine(line)
        painter.restore()

    def _lines_near(self, left: int, top: int) -> list[tuple[str, int]]:
        """Lines of the grid inside the loupe, from its own corner."""
        if self.sheet.grid is None:
            return []
        cut = self.sheet.grid.slicing
        if cut.pieces:
            at = cut.tile_at(left + _LOUPE_PX // 2, top + _LOUPE_PX // 2)
            if at is None:
                return []
            x, y, wide, high = cut.tile_area(*at)
            return [("x", x - left), ("x", x + wide - left), ("y", y - top), ("y", y + high - top)]
        out = []
        for axis, start, first, tile, pitch, count in (
            ("x", left, cut.left(0), cut.tile_width, cut.pitch_x, self.sheet.grid.columns),
            ("y", top, cut.top(0), cut.tile_height, cut.pitch_y, self.sheet.grid.rows),
        ):
            for n in range(max(0, (start - first) // pitch), count):
                near = first + n * pitch
                if near > start + _LOUPE_PX:
                    break
                out += [(axis, line - start) for line in (near, near + tile)]
        return out
