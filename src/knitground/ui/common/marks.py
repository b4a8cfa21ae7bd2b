"""Marks on tiles: diamonds with letters, threads between slots of the same terrain."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPixmap, QPolygonF

from knitground.core.base.tongue import say
from knitground.core.model.terrain import (
    ANY,
    NOTHING,
    SetKind,
    Slot,
    Terrain,
    TerrainSet,
)
from knitground.core.slicing.base import Base
from knitground.ui.common.painting import blank, write_in
from knitground.ui.common.theme import LINEN

PLACES = {
    Slot.NW: (0.2, 0.2), Slot.N: (0.5, 0.2), Slot.NE: (0.8, 0.2),
    Slot.W: (0.2, 0.5), Slot.MIDDLE: (0.5, 0.5), Slot.E: (0.8, 0.5),
    Slot.SW: (0.2, 0.8), Slot.S: (0.5, 0.8), Slot.SE: (0.8, 0.8),
}  # fmt: skip
_SMALL = 26.0
_CORNERS = (Slot.NW, Slot.NE, Slot.SE, Slot.SW)
_RING = (Slot.N, Slot.NE, Slot.E, Slot.SE, Slot.S, Slot.SW, Slot.W, Slot.NW)
_ANYTHING = Terrain(say("any"), "#fffdf6", "✱")


@dataclass(frozen=True)
class Face:
    """Where a tile is on the screen, and the diamond at its foot if it stands on one.

    `tall` is the height of the tile in its own pixels.
    """

    rect: QRectF
    base: Base | None = None
    tall: int = 1

    def at(self, x: float, y: float) -> QPointF:
        """Give a place of what the tile lies on, 0 to 1 along its columns and its rows."""
        rect = self.rect
        if self.base is None:
            return QPointF(rect.left() + x * rect.width(), rect.top() + y * rect.height())
        part = rect.height() / self.tall
        high, foot = self.base.height * part, rect.bottom() - self.base.below * part
        return QPointF(
            rect.center().x() + (x - y) * rect.width() / 2, foot - high + (x + y) * high / 2
        )

    @property
    def size(self) -> float:
        """How large marks may be, as the shorter side of a tile that is seen from above."""
        rect = self.rect
        if self.base is None:
            return min(rect.width(), rect.height())
        return 1.3 * self.base.height * rect.height() / self.tall

    @property
    def outline(self) -> QPolygonF:
        """The corners of what the tile lies on."""
        return QPolygonF([self.at(*each) for each in ((0, 0), (1, 0), (1, 1), (0, 1))])


def slot_point(face: Face, slot: Slot) -> QPointF:
    """Where a slot's diamond stands on a tile: a fifth of the tile in."""
    return face.at(*PLACES[slot])


def slot_at(face: Face, at: QPointF, kind: SetKind = SetKind.CORNER) -> Slot:
    """Return the slot, of those that a kind of set uses, whose part of the tile holds a place."""
    span = face.outline.boundingRect()
    return min(
        kind.slots,
        key=lambda slot: (
            (slot_point(face, slot).x() - at.x()) ** 2 / max(1.0, span.width()) ** 2
            + (slot_point(face, slot).y() - at.y()) ** 2 / max(1.0, span.height()) ** 2
        ),
    )


def threads(kind: SetKind, marks: list[int]) -> list[tuple[Slot, Slot, int]]:
    """List what is joined by a thread: two slots that lie side by side, and their terrain."""
    if kind is SetKind.EDGE:
        sides = [slot for slot in (Slot.N, Slot.E, Slot.S, Slot.W) if _terrain(marks[slot])]
        twice = {marks[a] for a in sides if sum(marks[a] == marks[b] for b in sides) > 1}
        return [(slot, Slot.MIDDLE, marks[slot]) for slot in sides if marks[slot] in twice]
    order = _CORNERS if kind is SetKind.CORNER else _RING
    out = [
        (a, b, marks[a])
        for a, b in zip(order, (*order[1:], order[0]))
        if _terrain(marks[a]) and marks[a] == marks[b]
    ]
    if kind is SetKind.RING and _terrain(marks[Slot.MIDDLE]):
        own = marks[Slot.MIDDLE]
        out += [(Slot.MIDDLE, s, own) for s in (Slot.N, Slot.E, Slot.S, Slot.W) if marks[s] == own]
    return out


