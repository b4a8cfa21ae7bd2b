"""The map's border: dragged, it grows or cuts the map."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from knitground.core.base.errors import KnitError
from knitground.core.base.tongue import say
from knitground.core.edit.maps import check_size
from knitground.core.edit.sizes import Margins, counted_after, cut_content
from knitground.core.model.map import Map
from knitground.ui.common.theme import LINEN
from knitground.ui.common.zoom import Camera
from knitground.ui.mapside.canvas.over import Canvas, Overlay
from knitground.ui.mapside.canvas.overlay import corners_round
from knitground.ui.session import Session

_GRIP = 9.0
"""Screen pixels outside the border within which it can be gripped."""
_NEAR = 60.0
"""Screen pixels outside the border within which its handles are shown."""
_HANDLE = 7.0
_FAR = 22.0
"""Where the handles of a map that wraps are: out of the way of strokes over its border."""
_COUNTED_CELLS = 512 * 512
"""Up to this size what would be cut is counted while the border is dragged."""
_SIDES = "top", "right", "bottom", "left"
_SLANTS = (frozenset({"top", "left"}), frozenset({"bottom", "right"}))


class BorderDrag(Overlay):
    """A drag of one side or corner of the map, from press to release.

    On a map that wraps one can draw over the border, so there only its handles grip.
    """

    def __init__(self, session: Session, view: QWidget) -> None:
        super().__init__(session, view)
        self._sides: frozenset[str] = frozenset()
        self._over: frozenset[str] = frozenset()
        self._margins = Margins()
        self._map: Map | None = None
        self._near = False
        self.label = ""
        self.warns = False

    @property
    def cursor(self) -> Qt.CursorShape | None:
        """Shape of the pointer while it is on the border; None elsewhere."""
        sides = self._sides or self._over
        if len(sides) == 2:
            slant = sides in _SLANTS
            return Qt.CursorShape.SizeFDiagCursor if slant else Qt.CursorShape.SizeBDiagCursor
        if sides & {"left", "right"}:
            return Qt.CursorShape.SizeHorCursor
        return Qt.CursorShape.SizeVerCursor if sides else None

    @property
    def is_gripped(self) -> bool:
        """Whether it is being dragged."""
        return bool(self._sides)

    def press(self, at: QPointF, camera: Camera, map_: Map) -> bool:
        """Grip the border if the pointer is on it."""
        self._sides = _sides_at(at, camera, map_)
        if not self._sides:
            return False
        self._map = map_
        self._margins = Margins()
        return True

    def move(self, at: QPointF, camera: Camera, map_: Map) -> bool:
        """Go on with a drag; without one, note whether the pointer is on the border."""
        if not self._sides or self._map is not map_:
            self._over = _sides_at(at, camera, map_)
            self._near = 0 < max(_away(at, camera, map_).values()) <= _NEAR
            return False
        place = camera.to_picture(at.x(), at.y())
        top, left, bottom, right = map_.lattice.lines_near(*place)
        rows, columns = map_.lattice.counted
        wanted = {"top": -top, "left": -left, "bottom": bottom - rows, "right": right - columns}
        self._margins = replace(Margins(), **{side: wanted[side] for side in self._sides})
        self._tell(map_)
        return True

    def _tell(self, map_: Map) -> None:
        m = self._margins
        (height, width), (rows, columns) = counted_after(map_, m), map_.lattice.counted
        self.label, self.warns = (
            say(
                "{columns} × {rows} → {width} × {height} cells",
                columns=columns,
                rows=rows,
                width=width,
                height=height,
            ),
            False,
        )
        try:
            check_size(height, width)
        except KnitError as error:
            self.label, self.warns = str(error), True
            return
        if min(m.top, m.left, m.bottom, m.right) < 0 and map_.height * map_.width <= _COUNTED_CELLS:
            lost = cut_content(map_, m)
            if lost:
                parts = ", ".join(
                    say("{count} of {name}", count=count, name=name) for name, count in lost.items()
                )
                self.label, self.warns = (
                    say("{label} · cuts off {parts}", label=self.label, parts=parts),
                    True,
                )

    def release(self) -> bool:
        """Give the map the size it was dragged to, as one step; returns whether one was dragged."""
        map_, margins = self._map, self._margins
        if not self.cancel() or map_ is None:
            return False
        self.session.resize_map(map_, margins)
        return True

    def cancel(self) -> bool:
        """Let go of the border; nothing has changed. Returns whether it was gripped."""
        gripped = bool(self._sides)
        self._sides, self._map = frozenset(), None
        self.label, self.warns = "", False
        return gripped

    def draw(self, on: Canvas) -> bool:
        """Draw the handles while the pointer is near, and the border that the map would have."""
        painter, camera, map_ = on.painter, on.camera, on.map
        if self._near or self._sides:
            painter.setBrush(QColor(LINEN.panel))
            painter.setPen(QPen(QColor(LINEN.madder), 1.5))
            for spot in _handles(camera, map_).values():
                painter.drawRect(spot)
        if not self._sides:
            return True
        m = self._margins
        after, own = map_.lattice.grown(m.top, m.left, m.bottom, m.right)
        (x0, y0), (x1, y1) = after.place(own[0], own[1]), map_.lattice.place(0, 0)
        corners = [(x - x0 + x1, y - y0 + y1) for x, y in after.sides]
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for colour, width in ((LINEN.panel, 4), (LINEN.madder, 2)):
            painter.setPen(QPen(QColor(colour), width))
            painter.drawPolygon(QPolygonF(corners_round(camera, corners)))
        return True


def _away(at: QPointF, camera: Camera, map_: Map) -> dict[str, float]:
    """Tell by how many screen pixels a place lies beyond each side of the map; less than 0 within.

    A side lies between two corners of the map's outline, which goes round clockwise.
    """
    corners = corners_round(camera, map_.lattice.sides)
    out = {}
    for n, side in enumerate(_SIDES):
        start, along = corners[n], corners[(n + 1) % 4] - corners[n]
        off = at - start
        length = max(1.0, QPointF.dotProduct(along, along)) ** 0.5
        out[side] = (along.y() * off.x() - along.x() * off.y()) / length
    return out


def _handles(camera: Camera, map_: Map) -> dict[frozenset[str], QRectF]:
    """Give the handles on the screen, just outside the map, by the sides that they move."""
    corners = corners_round(camera, map_.lattice.sides, _FAR if map_.wrap else _HANDLE)
    half = _HANDLE / 2
    out = {}
    for n, side in enumerate(_SIDES):
        spots = {
            frozenset({side}): (corners[n] + corners[(n + 1) % 4]) / 2,
            frozenset({side, _SIDES[n - 1]}): corners[n],
        }
        for sides, at in spots.items():
            out[sides] = QRectF(at.x() - half, at.y() - half, _HANDLE, _HANDLE)
    return out


def _sides_at(at: QPointF, camera: Camera, map_: Map) -> frozenset[str]:
    """Give the sides of the border that the pointer is on, just outside the map."""
    for sides, spot in _handles(camera, map_).items():
        if spot.adjusted(-2, -2, 2, 2).contains(at):
            return sides
    away = _away(at, camera, map_)
    if map_.wrap or max(away.values()) > _GRIP:
        return frozenset()
    return frozenset(side for side, far in away.items() if far > 1)
