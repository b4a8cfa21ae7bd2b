"""Markers on the canvas: points, areas, names, corners of what is chosen."""

from __future__ import annotations

from collections.abc import Sequence
from zlib import crc32

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPen, QPolygonF

from knitground.core.base.tongue import say
from knitground.core.edit.desk import Pointer
from knitground.core.edit.markers import Bounds, Outlines, outline
from knitground.core.model.layers import MarkerLayer
from knitground.core.model.map import Map
from knitground.core.model.marker import Marker, Point, Shape
from knitground.core.render.pixels import Pixels
from knitground.core.shapes.light import LAMP, Grip, Lamp, grips, lamp_of
from knitground.ui.common.painting import image_of
from knitground.ui.common.theme import LINEN, text_scale
from knitground.ui.common.zoom import Camera
from knitground.ui.session import Session

_COLOURS = (
    "#3b4c8c", "#c65b3c", "#2f8f9d", "#b97e14", "#8a4f7d", "#5e7d3a", "#4a6a78", "#7a5a3a",
    "#a23b52", "#4f7fb5",
)  # fmt: skip
READY_KINDS = ("spawn point", "door", "path stop", "sound", "note", "camera", "lamp")
"""Kinds that are offered from the start; they take the first colours."""
_MOST_DRAWN = 1500
"""Markers in view that are drawn with all their marks; of more, each is a dot."""
_NAMES_FROM = 0.9
"""Zoom from which on names are written."""


def kind_colour(kind: str) -> str:
    """Give the colour of a kind of marker: always the same for the same word."""
    if not kind:
        return "#4b4855"
    if kind in READY_KINDS:
        return _COLOURS[READY_KINDS.index(kind)]
    others = _COLOURS[len(READY_KINDS) :]
    return others[crc32(kind.encode()) % len(others)]


def draw_markers(
    painter: QPainter,
    camera: Camera,
    session: Session,
    map_: Map,
    clip: QRect,
    instead: dict[int, Marker],
    outlines: Outlines,
) -> None:
    """Draw the markers of all visible layers; those of other layers fainter.

    `instead` are markers of the chosen layer as a drag shows them, by their numbers. Where very
    many are in view each is a dot.
    """
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for layer in map_.layers:
        if not isinstance(layer, MarkerLayer) or not layer.visible:
            continue
        here = layer is session.layer
        painter.setOpacity(1.0 if here else 0.55)
        down, across = layer.shift
        corners, bounds = outlines.of(session.project, layer)
        seen = _in_view(camera, bounds, (across, down), clip)
        if len(seen) > _MOST_DRAWN:
            kinds, which = outlines.kinds(layer)
            inks = np.array([QColor(kind_colour(each)).rgba() for each in kinds], np.uint32)
            moved_by = np.tile((across, down), 2)
            _draw_dots(painter, camera, clip, bounds[seen] + moved_by, inks[which[seen]])
            continue
        moved = (
            {n for n, each in enumerate(layer.markers) if each.number in instead}
            if here and instead
            else set()
        )
        lamps = (
            {n for n, each in enumerate(layer.markers) if each.number in session.markers
             and each.kind == LAMP}
            if here and session.markers
            else set()
        )  # fmt: skip
        for n in sorted({*seen.tolist(), *moved, *lamps}):
            each = layer.markers[n]
            shown = instead.get(each.number, each) if here else each
            at = corners[n] if shown is each else outline(session.project, shown)
            chosen = here and each.number in session.markers
            _draw(painter, camera, shown, at, (across, down), clip, chosen=chosen, here=here)
    painter.restore()


def _in_view(
    camera: Camera, bounds: Bounds, shift: tuple[int, int], clip: QRect
) -> NDArray[np.intp]:
    """Places of the markers that may show in a part of the screen, their names among it."""
    left, top = camera.to_picture(clip.left() - 160, clip.top() - 24)
    right, bottom = camera.to_picture(clip.right() + 17, clip.bottom() + 17)
    x0, y0, x1, y1 = (bounds + np.tile(shift, 2)).T
    return np.flatnonzero((x1 >= left) & (x0 <= right) & (y1 >= top) & (y0 <= bottom))


