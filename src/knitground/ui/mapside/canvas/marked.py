"""Cells of the map that some part wants to be marked: of a lesson, of a rule, of what was found."""

from __future__ import annotations

from itertools import islice
from math import ceil

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPixmap, QPolygonF

from knitground.core.base.window import Box
from knitground.core.edit.laying import Plan
from knitground.core.model.lattice import Cell
from knitground.ui.common.knot import draw_knot
from knitground.ui.common.theme import LINEN
from knitground.ui.gesture import CellMarks
from knitground.ui.mapside.canvas.over import Canvas, Overlay
from knitground.ui.mapside.canvas.overlay import ghost_rect, outline_on, seen_cells

_MOST = 4000
_MOST_DRAWN = 150
"""Marks that are drawn as such; of more each has the same picture: dashes take long."""
KNOTS = {"knot": 5.5, "large knot": 11.0}
"""Radii on the screen, by their roles."""
ROLES = {"wrong": LINEN.madder, "right": LINEN.good, "changes": LINEN.accent}


class Marked(Overlay):
    """The ghost of what takes clicks in place of the tools, and cells that are marked."""

    def draw(self, on: Canvas) -> bool:
        """Draw the ghost of what would change, and mark cells."""
        taker = on.session.taker
        plan = taker.ghost(on.map) if taker is not None else None
        whole = plan is None or _draw_ghost(on, plan)
        for marks in on.session.marks.values():
            _draw_marks(on, marks)
        return whole


def _draw_marks(on: Canvas, wanted: CellMarks) -> None:
    seen = seen_cells(on.own, on.map, on.clip)
    shown = [
        (cell, role) for cell, role in islice(wanted.cells(on.map), _MOST)
        if seen.top <= cell[0] < seen.bottom and seen.left <= cell[1] < seen.right
    ]  # fmt: skip
    _draw_knots(on, [each for each in shown if each[1] in KNOTS])
    marks = [
        (outline_on(on.own, on.map, Box(row, col, row + 1, col + 1), -1), role)
        for (row, col), role in shown if role not in KNOTS
    ]  # fmt: skip
    badges: dict[str, QPixmap] = {}
    for outline, role in marks:
        if len(marks) <= _MOST_DRAWN:
            _mark(on.painter, outline, role)
            continue
        if role not in badges:
            badges[role] = _badge(outline, role)
        at = outline.boundingRect().topLeft()
        on.painter.drawPixmap(round(at.x()) - 2, round(at.y()) - 2, badges[role])


def _draw_knots(on: Canvas, knots: list[tuple[Cell, str]]) -> None:
    """Draw knots by their middles alone; each size is drawn once and then copied."""
    badges: dict[str, QPixmap] = {}
    ratio = on.painter.device().devicePixelRatioF()
    for (row, col), role in knots:
        half = KNOTS[role] + 4
        if role not in badges:
            made = badges[role] = QPixmap(ceil(2 * half * ratio), ceil(2 * half * ratio))
            made.setDevicePixelRatio(ratio)
            made.fill(Qt.GlobalColor.transparent)
            painter = QPainter(made)
            draw_knot(painter, QPointF(half, half), KNOTS[role])
            painter.end()
        x, y = on.camera.to_screen(*on.map.lattice.middle(row, col))
        on.painter.drawPixmap(QPointF(round(x - half), round(y - half)), badges[role])


def _badge(outline: QPolygonF, role: str) -> QPixmap:
    """Draw a mark as a picture, with two pixels round it."""
    rect = outline.boundingRect()
    out = QPixmap(ceil(rect.width()) + 4, ceil(rect.height()) + 4)
    out.fill(Qt.GlobalColor.transparent)
    painter = QPainter(out)
    _mark(painter, outline.translated(QPointF(2, 2) - rect.topLeft()), role)
    painter.end()
    return out


def _draw_ghost(on: Canvas, plan: Plan) -> bool:
    seen = seen_cells(on.own, on.map, on.painter.viewport())
    ghost = on.store.ghost(plan, on.store.level_for(on.own.zoom), seen, on.ghost_until)
    if ghost.part.box.is_empty:
        return True
    on.painter.save()
    on.painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, on.own.zoom < 1)
    on.painter.drawImage(ghost_rect(on.own, on.store, ghost), ghost.image)
    on.painter.restore()
    return ghost.is_whole


def _mark(painter: QPainter, outline: QPolygonF, role: str) -> None:
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(LINEN.panel), 4))
    painter.drawPolygon(outline)
    style = Qt.PenStyle.DashLine if role == "changes" else Qt.PenStyle.SolidLine
    painter.setPen(QPen(QColor(ROLES[role]), 2, style))
    painter.drawPolygon(outline)
