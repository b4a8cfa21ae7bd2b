"""The sheet in Slice: lines of the trial, what is left over, dragging lines, drawing a tile."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QBrush,
    QColor,
    QImage,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPen,
    QPolygonF,
)

from knitground.core.base.tongue import quoted, say
from knitground.core.model.slicing import Slicing
from knitground.core.model.tileset import Picture
from knitground.core.slicing.base import base_of
from knitground.core.slicing.facts import GridFacts
from knitground.core.slicing.grid import Grid
from knitground.core.slicing.pieces import foot
from knitground.core.slicing.reshaping import Grip, dragged, drawn
from knitground.ui.common.marks import Face
from knitground.ui.common.sheetview import SheetView
from knitground.ui.common.theme import LINEN, theme
from knitground.ui.common.zoom import Camera

_NEAR = 5.0
_FRINGE = 96
_BASES_FROM_PX = 48
"""On smaller tiles the diamonds they stand on would hide the art."""


def draw_pieces(
    painter: QPainter, camera: Camera, slicing: Slicing, width: int, height: int
) -> None:
    """Outline the loose pieces that a view of this size shows."""
    view = QRectF(0, 0, width, height)
    painter.setPen(QPen(QColor(LINEN.madder), 1))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    rects = []
    for left, top, wide, high in slicing.pieces:
        at = camera.to_screen(left, top)
        rect = QRectF(*at, wide * camera.zoom, high * camera.zoom)
        if rect.intersects(view):
            rects.append(rect)
    painter.drawRects(rects)


_LOUPE_PX, _LOUPE_SIDE = 15, 180


class SliceSheet(SheetView):
    """The sheet with the lines of a slicing that is being tried."""

    hovered = Signal(str)
    picked_colour = Signal(tuple)
    reshaped = Signal(object)
    """Another slicing, by dragging a line or drawing a tile."""
    region_drawn = Signal(tuple)
    """Left, top, width and height of a region."""
    anchor_moved = Signal(int, int, int)
    """Number of a piece, and its anchor's place from the piece's left and top."""
    anchor_left = Signal()
    """The drag of an anchor has ended."""
    tiles_crossed = Signal(list, bool)
    """Rows and columns of tiles to leave out (True) or to take in again."""

    def __init__(self) -> None:
        super().__init__()
        self.grid: Grid | None = None
        self.facts: GridFacts | None = None
        self.picking = False
        self.drawing = False
        self.drawing_region = False
        self.others: list[tuple[str, Slicing]] = []
        self._crossing: bool | None = None
        self._anchor: int | None = None
        self.grips: tuple[Grip, ...] = ()
        self.pressed_at: QPointF | None = None
        self.at: QPointF | None = None

    def show_grid(self, grid: Grid | None) -> None:
        """Show the lines of another grid; facts of the one before no longer hold."""
        self.grid = grid
        self.facts = None
        self.update()

    def show_facts(self, facts: GridFacts | None) -> None:
        """Mark empty, double and crossed tiles."""
        self.facts = facts
        self.update()

    # Painting

    def paint_over(self, painter: QPainter) -> None:
        if self.tileset is None:
            return
        self.shade_regions(painter)
        if self.grid is not None:
            self.shade_leftover(painter)
            self.mark_tiles(painter)
            if self.grid.slicing.pieces:
                draw_pieces(painter, self.camera, self.grid.slicing, self.width(), self.height())
                self.draw_anchors(painter)
            else:
                self.draw_lines(painter)
                self.draw_bases(painter)
        self.draw_new_tile(painter)
        if self.at is not None and self.pressed_at is None and self.underMouse():
            self.draw_loupe(painter)

    def touch_up(self, part: Picture, slicing: Slicing) -> Picture:
        """Show fringes: pixels beside see-through ones whose colour is nearly see-through too."""
        clear = part[..., 3] == 0
        beside = np.zeros_like(clear)
        beside[1:] |= clear[:-1]
        beside[:-1] |= clear[1:]
        beside[:, 1:] |= clear[:, :-1]
        beside[:, :-1] |= clear[:, 1:]
        fringe = np.zeros_like(clear)
        for colour in slicing.see_through:
            apart = np.abs(part[..., :3].astype(np.int16) - np.array(colour, np.int16)).sum(axis=-1)
            fringe |= apart <= slicing.tolerance + _FRINGE
        part[fringe & beside & ~clear] = (255, 0, 200, 255)
        return part

    def draw_bases(self, painter: QPainter) -> None:
        """Draw the diamonds on which the tiles stand, if they stand on such."""
        if self.tileset is None or self.grid is None:
            return
        cut = self.grid.slicing
        base = base_of(self.tileset, cut)
        if base is None or base.width * self.camera.zoom < _BASES_FROM_PX:
            return
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        zoom, faces = self.camera.zoom, []
        for row, col in np.ndindex(self.grid.rows, self.grid.columns):
            left, top, wide, high = cut.tile_area(row, col)
            spot = QRectF(*self.camera.to_screen(left, top), wide * zoom, high * zoom)
            if spot.intersects(QRectF(self.rect())):
                faces.append(Face(spot, base, high).outline)
        for colour, width in ((LINEN.panel, 2.5), (LINEN.madder, 1.0)):
            painter.setPen(QPen(QColor(colour), width))
            for each in faces:
                painter.drawPolygon(each)
        painter.restore()

    @property
    def settled(self) -> bool:
        """Whether the lines shown are the slicing in use, not one that is being tried."""
        return (
            self.grid is not None
            and self.tileset is not None
            and self.grid.slicing == self.tileset.slicing
        )

    def anchor_point(self, number: int) -> QPointF:
        """Where the anchor of a piece is on the screen."""
        assert self.tileset is not None
        area = self.tileset.slicing.tile_area(0, number)
        x, y = self.tileset.fact(0, number).anchor or foot(area)
        return QPointF(*self.camera.to_screen(area[0] + x, area[1] + y))

    def anchor_at(self, at: QPointF) -> int | None:
        """Number of the piece whose anchor is under a place on the screen."""
        if not self.settled or self.tileset is None or not self.tileset.slicing.pieces:
            return None
        near = [
            ((self.anchor_point(n) - QPointF(0, 3) - at).manhattanLength(), n)
            for _, n in self.seen_tiles()
        ]
        return min(near)[1] if near and min(near)[0] <= 2 * _NEAR else None

    def area_rect(self, area: tuple[int, int, int, int]) -> QRectF:
        x, y = self.camera.to_screen(area[0], area[1])
        return QRectF(x, y, area[2] * self.camera.zoom, area[3] * self.camera.zoom)

    def seen(self, rows: int, cols: int) -> list[tuple[int, int]]:
        assert self.grid is not None
        cut = self.grid.slicing
        if cut.pieces:
            return [(0, n) for n in range(len(cut.pieces))]
        x0, y0 = self.sheet_at(QPointF(0, 0))
        x1, y1 = self.sheet_at(QPointF(self.width(), self.height()))
        row_range = range(
            max(0, int((y0 - cut.top(0)) // cut.pitch_y)),
            min(rows, int((y1 - cut.top(0)) // cut.pitch_y) + 1),
        )
        col_range = range(
            max(0, int((x0 - cut.left(0)) // cut.pitch_x)),
            min(cols, int((x1 - cut.left(0)) // cut.pitch_x) + 1),
        )
        return [(row, col) for row in row_range for col in col_range]

    def trial_rect(self, row: int, col: int) -> QRectF:
        assert self.grid is not None
        return self.area_rect(self.grid.slicing.tile_area(row, col))

    # Pointer

    def grips_at(self, at: QPointF) -> tuple[Grip, ...]:
        """Lines of the grid under a place on the screen, one for each axis at most."""
        if self.grid is None or self.grid.slicing.pieces:
            return ()
        cut, zoom = self.grid.slicing, self.camera.zoom
        x, y = self.sheet_at(at)
        found = []
        for axis, value, first, tile, pitch, count in (
            ("x", x, cut.left(0), cut.tile_width, cut.pitch_x, self.grid.columns),
            ("y", y, cut.top(0), cut.tile_height, cut.pitch_y, self.grid.rows),
        ):
            n = min(count - 1, max(0, int((value - first) // pitch)))
            sides = [
                (abs(value - (first + m * pitch + (tile if far else 0))) * zoom, m, far)
                for m in (n, min(n + 1, count - 1))
                for far in (True, False)
            ]
            distance, number, far = min(sides)
            if distance <= _NEAR:
                found.append(Grip(axis, number, far))
        return tuple(found)

    def moved(self, event: QMouseEvent) -> None:
        self.at = event.position()
        x, y = self.sheet_at(event.position())
        if self._crossing is not None:
            self._cross(event.position())
        if self._anchor is not None and self.tileset is not None:
            area = self.tileset.slicing.tile_area(0, self._anchor)
            self.anchor_moved.emit(self._anchor, round(x) - area[0], round(y) - area[1])
        elif self.pressed_at is not None and self.grips and self.grid is not None:
            slicing = self.grid.slicing
            for grip in self.grips:
                slicing = dragged(slicing, grip, round(x if grip.axis == "x" else y))
            if slicing != self.grid.slicing:
                self.reshaped.emit(slicing)
        elif self.pressed_at is None:
            self._show_cursor(event.position())
        self.hovered.emit(self.words(x, y))
        self.update()

    def _show_cursor(self, at: QPointF) -> None:
        if self.picking or self.drawing:
            self.setCursor(Qt.CursorShape.CrossCursor)
            return
        axes = "".join(grip.axis for grip in self.grips_at(at))
        shape = {
            "x": Qt.CursorShape.SizeHorCursor,
            "y": Qt.CursorShape.SizeVerCursor,
            "xy": Qt.CursorShape.SizeFDiagCursor,
        }.get(axes, Qt.CursorShape.ArrowCursor)
        self.setCursor(shape)

    def pointed_tile(self) -> tuple[int, int] | None:
        """Row and column of the trial's tile under the pointer."""
        if self.at is None or self.grid is None:
            return None
        return self.grid.tile_at(*self.sheet_at(self.at))

    def words(self, x: float, y: float) -> str:
        """Say what is under a place of the sheet."""
        if self.tileset is None:
            return ""
        size = say(
            "{sheet} · {width} × {height} px",
            sheet=self.tileset.sheet,
            width=self.tileset.width,
            height=self.tileset.height,
        )
        if not (0 <= x < self.tileset.width and 0 <= y < self.tileset.height):
            return size
        at = self.grid.tile_at(x, y) if self.grid else None
        if at is None or self.grid is None:
            return say(
                "{size} · between tiles at {number}, {number2}",
                size=size,
                number=int(x),
                number2=int(y),
            )
        if self.grid.slicing.pieces:
            return f"{size} · {self._piece_words(at[1])}"
        number = at[0] * self.grid.columns + at[1]
        cut = self.grid.slicing
        return say(
            "{size} · tile {number}: column {at}, row {at2} at {left}, {top} px{fact_words}",
            size=size,
            number=number,
            at=at[1],
            at2=at[0],
            left=cut.left(at[1]),
            top=cut.top(at[0]),
            fact_words=self._fact_words(at),
        )

    def _piece_words(self, number: int) -> str:
        assert self.grid is not None
        left, top, wide, high = self.grid.slicing.tile_area(0, number)
        label = self.tileset.fact(0, number).name if self.tileset else ""
        name = f" {quoted(label)}" if label and self.settled else ""
        facts = self._fact_words((0, number))
        return say(
            "piece {number}{name}: {wide} × {high} px at {left}, {top}{facts}",
            number=number,
            name=name,
            wide=wide,
            high=high,
            left=left,
            top=top,
            facts=facts,
        )

    def _fact_words(self, at: tuple[int, int]) -> str:
        if self.tileset is not None and at in self.tileset.left_out:
            return say(" · left out")
        if self.facts is None:
            return ""
        if self.facts.empty[at]:
            return say(" · empty")
        if self.facts.doubles[at]:
            return say(" · the same as tile {first}", first=self.facts.first[at])
        return say(" · art goes on over its border") if self.facts.crossed[at] else ""

    def pressed(self, event: QMouseEvent) -> None:
        if self.tileset is None:
            return
        if event.button() == Qt.MouseButton.RightButton:
            self._take_away(event.position())
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if self.picking:
            self._pick(event.position())
            return
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self._cross(event.position())
            return
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        self._anchor = None if shift else self.anchor_at(event.position())
        if self._anchor is not None:
            return
        free = self.drawing or shift or self.drawing_region
        self.grips = () if free else self.grips_at(event.position())
        if self.grips or free:
            self.pressed_at = self.at = event.position()

    def _take_away(self, at: QPointF) -> None:
        """Take the piece under the pointer out of the pieces that are tried."""
        place = self.grid.tile_at(*self.sheet_at(at)) if self.grid is not None else None
        if self.grid is None or place is None or len(self.grid.slicing.pieces) < 2:
            return
        kept = [area for n, area in enumerate(self.grid.slicing.pieces) if n != place[1]]
        self.reshaped.emit(replace(self.grid.slicing, pieces=tuple(kept)))

    def _cross(self, at: QPointF) -> None:
        """Leave the tile under the pointer out, or take it in again; a drag goes on so."""
        place = self.grid.tile_at(*self.sheet_at(at)) if self.grid is not None else None
        if place is None or self.tileset is None or self.grid is None:
            return
        if self.grid.slicing != self.tileset.slicing:
            return
        if self._crossing is None:
            self._crossing = place not in self.tileset.left_out
        self.tiles_crossed.emit([place], self._crossing)

    def stop_crossing(self) -> None:
        """Let go of tiles that are being left out: the drag has ended otherwise."""
        self._crossing = None

    def _pick(self, at: QPointF) -> None:
        x, y = (int(each) for each in self.sheet_at(at))
        if self.tileset is None or self.tileset.picture is None:
            return
        if 0 <= x < self.tileset.width and 0 <= y < self.tileset.height:
            red, green, blue = self.tileset.picture[y, x, :3].tolist()
            self.picked_colour.emit((red, green, blue))

    def released(self, event: QMouseEvent) -> None:
        if self._crossing is not None:
            self._crossing = None
            self.tiles_crossed.emit([], True)
        if self._anchor is not None:
            self._anchor = None
            self.anchor_left.emit()
        if self.pressed_at is None:
            return
        self.at = event.position()
        left, top, right, bottom = self.new_tile()
        draws = not self.grips
        self.pressed_at, self.grips = None, ()
        if self.drawing_region and right - left > 3 and bottom - top > 3:
            self.drawing_region = False
            self.region_drawn.emit((left, top, right - left, bottom - top))
        elif draws and self.grid is not None and right - left > 1 and bottom - top > 1:
            self.reshaped.emit(drawn(self.grid.slicing, left, top, right, bottom))
        self.update()

    def cancel(self) -> bool:
        """Call off the drag; returns whether there was one."""
        was = self.pressed_at is not None
        self.pressed_at, self.grips = None, ()
        self.update()
        return was

    def new_tile(self) -> tuple[int, int, int, int]:
        assert self.pressed_at is not None
        assert self.at is not None
        assert self.tileset is not None
        x0, y0 = self.sheet_at(self.pressed_at)
        x1, y1 = self.sheet_at(self.at)
        wide, high = self.tileset.width, self.tileset.height
        xs = sorted(min(max(round(v), 0), wide) for v in (x0, x1))
        ys = sorted(min(max(round(v), 0), high) for v in (y0, y1))
        return xs[0], ys[0], xs[1], ys[1]

    def leaveEvent(self, event: object) -> None:
        self.at = None
        self.hovered.emit("")
        self.update()

    def draw_lines(self, painter: QPainter) -> None:
        assert self.grid is not None
        cut, zoom = self.grid.slicing, self.camera.zoom
        colour = QColor(LINEN.madder)
        far = cut.pitch_x * zoom < 4 or cut.pitch_y * zoom < 4
        colour.setAlpha(90 if far else 220)
        painter.setPen(QPen(colour, 1))
        left, top = self.camera.to_screen(cut.left(0), cut.top(0))
        right = left + (self.grid.columns * cut.pitch_x - cut.spacing_x) * zoom
        bottom = top + (self.grid.rows * cut.pitch_y - cut.spacing_y) * zoom
        lines = []
        grid, wide, high = self.grid, self.width(), self.height()
        for x in self._lines(left, cut.pitch_x, cut.tile_width, grid.columns, wide):
            lines.append(QLineF(x, top, x, bottom))
        for y in self._lines(top, cut.pitch_y, cut.tile_height, grid.rows, high):
            lines.append(QLineF(left, y, right, y))
        painter.drawLines(lines)

    def _lines(self, first: float, pitch: int, tile: int, count: int, room: int) -> list[float]:
        zoom = self.camera.zoom
        low = max(0, int(-first // (pitch * zoom)))
        high = min(count, int((room - first) // (pitch * zoom)) + 1)
        out = []
        for n in range(low, high):
            start = first + n * pitch * zoom
            out += [start, start + tile * zoom]
        return out

    def draw_anchors(self, painter: QPainter) -> None:
        """Mark the point of each piece that stands on its cell: a foot line with a stem."""
        if not self.settled or self.tileset is None:
            return
        for _, number in self.seen_tiles()[:2000]:
            if self.tile_rect(0, number).width() >= 12:
                at = self.anchor_point(number)
                for colour, width in ((LINEN.panel, 4.0), (LINEN.accent, 2.0)):
                    painter.setPen(QPen(QColor(colour), width))
                    painter.drawLine(at - QPointF(5, 0), at + QPointF(5, 0))
                    painter.drawLine(at, at - QPointF(0, 6))

    def shade_regions(self, painter: QPainter) -> None:
        """Dim what lies outside the region, and outline the sheet's other regions."""
        assert self.tileset is not None
        area = self.grid.slicing.area if self.grid is not None else None
        if area is not None:
            whole = QPainterPath()
            whole.addRect(self.area_rect((0, 0, self.tileset.width, self.tileset.height)))
            inside = QPainterPath()
            inside.addRect(self.area_rect(area))
            painter.fillPath(whole - inside, QColor(132, 137, 138, 170))
        for name, slicing in self.others:
            if slicing.area is not None:
                rect = self.area_rect(slicing.area)
                painter.setPen(QPen(QColor(LINEN.accent), 1.5, Qt.PenStyle.DashLine))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(rect)
                painter.drawText(rect.topLeft() + QPointF(4, 13), name)

    def shade_leftover(self, painter: QPainter) -> None:
        assert self.grid is not None
        assert self.tileset is not None
        cut, zoom = self.grid.slicing, self.camera.zoom
        shade = QColor(LINEN.warning)
        shade.setAlpha(110)
        if cut.area is not None:
            return
        wide, high = self.tileset.width, self.tileset.height
        for x, y, w, h in (
            (wide - self.grid.leftover_x - cut.margin_x, 0, self.grid.leftover_x, high),
            (0, high - self.grid.leftover_y - cut.margin_y, wide, self.grid.leftover_y),
        ):
            if w > 0 and h > 0:
                at = self.camera.to_screen(max(0, x), max(0, y))
                painter.fillRect(QRectF(*at, w * zoom, h * zoom), shade)

    def mark_tiles(self, painter: QPainter) -> None:
        assert self.grid is not None
        assert self.tileset is not None
        if self.grid.slicing == self.tileset.slicing:
            painter.setPen(QPen(QColor(LINEN.madder), 2))
            for row, col in self.tileset.left_out:
                if row < self.grid.rows and col < self.grid.columns:
                    rect = self.trial_rect(row, col).adjusted(3, 3, -3, -3)
                    painter.drawLine(rect.topLeft(), rect.bottomRight())
                    painter.drawLine(rect.topRight(), rect.bottomLeft())
        small = self.grid.slicing.tile_width * self.camera.zoom < 10
        if self.facts is None or small or self.grid.count > 40_000:
            return
        rows, cols = self.facts.empty.shape
        hatch = QBrush(QColor(43, 42, 51, 120), Qt.BrushStyle.BDiagPattern)
        doubles = self.facts.doubles
        # Where most tiles are cut the pictures span several: no news, and nothing to warn of.
        warns = not self.facts.mostly_crossed
        for row, col in self.seen(rows, cols):
            rect = self.trial_rect(row, col)
            if self.facts.empty[row, col]:
                painter.fillRect(rect, hatch)
            elif doubles[row, col]:
                self._tick(painter, rect, LINEN.accent, twice=True)
            elif warns and self.facts.crossed[row, col]:
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
        if self.pressed_at is None or self.at is None or self.grips:
            return
        left, top, right, bottom = self.new_tile()
        x, y = self.camera.to_screen(left, top)
        zoom = self.camera.zoom
        rect = QRectF(x, y, (right - left) * zoom, (bottom - top) * zoom)
        painter.setPen(QPen(QColor("#FFFFFF"), 2, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(rect)
        painter.drawText(rect.bottomRight() + QPointF(6, 12), f"{right - left} × {bottom - top}")

    def draw_loupe(self, painter: QPainter) -> None:
        """Draw the pixels round the pointer, large, in the corner farthest from it."""
        assert self.at is not None
        if self.tileset is None or self.tileset.picture is None:
            return
        x, y = (int(v) for v in self.sheet_at(self.at))
        half, scale = _LOUPE_PX // 2, _LOUPE_SIDE / _LOUPE_PX
        right = self.at.x() < self.width() / 2
        low = self.at.y() < self.height() / 2
        place = QRectF(
            self.width() - _LOUPE_SIDE - 12 if right else 12,
            self.height() - _LOUPE_SIDE - 12 if low else 12,
            _LOUPE_SIDE,
            _LOUPE_SIDE,
        )
        painter.fillRect(place.adjusted(-3, -3, 3, 3), QColor(LINEN.ink))
        painter.fillRect(place, theme().colour("canvas"))
        part = np.zeros((_LOUPE_PX, _LOUPE_PX, 4), np.uint8)
        picture = self.tileset.picture
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
        if self.grid is None:
            return []
        cut = self.grid.slicing
        if cut.pieces:
            at = cut.tile_at(left + _LOUPE_PX // 2, top + _LOUPE_PX // 2)
            if at is None:
                return []
            x, y, wide, high = cut.tile_area(*at)
            return [("x", x - left), ("x", x + wide - left), ("y", y - top), ("y", y + high - top)]
        out = []
        for axis, start, first, tile, pitch, count in (
            ("x", left, cut.left(0), cut.tile_width, cut.pitch_x, self.grid.columns),
            ("y", top, cut.top(0), cut.tile_height, cut.pitch_y, self.grid.rows),
        ):
            for n in range(max(0, (start - first) // pitch), count):
                near = first + n * pitch
                if near > start + _LOUPE_PX:
                    break
                out += [(axis, line - start) for line in (near, near + tile)]
        return out
