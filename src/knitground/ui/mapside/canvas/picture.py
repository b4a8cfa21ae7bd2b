"""The map on the screen: pieces, zoom, ghost, label, cell cursor, and following what changes."""

from __future__ import annotations

from time import monotonic, perf_counter
from typing import NamedTuple, TypeVar
from weakref import WeakKeyDictionary

from PySide6.QtCore import QPoint, QPointF, QRect, QRectF, Qt, QTimer, Signal, SignalInstance
from PySide6.QtGui import (
    QColor,
    QPainter,
    QPaintEvent,
    QResizeEvent,
)
from PySide6.QtWidgets import QWidget

from knitground.core.base.tongue import say
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.desk import Desk, Pointer
from knitground.core.edit.laying import Plan
from knitground.core.edit.markers import marker_cells
from knitground.core.edit.planning import refusal
from knitground.core.model.lattice import Point, Rect
from knitground.core.model.layers import MarkerLayer
from knitground.core.model.map import Map, cells_under
from knitground.core.model.marker import Marker
from knitground.core.shapes.light import ambient_layer_of
from knitground.ui.common.painting import painting
from knitground.ui.common.pulse import until_in_pulse
from knitground.ui.common.theme import theme
from knitground.ui.common.touch import Pinch
from knitground.ui.common.zoom import STEPS, Camera
from knitground.ui.mapside.canvas.border import BorderDrag
from knitground.ui.mapside.canvas.chunks import ChunkStore
from knitground.ui.mapside.canvas.fitting import FittingPieces
from knitground.ui.mapside.canvas.ghost import Ghost
from knitground.ui.mapside.canvas.held import HeldTool
from knitground.ui.mapside.canvas.over import Canvas, Overlay
from knitground.ui.mapside.canvas.overlay import layer_camera, map_rect, pixel_rect
from knitground.ui.mapside.canvas.overlays import OVERLAYS
from knitground.ui.mapside.canvas.overview import Overview
from knitground.ui.mapside.canvas.shapes import MapShapes
from knitground.ui.mapside.layerlooks import under_pointer
from knitground.ui.mapside.tools.tool import Tool
from knitground.ui.session import Session

_FRAME_SECONDS = 0.006
Kind = TypeVar("Kind", bound=Overlay)
_MOVES_FROM_PX = 4.0
"""Pixels of a cell on the screen from which on animations run: below, nobody sees them."""


_LEAST_MS = 15
"""Frames that are shorter are not all seen: the screen itself takes so long."""


def _now_ms() -> int:
    return int(monotonic() * 1000)


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