def _draw_dots(
    painter: QPainter, camera: Camera, clip: QRect, bounds: Bounds, inks: Pixels
) -> None:
    """Draw a dot of 5 pixels in the middle of each marker, all at once."""
    left, top = camera.to_picture(clip.left(), clip.top())
    xs = np.rint(((bounds[:, 0] + bounds[:, 2]) / 2 - left) * camera.zoom).astype(int)
    ys = np.rint(((bounds[:, 1] + bounds[:, 3]) / 2 - top) * camera.zoom).astype(int)
    pixels = np.zeros((clip.height() + 8, clip.width() + 8), np.uint32)
    inside = (xs >= -2) & (ys >= -2) & (xs < clip.width() + 2) & (ys < clip.height() + 2)
    spots = (ys[inside] + 4) * pixels.shape[1] + xs[inside] + 4
    inks, flat = inks[inside], pixels.reshape(-1)
    for down in range(-2, 3):
        for across in range(-2, 3):
            if abs(down) + abs(across) < 4:  # round: without the corners
                flat[spots + (down * pixels.shape[1] + across)] = inks
    painter.drawImage(clip.left() - 4, clip.top() - 4, image_of(pixels))


def draw_marker_ghost(
    painter: QPainter, camera: Camera, session: Session, marker: Marker, clip: QRect
) -> None:
    """Draw a marker that is not laid yet."""
    layer = session.layer
    down, across = layer.shift if layer is not None else (0, 0)
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    at = outline(session.project, marker)
    _draw(painter, camera, marker, at, (across, down), clip, chosen=True, here=True)
    painter.restore()


def draw_frame(painter: QPainter, camera: Camera, frame: tuple[Pointer, Pointer]) -> None:
    """Draw the frame with which markers are being chosen."""
    one, two = (QPointF(*camera.to_screen(each.x, each.y)) for each in frame)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for colour, width in ((LINEN.panel, 3), (LINEN.madder, 1)):
        painter.setPen(QPen(QColor(colour), width))
        painter.drawRect(QRectF(one, two).normalized())


def _draw(
    painter: QPainter,
    camera: Camera,
    marker: Marker,
    at: Sequence[Point],
    shift: tuple[int, int],
    clip: QRect,
    *,
    chosen: bool,
    here: bool,
) -> None:
    corners = [QPointF(*camera.to_screen(x + shift[0], y + shift[1])) for x, y in at]
    shape = QPolygonF(corners)
    lamp = lamp_of(marker) if chosen else None
    far = lamp.radius * camera.zoom if lamp is not None else 0.0
    seen = shape.boundingRect().adjusted(-16 - far, -16 - far, 160 + far, 24 + far)
    if not seen.intersects(QRectF(clip)):
        return
    colour = QColor(kind_colour(marker.kind))
    if lamp is not None:
        _draw_ring(painter, camera, lamp, shift)
    if marker.shape is Shape.POINT:
        _draw_point(painter, corners[0], colour, chosen=chosen)
    else:
        if marker.shape is not Shape.PICTURE and here:
            fill = QColor(colour)
            fill.setAlpha(46)
            painter.setBrush(fill)
        else:
            painter.setBrush(Qt.BrushStyle.NoBrush)
        if marker.shape is not Shape.PICTURE or here:
            _draw_rim(painter, shape, colour, chosen=chosen)
    if chosen:
        _draw_corners(painter, corners if marker.shape is not Shape.POINT else [])
    if camera.zoom >= _NAMES_FROM and (marker.name or marker.shape is not Shape.PICTURE):
        box = shape.boundingRect()
        spot = corners[0] + QPointF(10, -9) if marker.shape is Shape.POINT else box.topLeft()
        _write(painter, spot, marker.title)


