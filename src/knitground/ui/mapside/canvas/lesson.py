"""What a lesson, or a rule that is looked at, marks on the map."""

from __future__ import annotations

from itertools import islice
from math import ceil

from PySide6.QtCore import QPointF, QRect, QRectF, QSizeF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPixmap

from knitground.core.base.window import Box
from knitground.core.edit.laying import Plan
from knitground.core.model.map import Map
from knitground.ui.common.theme import LINEN
from knitground.ui.gesture import Guest
from knitground.ui.mapside.canvas.chunks import ChunkStore
from knitground.ui.mapside.canvas.overlay import box_rect, ghost_rect, seen_cells
from knitground.ui.mapside.canvas.zoom import Camera

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
        (box_rect(camera, map_, Box(row, col, row + 1, col + 1)), role)
        for (row, col), role in islice(guest.cells(map_), _MOST)
        if seen.top <= row < seen.bottom and seen.left <= col < seen.right
    ]
    badges: dict[str, QPixmap] = {}
    for rect, role in marks:
        if len(marks) <= _MOST_DRAWN:
            _mark(painter, rect, role)
            continue
        if role not in badges:
            badges[role] = _badge(rect.size(), role)
        painter.drawPixmap(round(rect.x()) - 1, round(rect.y()) - 1, badges[role])
    return whole


def _badge(size: QSizeF, role: str) -> QPixmap:
    """Draw a mark as a picture, with a pixel round it."""
    out = QPixmap(ceil(size.width()) + 2, ceil(size.height()) + 2)
    out.fill(Qt.GlobalColor.transparent)
    painter = QPainter(out)
    _mark(painter, QRectF(QPointF(1, 1), size), role)
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


def _mark(painter: QPainter, rect: QRectF, role: str) -> None:
    inner = rect.adjusted(1, 1, -1, -1)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(LINEN.panel), 4))
    painter.drawRect(inner)
    style = Qt.PenStyle.DashLine if role == "changes" else Qt.PenStyle.SolidLine
    painter.setPen(QPen(QColor(ROLES[role]), 2, style))
    painter.drawRect(inner)
