"""What is drawn over the map: lines, pins, the ghost, the label, the cell cursor."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from math import ceil

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QLineF, QPoint, QPointF, QRect, QRectF, Qt
from PySide6.QtGui import (
    QColor,
    QFont,
    QFontMetricsF,
    QPainter,
    QPainterPath,
    QPen,
    QPixmap,
    QPolygon,
    QPolygonF,
)

from knitground.core.base.tongue import say
from knitground.core.base.window import Box, read
from knitground.core.edit.desk import Pointer
from knitground.core.edit.laying import Plan
from knitground.core.edit.selecting import Selection
from knitground.core.model.lattice import Lattice, Point, Rect
from knitground.core.model.layers import Layer, PinnedLayer
from knitground.core.model.map import Map, grid_of
from knitground.core.render.pixels import Pixels
from knitground.ui.common.painting import image_of
from knitground.ui.common.theme import LINEN, text_scale, theme
from knitground.ui.common.zoom import Camera
from knitground.ui.mapside.canvas.chunks import ChunkStore, GhostPicture

_MOST_PINS = 150
"""Pins that are drawn as such; of more each has the same picture."""
_MOST_LINES = 3000
"""Sides of selected cells that are drawn as lines; beyond, the outline is drawn as pixels."""
_GRID = QColor(LINEN.ink)
_GRID.setAlpha(38)


def map_rect(camera: Camera, map_: Map) -> QRectF:
    """Where the map lies on the screen."""
    return pixel_rect(camera, map_.lattice.frame)


def box_rect(camera: Camera, map_: Map, box: Box) -> QRectF:
    """Give the rectangle on the screen round a box of cells."""
    return pixel_rect(camera, map_.lattice.bounds(box))


def pixel_rect(camera: Camera, area: Rect) -> QRectF:
    """Where pixels of the map lie on the screen."""
    left, top = camera.to_screen(area.x, area.y)
    return QRectF(left, top, area.width * camera.zoom, area.height * camera.zoom)


def ghost_rect(camera: Camera, store: ChunkStore, ghost: GhostPicture) -> QRectF:
    """Where the picture of a ghost lies on the screen."""
    across, down = store.atlas.lattice().scale(store.atlas.lattice(ghost.level))
    return pixel_rect(camera, ghost.rect.scaled(1 / across, 1 / down))


def outline_on(camera: Camera, map_: Map, box: Box, more: float = 0.0) -> QPolygonF:
    """Give the outline of a box of cells on the screen, or so many pixels of it further out."""
    return QPolygonF(corners_on(camera, map_, box, more))


def corners_on(camera: Camera, map_: Map, box: Box, more: float = 0.0) -> list[QPointF]:
    """Give the corners of that outline, clockwise from the upper left one."""
    return corners_round(camera, map_.lattice.outline(box), more)


def corners_round(camera: Camera, places: Sequence[Point], more: float = 0.0) -> list[QPointF]:
    """Give four places of the map on the screen, or so many pixels further from their middle."""
    corners = [QPointF(*camera.to_screen(*each)) for each in places]
    if not more:
        return corners
    middle, rect = (corners[0] + corners[2]) / 2, QPolygonF(corners).boundingRect()
    across, down = (1 + 2 * more / max(1.0, side) for side in (rect.width(), rect.height()))
    away = [each - middle for each in corners]
    return [middle + QPointF(each.x() * across, each.y() * down) for each in away]


def is_upright(map_: Map) -> bool:
    """Whether the map's outline is a rectangle on the screen."""
    first, second, *_ = map_.lattice.sides
    return first[1] == second[1]


@lru_cache(maxsize=16)
def _cell_ring(lattice: Lattice, zoom: float) -> tuple[tuple[int, int], ...]:
    """Give the corners of a cell on the screen, from the upper left of the rectangle round it."""
    box = Box(0, 0, 1, 1)
    rect = lattice.bounds(box)
    return tuple(
        (round((x - rect.x) * zoom), round((y - rect.y) * zoom)) for x, y in lattice.outline(box)
    )


def border_on(camera: Camera, map_: Map, view: QRect) -> QPolygonF:
    """Give the outline of all cells on the screen, as far as a part of that shows it."""
    corners = map_.lattice.border_in(seen_pixels(camera, view))
    return QPolygonF([QPointF(*camera.to_screen(*each)) for each in corners])


