"""Marks on a sheet: diamonds with letters, threads between slots of the same terrain."""

from __future__ import annotations

from PySide6.QtCore import QLineF, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QFont, QMouseEvent, QPainter, QPen, QPolygonF

from knitground.core.edit.terrains import paint_marks
from knitground.core.model.terrain import NOTHING, Slot, TerrainSet
from knitground.ui.session import Session
from knitground.ui.sheetview import SheetView
from knitground.ui.theme import LINEN

PLACES = {
    Slot.NW: (0.2, 0.2),
    Slot.NE: (0.8, 0.2),
    Slot.SE: (0.8, 0.8),
    Slot.SW: (0.2, 0.8),
}
_ROUND = ((Slot.NW, Slot.NE), (Slot.NE, Slot.SE), (Slot.SE, Slot.SW), (Slot.SW, Slot.NW))


def slot_point(rect: QRectF, slot: Slot) -> QPointF:
    """Where a slot's diamond stands in a tile's rectangle: a fifth of the tile in."""
    x, y = PLACES[slot]
    return QPointF(rect.left() + x * rect.width(), rect.top() + y * rect.height())


def slot_at(rect: QRectF, at: QPointF) -> Slot:
    """Return the corner slot whose quarter of the tile holds a place."""
    right, low = at.x() >= rect.center().x(), at.y() >= rect.center().y()
    if low:
        return Slot.SE if right else Slot.SW
    return Slot.NE if right else Slot.NW


def draw_marks(painter: QPainter, rect: QRectF, marks: list[int], kit: TerrainSet) -> None:
    """Draw one tile's marks."""
    size = min(rect.width(), rect.height())
    half = max(3.5, size * 0.11)
    for a, b in _ROUND:
        if marks[a] != NOTHING and marks[a] == marks[b]:
            _thread(painter, slot_point(rect, a), slot_point(rect, b), kit, marks[a], size)
    for slot in PLACES:
        if marks[slot] != NOTHING and marks[slot] <= len(kit.terrains):
            draw_diamond(painter, slot_point(rect, slot), half, kit, marks[slot])


def _thread(
    painter: QPainter, start: QPointF, end: QPointF, kit: TerrainSet, mark: int, size: float
) -> None:
    line = QLineF(start, end)
    width = max(2.0, size * 0.05)
    ink = QPen(QColor(LINEN.ink), width + 1)
    ink.setCapStyle(Qt.PenCapStyle.FlatCap)
    painter.setPen(ink)
    painter.drawLine(line)
    pen = QPen(QColor(kit.terrains[mark - 1].colour), width - 0.5)
    pen.setCapStyle(Qt.PenCapStyle.FlatCap)
    pen.setDashPattern([1.3, 0.9])
    painter.setPen(pen)
    painter.drawLine(line)


def draw_diamond(painter: QPainter, at: QPointF, half: float, kit: TerrainSet, mark: int) -> None:
    """Draw one mark: a diamond in the terrain's colour with its letter."""
    terrain = kit.terrains[mark - 1]
    fill = QColor(terrain.colour)
    shape = QPolygonF(
        [
            QPointF(at.x(), at.y() - half),
            QPointF(at.x() + half, at.y()),
            QPointF(at.x(), at.y() + half),
            QPointF(at.x() - half, at.y()),
        ]
    )
    painter.setPen(QPen(QColor(LINEN.ink), 1.3))
    painter.setBrush(fill)
    painter.drawPolygon(shape)
    if half >= 5.5:
        font = QFont(painter.font())
        font.setPixelSize(max(7, int(half * 0.95)))
        font.setBold(True)
        painter.setFont(font)
        painter.setPen(QColor(LINEN.ink if fill.lightnessF() > 0.42 else "#FFFFFF"))
        area = QRectF(at.x() - half, at.y() - half, 2 * half, 2 * half)
        painter.drawText(area, Qt.AlignmentFlag.AlignCenter, terrain.letter)


