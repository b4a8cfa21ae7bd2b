"""The chosen tile large, with its shapes: drawn, moved, bent; where they do not meet is marked."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF

from knitground.core.base.tongue import later, say
from knitground.core.model.project import Project
from knitground.core.model.shapes import Corner, ShapeForm, Shapes, TileShape
from knitground.core.model.terrain import Slot
from knitground.core.model.tileset import At, Tileset
from knitground.core.shapes.borders import Meeting, Span, meetings
from knitground.core.shapes.geometry import moved_shape, outline, snapped
from knitground.core.shapes.kinds import kind_named
from knitground.ui.common.painting import painting
from knitground.ui.common.shapedrawing import draw_shape, shape_path
from knitground.ui.common.theme import LINEN
from knitground.ui.common.widgets import keeps_key
from knitground.ui.stages.tiles.bigtile import BigTile
from knitground.ui.stages.tiles.shapehandles import handles, with_corner, with_handle

PAD_SIDE = 248
MODES = (later("change"), later("box"), later("polygon"), later("round"))
_NEAR_PX = 8.0
_KEYS = (
    Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Delete,
    Qt.Key.Key_Backspace, Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape,
)  # fmt: skip
_STEPS = {
    Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1),
    Qt.Key.Key_Down: (0, 1),
}  # fmt: skip


class ShapePad(BigTile):
    """Draws shapes on a tile. A drag makes a box or a round, clicks the corners of a polygon.

    In “change” a drag moves a corner or a shape, a double click on a side adds a corner, Delete
    takes the chosen corner or shape away, arrows move it by a step of the snap.
    """

    drawn = Signal(TileShape)
    altered = Signal(int, TileShape)
    removed = Signal(int)
    picked = Signal()
    """Another shape is chosen."""

    def __init__(self) -> None:
        super().__init__(PAD_SIDE)
        self.project: Project | None = None
        self.mode = "box"
        self.kind = "solid"
        self.snap = 1.0
        self.shape_number: int | None = None
        self.corner: int | None = None
        self.ghost: Shapes = ()
        self.meetings: list[Meeting] = []
        self.points: list[Corner] = []
        self.begun_at: Corner | None = None
        self.now_at: Corner | None = None
        self.moving: TileShape | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.setAccessibleName(say("Shapes of the tile"))
        self.setToolTip(
            say(
                "Drag draws; of a polygon click the corners, Enter or the first corner closes it. "
                "Esc calls off, Delete takes away. The wheel comes nearer, the middle button moves"
            )
        )

    def show_tile(
        self,
        tileset: Tileset | None,
        at: At | None,
        project: Project | None = None,
        *,
        faint: bool = False,
    ) -> None:
        other = tileset is not self.tileset or at != self.at
        super().show_tile(tileset, at, project, faint=faint)
        self.project = project
        self.call_off()
        if other or self.shape_number is None or self.shape_number >= len(self.shapes):
            self.shape_number = 0 if self.shapes else None
            self.corner = None
        elif self.corner is not None and self.corner >= len(self.shapes[self.shape_number].corners):
            self.corner = None
        self.look_at_borders()

    @property
    def shapes(self) -> Shapes:
        """The shapes of the tile that is shown."""
        if self.tileset is None or self.at is None:
            return ()
        return self.tileset.fact(*self.at).shapes

    @property
    def chosen(self) -> TileShape | None:
        """The shape that is chosen."""
        here = self.shape_number is not None and self.shape_number < len(self.shapes)
        return self.shapes[self.shape_number] if here and self.shape_number is not None else None

    def set_mode(self, mode: str) -> None:
        """Draw another form, or change what is there."""
        self.call_off()
        self.mode = mode
        self.update()

    def set_kind(self, kind: str) -> None:
        """Draw shapes of another kind, and compare those at the borders."""
        self.kind = kind
        self.look_at_borders()

    def choose(self, number: int | None, corner: int | None = None) -> None:
        """Choose a shape, and maybe one of its corners."""
        self.shape_number, self.corner = number, corner
        self.picked.emit()
        self.update()

    def look_at_borders(self) -> None:
        """Compare the shapes at the tile's sides with those of what can lie there."""
        self.meetings = []
        here = self.project is not None and self.tileset is not None and self.at is not None
        if here and self.tileset is not None and self.project is not None and self.at is not None:
            self.meetings = meetings(self.project, self.tileset, self.at, self.kind)
        self.update()

    def call_off(self) -> bool:
        """Forget what is being drawn or moved; returns whether there was anything."""
        had = bool(self.points) or self.begun_at is not None
        self.points, self.begun_at, self.now_at, self.moving = [], None, None, None
        self.update()
        return had

    # Places

    def tile_frame(self) -> QRectF:
        if self.tileset is None or self.at is None:
            return QRectF()
        _, _, wide, high = self.tileset.slicing.tile_area(*self.at)
        return self.frame_of(wide, high)

    def zoom_in(self) -> float:
        assert self.tileset is not None
        assert self.at is not None
        return self.tile_frame().width() / self.tileset.slicing.tile_area(*self.at)[2]

    def to_screen(self, corner: Corner) -> QPointF:
        """Where a place of the tile lies on the pad."""
        frame, zoom = self.tile_frame(), self.zoom_in()
        return QPointF(frame.left() + corner[0] * zoom, frame.top() + corner[1] * zoom)

    def _to_tile(self, at: QPointF) -> Corner:
        frame, zoom = self.tile_frame(), self.zoom_in()
        x, y = (at.x() - frame.left()) / zoom, (at.y() - frame.top()) / zoom
        return snapped(x, self.snap), snapped(y, self.snap)

    def _corner_at(self, at: QPointF) -> tuple[int, int] | None:
        """The corner under the pointer, of the chosen shape first."""
        order = sorted(range(len(self.shapes)), key=lambda n: n != self.shape_number)
        for number in order:
            for n, corner in enumerate(handles(self.shapes[number])):
                gap = self.to_screen(corner) - at
                if max(abs(gap.x()), abs(gap.y())) <= _NEAR_PX:
                    return number, n
        return None

    def _shape_at(self, at: QPointF) -> int | None:
        frame, zoom = self.tile_frame(), self.zoom_in()
        for number in reversed(range(len(self.shapes))):
            path = shape_path(self.shapes[number], frame.left(), frame.top(), zoom)
            if path.contains(at):
                return number
        return None

    # Pointer

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.tileset is None or self.at is None:
            return
        self.setFocus()
        if event.button() == Qt.MouseButton.MiddleButton:
            super().mousePressEvent(event)
            return
        place = self._to_tile(event.position())
        if event.button() != Qt.MouseButton.LeftButton:
            self.call_off()
        elif self.mode == "change":
            self._begin_change(event.position(), place)
        elif self.mode == "polygon":
            self._add_point(place)
        else:
            self.begun_at = self.now_at = place
        self.update()

    def _begin_change(self, at: QPointF, place: Corner) -> None:
        found = self._corner_at(at)
        if found is not None:
            self.choose(*found)
        else:
            self.choose(self._shape_at(at))
        if self.chosen is not None:
            self.begun_at, self.now_at, self.moving = place, place, self.chosen

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.tileset is None or self.at is None:
            return
        if self.moving_look:
            super().mouseMoveEvent(event)
            return
        self.now_at = self._to_tile(event.position())
        shape = self.chosen
        if self.moving is not None and self.begun_at is not None and shape is not None:
            right, down = self.now_at[0] - self.begun_at[0], self.now_at[1] - self.begun_at[1]
            if self.corner is None:
                self.moving = moved_shape(shape, right, down)
            else:
                self.moving = with_handle(shape, self.corner, self.now_at)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.MiddleButton:
            super().mouseReleaseEvent(event)
            return
        if (
            event.button() != Qt.MouseButton.LeftButton
            or self.begun_at is None
            or self.now_at is None
        ):
            return
        start, end, moving = self.begun_at, self.now_at, self.moving
        shape = self.chosen
        self.begun_at = self.moving = None
        if moving is not None:
            if moving != shape and self.shape_number is not None:
                self.altered.emit(self.shape_number, moving)
        elif start[0] != end[0] and start[1] != end[1]:
            self._finish(TileShape(self.kind, ShapeForm(self.mode), (start, end)))
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        shape = self.chosen
        if (
            self.mode != "change"
            or shape is None
            or self.shape_number is None
            or self.zoom_in() <= 0
        ):
            self.mousePressEvent(event)
            return
        side = self._side_at(event.position(), shape)
        if side is not None:
            new = with_corner(shape, side, self._to_tile(event.position()))
            self.call_off()
            self.corner = side + 1
            self.altered.emit(self.shape_number, new)

    def _side_at(self, at: QPointF, shape: TileShape) -> int | None:
        """The side of a box or a polygon that the pointer is on."""
        if shape.form is ShapeForm.ROUND:
            return None
        points = [self.to_screen(each) for each in outline(shape)]
        best: tuple[float, int] | None = None
        for n, (a, b) in enumerate(zip(points, (*points[1:], points[0]))):
            along = b - a
            length = max(1e-6, along.x() ** 2 + along.y() ** 2)
            part = ((at.x() - a.x()) * along.x() + (at.y() - a.y()) * along.y()) / length
            near = a + along * min(1.0, max(0.0, part))
            gap = ((near.x() - at.x()) ** 2 + (near.y() - at.y()) ** 2) ** 0.5
            if gap <= _NEAR_PX and (best is None or gap < best[0]):
                best = (gap, n)
        return best[1] if best else None

    def _add_point(self, place: Corner) -> None:
        if len(self.points) >= 3:
            gap = self.to_screen(self.points[0]) - self.to_screen(place)
            if max(abs(gap.x()), abs(gap.y())) <= _NEAR_PX:
                self.close_polygon()
                return
        if not self.points or self.points[-1] != place:
            self.points.append(place)

    def close_polygon(self) -> None:
        """Make a polygon of the corners that were clicked."""
        points = tuple(self.points)
        if points:
            self._finish(TileShape(self.kind, ShapeForm.POLYGON, points))

    def _finish(self, shape: TileShape) -> None:
        before = len(self.shapes)
        self.begun_at = None
        self.drawn.emit(shape)
        if len(self.shapes) > before:
            self.points = []
            self.choose(len(self.shapes) - 1)

    # Keys

    def event(self, event: QEvent) -> bool:
        return keeps_key(event, _KEYS) or super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        if key == Qt.Key.Key_Escape:
            if not self.call_off():
                event.ignore()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.points:
            self.close_polygon()
        elif key == Qt.Key.Key_Backspace and self.points:
            self.points.pop()
            self.update()
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.take_away()
        elif key in _STEPS and self.chosen is not None and self.shape_number is not None:
            self._nudge(self.chosen, self.shape_number, *_STEPS[key])
        else:
            super().keyPressEvent(event)

    def take_away(self) -> None:
        """Take the chosen corner away, or the chosen shape."""
        shape = self.chosen
        if shape is None or self.shape_number is None:
            return
        polygon = shape.form is ShapeForm.POLYGON and len(shape.corners) > 3
        if self.corner is not None and polygon:
            corners = (*shape.corners[: self.corner], *shape.corners[self.corner + 1 :])
            self.corner = None
            self.altered.emit(self.shape_number, replace(shape, corners=corners))
        else:
            self.removed.emit(self.shape_number)

    def _nudge(self, shape: TileShape, number: int, right: int, down: int) -> None:
        by = self.snap or 0.25
        if self.corner is None:
            self.altered.emit(number, moved_shape(shape, right * by, down * by))
            return
        x, y = handles(shape)[self.corner]
        new = with_handle(shape, self.corner, (x + right * by, y + down * by))
        self.altered.emit(number, new)

    # Painting

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if self.tileset is None or self.at is None or self.project is None:
            return
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self.draw_beside(painter)
            for n, shape in enumerate(self.shapes):
                moved = self.moving if n == self.shape_number and self.moving is not None else shape
                self.draw_shape(painter, moved, chosen=n == self.shape_number)
            for shape in self.ghost:
                self.draw_shape(painter, shape, chosen=False, thin=True)
            self.draw_new(painter)
            self.draw_meetings(painter)

    def draw_beside(self, painter: QPainter) -> None:
        """Draw the shapes of the tiles round it, thinly."""
        assert self.project is not None
        frame, zoom = self.tile_frame(), self.zoom_in()
        for (down, across), tile in (self.beside or {}).items():
            owner = self.project.tileset_named(tile.tileset)
            for shape in owner.fact(tile.row, tile.col).shapes if owner else ():
                left = frame.left() + across * frame.width()
                top = frame.top() + down * frame.height()
                path = shape_path(shape, left, top, zoom)
                draw_shape(painter, path, kind_named(self.project, shape.kind), thin=True)

    def draw_shape(
        self, painter: QPainter, shape: TileShape, *, chosen: bool, thin: bool = False
    ) -> None:
        assert self.project is not None
        frame, zoom = self.tile_frame(), self.zoom_in()
        path = shape_path(shape, frame.left(), frame.top(), zoom)
        kind = kind_named(self.project, shape.kind)
        draw_shape(painter, path, kind, width=2.5 if chosen else 1.5, thin=thin)
        if chosen and self.mode == "change":
            painter.setPen(QPen(QColor(LINEN.ink), 1.5))
            for n, corner in enumerate(handles(shape)):
                painter.setBrush(QColor(LINEN.madder if n == self.corner else LINEN.panel))
                spot = self.to_screen(corner)
                painter.drawRect(QRectF(spot.x() - 3.5, spot.y() - 3.5, 7, 7))

    def draw_new(self, painter: QPainter) -> None:
        """Draw what is being drawn."""
        assert self.project is not None
        kind = kind_named(self.project, self.kind)
        drags = self.begun_at is not None and self.moving is None and self.now_at is not None
        if drags and self.begun_at is not None and self.now_at is not None:
            shape = TileShape(self.kind, ShapeForm(self.mode), (self.begun_at, self.now_at))
            frame, zoom = self.tile_frame(), self.zoom_in()
            draw_shape(painter, shape_path(shape, frame.left(), frame.top(), zoom), kind)
        if self.points:
            points = [self.to_screen(each) for each in self.points]
            if self.now_at is not None:
                points.append(self.to_screen(self.now_at))
            for colour, width in ((LINEN.panel, 4.0), (kind.colour, 2.0)):
                painter.setPen(QPen(QColor(colour), width))
                painter.drawPolyline(QPolygonF(points))
            painter.setBrush(QColor(kind.colour))
            painter.drawEllipse(points[0], 4, 4)

    def draw_meetings(self, painter: QPainter) -> None:
        """Mark, just outside the tile, where shapes do not meet those beside it."""
        for each in self.meetings:
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
        frame, zoom, off = self.tile_frame(), self.zoom_in(), 5
        if side in (Slot.N, Slot.S):
            y = frame.top() - off if side is Slot.N else frame.bottom() + off
            return (QPointF(frame.left() + span[0] * zoom, y),
                    QPointF(frame.left() + span[1] * zoom, y))  # fmt: skip
        x = frame.left() - off if side is Slot.W else frame.right() + off
        return (QPointF(x, frame.top() + span[0] * zoom), QPointF(x, frame.top() + span[1] * zoom))