def _draw_rim(painter: QPainter, shape: QPolygonF, colour: QColor, *, chosen: bool) -> None:
    ink = QColor(LINEN.madder) if chosen else colour
    painter.setPen(QPen(QColor(LINEN.panel), 4))
    painter.drawPolygon(shape)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(ink, 2, Qt.PenStyle.SolidLine if chosen else Qt.PenStyle.DashLine))
    painter.drawPolygon(shape)


def _draw_point(painter: QPainter, at: QPointF, colour: QColor, *, chosen: bool) -> None:
    """Draw a point as a knot: a ring with four short threads."""
    ink = QColor(LINEN.madder) if chosen else QColor(LINEN.ink)
    for pen in (QPen(QColor(LINEN.panel), 5), QPen(ink, 2)):
        painter.setPen(pen)
        for x, y in ((1, 0), (-1, 0), (0, 1), (0, -1)):
            painter.drawLine(at + QPointF(x * 5, y * 5), at + QPointF(x * 10, y * 10))
    painter.setPen(QPen(QColor(LINEN.panel), 2))
    painter.setBrush(colour)
    painter.drawEllipse(at, 5.5, 5.5)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(ink, 1.5))
    painter.drawEllipse(at, 6.5, 6.5)


def _draw_ring(painter: QPainter, camera: Camera, lamp: Lamp, shift: tuple[int, int]) -> None:
    """Draw how far a lamp shines, and its grips: a square for that, a knob for its strength."""
    middle = QPointF(*camera.to_screen(lamp.x + shift[0], lamp.y + shift[1]))
    far = lamp.radius * camera.zoom
    at = {grip: QPointF(*camera.to_screen(x + shift[0], y + shift[1]))
          for grip, (x, y) in grips(lamp).items()}  # fmt: skip
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for pen in (QPen(QColor(LINEN.panel), 3), QPen(QColor(LINEN.madder), 1)):
        painter.setPen(pen)
        painter.drawEllipse(middle, far, far)
    # The arc from the top to the knob says how strong it is, before one sees it.
    turn = round(360 * 16 * min(1.0, lamp.strength / 4))
    painter.setPen(QPen(QColor(LINEN.madder), 4))
    painter.drawArc(QRectF(middle.x() - far, middle.y() - far, 2 * far, 2 * far), 90 * 16, -turn)
    painter.setPen(QPen(QColor(LINEN.panel), 1.5))
    painter.setBrush(QColor(LINEN.madder))
    painter.drawEllipse(at[Grip.STRENGTH], 6, 6)
    square = QRectF(0, 0, 10, 10)
    square.moveCenter(at[Grip.RADIUS])
    painter.drawRect(square)
    strength = f"{lamp.strength:.2f}".rstrip("0").rstrip(".")
    _write(
        painter, at[Grip.STRENGTH] + QPointF(10, -9), say("strength {strength}", strength=strength)
    )


def _draw_corners(painter: QPainter, corners: list[QPointF]) -> None:
    painter.setBrush(QColor(LINEN.panel))
    painter.setPen(QPen(QColor(LINEN.madder), 2))
    for each in corners:
        painter.drawRect(QRectF(each.x() - 3.5, each.y() - 3.5, 7, 7))


def _write(painter: QPainter, at: QPointF, text: str) -> None:
    font = QFont(painter.font())
    font.setPixelSize(round(11 * text_scale()))
    painter.setFont(font)
    high = 16 * text_scale()
    wide = QFontMetricsF(font).horizontalAdvance(text)
    ground = QColor(LINEN.ink)
    ground.setAlpha(215)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(ground)
    rect = QRectF(at.x(), at.y() - high, wide + 10, high)
    painter.drawRoundedRect(rect, 3, 3)
    painter.setPen(QColor("#FFFFFF"))
    painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, text)