def path_of(outline: QPolygonF) -> QPainterPath:
    """Give an outline as a path, to clip by."""
    out = QPainterPath()
    out.addPolygon(outline)
    return out


def seen_pixels(camera: Camera, view: QRect) -> Rect:
    """Pixels of the map, or of what would lie round it, that a part of the screen shows."""
    x0, y0 = camera.to_picture(view.left(), view.top())
    x1, y1 = camera.to_picture(view.right() + 1, view.bottom() + 1)
    return Rect(x0, y0, x1 - x0, y1 - y0)


def seen_cells(camera: Camera, map_: Map, view: QRect) -> Box:
    """Cells of the map that a part of the screen shows."""
    return map_.lattice.seen_in(seen_pixels(camera, view))


def layer_camera(camera: Camera, layer: Layer | None) -> Camera:
    """Give the camera as it sees a layer that is drawn further right or down than its cells lie."""
    if layer is None or layer.shift == (0, 0):
        return camera
    down, across = layer.shift
    zoom = camera.zoom
    return Camera(camera.step, camera.left + across * zoom, camera.top + down * zoom)


def draw_grid(painter: QPainter, camera: Camera, map_: Map, view: QRect) -> None:
    """Draw thin lines between cells, and a frame round the map."""
    box = seen_cells(camera, map_, view)
    if box.is_empty:
        return
    whole = map_rect(camera, map_).adjusted(0, 0, 1, 1).intersected(QRectF(view))
    across, down = (each * camera.zoom for each in map_.lattice.stride)
    even = all(float(each).is_integer() for each in (across, down, camera.left, camera.top))
    upright = not map_.lattice.slanted
    if not upright:
        painter.save()
        round_it = border_on(camera, map_, view) if is_upright(map_) else (
            outline_on(camera, map_, map_.lattice.whole, 1))  # fmt: skip
        painter.setClipPath(path_of(round_it))
    if even:
        first = map_.lattice.bounds(Box(0, 0, 1, 1))
        left, top = camera.to_screen(first.x, first.y)
        lines = _grid_tile(int(across), int(down), _cell_ring(map_.lattice, camera.zoom))
        offset = QPointF(
            (whole.left() - left) % lines.width(), (whole.top() - top) % lines.height()
        )
        painter.drawTiledPixmap(whole, lines, offset)
    else:
        _draw_grid_lines(painter, camera, map_, box)
    if not upright:
        painter.restore()


def _draw_grid_lines(painter: QPainter, camera: Camera, map_: Map, box: Box) -> None:
    painter.setPen(QPen(_GRID, 1))
    for ends in (
        *(((box.top, col), (box.bottom, col)) for col in range(box.left, box.right + 1)),
        *(((row, box.left), (row, box.right)) for row in range(box.top, box.bottom + 1)),
    ):
        start, end = (camera.to_screen(*map_.lattice.place(*each)) for each in ends)
        painter.drawLine(QLineF(*(round(each) for each in (*start, *end))))


@lru_cache(maxsize=16)
def _grid_tile(across: int, down: int, cell: tuple[tuple[int, int], ...]) -> QPixmap:
    """Some cells' lines, to be laid side by side: fifty times faster than drawing lines.

    `cell` are the corners of one, from the upper left of the rectangle round it.
    """
    times_x, times_y = max(1, 128 // across), max(1, 128 // down)
    out = QPixmap(across * times_x, down * times_y)
    out.fill(Qt.GlobalColor.transparent)
    painter = QPainter(out)
    painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_Source)
    painter.setPen(QPen(_GRID, 1))
    ring = QPolygon([QPoint(*each) for each in cell])
    for x in range(-1, times_x + 1):
        for y in range(-1, times_y + 1):
            painter.drawPolygon(ring.translated(x * across, y * down))
    painter.end()
    return out


