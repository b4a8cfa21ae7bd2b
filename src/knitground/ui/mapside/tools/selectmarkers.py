"""Select on marker layers: choosing, moving and reshaping markers."""

from __future__ import annotations

from dataclasses import replace
from math import hypot

from PySide6.QtCore import Qt

from knitground.core.base.tongue import say
from knitground.core.edit.desk import Pointer
from knitground.core.edit.laying import Plan
from knitground.core.edit.markers import (
    change_markers,
    move_markers,
    moved,
    outline,
)
from knitground.core.model.layers import MarkerLayer
from knitground.core.model.map import Map
from knitground.core.model.marker import Marker, Point, Shape
from knitground.core.shapes.light import Grip, grips, lamp_of, with_grip
from knitground.ui.mapside.tools.markers import (
    BoxArea,
    EraseMarkers,
    MarkerTool,
    NoFill,
    PickMarker,
    PlaceMarker,
    PolygonArea,
    refusal_of,
    snap_step,
    snapped,
)
from knitground.ui.mapside.tools.tool import Tool
from knitground.ui.session import Session


class SelectMarkers(MarkerTool):
    """Select: chooses markers; a drag moves them, or one corner of an area, or draws a frame.

    Chosen lamps have a ring: it is dragged by its grips, for how far and how strongly they shine.
    """

    key = "select"
    drags = True

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._from: Pointer | None = None
        self._at: Pointer | None = None
        self._corner: tuple[Marker, int] | None = None
        self._grip: tuple[Marker, Grip] | None = None
        self._frame = False
        self._before: frozenset[int] = frozenset()

    @property
    def preview(self) -> Plan | None:
        return None

    @property
    def frame(self) -> tuple[Pointer, Pointer] | None:
        """Opposite corners of the frame that is being drawn."""
        if self._frame and self._from is not None and self._at is not None:
            return self._from, self._at
        return None

    @property
    def shown(self) -> dict[int, Marker]:
        """Markers as they would be if the drag ended now, by their numbers."""
        found = self.parts()
        if found is None or self._from is None or self._at is None or self._frame:
            return {}
        map_, layer = found
        if self._grip is not None:
            changed = with_grip(*self._grip, self._at.x, self._at.y)
            return {changed.number: changed}
        if self._corner is not None:
            changed = self._with_corner(map_, self._corner[0], self._corner[1], self._at)
            return {changed.number: changed}
        right, down = self._step(map_)
        return {
            each.number: moved(each, right, down)
            for each in layer.markers
            if each.number in self.session.markers
        }

    def press(self, at: Pointer) -> bool:
        found = self.parts()
        if found is None:
            return False
        self._from = self._at = at
        self._before = self.session.markers
        self._corner, self._frame = self._corner_at(*found, at), False
        self._grip = self._grip_at(*found, at)
        if self._corner is not None or self._grip is not None:
            return True
        under = self.under(at)
        adds = bool(self.modifiers & Qt.KeyboardModifier.ShiftModifier)
        takes = bool(self.modifiers & Qt.KeyboardModifier.ControlModifier)
        if under is None:
            self._frame = True
            if not (adds or takes):
                self.session.choose_markers(())
        elif takes:
            self.session.choose_markers(self._before - {under.number})
        elif adds:
            self.session.choose_markers(self._before | {under.number})
        elif under.number not in self._before:
            self.session.choose_markers([under.number])
        return True

    def move(self, at: Pointer) -> None:
        self._at = at
        found = self.parts()
        if self._frame and found is not None and self._from is not None:
            x0, x1 = sorted((self._from.x, at.x))
            y0, y1 = sorted((self._from.y, at.y))
            hit = {
                each.number
                for each in found[1].markers
                if all(
                    x0 <= x <= x1 and y0 <= y <= y1 for x, y in outline(self.session.project, each)
                )
            }
            kept = self._before if self.modifiers & Qt.KeyboardModifier.ShiftModifier else set()
            self.session.choose_markers(hit | kept)

    def release(self) -> None:
        found, shown, chosen = self.parts(), self.shown, self.session.markers
        corner, grip = self._corner, self._grip
        step = self._step(found[0]) if found is not None else (0.0, 0.0)
        self._end()
        if found is None or not shown or refusal_of(self.session, found[1]) is not None:
            return
        if grip is not None:
            number, what = (
                grip[0].number,
                say("{value} of the lamp", value=say(grip[1].value).capitalize()),
            )
            self.session.apply(change_markers(*found, [number], lambda _: shown[number], what))
        elif corner is not None:
            number = corner[0].number
            edit = change_markers(*found, [number], lambda _: shown[number], say("Move corner"))
            self.session.apply(edit)
        elif step != (0, 0):
            self.session.apply(move_markers(*found, chosen, *step))

    def cancel(self) -> None:
        self._end()
        self.session.choose_markers(self._before)

    def _end(self) -> None:
        self._from = self._at = self._corner = self._grip = None
        self._frame = False

    def _step(self, map_: Map) -> Point:
        if self._from is None or self._at is None:
            return 0.0, 0.0
        across, down = snap_step(self.desk, map_)
        x, y = self._at.x - self._from.x, self._at.y - self._from.y
        return round(x / across) * across, round(y / down) * down

    def _grip_at(self, map_: Map, layer: MarkerLayer, at: Pointer) -> tuple[Marker, Grip] | None:
        """Find a grip on the ring of a chosen lamp."""
        near = map_.lattice.shorter / 3
        for each in layer.markers:
            lamp = lamp_of(each) if each.number in self.session.markers else None
            for grip, (x, y) in grips(lamp).items() if lamp is not None else ():
                if hypot(x - at.x, y - at.y) <= near:
                    return each, grip
        return None

    def _corner_at(self, map_: Map, layer: MarkerLayer, at: Pointer) -> tuple[Marker, int] | None:
        """Find a corner of a chosen area that is not turned."""
        near = map_.lattice.shorter / 4
        for each in layer.markers:
            if each.number not in self.session.markers or each.turn:
                continue
            if each.shape not in (Shape.BOX, Shape.POLYGON):
                continue
            for n, (x, y) in enumerate(outline(self.session.project, each)):
                if abs(x - at.x) <= near and abs(y - at.y) <= near:
                    return each, n
        return None

    def _with_corner(self, map_: Map, marker: Marker, n: int, at: Pointer) -> Marker:
        x, y = snapped(self.desk, map_, at)
        if marker.shape is Shape.POLYGON:
            points = list(marker.points)
            points[n] = (x, y)
            return replace(marker, points=tuple(points))
        (x0, y0), (x1, y1) = marker.points
        x0, x1 = (x, x1) if n in (0, 3) else (x0, x)
        y0, y1 = (y, y1) if n in (0, 1) else (y0, y)
        if x0 == x1 or y0 == y1:
            return marker
        return replace(marker, points=((min(x0, x1), min(y0, y1)), (max(x0, x1), max(y0, y1))))


def marker_tools(session: Session) -> dict[str, Tool]:
    """Make the tools of marker layers, by their keys."""
    made: list[Tool] = [
        PlaceMarker(session), PolygonArea(session), BoxArea(session), NoFill(session),
        EraseMarkers(session), PickMarker(session), SelectMarkers(session),
    ]  # fmt: skip
    return {tool.key: tool for tool in made}
