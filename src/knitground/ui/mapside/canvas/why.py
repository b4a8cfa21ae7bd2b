"""“Why this tile?” on the map, and the words of the status line."""

from __future__ import annotations

from PySide6.QtCore import QRect, QRectF, Qt
from PySide6.QtGui import QFont, QPainter, QPen

from knitground.core.base.window import Box
from knitground.core.edit.desk import Pointer
from knitground.core.edit.hand import TURN_WORDS
from knitground.core.edit.markers import marker_at
from knitground.core.knit.explain import Why, explain
from knitground.core.knit.making import turned_marks
from knitground.core.model.layers import GroundLayer, MarkerLayer, TintLayer
from knitground.core.model.limits import FULL_TINT
from knitground.core.model.tile import TileRef
from knitground.ui.common.theme import theme
from knitground.ui.common.words import percent
from knitground.ui.mapside.canvas.chunks import ChunkStore, image_of
from knitground.ui.mapside.canvas.zoom import Camera
from knitground.ui.session import Session


def why_at(session: Session, at: Pointer) -> Why | None:
    """Explain the cell under a place, if its layer is knitted."""
    map_, layer = session.map, session.layer
    if map_ is None or not isinstance(layer, GroundLayer):
        return None
    row, col = at.cell(map_)
    found = session.project.set_of(layer.tileset, layer.set_name)
    if found is None or not (0 <= row < map_.height and 0 <= col < map_.width):
        return None
    cell = Box(row, col, row + 1, col + 1)
    session.doc.cells(map_, layer, cell)
    knitter = session.doc.knitter
    table, graph = knitter.table(map_, layer), knitter.graph(map_, layer)
    return explain(table, map_, layer, found[1], cell, graph)


def tile_words(session: Session, tile: TileRef | None) -> str:
    """Name a tile by its number and tileset."""
    if tile is None:
        return "empty"
    owner = session.project.tileset_named(tile.tileset)
    if owner is None or not owner.has(tile.row, tile.col):
        return f"missing tile of {tile.tileset} (row {tile.row}, column {tile.col})"
    return f"tile {owner.number(tile.row, tile.col)} of {tile.tileset}"


def laid_words(session: Session, tile: TileRef) -> str:
    """Say how a tile laid by hand is turned, and what it shows that way: marks turn along."""
    words = f", {TURN_WORDS[tile.turn]}" if tile.turn else ""
    for owner in session.project.tilesets:
        for kit in owner.sets:
            guest = None if owner.name == tile.tileset else tile.tileset
            if guest is not None and guest not in kit.guests:
                continue
            marks = kit.marks_within(tile.row + 1, tile.col + 1, guest)[tile.row, tile.col]
            if marks.any():
                turned = turned_marks(marks, tile.turn)
                shown = [f"{slot.name} {kit.name_of(int(turned[slot]))}" for slot in kit.kind.slots]
                return f"{words}, shows {' · '.join(shown)}"
    return words


def under_pointer(session: Session, at: Pointer) -> str:
    """Say in words what is under a place: cell, layer, terrain, tile, why."""
    map_, layer = session.grid, session.layer
    if map_ is None or layer is None:
        return ""
    row, col = at.cell(map_)
    if not (0 <= row < map_.height and 0 <= col < map_.width):
        return f"outside {map_.name} · {map_.width} × {map_.height} cells"
    start = f"column {col}, row {row} · {layer.name} ({layer.kind})"
    if isinstance(layer, MarkerLayer):
        near = min(map_.tile_width, map_.tile_height) / 2
        found = marker_at(session.project, layer, at.x, at.y, near)
        what = f"{found.shape.value} “{found.title}”" if found else "no marker"
        return f"{start}: {what} · x {at.x:.0f}, y {at.y:.0f} px"
    place = int(session.doc.cells(map_, layer, Box(row, col, row + 1, col + 1))[0, 0])
    if isinstance(layer, TintLayer):
        part = percent((place >> 24) / FULL_TINT)
        return f"{start}: colour #{place & 0xFFFFFF:06x}, {part}" if place else f"{start}: none"
    tile = map_.legend.tile(place)
    words = tile_words(session, tile)
    if tile is not None and not (isinstance(layer, GroundLayer) and not layer.pinned[row, col]):
        words += laid_words(session, tile)
    why = why_at(session, at)
    return f"{start}: {words} · {why.sentence()}" if why else f"{start}: {words}"


def draw_why(
    painter: QPainter,
    camera: Camera,
    session: Session,
    store: ChunkStore,
    at: Pointer,
    view: QRect,
) -> None:
    """Draw the explanation beside the cell: corners, candidates with weights, the number drawn."""
    why = why_at(session, at)
    if why is None or session.map is None:
        return
    t = theme()
    wide, high = 340.0, 132.0 if why.candidates else 76.0
    x, y = camera.to_screen(at.x, at.y)
    left = x + 20 if x + 20 + wide < view.width() else x - 20 - wide
    top = min(max(8.0, y - high / 2), view.height() - high - 8)
    panel = QRectF(max(8.0, left), top, wide, high)
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(t.colour("line"), 1))
    painter.setBrush(t.colour("panel"))
    painter.drawRoundedRect(panel, 6, 6)
    inner = panel.adjusted(12, 8, -12, -8)
    _text(painter, inner, 0, "Why this tile?", 13, bold=True)
    _text(painter, inner, 20, why.sentence(), 11, lines=2)
    shown = why.candidates[:6]
    for place, each in enumerate(shown):
        spot = QRectF(inner.left() + place * 52, inner.top() + 54, 32, 32)
        picture = store.atlas.picture(session.map.legend.place(each.tile)).copy()
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
        painter.drawImage(spot, image_of(picture))
        pen = QPen(t.colour("madder" if each.chosen else "line"), 3 if each.chosen else 1)
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(spot.adjusted(-2, -2, 2, 2))
        words = f"×{each.weight:g} {percent(each.share)}"
        area = QRectF(spot.left() - 12, spot.bottom() + 5, 58, 16)
        _label(painter, area, words)
    if len(why.candidates) > len(shown):
        _text(painter, inner, 96, f"and {len(why.candidates) - len(shown)} more", 11)
    painter.restore()


def _text(
    painter: QPainter,
    inner: QRectF,
    down: float,
    text: str,
    size: int,
    *,
    bold: bool = False,
    lines: int = 1,
) -> None:
    font = QFont(painter.font())
    font.setPixelSize(size)
    font.setBold(bold)
    painter.setFont(font)
    painter.setPen(theme().colour("ink"))
    area = QRectF(inner.left(), inner.top() + down, inner.width(), (size + 4) * lines)
    painter.drawText(area, Qt.TextFlag.TextWordWrap, text)


def _label(painter: QPainter, area: QRectF, text: str) -> None:
    font = QFont(painter.font())
    font.setPixelSize(10)
    font.setBold(False)
    painter.setFont(font)
    painter.setPen(theme().colour("ink2"))
    painter.drawText(area, Qt.AlignmentFlag.AlignHCenter, text)