def draw_pins(painter: QPainter, camera: Camera, map_: Map, layer: Layer, view: QRect) -> None:
    """Mark pinned cells of the chosen layer with a pin's head in their upper right corner."""
    if not isinstance(layer, PinnedLayer) or camera.zoom * map_.lattice.shorter < 12:
        return
    box = seen_cells(camera, map_, view)
    rows, cols = np.nonzero(layer.pinned[box.top : box.bottom, box.left : box.right])
    if rows.size == 0 or rows.size > 20_000:
        return
    radius = max(2.0, camera.zoom * map_.lattice.shorter * 0.09)
    places = map_.lattice.places_of(rows + (box.top + 0.16), cols + (box.left + 0.84))
    spots = np.stack(camera.to_screen(*places.T), axis=1)
    if len(spots) > _MOST_PINS:
        head = _pin_head(radius)
        for x, y in np.rint(spots - head.width() / 2).astype(int).tolist():
            painter.drawPixmap(x, y, head)
        return
    painter.save()
    for x, y in spots.tolist():
        _draw_pin(painter, QPointF(x, y), radius)
    painter.restore()


def _draw_pin(painter: QPainter, at: QPointF, radius: float) -> None:
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(QColor(LINEN.ink), 1))
    painter.setBrush(QColor(LINEN.madder))
    painter.drawEllipse(at, radius, radius)


@lru_cache(maxsize=16)
def _pin_head(radius: float) -> QPixmap:
    """A pin's head as a picture: a whole selection that is kept has thousands of them."""
    side = 2 * ceil(radius + 1)
    out = QPixmap(side, side)
    out.fill(Qt.GlobalColor.transparent)
    painter = QPainter(out)
    _draw_pin(painter, QPointF(side / 2, side / 2), radius)
    painter.end()
    return out


def draw_plan(
    painter: QPainter, camera: Camera, map_: Map, store: ChunkStore, plan: Plan, until: float
) -> bool:
    """Draw the ghost: the very pixels that the click will give, in a dashed outline.

    Returns whether there was time, until a time of `perf_counter`, for all of it.
    """
    grid, layers_own = grid_of(map_, plan.layer), layer_camera(camera, plan.layer)
    seen = seen_cells(layers_own, grid, painter.viewport())
    ghost = store.ghost(plan, store.level_for(camera.zoom), seen, until)
    if ghost.part.box.is_empty:
        return True
    painter.save()
    whole = map_rect(camera, map_)
    if map_.wrap and map_.lattice.slanted:  # what is seen beyond the border is of the other side
        painter.setClipPath(path_of(border_on(camera, map_, painter.viewport())))
    elif is_upright(map_):
        painter.setClipRect(whole)
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, camera.zoom < 1)
    for period in map_.lattice.periods_in(map_.lattice.frame):
        step = QPointF(*period) * camera.zoom
        rect = ghost_rect(camera, store, ghost).translated(step)
        if rect.intersects(whole):
            painter.drawImage(rect, ghost.image)
            if plan.layer.height:
                _stand(painter, camera, layers_own, grid, ghost.part.box, step)
            if grid.lattice.exists is None:
                _dashes(painter, outline_on(layers_own, grid, ghost.part.box).translated(step))
            else:  # rows and columns as people count them are no box of the array
                _dash_cells(painter, layers_own, grid, plan)
    painter.restore()
    return ghost.is_whole


def _stand(
    painter: QPainter, ground: Camera, raised: Camera, grid: Map, box: Box, step: QPointF
) -> None:
    """Show where on the ground what is laid on a storey stands: an outline, and lines to it."""
    feet = [each + step for each in corners_on(ground, grid, box)]
    heads = [each + step for each in corners_on(raised, grid, box)]
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for colour, style in ((LINEN.panel, Qt.PenStyle.SolidLine), (LINEN.ink, Qt.PenStyle.DotLine)):
        painter.setPen(QPen(QColor(colour), 1, style))
        painter.drawPolygon(QPolygonF(feet))
        for foot, head in zip(feet, heads):
            painter.drawLine(foot, head)


def _dash_cells(painter: QPainter, camera: Camera, grid: Map, plan: Plan) -> None:
    """Outline the cells that become different, however they lie."""
    box, there = plan.box, grid.lattice.part(plan.box)
    changed = plan.cells != read(plan.layer.cells, box)
    chosen = Selection(box, changed if there is None else changed & there)
    lines = _sides_of(camera, grid, chosen, box)
    if len(lines) <= _MOST_LINES:
        for pen in (QPen(QColor(LINEN.panel), 2), QPen(QColor(LINEN.ink), 2)):
            if pen.color() == QColor(LINEN.ink):
                pen.setDashPattern([3, 2.5])
            painter.setPen(pen)
            painter.drawLines(lines)