class MarksSheet(SheetView):
    """The sheet with its marks; drag paints the chosen terrain on slots, right drag clears."""

    tile_chosen = Signal(int, int)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.kit: TerrainSet | None = None
        self.value = NOTHING
        self.chosen: tuple[int, int] | None = None
        self._hover: tuple[int, int, Slot] | None = None
        self._stroke: set[tuple[int, int, int]] | None = None
        self._clearing = False

    def show_set(self, kit: TerrainSet | None) -> None:
        """Show the marks of another set."""
        self.kit = kit
        self.update()

    def paint_over(self, painter: QPainter) -> None:
        if self.kit is None or self.tileset is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        marks = self.kit.marks_within(self.tileset.rows, self.tileset.columns)
        for row, col in self.seen_tiles():
            rect = self.tile_rect(row, col)
            if rect.width() >= 14:
                draw_marks(painter, rect, marks[row, col].tolist(), self.kit)
        if self.chosen is not None and self.tileset.has(*self.chosen):
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for colour, width in ((LINEN.panel, 4), (LINEN.madder, 2)):
                painter.setPen(QPen(QColor(colour), width))
                painter.drawRect(self.tile_rect(*self.chosen).adjusted(-1, -1, 1, 1))
        self._draw_hover(painter)

    def _draw_hover(self, painter: QPainter) -> None:
        if self._hover is None or self.kit is None:
            return
        row, col, slot = self._hover
        rect = self.tile_rect(row, col)
        at, half = slot_point(rect, slot), max(4.5, rect.width() * 0.14)
        painter.setOpacity(0.75)
        if self.value != NOTHING and self.value <= len(self.kit.terrains):
            draw_diamond(painter, at, half, self.kit, self.value)
        painter.setOpacity(1.0)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor("#FFFFFF"), 1.5))
        painter.drawPolygon(
            QPolygonF(
                [
                    QPointF(at.x(), at.y() - half - 2),
                    QPointF(at.x() + half + 2, at.y()),
                    QPointF(at.x(), at.y() + half + 2),
                    QPointF(at.x() - half - 2, at.y()),
                ]
            )
        )

    def _slot_under(self, at: QPointF) -> tuple[int, int, Slot] | None:
        tile = self.tile_at(at)
        return (*tile, slot_at(self.tile_rect(*tile), at)) if tile else None

    def pressed(self, event: QMouseEvent) -> None:
        found = self._slot_under(event.position())
        if found is None or self.kit is None or self.tileset is None:
            return
        self.chosen = found[:2]
        self.tile_chosen.emit(*found[:2])
        self._clearing = event.button() == Qt.MouseButton.RightButton
        if not self._clearing and self.value == NOTHING:
            self.session.note("Choose a terrain above first; the right button clears marks")
            return
        value = NOTHING if self._clearing else self.value
        name = "Clear marks" if self._clearing else f"Mark {self.kit.name_of(value)}"
        if not self.session.attempt(lambda: self.session.doc.begin_stroke(name)):
            return
        self._stroke = set()
        whole = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        slots = list(PLACES) if whole else [found[2]]
        self._mark([(found[0], found[1], int(slot)) for slot in slots])

    def moved(self, event: QMouseEvent) -> None:
        found = self._slot_under(event.position())
        if found != self._hover:
            self._hover = found
            self.update()
            if found is not None:
                self.session.pointed.emit(self._words(found))
        if self._stroke is not None and found is not None:
            self._mark([(found[0], found[1], int(found[2]))])

    def released(self, event: QMouseEvent) -> None:
        if self._stroke is not None:
            self._stroke = None
            self.session.doc.commit_stroke()

    def cancel(self) -> bool:
        """Call off the drag; returns whether there was one."""
        if self._stroke is None:
            return False
        self._stroke = None
        self.session.doc.cancel_stroke()
        return True

    def _mark(self, slots: list[tuple[int, int, int]]) -> None:
        assert self._stroke is not None
        fresh = [slot for slot in slots if slot not in self._stroke]
        if not fresh or self.kit is None or self.tileset is None:
            return
        self._stroke.update(fresh)
        value = NOTHING if self._clearing else self.value
        tileset, kit = self.tileset, self.kit
        self.session.attempt(
            lambda: self.session.doc.apply(paint_marks(tileset, kit, fresh, value))
        )
        self.update()

    def _words(self, found: tuple[int, int, Slot]) -> str:
        assert self.kit is not None
        assert self.tileset is not None
        row, col, slot = found
        marks = self.kit.marks_within(self.tileset.rows, self.tileset.columns)[row, col]
        around = " · ".join(f"{s.name} {self.kit.name_of(int(marks[s]))}" for s in PLACES)
        number = self.tileset.number(row, col)
        weight = self.tileset.weight(row, col)
        return f"tile {number}, slot {slot.name}: {around} · weight {weight:g}"

    def leaveEvent(self, event: object) -> None:
        self._hover = None
        self.session.pointed.emit("")
        self.update()
