"""All that is drawn over the map, in its order. Another one is its class and its line here."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from math import ceil, floor

from PySide6.QtCore import QPointF
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen
from PySide6.QtWidgets import QWidget

from knitground.core.edit.changed import Changed, What
from knitground.core.edit.markers import Outlines, marker_cells
from knitground.core.edit.planning import brush
from knitground.core.model.lattice import Rect
from knitground.core.model.layers import MarkerLayer
from knitground.core.model.marker import Marker
from knitground.core.render.pixels import Pixels
from knitground.ui.common.painting import image_of
from knitground.ui.common.theme import LINEN, theme
from knitground.ui.mapside.canvas.border import BorderDrag
from knitground.ui.mapside.canvas.figure import FigureOver
from knitground.ui.mapside.canvas.fitting import FittingPieces
from knitground.ui.mapside.canvas.lighting import LightOver
from knitground.ui.mapside.canvas.marked import Marked
from knitground.ui.mapside.canvas.markers import draw_frame, draw_marker_ghost, draw_markers
from knitground.ui.mapside.canvas.over import Canvas, Overlay
from knitground.ui.mapside.canvas.overlay import (
    draw_area,
    draw_cursor,
    draw_grid,
    draw_label,
    draw_pins,
    draw_plan,
    draw_screen,
    draw_selection,
    pixel_rect,
    screen_frame,
)
from knitground.ui.mapside.canvas.shapes import MapShapes
from knitground.ui.mapside.canvas.why import draw_why
from knitground.ui.mapside.tools.selectmarkers import SelectMarkers
from knitground.ui.session import Session

_HOLE_FROM_PX = 4
_HOLE = 96.0
"""How far round the pointer the map is looked into, in screen pixels."""
_LINES_FROM_PX = 12


class Hole(Overlay):
    """The map round the pointer without what is in front of the chosen layer."""

    def draw(self, on: Canvas) -> bool:
        """Draw it, if the map is to be looked into so."""
        layer, at = on.session.layer, on.pointer
        if layer is None or at is None or not on.session.sight.round_pointer:
            return True
        if on.camera.zoom * on.map.lattice.shorter < _HOLE_FROM_PX:
            return True  # so far away thousands of cells would be knitted in a frame
        level, zoom = on.store.level_for(on.camera.zoom), on.camera.zoom
        scale = on.map.lattice.scale(on.map.lattice.at_level(level))
        middle = QPointF(*on.own.to_screen(at.x, at.y))
        x, y = on.camera.to_picture(middle.x() - _HOLE, middle.y() - _HOLE)
        round_it = Rect(x, y, 2 * _HOLE / zoom, 2 * _HOLE / zoom).scaled(*scale)
        whole = Rect(0, 0, *on.map.lattice.at_level(level).extent)
        rect = Rect(floor(round_it.x), floor(round_it.y), ceil(round_it.width) + 1,
                    ceil(round_it.height) + 1).shared(whole)  # fmt: skip
        if not rect.is_empty:
            self._cut(on, on.store.picture_up_to(rect, level, layer), rect.scaled(
                1 / scale[0], 1 / scale[1]), middle)  # fmt: skip
        return True

    def _cut(self, on: Canvas, pixels: Pixels, rect: Rect, middle: QPointF) -> None:
        there, painter = pixel_rect(on.camera, rect), on.painter
        hole = QPainterPath()
        hole.addEllipse(middle, _HOLE, _HOLE)
        painter.save()
        painter.setClipPath(hole)
        painter.fillRect(there, QColor(on.map.background or theme().canvas))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, on.camera.zoom < 1)
        painter.drawImage(there, image_of(pixels))
        painter.setClipping(False)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(LINEN.panel), 1.5))
        painter.drawPath(hole)
        painter.restore()


class Markers(Overlay):
    """Markers of the map, those that are dragged, and the one that a click would lay."""

    def __init__(self, session: Session, view: QWidget) -> None:
        super().__init__(session, view)
        self.outlines = Outlines()

    def follow(self, change: Changed) -> None:
        """Forget how pictures look that may look otherwise now."""
        if change.what in (What.SLICING, What.LOOKS, What.TILESETS):
            self.outlines.forget()

    def draw(self, on: Canvas) -> bool:
        """Draw them; free pictures as the map would show them."""
        selects = on.tool if isinstance(on.tool, SelectMarkers) else None
        instead = selects.shown if selects is not None else {}
        draw_markers(on.painter, on.camera, on.session, on.map, on.clip, instead, self.outlines)
        if on.marker is not None:
            self._draw_pictures(on, [on.marker], [])
            draw_marker_ghost(on.painter, on.camera, on.session, on.marker, on.clip)
        if selects is not None:
            if any(each.tile is not None for each in instead.values()):
                self._draw_pictures(on, list(instead.values()), list(instead))
            if selects.frame is not None:
                draw_frame(on.painter, on.own, selects.frame)
        return True

    def _draw_pictures(self, on: Canvas, markers: list[Marker], without: list[int]) -> None:
        """Draw the map where free pictures would be, as it would be with them."""
        layer = on.session.layer
        pictures = [each for each in markers if each.tile is not None]
        box = marker_cells(on.session.project, on.map, pictures)
        if box is None or not isinstance(layer, MarkerLayer):
            return
        kept = [each for each in layer.markers if each.number not in without]
        trial = replace(layer, markers=(*kept, *markers))
        level = on.store.level_for(on.camera.zoom)
        rect = on.store.shown(box, level)
        if rect.is_empty:
            return
        pixels = on.store.picture_with(rect, level, layer, trial)
        scale = on.map.lattice.scale(on.map.lattice.at_level(level))
        there = pixel_rect(on.camera, rect.scaled(1 / scale[0], 1 / scale[1]))
        on.painter.drawImage(there, image_of(pixels))


class GhostOver(Overlay):
    """The very pixels that the next click gives."""

    def draw(self, on: Canvas) -> bool:
        """Draw as much of them as there is time for."""
        if on.plan is None:
            return True
        return draw_plan(on.painter, on.camera, on.map, on.store, on.plan, on.ghost_until)


def _drawn(what: Callable[[Canvas], object]) -> type[Overlay]:
    """Make an overlay of a function: one that knows nothing but the frame, and is always whole."""

    class Drawn(Overlay):
        __doc__ = what.__doc__

        def draw(self, on: Canvas) -> bool:
            what(on)
            return True

    return Drawn


def _lines(on: Canvas) -> None:
    """Lines between cells."""
    if on.session.sight.grid and on.camera.zoom * on.map.lattice.shorter >= _LINES_FROM_PX:
        draw_grid(on.painter, on.camera, on.map, on.clip)


def _pins(on: Canvas) -> None:
    """Heads of the pins of the chosen layer."""
    if on.session.layer is not None and on.session.sight.pins:
        draw_pins(on.painter, on.own, on.map, on.session.layer, on.clip)


def _area(on: Canvas) -> None:
    """What a tool spans."""
    if on.tool.area is not None:
        draw_area(on.painter, on.own, on.grid, on.tool.area)


def _selection(on: Canvas) -> None:
    """Outline of the selected cells."""
    if on.session.selection is not None:
        draw_selection(on.painter, on.own, on.grid, on.session.selection, on.clip)


def _cursor(on: Canvas) -> None:
    """The cell cursor."""
    draw_cursor(on.painter, on.own, on.grid, on.cursor, on.clip)


def _screen(on: Canvas) -> None:
    """Frame of what a player sees: where a figure walks, it goes with it."""
    walker = on.session.walker
    if walker is not None and walker.map is on.map:
        if walker.seen is not None:
            frame = pixel_rect(on.camera, walker.seen)
            draw_screen(on.painter, on.map, frame, on.room, boxed=walker.boxed)
    elif on.session.sight.screen:
        draw_screen(on.painter, on.map, screen_frame(on.camera, on.map, on.room), on.room)


def _why(on: Canvas) -> None:
    """Why the tile under the pointer is there."""
    if on.pointer is not None and on.asks_why:
        draw_why(on.painter, on.own, on.session, on.store, on.pointer, on.room)


def _label(on: Canvas) -> None:
    """Words at the pointer."""
    if on.pointer is not None and on.is_pointed and not on.asks_why:
        box, _ = brush(on.desk, on.grid, on.pointer)
        draw_label(on.painter, on.own, on.pointer, on.label, on.room, on.grid, box)


OVERLAYS: tuple[type[Overlay], ...] = (
    Hole, LightOver, _drawn(_lines), MapShapes, _drawn(_pins), _drawn(_area), _drawn(_selection),
    _drawn(_cursor), BorderDrag, Marked, GhostOver, Markers, FigureOver, _drawn(_screen),
    _drawn(_why), FittingPieces, _drawn(_label),
)  # fmt: skip
"""From the back to the front."""