def _sides_of(camera: Camera, map_: Map, chosen: Selection, box: Box) -> list[QLineF]:
    """List the sides on the screen between cells that are chosen and others, within a box."""
    top, left = box.top - chosen.box.top, box.left - chosen.box.left
    mask = np.pad(chosen.mask[top : top + box.height, left : left + box.width], 1)
    across, down = mask[1:, 1:-1] != mask[:-1, 1:-1], mask[1:-1, 1:] != mask[1:-1, :-1]
    lines: list[QLineF] = []
    if np.count_nonzero(across) + np.count_nonzero(down) > _MOST_LINES:
        return [QLineF()] * (_MOST_LINES + 1)
    for sides, (more_rows, more_cols) in ((across, (0, 1)), (down, (1, 0))):
        for row, col in np.add(np.argwhere(sides), (box.top, box.left)).tolist():
            a = camera.to_screen(*map_.lattice.place(row, col))
            b = camera.to_screen(*map_.lattice.place(row + more_rows, col + more_cols))
            lines.append(QLineF(*a, *b))
    return lines


def _dashes(painter: QPainter, outline: QPolygonF) -> None:
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(LINEN.panel), 2))
    painter.drawPolygon(outline)
    pen = QPen(QColor(LINEN.ink), 2, Qt.PenStyle.DashLine)
    pen.setDashPattern([3, 2.5])
    painter.setPen(pen)
    painter.drawPolygon(outline)


def draw_selection(
    painter: QPainter, camera: Camera, map_: Map, chosen: Selection, view: QRect
) -> None:
    """Outline the selected cells, however they lie."""
    seen = seen_cells(camera, map_, view).grown(1)
    box = seen.shared(chosen.box)
    if box.is_empty:
        return
    lines = _sides_of(camera, map_, chosen, box)
    if len(lines) > _MOST_LINES:
        top, left = box.top - chosen.box.top, box.left - chosen.box.left
        mask = np.pad(chosen.mask[top : top + box.height, left : left + box.width], 1)
        _draw_ragged(painter, camera, map_, (box, mask), view)
        return
    for colour, width, style in (
        (LINEN.panel, 3.0, Qt.PenStyle.SolidLine), (LINEN.madder, 2.0, Qt.PenStyle.DashLine),
    ):  # fmt: skip
        painter.setPen(QPen(QColor(colour), width, style))
        painter.drawLines(lines)


def _draw_ragged(
    painter: QPainter,
    camera: Camera,
    map_: Map,
    part: tuple[Box, NDArray[np.bool_]],
    view: QRect,
) -> None:
    """Outline very many cells, pixel by pixel: what it costs is the view's size, not theirs.

    `part` is a box of cells, and which of them are chosen, with a rim of one cell.
    """
    pixels = _ragged_pixels(camera, map_, part, view)
    painter.drawImage(view.topLeft(), image_of(pixels))


def _ragged_pixels(
    camera: Camera, map_: Map, part: tuple[Box, NDArray[np.bool_]], view: QRect
) -> Pixels:
    box, mask = part
    x0, y0 = camera.to_picture(view.left(), view.top())
    xs = x0 + np.arange(view.width() + 1) / camera.zoom
    ys = y0 + np.arange(view.height() + 1) / camera.zoom
    rows, cols = map_.lattice.cells_at(xs[None], ys[:, None])
    rows = np.clip(rows - box.top + 1, 0, box.height + 1)
    cols = np.clip(cols - box.left + 1, 0, box.width + 1)
    chosen = mask[rows, cols].view(np.uint8)
    here = chosen[:-1, :-1]
    kind = (here ^ chosen[1:, :-1]) | (here ^ chosen[:-1, 1:])
    y, x = view.top() % 8, view.left() % 8  # a part that is painted anew fits what is round it
    stripes = _stripes(view.height() + 8, view.width() + 8)
    kind += kind & stripes[y : y + view.height(), x : x + view.width()]
    inks = [0, *(QColor(each).rgba() for each in (LINEN.panel, LINEN.madder))]
    pixels: Pixels = np.array(inks, np.uint32).take(kind)
    return pixels


@lru_cache(maxsize=4)
def _stripes(high: int, wide: int) -> NDArray[np.uint8]:
    """Slanting stripes, five pixels of 1 and three of 0."""
    return (np.add.outer(np.arange(high), np.arange(wide)) % 8 < 5).astype(np.uint8)


