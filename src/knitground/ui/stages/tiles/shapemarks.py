"""What is drawn over a tile while its shapes are edited."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from knitground.core.model.shapes import ShapeForm, TileShape
from knitground.core.model.terrain import Slot
from knitground.core.shapes.borders import Span
from knitground.core.shapes.kinds import kind_named
from knitground.ui.common.shapedrawing import draw_shape, shape_path
from knitground.ui.common.theme import LINEN
from knitground.ui.stages.tiles.shapehandles import handles

if TYPE_CHECKING:
    from knitground.ui.stages.tiles.shapepad import ShapePad


class ShapeMarks:
    """Draws over a pad."""

    def __init__(self, pad: ShapePad) -> None:
        self.pad = pad

    def draw_beside(self, painter: QPainter) -> None:
        """Draw the shapes of the tiles round it, thinly."""
        assert self.pad.project is not None
        frame, zoom = self.pad.tile_frame(), self.pad.zoom_in()
        for (down, across), tile in (self.pad.beside or {}).items():
            owner = self.pad.project.tileset_named(tile.tileset)
            for shape in owner.fact(tile.row, tile.col).shapes if owner else ():
                left = frame.left() + across * frame.width()
                top = frame.top() + down * frame.height()
                path = shape_path(shape, left, top, zoom)
                draw_shape(painter, path, kind_named(self.pad.project, shape.kind), thin=True)

    def draw_shape(
        self, painter: QPainter, shape: TileShape, *, chosen: bool, thin: bool = False
    ) -> None:
        assert self.pad.project is not None
        frame, zoom = self.pad.tile_frame(), self.pad.zoom_in()
        path = shape_path(shape, frame.left(), frame.top(), zoom)
        kind = kind_named(self.pad.project, shape.kind)
        draw_shape(painter, path, kind, width=2.5 if chosen else 1.5, thin=thin)
        if chosen and self.pad.mode == "change":
            painter.setPen(QPen(QColor(LINEN.ink), 1.5))
            for n, corner in enumerate(handles(shape)):
                painter.setBrush(QColor(LINEN.madder if n == self.pad.corner else LINEN.panel))
                spot = self.pad.to_screen(corner)
                painter.drawRect(QRectF(spot.x() - 3.5, spot.y() - 3.5, 7, 7))

    def draw_new(self, painter: QPainter) -> None:
        """Draw what is being drawn."""
        assert self.pad.project is not None
        kind = kind_named(self.pad.project, self.pad.kind)
        drags = (
            self.pad.begun_at is not None
            and self.pad.moving is None
            and self.pad.now_at is not None
        )
        if drags and self.pad.begun_at is not None and self.pad.now_at is not None:
            shape = TileShape(
                self.pad.kind, ShapeForm(self.pad.mode), (self.pad.begun_at, self.pad.now_at)
            )
            frame, zoom = self.pad.tile_frame(), self.pad.zoom_in()
            draw_shape(painter, shape_path(shape, frame.left(), frame.top(), zoom), kind)
        if self.pad.points:
            points = [self.pad.to_screen(each) for each in self.pad.points]
            if self.pad.now_at is not None:
                points.append(self.pad.to_screen(self.pad.now_at))
            for colour, width in ((LINEN.panel, 4.0), (kind.colour, 2.0)):
                painter.setPen(QPen(QColor(colour), width))
                painter.drawPolyline(QPolygonF(points))
            painter.setBrush(QColor(kind.colour))
            painter.drawEllipse(points[0], 4, 4)

    def draw_meetings(self, painter: QPainter) -> None:
        """Mark, just outside the tile, where shapes do not meet those beside it."""
        for each in self.pad.meetings:
            for spans, colour, style in (
                (each.steps, LINEN.madder, Qt.PenStyle.SolidLine),
                (each.gaps, LINEN.warning, Qt.PenStyle.DotLine),
            ):
                for span in spans:
                    a, b = self._along(each.side, span)
                    painter.setPen(QPen(QColor(LINEN.panel), 7, Qt.PenStyle.SolidLine))
                    painter.drawLine(a, b)
                    painter.setPen(QPen(QColor(colour), 4, style))
                    painter.drawLine(a, b)

    def _along(self, side: Slot, span: Span) -> tuple[QPointF, QPointF]:
        frame, zoom, off = self.pad.tile_frame(), self.pad.zoom_in(), 5
        if side in (Slot.N, Slot.S):
            y = frame.top() - off if side is Slot.N else frame.bottom() + off
            return (QPointF(frame.left() + span[0] * zoom, y),
                    QPointF(frame.left() + span[1] * zoom, y))  # fmt: skip
        x = frame.left() - off if side is Slot.W else frame.right() + off
        return (QPointF(x, frame.top() + span[0] * zoom), QPointF(x, frame.top() + span[1] * zoom))
