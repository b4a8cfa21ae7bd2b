"""What a lesson, or a rule that is looked at, marks on the map."""

from __future__ import annotations

from itertools import islice
from math import ceil

from PySide6.QtCore import QPointF, QRect, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPixmap, QPolygonF

from knitground.core.base.window import Box
from knitground.core.edit.laying import Plan
from knitground.core.model.map import Map
from knitground.ui.common.theme import LINEN
from knitground.ui.common.zoom import Camera
from knitground.ui.gesture import Guest
from knitground.ui.mapside.canvas.chunks import ChunkStore
from knitground.ui.mapside.canvas.overlay import ghost_rect, outline_on, seen_cells

_MOST = 4000
_MOST_DRAWN = 150
"""Marks that are drawn as such; of more each has the same picture: dashes take long."""
ROLES = {"wrong": LINEN.madder, "right": LINEN.good, "changes": LINEN.accent}


def draw_guest(
    painter: QPainter,
    camera: Camera,
    map_: Map,
    store: ChunkStore,
    guest: Guest,
    view: QRect,
    until: float,
) -> bool:
    """Draw the ghost of what would change, and mark cells.

    Returns whether there was time, until a time of `perf_counter`, for the whole ghost.
    """
    seen = seen_cells(camera, map_, view)
    plan = guest.ghost(map_)
    whole = plan is None or _draw_ghost(painter, camera, map_, store, plan, until)
    marks = [
        (outline_on(camera, map_, Box(row, col, row + 1, col + 1), -1), role)
        for (row, col), role in islice(guest.cells(map_), _MOST)
        if seen.top <= row < seen.bottom and seen.left <= col < seen.right
    ]
    badges: dict[str, QPixmap] = {}
    for outline, role in marks:
        if len(marks) <= _MOST_DRAWN:
            _mark(painter, outline, role)
            continue
        if role not in badges:
            badges[role] = _badge(outline, role)
        at = outline.boundingRect().topLeft()
        painter.drawPixmap(round(at.x()) - 2, round(at.y()) - 2, badges[role])
    return whole


def _badge(outline: QPolygonF, role: str) -> QPixmap:
    """Draw a mark as a picture, with two pixels round it."""
    rect = outline.boundingRect()
    out = QPixmap(ceil(rect.width()) + 4, ceil(rect.height()) + 4)
    out.fill(Qt.GlobalColor.transparent)
    painter = QPainter(out)
    _mark(painter, outline.translated(QPointF(2, 2) - rect.topLeft()), role)
    painter.end()
    return out


def _draw_ghost(
    painter: QPainter, camera: Camera, map_: Map, store: ChunkStore, plan: Plan, until: float
) -> bool:
    seen = seen_cells(camera, map_, painter.viewport())
    ghost = store.ghost(plan, store.level_for(camera.zoom), seen, until)
    if ghost.part.box.is_empty:
        return True
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, camera.zoom < 1)
    painter.drawImage(ghost_rect(camera, store, ghost), ghost.image)
    painter.restore()
    return ghost.is_whole


def _mark(painter: QPainter, outline: QPolygonF, role: str) -> None:
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(LINEN.panel), 4))
    painter.drawPolygon(outline)
    style = Qt.PenStyle.DashLine if role == "changes" else Qt.PenStyle.SolidLine
    painter.setPen(QPen(QColor(ROLES[role]), 2, style))
    painter.drawPolygon(outline)