class MapPicture(QWidget):
    """Shows the session's map and follows it; what the pointer does is up to `MapView`."""

    zoomed = Signal()
    entered = Signal()
    """The pointer has come over it, or a key was pressed in it."""

    def __init__(
        self, session: Session, tools: dict[str, Tool], marker_tools: dict[str, Tool]
    ) -> None:
        super().__init__()
        self._went_on = False
        self.session = session
        self._sight = session.sight
        self.camera = Camera()
        self._tools = tools
        self._marker_tools = marker_tools
        self.markers: dict[int, tuple[Marker, ...]] = {}
        self.overlays = [kind(session, self) for kind in OVERLAYS]
        self.shapes = self.overlay(MapShapes)
        self.border = self.overlay(BorderDrag)
        self.fitting = self.overlay(FittingPieces)
        self._held = HeldTool(session, tools)
        self._ghost = Ghost(session, self)
        self.store: ChunkStore | None = None
        self._cameras: WeakKeyDictionary[Map, Camera] = WeakKeyDictionary()
        self.shown_map: Map | None = None
        self.pointer: Pointer | None = None
        self.cell_cursor: tuple[int, int] | None = None
        self._pan_from: QPointF | None = None
        self._space = False
        self._pinch = Pinch()
        self._rubs = False
        """Whether the end of a pen that rubs out is pressed."""
        self.asks_why = False
        self._pan_button: Qt.MouseButton | None = None
        self.gesture: Tool | None = None
        """The tool that goes on from a press to a release, whichever is chosen meanwhile."""
        self.gesture_button: Qt.MouseButton | None = None
        self._fresh_view = False
        self._telling = QTimer(self, singleShot=True, interval=0)
        self._telling.timeout.connect(self.tell)
        self.cold = 0
        self.drawn: Map | None = None
        """The map that was last painted whole."""
        self.paint_ms = 0.0
        self.setAcceptDrops(True)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(say("Map"))
        self.setMinimumSize(240, 160)
        self.setCursor(Qt.CursorShape.CrossCursor)
        self._clock = QTimer(self, singleShot=True)
        self._clock.timeout.connect(self._animate)
        self.later = QTimer(self, singleShot=True, interval=0)
        self.later.timeout.connect(super().update)
        self.gives_way = False
        """Whether another view of the map is worked in."""
        self.overview = Overview(session, lambda: self.camera, self)
        session.opened.connect(self._reopen)
        session.changed.connect(self.follow)
        session.choice.map_changed.connect(self._on_picked)
        session.choice.layer_changed.connect(self._look_into)
        session.sight_changed.connect(self._follow_sight)
        for signal in self._repainting():
            signal.connect(self.update)

    def _repainting(self) -> list[SignalInstance]:
        """Signals after which something over the map looks different."""
        s = self.session
        return [
            s.choice.selected, s.tools.tool_changed,
            s.tools.options_changed, s.in_hand.changed, s.marks_changed, s.walk_changed,
            s.figure_moved,
        ]  # fmt: skip

    # What is shown

    def overlay(self, kind: type[Kind]) -> Kind:
        """Give the one of a kind that is drawn over this view."""
        return next(each for each in self.overlays if isinstance(each, kind))

    @property
    def at(self) -> Pointer | None:
        """Where the pointer, or the cell cursor, is on the map."""
        return self.pointer

    @property
    def middle(self) -> Point:
        """The place of the map in the middle of the view."""
        return self.camera.to_picture(self.width() / 2, self.height() / 2)

    @property
    def plan(self) -> Plan | None:
        """What a click would lay now."""
        if isinstance(self.desk_now().layer, MarkerLayer):
            return None
        if self.gesture is not None:
            return self.gesture.preview
        return self._ghost.plan(self.pointer)

    @property
    def ghost_marker(self) -> Marker | None:
        """The marker that a click, or letting go, would lay now."""
        if not isinstance(self.desk_now().layer, MarkerLayer) or self.pointer is None:
            return None
        if self.gesture is not None and not self.gesture.is_open:
            return self.gesture.marker
        return (self.gesture or self.tool_of()).would_lay(self.pointer)

    def label(self) -> tuple[str, bool]:
        """Text of the label at the pointer, and whether it is a warning."""
        s = self.session
        if self.border.label:
            return self.border.label, self.border.warns
        if s.taker is not None:
            return s.taker.label(), False
        refused = refusal(self.desk_now(), self.pointer)
        if refused:
            return refused, True
        layer = s.layer.name if s.layer else ""
        if s.tool == "pick":
            return say("Pick ← {layer}", layer=layer), False
        if s.tool == "select" and isinstance(s.layer, MarkerLayer):
            return say(
                "Select markers · {count} chosen → {layer}", count=len(s.markers), layer=layer
            ), False
        if s.tool == "select":
            count = s.selection.count if s.selection else 0
            return say(
                "Select by {select_way} · {count} cells",
                select_way=say(s.options.select_way),
                count=count,
            ), False
        what = "" if s.tool == "erase" else f" · {s.hand.title}" if s.hand else ""
        more = say(" (goes on beyond what is shown)") if self._fill_goes_on() else ""
        plan = self.plan
        bridged = say(" + {bridged} bridged", bridged=plan.bridged) if plan and plan.bridged else ""
        name = plan.edit.name if plan and s.tool == "erase" else say(s.tool.capitalize())
        drops = say(" · Esc drops it") if s.in_hand.floats and s.tool == "paint" else ""
        return f"{name}{what} → {layer}{bridged}{more}{drops}", False

    def look_further(self) -> bool:
        """Let the ghost reach further in the next frame; returns whether it will."""
        return self._ghost.look_further()

    def _fill_goes_on(self) -> bool:
        return self.session.tool == "fill" and self._ghost.fill_goes_on

    def open_map(self) -> None:
        """Show the session's map, in a view that was made after the map was chosen."""
        self._on_picked()

    def retire(self) -> None:
        """Take the view away for good; it follows nothing any more."""
        for signal, slot in (
            (self.session.opened, self._reopen), (self.session.changed, self.follow),
            (self.session.choice.map_changed, self._on_picked),
            (self.session.choice.layer_changed, self._look_into),
            (self.session.sight_changed, self._follow_sight),
        ):  # fmt: skip
            signal.disconnect(slot)
        for signal in self._repainting():
            signal.disconnect(self.update)
        self._clock.stop()
        self.hide()
        self.deleteLater()

    def fit(self) -> None:
        """Show the whole map."""
        if self.shown_map is not None:
            width, height = self._map_px()
            times = 3 if self.session.sight.repeat else 1
            room = (self.width(), self.height())
            self.camera.fit(width * times, height * times, *room, most=4)
            self.camera.centre(width / 2, height / 2, self.width(), self.height())
            self._fresh_view = False  # it was asked for: a resize does not take it back
            self._moved()

    def show_only(self, pixels: Rect) -> None:
        """Show a part of the map, in its middle and as large as whole steps allow."""
        self.camera.fit(round(pixels.width), round(pixels.height), self.width(), self.height(), 32)
        middle = pixels.x + pixels.width / 2, pixels.y + pixels.height / 2
        self.camera.centre(*middle, self.width(), self.height())
        self._fresh_view = False
        self._moved()

    def zoom_by(self, steps: int) -> None:
        """Zoom round the middle of the view."""
        if self.camera.zoom_by(steps, self.width() / 2, self.height() / 2):
            self._moved()

    def zoom_to(self, step: int) -> None:
        """Go to a zoom step, an index into `zoom.STEPS`."""
        self.zoom_by(step - self.camera.step)

    def _follow_sight(self) -> None:
        """Show what is to be shown now, and no more what is not."""
        before, self._sight = self._sight, self.session.sight
        if not self._sight.playing and self.store is not None:
            self.store.atlas.show_time(0)
        if before.repeat != self._sight.repeat:
            self.fit()
        self._look_into()
        self._run_clock()

    def _look_into(self) -> None:
        if self.store is not None:
            sight, map_ = self.session.sight, self.shown_map
            self.store.look_into(self.session.layer if sight.into else None)
            light = ambient_layer_of(map_) if sight.light and map_ is not None else None
            self.store.leave_out(light)
        self.update()

    def _run_clock(self) -> None:
        """Come back when the next frame is due that is seen.

        Asked at each paint: where nothing is painted, minimised or covered, nothing comes back.
        """
        if not self._plays():
            self._clock.stop()
        elif not self._clock.isActive():
            assert self.store is not None
            due = self.store.atlas.next_change(_now_ms())
            if due is not None and self.moving_rects():
                self._clock.start(max(_LEAST_MS, due))

    def _plays(self) -> bool:
        if self.shown_map is None or self.store is None or not self.session.sight.playing:
            return False
        large = self.camera.zoom * self.shown_map.lattice.shorter >= _MOVES_FROM_PX
        seen = self.isVisible() and not self.window().isMinimized()
        return seen and large and self.store.atlas.moving

    def _animate(self) -> None:
        """Paint what moves as it is now; the paint asks when to come back."""
        if not self._plays():
            return
        assert self.store is not None
        self.store.atlas.show_time(_now_ms())
        for rect in self.moving_rects():
            self.update(rect)

    def _moved(self) -> None:
        self.overview.update()
        self.zoomed.emit()
        self.update()

    def _map_px(self) -> tuple[int, int]:
        assert self.shown_map is not None
        return self.shown_map.lattice.extent

    # The pointer's place

    def tool_of(self, key: str | None = None) -> Tool:
        """The tool of a key, by default the chosen one, as it works on the chosen layer."""
        on_markers = isinstance(self.session.layer, MarkerLayer)
        return (self._marker_tools if on_markers else self._tools)[key or self.session.tool]

    def desk_now(self) -> Desk:
        """What a click would work with: while a gesture goes on, what that works with."""
        return self.gesture.desk if self.gesture is not None else self.session.desk()

    def keep_in_view(self, x: float, y: float, edge: int = 48) -> None:
        """Move the map so far that a place is so many pixels within the view."""
        self._fresh_view = False  # it was asked for: a resize does not take it back
        sx, sy = self.layer_camera_now().to_screen(x, y)
        across = round(max(0, edge - sx) - max(0, sx - self.width() + edge))
        down = round(max(0, edge - sy) - max(0, sy - self.height() + edge))
        if across or down:
            self.camera.left += across
            self.camera.top += down
            self._moved()

    def tell(self) -> None:
        self.session.pointed.emit(under_pointer(self.session, self.pointer) if self.pointer else "")

    def tell_soon(self) -> None:
        """Tell at once, or after the frame while something is drawn: that comes first."""
        if self.gesture is None:
            self.tell()
        elif not self._telling.isActive():
            self._telling.start()

    def screen_at(self, row: int, col: int, dx: float = 0.5, dy: float = 0.5) -> QPoint:
        """Screen place of a part of a cell, for tests and for other views."""
        grid = self.session.grid
        assert grid is not None
        place = grid.lattice.place(row + dy, col + dx)
        return QPointF(*self.layer_camera_now().to_screen(*place)).toPoint()

    # Following the session

    def update(self, *_: object) -> None:
        """Paint it again; two views of a map never in one turn: it takes each half of one."""
        if not self.gives_way:
            super().update()
        elif not self.later.isActive():
            self.later.start()

    def _reopen(self) -> None:
        self._cameras.clear()
        for overlay in self.overlays:
            overlay.forget()
        self.shown_map = None
        self.store = None
        self._space = self.asks_why = False
        self.pointer = self.cell_cursor = self._pan_from = self._pan_button = None
        self._on_picked()

    def _on_picked(self) -> None:
        if self.session.map is not self.shown_map:
            self._show_map(self.session.map)
        self._look_into()

    def _show_map(self, map_: Map | None) -> None:
        if self.shown_map is not None:
            self._cameras[self.shown_map] = self.camera
        self.shown_map = map_
        self.markers = {
            each.number: each.markers
            for each in (map_.layers if map_ else [])
            if isinstance(each, MarkerLayer)
        }
        self.cell_cursor = None
        self.store = self.new_store(map_) if map_ else None
        known = self._cameras.get(map_) if map_ is not None else None
        self.camera = known or Camera()
        if map_ is not None and known is None:
            self._first_view(map_)
        self.zoomed.emit()

    def new_store(self, map_: Map) -> ChunkStore:
        return ChunkStore(self.session.doc, map_, self.session.atlases.of(map_))

    def _first_view(self, map_: Map) -> None:
        self.fit()
        if self.camera.zoom < 1:
            self.camera.step = STEPS.index(1)
            wide, high = self._map_px()
            self.camera.centre(wide / 2, high / 2, self.width(), self.height())
        self._fresh_view = True
        self.zoomed.emit()

    def resizeEvent(self, event: QResizeEvent) -> None:
        if self._fresh_view and self.shown_map is not None:
            self._first_view(self.shown_map)
        self.overview.place()
        super().resizeEvent(event)

    def screen_rect(self, pixels: Rect) -> QRect:
        """Where pixels of the map lie on the screen."""
        return pixel_rect(self.camera, pixels).toAlignedRect().adjusted(-2, -2, 2, 2)

    # Painting

    def paintEvent(self, event: QPaintEvent) -> None:
        begun = perf_counter()
        self._paint(event)
        self.paint_ms = (perf_counter() - begun) * 1000

    def _paint(self, event: QPaintEvent) -> None:
        with painting(self) as painter:
            painter.fillRect(event.rect(), theme().colour("canvas"))
            if self.shown_map is None or self.store is None:
                return
            until = until_in_pulse(_FRAME_SECONDS)
            self.cold = 0
            self.draw_ground(painter)
            for copy in self.copies():
                self.draw_map(painter, event.rect(), copy, until)
            if self.cold:
                self.later.start()
            self._run_clock()
            self.draw_over(painter, event.rect())
            if not self.cold:
                self.drawn = self.shown_map

    def layer_camera_now(self) -> Camera:
        """The camera as it sees the chosen layer."""
        return layer_camera(self.camera, self.desk_now().layer)

    def follow(self, change: Changed) -> None:
        """Repaint what a change touches."""
        for overlay in self.overlays:
            overlay.follow(change)
        if self.store is None:
            return
        if change.what in (What.SLICING, What.LOOKS, What.TILESETS):
            self.store.touch_all()  # the atlas has followed
        elif (
            change.map is self.shown_map and change.what is What.SIZE and self.shown_map is not None
        ):
            self.cell_cursor = None
            self.store = self.new_store(self.shown_map)
        elif change.map is self.shown_map and change.what is What.CELLS:
            self._follow_cells(change)
            return
        elif change.map is self.shown_map and change.what is What.MARKERS:
            self._follow_markers(change)
        elif change.map is self.shown_map and change.what in (What.LAYERS, What.KNITTING):
            self.store.touch_all()
        self._look_into()  # which layer is light may be another one now

    def _follow_cells(self, change: Changed) -> None:
        assert self.store is not None
        assert self.shown_map is not None
        if change.box is None:
            self.store.touch_all()
            self.update()
            return
        under = cells_under(self.shown_map, change.layer, change.box)
        box = self.shown_map.lattice.fitted(under)
        self.store.touch(box)
        if self.session.sight.repeat or self.shown_map.wrap or self.session.sight.shapes:
            self.update()
        else:
            self.update(self.screen_rect(self.store.shown(box)))
        if self.pointer is not None and self.gesture is None:
            self.tell()  # what is under a pointer at rest may be another tile now

    def _follow_markers(self, change: Changed) -> None:
        """Draw anew where free pictures were and where they are now."""
        assert self.store is not None
        assert self.shown_map is not None
        layer = change.layer
        if not isinstance(layer, MarkerLayer):
            return
        before = self.markers.get(layer.number, ())
        self.markers[layer.number] = layer.markers
        other = [each for each in {*before} ^ {*layer.markers} if each.tile is not None]
        box = marker_cells(self.session.project, self.shown_map, other)
        if box is not None:
            self.store.touch(self.shown_map.lattice.fitted(box))
        if self.pointer is not None:
            self.tell()

    def draw_ground(self, painter: QPainter) -> None:
        """Draw the map's background colour, behind all layers."""
        self._went_on = False
        assert self.shown_map is not None
        if self.shown_map.background is None:
            return
        rect = map_rect(self.camera, self.shown_map)
        for x, y in self.copies():
            copy = rect.translated(x * self.camera.zoom, y * self.camera.zoom)
            painter.fillRect(copy, QColor(self.shown_map.background))

    def copies(self) -> list[Point]:
        """List by how many pixels of the map the copies are moved that are shown."""
        assert self.shown_map is not None
        return self.shown_map.lattice.copies if self.session.sight.repeat else [(0, 0)]

    def _scaled(self, clip: QRect, copy: Point) -> _Scaled:
        """Where the pieces of a copy of the map lie on the screen, and what of it a clip shows."""
        assert self.shown_map is not None
        assert self.store is not None
        zoom, lattice = self.camera.zoom, self.shown_map.lattice
        level = self.store.level_for(zoom)
        # How many pixels of the screen a pixel of the level is.
        scale = lattice.scale(lattice.at_level(level))
        wide, high = zoom / scale[0], zoom / scale[1]
        left, top = self.camera.left + copy[0] * zoom, self.camera.top + copy[1] * zoom
        seen = Rect(
            (clip.left() - left) / wide, (clip.top() - top) / high,
            clip.width() / wide, clip.height() / high,
        )  # fmt: skip
        return _Scaled(level, left, top, wide, high, seen)

    def moving_rects(self) -> list[QRect]:
        """List where on the screen animations are seen."""
        assert self.store is not None
        out = []
        for copy in self.copies():
            scaled = self._scaled(self.rect(), copy)
            for each in self.store.moving_in(scaled.level, scaled.seen):
                out.append(scaled.on_screen(each).toAlignedRect() & self.rect())
        return [each for each in out if not each.isEmpty()]

    def draw_map(self, painter: QPainter, clip: QRect, copy: Point, until: float) -> None:
        assert self.store is not None
        assert self.shown_map is not None
        store, zoom = self.store, self.camera.zoom
        scaled = self._scaled(clip, copy)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, zoom < 1)
        for key in store.keys_in(scaled.level, scaled.seen):
            chunk = store.ready(key)
            if chunk is None:
                if self._went_on and perf_counter() > until:
                    self.cold += 1
                    chunk = store.stale(key)
                else:
                    self._went_on = True  # with one piece at least, or it never came to an end
                    chunk = store.make(key, until)
                    self.cold += chunk.dirty is not None
            if chunk is not None:
                target = scaled.on_screen(chunk.rect)
                painter.drawImage(target, chunk.image_for(target.width(), target.height()))

    def draw_over(self, painter: QPainter, clip: QRect) -> None:
        assert self.shown_map is not None
        assert self.store is not None
        desk = self.desk_now()
        plan = None if self.session.taker is not None else self.plan
        if plan is not None and not (plan.changes_anything and self._shows(plan, clip)):
            plan = None
        canvas = Canvas(
            painter, self.session, self.store, self.camera, self.layer_camera_now(),
            self.shown_map, desk.grid or self.shown_map, clip, self.rect(),
            self.gesture or self.tool_of(), desk, self.pointer, self.cell_cursor,
            self.cell_here(), self.underMouse() or self.cell_cursor is not None, self.asks_why,
            plan, self.ghost_marker, self.label(),
        )  # fmt: skip
        for overlay in self.overlays:
            self._come_again(overlay.draw(canvas))
            self.cold += overlay.waiting
        self._come_again(not self.look_further())

    def cell_here(self) -> tuple[int, int] | None:
        """Give the cell of the chosen layer that is pointed at, or that has the cell cursor."""
        grid, layer = self.session.grid, self.session.layer
        if grid is None or self.shown_map is None:
            return None
        cell = self.cell_cursor
        if cell is None and self.pointer is not None:
            cell = self.pointer.cell(grid)
        if cell is None:
            return None
        cell = self.fitting.cell_of(self.shown_map, layer, cell)
        return cell if grid.lattice.holds(*cell) else None

    def fit_piece(self, by: int) -> None:
        """Take the piece in hand that fits best there, or the next one or the one before."""
        self.fitting.step(self.cell_here(), by)

    def _come_again(self, whole: bool) -> None:
        """Have what there was no time for drawn in the next frame."""
        if not whole:
            self.cold += 1
            self.later.start()

    def _shows(self, plan: Plan, clip: QRect) -> bool:
        """Whether a part of the screen shows a plan, or may do so over the border of the map."""
        assert self.shown_map is not None
        assert self.store is not None
        shown = self.store.shown(cells_under(self.shown_map, plan.layer, plan.box))
        return self.shown_map.wrap or self.screen_rect(shown).intersects(clip)