def screen_frame(camera: Camera, map_: Map, view: QRect) -> QRectF:
    """Give where a player's screen is, held to the middle of the view."""
    wide, high = (side * camera.zoom for side in map_.screen)
    frame = QRectF(0, 0, wide, high)
    frame.moveCenter(QRectF(view).center())
    return frame


def draw_screen(
    painter: QPainter, map_: Map, frame: QRectF, view: QRect, *, boxed: bool = False
) -> None:
    """Frame what a player sees at a time; dim what lies round it, or hide it."""
    outside = QPainterPath()
    outside.addRect(QRectF(view))
    inside = QPainterPath()
    inside.addRect(frame)
    painter.fillPath(outside - inside, QColor(30, 28, 40, 255 if boxed else 90))
    if boxed:
        return
    for colour, width in ((LINEN.panel, 4), (LINEN.accent, 2)):
        painter.setPen(QPen(QColor(colour), width))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(frame)
    text = say("screen {screen} × {screen2} px", screen=map_.screen[0], screen2=map_.screen[1])
    letters = painter.fontMetrics()
    plate = QRectF(frame.left() + 1, 0, letters.horizontalAdvance(text) + 12, letters.height() + 4)
    plate.moveBottom(frame.bottom() - 1)
    painter.fillRect(plate, QColor(LINEN.accent))
    painter.setPen(QColor("#FFFFFF"))
    painter.drawText(plate, Qt.AlignmentFlag.AlignCenter, text)


def draw_area(painter: QPainter, camera: Camera, map_: Map, area: Box) -> None:
    """Outline a block of cells."""
    _dashes(painter, outline_on(camera, map_, area))


def draw_cursor(
    painter: QPainter, camera: Camera, map_: Map, cursor: tuple[int, int] | None, clip: QRect
) -> None:
    """Draw the cell cursor of the keyboard: corners round a cell."""
    if cursor is None:
        return
    row, col = cursor
    corners = corners_on(camera, map_, Box(row, col, row + 1, col + 1), 3)
    if not QPolygonF(corners).boundingRect().adjusted(-3, -3, 3, 3).intersects(QRectF(clip)):
        return
    for colour, width in ((LINEN.panel, 4), (LINEN.madder, 2)):
        painter.setPen(QPen(QColor(colour), width))
        for n, corner in enumerate(corners):
            before, after = corners[n - 1], corners[(n + 1) % 4]
            arms = [corner + (each - corner) * _arm(corner, each) for each in (before, after)]
            painter.drawPolyline(QPolygonF([arms[0], corner, arms[1]]))


def _arm(corner: QPointF, other: QPointF) -> float:
    """Tell which part of a side the cursor draws: a quarter, and 4 pixels at least."""
    return max(0.25, 4 / max(1.0, QLineF(corner, other).length()))


@lru_cache(maxsize=256)
def _text_width(text: str, font_name: str) -> float:
    font = QFont()
    font.fromString(font_name)
    return QFontMetricsF(font).horizontalAdvance(text)


def draw_label(
    painter: QPainter,
    camera: Camera,
    at: Pointer,
    label: tuple[str, bool],
    view: QRect,
    map_: Map,
    brush: Box,
) -> None:
    """Draw the pointer's label below and right of the brush: tool · in hand → layer."""
    text, warns = label
    font = QFont(painter.font())
    font.setPixelSize(round(12 * text_scale()))
    painter.setFont(font)
    wide = _text_width(text, font.toString()) + 18
    half = min(64.0, map_.lattice.bounds(brush).width * camera.zoom / 2)
    x, y = camera.to_screen(at.x, at.y)
    left = min(max(x + half + 14, 4), max(4.0, view.width() - wide - 4))
    high = 22 * text_scale()
    top = min(y + half + 10, view.height() - high - 6)
    ground = QColor(theme().warning if warns else LINEN.ink)
    if warns and theme() is not LINEN:
        ground = QColor(LINEN.warning)
    ground.setAlpha(235)
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(ground)
    rect = QRectF(left, top, wide, high)
    painter.drawRoundedRect(rect, 4, 4)
    painter.setPen(QColor("#FFFFFF"))
    painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, text)
    painter.restore()
