"""Painting the map: its pieces, and all that lies over them."""

from __future__ import annotations

from dataclasses import replace
from time import perf_counter
from typing import TYPE_CHECKING, NamedTuple

from PySide6.QtCore import QRect, QRectF
from PySide6.QtGui import (
    QColor,
    QPainter,
)

from knitground.core.edit.laying import Plan
from knitground.core.edit.markers import marker_cells
from knitground.core.edit.planning import brush
from knitground.core.model.lattice import Rect
from knitground.core.model.layers import MarkerLayer
from knitground.core.model.map import cells_under
from knitground.core.model.marker import Marker
from knitground.ui.common.turn import until_in_turn
from knitground.ui.mapside.canvas.chunks import image_of
from knitground.ui.mapside.canvas.lesson import draw_guest
from knitground.ui.mapside.canvas.markers import draw_frame, draw_marker_ghost, draw_markers
from knitground.ui.mapside.canvas.overlay import (
    draw_area,
    draw_cursor,
    draw_grid,
    draw_label,
    draw_pins,
    draw_plan,
    draw_screen,
    draw_selection,
    map_rect,
)
from knitground.ui.mapside.canvas.why import draw_why
from knitground.ui.mapside.tools.selectmarkers import SelectMarkers

if TYPE_CHECKING:
    from knitground.ui.mapside.canvas.picture import MapPicture

_GHOST_SECONDS = 0.006


class _Scaled(NamedTuple):
    """A level of the map on the screen: where it begins, and how large its pixels are."""

    level: int
    left: float
    top: float
    wide: float
    high: float
    seen: Rect

    def on_screen(self, rect: Rect) -> QRectF:
        """Where a rectangle in the pixels of the level lies on the screen."""
        x, y, w, h = rect
        return QRectF(self.left + x * self.wide, self.top + y * self.high, w * self.wide,
                      h * self.high)  # fmt: skip