def _terrain(mark: int) -> bool:
    return mark not in (NOTHING, ANY)


def draw_marks(painter: QPainter, face: Face, marks: list[int], kit: TerrainSet) -> None:
    """Draw one tile's marks."""
    size = face.size
    least = 2.8 if kit.kind is SetKind.CORNER else 2.2
    half = max(least, size * (0.085 if kit.kind is SetKind.RING else 0.11))
    # Threads would hide tiles as small as these: their marks stand alone.
    joined = threads(kit.kind, marks) if size >= _SMALL else []
    for a, b, mark in joined:
        if mark <= len(kit.terrains):
            _thread(painter, slot_point(face, a), slot_point(face, b), kit, mark, size)
    for slot in kit.kind.slots:
        mark = marks[slot]
        if mark != NOTHING and (mark == ANY or mark <= len(kit.terrains)):
            draw_diamond(painter, slot_point(face, slot), half, kit, mark)


def draw_shared(painter: QPainter, face: Face, marks: list[int], kit: TerrainSet) -> None:
    """Draw one tile's marks as a picture that tiles with the same marks share: for very many."""
    wide, high = round(face.rect.width()), round(face.rect.height())
    foot = (face.base, face.tall)
    ratio = painter.device().devicePixelRatioF()
    shared = _shared(kit.kind, kit.terrains, tuple(marks), wide, high, foot, ratio)
    painter.drawPixmap(face.rect.topLeft().toPoint(), shared)


@lru_cache(maxsize=4096)
def _shared(
    kind: SetKind,
    terrains: tuple[Terrain, ...],
    marks: tuple[int, ...],
    wide: int,
    high: int,
    foot: tuple[Base | None, int],
    ratio: float,
) -> QPixmap:
    out = blank(wide, high, ratio)
    painter = QPainter(out)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    face = Face(QRectF(0, 0, wide, high), *foot)
    draw_marks(painter, face, list(marks), TerrainSet("", kind, terrains))
    painter.end()
    return out


def draw_free_slots(painter: QPainter, face: Face, kind: SetKind) -> None:
    """Light up the slots that a set uses: small rings where a mark can go."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    half = max(2.0, face.size * 0.07)
    for slot in kind.slots:
        at = slot_point(face, slot)
        for colour, width in ((LINEN.ink, 2.4), ("#FFFFFF", 1.1)):
            painter.setPen(QPen(QColor(colour), width))
            painter.drawPolygon(diamond(at, half))


def diamond(at: QPointF, half: float) -> QPolygonF:
    """Give the shape of a mark."""
    return QPolygonF(
        [
            QPointF(at.x(), at.y() - half),
            QPointF(at.x() + half, at.y()),
            QPointF(at.x(), at.y() + half),
            QPointF(at.x() - half, at.y()),
        ]
    )


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
    terrain = kit.terrains[mark - 1] if mark <= len(kit.terrains) else _ANYTHING
    fill = QColor(terrain.colour)
    shape = QPolygonF(
        [
            QPointF(at.x(), at.y() - half),
            QPointF(at.x() + half, at.y()),
            QPointF(at.x(), at.y() + half),
            QPointF(at.x() - half, at.y()),
        ]
    )
    painter.setPen(QPen(QColor(LINEN.ink), 1.3 if half >= 3.5 else 0.7))
    painter.setBrush(fill)
    painter.drawPolygon(shape)
    if half >= 5.5:
        write_in(painter, max(7, int(half * 0.95)), bold=True)
        painter.setPen(QColor(LINEN.ink if fill.lightnessF() > 0.42 else "#FFFFFF"))
        area = QRectF(at.x() - half, at.y() - half, 2 * half, 2 * half)
        painter.drawText(area, Qt.AlignmentFlag.AlignCenter, terrain.letter)
