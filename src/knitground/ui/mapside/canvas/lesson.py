"""What a lesson, or a rule that is looked at, marks on the map."""

from __future__ import annotations

from PySide6.QtCore import QRect, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from knitground.core.base.window import Box
from knitground.core.edit.laying import Plan
from knitground.core.model.map import Map
from knitground.ui.common.theme import LINEN
from knitground.ui.gesture import Guest
from knitground.ui.mapside.canvas.chunks import ChunkStore
from knitground.ui.mapside.canvas.overlay import box_rect, seen_cells
from knitground.ui.mapside.canvas.zoom import Camera

_MOST = 4000
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
    for n, ((row, col), role) in enumerate(guest.cells(map_)):
        if n > _MOST:
            break
        if seen.top <= row < seen.bottom and seen.left <= col < seen.right:
            _mark(painter, box_rect(camera, map_, Box(row, col, row + 1, col + 1)), role)
    return whole


def _draw_ghost(
    painter: QPainter, camera: Camera, map_: Map, store: ChunkStore, plan: Plan, until: float
) -> bool:
    seen = seen_cells(camera, map_, painter.viewport())
    ghost = store.ghost(plan, store.level_for(camera.zoom), seen, until)
    if ghost.part.box.is_empty:
        return True
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, camera.zoom < 1)
    painter.drawImage(box_rect(camera, map_, ghost.box), ghost.image)
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