class MapPainter:
    """Paints what a view shows."""

    def __init__(self, view: MapPicture) -> None:
        self.view = view
        self._went_on = False

    def draw_ground(self, painter: QPainter) -> None:
        """Draw the map's background colour, behind all layers."""
        self._went_on = False
        assert self.view.shown_map is not None
        if self.view.shown_map.background is None:
            return
        rect = map_rect(self.view.camera, self.view.shown_map)
        for down, across in self.copies():
            copy = rect.translated(across * rect.width(), down * rect.height())
            painter.fillRect(copy, QColor(self.view.shown_map.background))

    def copies(self) -> list[tuple[int, int]]:
        if not self.view.repeat:
            return [(0, 0)]
        return [(down, across) for down in (-1, 0, 1) for across in (-1, 0, 1)]

    def _scaled(self, clip: QRect, down: int, across: int) -> _Scaled:
        """Where the pieces of a copy of the map lie on the screen, and what of it a clip shows."""
        assert self.view.shown_map is not None
        assert self.view.store is not None
        zoom, lattice = self.view.camera.zoom, self.view.shown_map.lattice
        level = self.view.store.level_for(zoom)
        # How many pixels of the screen a pixel of the level is.
        small, (width, height) = lattice.at_level(level), lattice.extent
        wide, high = zoom * lattice.wide / small.wide, zoom * lattice.high / small.high
        left = self.view.camera.left + across * width * zoom
        top = self.view.camera.top + down * height * zoom
        seen = Rect(
            (clip.left() - left) / wide, (clip.top() - top) / high,
            clip.width() / wide, clip.height() / high,
        )  # fmt: skip
        return _Scaled(level, left, top, wide, high, seen)

    def moving_rects(self) -> list[QRect]:
        """List where on the screen animations are seen."""
        assert self.view.store is not None
        out = []
        for down, across in self.copies():
            scaled = self._scaled(self.view.rect(), down, across)
            for each in self.view.store.moving_in(scaled.level, scaled.seen):
                out.append(scaled.on_screen(each).toAlignedRect() & self.view.rect())
        return [each for each in out if not each.isEmpty()]

    def draw_map(
        self, painter: QPainter, clip: QRect, down: int, across: int, until: float
    ) -> None:
        assert self.view.store is not None
        store, zoom = self.view.store, self.view.camera.zoom
        scaled = self._scaled(clip, down, across)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, zoom < 1)
        for key in store.keys_in(scaled.level, scaled.seen):
            chunk = store.ready(key)
            if chunk is None:
                if self._went_on and perf_counter() > until:
                    self.view.cold += 1
                    chunk = store.stale(key)
                else:
                    self._went_on = True  # with one piece at least, or it never came to an end
                    chunk = store.make(key, until)
                    self.view.cold += chunk.dirty is not None
            if chunk is not None:
                target = scaled.on_screen(chunk.rect)
                painter.drawImage(target, chunk.image_for(target.width(), target.height()))

    def draw_over(self, painter: QPainter, clip: QRect) -> None:
        assert self.view.shown_map is not None
        assert self.view.store is not None
        if (
            self.view.show_grid
            and self.view.camera.zoom * self.view.shown_map.lattice.shorter >= 12
        ):
            draw_grid(painter, self.view.camera, self.view.shown_map, clip)
        shapes = self.view.shapes
        if shapes.on:
            self._come_again(
                not shapes.draw(painter, self.view.camera, self.view.shown_map, self.view.rect())
            )
            self.view.cold += shapes.waiting
        grid, camera = (
            self.view.desk_now().grid or self.view.shown_map,
            self.view.layer_camera_now(),
        )
        if self.view.session.layer is not None and self.view.show_pins:
            draw_pins(painter, camera, self.view.shown_map, self.view.session.layer, clip)
        area = (self.view.gesture or self.view.tool_of()).area
        if area is not None:
            draw_area(painter, camera, grid, area)
        if self.view.session.selection is not None:
            draw_selection(painter, camera, grid, self.view.session.selection, clip)
        draw_cursor(painter, camera, grid, self.view.cell_cursor, clip)
        if self.view.show_screen:
            draw_screen(painter, self.view.camera, self.view.shown_map, self.view.rect())
        self.view.border.draw(painter, self.view.camera, self.view.shown_map)
        guest = self.view.session.guest
        if guest is not None:
            self._come_again(
                draw_guest(
                    painter, camera, self.view.shown_map, self.view.store, guest, clip,
                    until_in_turn(_GHOST_SECONDS),
                )
            )  # fmt: skip
        plan = None if guest is not None and guest.takes_clicks else self.view.plan
        if plan is not None and plan.changes_anything and self._shows(plan, clip):
            self._come_again(
                draw_plan(
                    painter, self.view.camera, self.view.shown_map, self.view.store, plan,
                    until_in_turn(_GHOST_SECONDS),
                )
            )  # fmt: skip
        self._come_again(not self.view.look_further())
        self._draw_markers(painter, clip)
        if self.view.pointer is not None and self.view.asks_why:
            draw_why(
                painter,
                camera,
                self.view.session,
                self.view.store,
                self.view.pointer,
                self.view.rect(),
            )
        elif self.view.pointer is not None and (
            self.view.underMouse() or self.view.cell_cursor is not None
        ):
            box, _ = brush(self.view.desk_now(), grid, self.view.pointer)
            draw_label(
                painter, camera, self.view.pointer, self.view.label(), self.view.rect(), grid, box
            )

    def _come_again(self, whole: bool) -> None:
        """Have what there was no time for drawn in the next frame."""
        if not whole:
            self.view.cold += 1
            self.view.later.start()

    def _draw_markers(self, painter: QPainter, clip: QRect) -> None:
        assert self.view.shown_map is not None
        tool = self.view.gesture or self.view.tool_of()
        selects = isinstance(tool, SelectMarkers)
        instead = tool.shown if isinstance(tool, SelectMarkers) else {}
        draw_markers(
            painter,
            self.view.camera,
            self.view.session,
            self.view.shown_map,
            clip,
            instead,
            self.view.outlines,
        )
        ghost = self.view.ghost_marker
        if ghost is not None:
            self._draw_marker_pictures(painter, [ghost], [])
            draw_marker_ghost(painter, self.view.camera, self.view.session, ghost, clip)
        if selects and isinstance(tool, SelectMarkers):
            if any(each.tile is not None for each in instead.values()):
                self._draw_marker_pictures(painter, list(instead.values()), list(instead))
            if tool.frame is not None:
                draw_frame(painter, self.view.layer_camera_now(), tool.frame)

    def _draw_marker_pictures(
        self, painter: QPainter, markers: list[Marker], without: list[int]
    ) -> None:
        """Draw the map where free pictures would be, as it would be with them."""
        assert self.view.shown_map is not None
        assert self.view.store is not None
        layer = self.view.session.layer
        pictures = [each for each in markers if each.tile is not None]
        box = marker_cells(self.view.session.project, self.view.shown_map, pictures)
        if box is None or not isinstance(layer, MarkerLayer):
            return
        kept = [each for each in layer.markers if each.number not in without]
        trial = replace(layer, markers=(*kept, *markers))
        box = self.view.store.shown(box).fitted(
            self.view.shown_map.height, self.view.shown_map.width, self.view.shown_map.wrap
        )
        if box.is_empty:
            return
        level = self.view.store.level_for(self.view.camera.zoom)
        pixels = self.view.store.picture_with(box, level, layer, trial)
        painter.drawImage(
            QRectF(self.view.screen_rect(box).adjusted(2, 2, -2, -2)), image_of(pixels)
        )

    def _shows(self, plan: Plan, clip: QRect) -> bool:
        """Whether a part of the screen shows a plan, or may do so over the border of the map."""
        assert self.view.shown_map is not None
        assert self.view.store is not None
        box = self.view.store.shown(cells_under(self.view.shown_map, plan.layer, plan.box))
        return self.view.shown_map.wrap or self.view.screen_rect(box).intersects(clip)
