"""How rules are drawn: stencils by the pictures of what they ask for, blocks, results."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QImage, QPainter, QPen

from knitground.core.base.tongue import say
from knitground.core.edit.ruledrafts import stencil_from_cell
from knitground.core.edit.rulehome import RuleHome
from knitground.core.edit.terrains import plain_tile
from knitground.core.model.patch import Patch
from knitground.core.model.project import Project
from knitground.core.model.rules import (
    Ask,
    AskKind,
    NeighbourRule,
    Result,
    ResultKind,
    Spot,
)
from knitground.core.model.terrain import SetKind, TerrainSet
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Tileset
from knitground.core.render.tiles import tile_pixels
from knitground.core.rules.places import REACHES, Place, base_places, places_of, reach_of
from knitground.ui.common.checkers import checkers
from knitground.ui.common.painting import image_of, write_in
from knitground.ui.common.theme import LINEN, theme


class Pictures:
    """Images of tiles and terrains of a project, made once each until `forget`."""

    def __init__(self, project: Project) -> None:
        self.project = project
        self._tiles: dict[TileRef, QImage | None] = {}

    def forget(self, project: Project) -> None:
        """Look everything up anew."""
        self.project = project
        self._tiles.clear()

    def tile(self, ref: TileRef | None) -> QImage | None:
        """Give the picture of a tile; None if it is not there."""
        if ref is None:
            return None
        if ref not in self._tiles:
            owner = self.project.tileset_named(ref.tileset)
            pixels = tile_pixels(owner, ref) if owner is not None else None
            image = None if pixels is None else image_of(np.ascontiguousarray(pixels)).copy()
            self._tiles[ref] = image
        return self._tiles[ref]

    def terrain(self, owner: Tileset, kit: TerrainSet, mark: int) -> QImage | None:
        """Give the picture of a terrain: the tile that stands for it."""
        return self.tile(plain_tile(owner, kit, mark)) if mark else None


def draw_tile(painter: QPainter, rect: QRectF, image: QImage | None) -> None:
    """Draw a tile with square pixels on chequers; a cross if it is gone."""
    checkers(painter, rect)
    if image is None:
        painter.setPen(QPen(theme().colour("warning"), 1.5))
        painter.drawLine(rect.topLeft(), rect.bottomRight())
        painter.drawLine(rect.topRight(), rect.bottomLeft())
        return
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
    wide, high = image.width(), image.height()
    scale = min(rect.width() / wide, rect.height() / high)
    at = QRectF(0, 0, wide * scale, high * scale)
    at.moveCenter(rect.center())
    painter.drawImage(at, image)
    painter.restore()


def draw_frame(painter: QPainter, rect: QRectF, role: str = "line", width: float = 1) -> None:
    """Draw the rim of a place."""
    painter.setPen(QPen(theme().colour(role), width))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(rect)


def draw_blank(painter: QPainter, rect: QRectF) -> None:
    """Draw a place that may be anything: sunken and blank."""
    painter.fillRect(rect, theme().colour("sunken"))


def draw_ask(
    painter: QPainter, rect: QRectF, ask: Ask, home: RuleHome, pictures: Pictures,
    subject: Ask | None,
) -> None:  # fmt: skip
    """Draw what a place asks for."""
    t = theme()
    if ask.kind is AskKind.SAME:
        if subject is None or not _draw_named(painter, rect, subject, home, pictures):
            painter.fillRect(rect, QColor(LINEN.accent))
            draw_sign(painter, rect, "=", "#FFFFFF")
    elif ask.kind is AskKind.OTHER:
        painter.fillRect(rect, QColor(LINEN.panel))
        painter.setPen(QPen(QColor(LINEN.ink), 1.4))
        painter.drawLine(rect.bottomLeft() + QPointF(2, -2), rect.topRight() + QPointF(-2, 2))
    elif ask.kind is AskKind.OFF:
        painter.fillRect(rect, t.colour("canvas"))
        painter.fillRect(rect, QBrush(QColor(LINEN.panel), Qt.BrushStyle.BDiagPattern))
    elif ask.kind is AskKind.EMPTY:
        checkers(painter, rect)
    elif not _draw_named(painter, rect, ask, home, pictures):
        painter.fillRect(rect, t.colour("panel"))
        draw_sign(painter, rect, "?", t.ink)
    if ask.kind is AskKind.NOT_TILES:
        painter.setPen(QPen(t.colour("warning"), 2))
        painter.drawLine(rect.bottomLeft() + QPointF(2, -2), rect.topRight() + QPointF(-2, 2))


def _draw_named(
    painter: QPainter, rect: QRectF, ask: Ask, home: RuleHome, pictures: Pictures
) -> bool:
    """Draw a terrain, a tag or tiles; returns whether there was anything to draw."""
    if ask.kind is AskKind.TERRAIN:
        return _draw_terrain(painter, rect, ask.name, home, pictures)
    if ask.kind is AskKind.TAG:
        painter.fillRect(rect, QColor(LINEN.panel))
        draw_sign(painter, rect, ask.name[:4], LINEN.ink)
        return True
    if ask.tiles:
        draw_tile(painter, rect, pictures.tile(ask.tiles[0]))
        if len(ask.tiles) > 1 and rect.width() >= 22:
            more = QRectF(rect.right() - 17, rect.bottom() - 11, 17, 11)
            painter.fillRect(more, QColor(LINEN.panel))
            draw_sign(painter, more, f"+{len(ask.tiles) - 1}", LINEN.ink, 9)
        return True
    return False


def _draw_terrain(
    painter: QPainter, rect: QRectF, name: str, home: RuleHome, pictures: Pictures
) -> bool:
    found = _set_with(home, name)
    if not name:
        checkers(painter, rect)
        draw_sign(painter, rect, "–", LINEN.ink)
        return True
    if found is None:
        return False
    owner, kit = found
    mark = kit.number_of(name)
    image = pictures.terrain(owner, kit, mark)
    terrain = kit.terrains[mark - 1]
    painter.fillRect(rect, QColor(terrain.colour))
    if image is not None:
        draw_tile(painter, rect, image)
    letter = QRectF(rect.left(), rect.bottom() - 11, 10, 11)
    if rect.width() >= 22:
        painter.fillRect(letter, QColor(LINEN.panel))
        draw_sign(painter, letter, terrain.letter, LINEN.ink, 9)
    return True


def _set_with(home: RuleHome, name: str) -> tuple[Tileset, TerrainSet] | None:
    if home.kit is not None and home.tileset is not None:
        return (home.tileset, home.kit) if home.kit.number_of(name) else None
    for owner in home.project.tilesets:
        for kit in owner.sets:
            if kit.number_of(name):
                return owner, kit
    return None


def draw_sign(painter: QPainter, rect: QRectF, text: str, colour: str, size: int = 0) -> None:
    """Write a short sign into the middle of a square."""
    write_in(painter, size or max(8, min(13, int(rect.height() * 0.6))), bold=True)
    painter.setPen(QColor(colour))
    painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, text)


# Stencils


def place_rect(kind: SetKind | None, place: Place, origin: QPointF, pitch: float) -> QRectF:
    """Where a place of a stencil lies; `origin` is the own cell's corner, `pitch` a cell's side."""
    y, x = place
    if kind is SetKind.CORNER:
        side = pitch * 0.82
        rect = QRectF(0, 0, side, side)
        rect.moveCenter(QPointF(origin.x() + x / 2 * pitch, origin.y() + y / 2 * pitch))
        return rect
    if kind is SetKind.EDGE:
        long, thick = pitch * 0.66, pitch * 0.36
        rect = QRectF(0, 0, long, thick) if y % 2 == 0 else QRectF(0, 0, thick, long)
        rect.moveCenter(QPointF(origin.x() + x / 2 * pitch, origin.y() + y / 2 * pitch))
        return rect
    left, top = origin.x() + (x - 1) / 2 * pitch, origin.y() + (y - 1) / 2 * pitch
    return QRectF(left + 1, top + 1, pitch - 2, pitch - 2)


def stencil_span(kind: SetKind | None, reach: int) -> float:
    """How many cells wide a stencil is drawn."""
    more = {SetKind.CORNER: 0.82, SetKind.EDGE: 0.36}.get(kind or SetKind.RING, 0.0)
    return 2 * reach + 1 + more


def reach_for(kind: SetKind | None, spots: Iterable[Spot]) -> int:
    """How far a stencil reaches, at least as far as the smallest one of its kind."""
    return max(REACHES[kind][0], reach_of((y, x) for y, x, _ in spots))


def draw_stencil(
    painter: QPainter, rect: QRectF, rule: NeighbourRule, home: RuleHome, pictures: Pictures,
    reach: int | None = None,
) -> None:  # fmt: skip
    """Draw a rule's stencil as large as fits into a square."""
    kind = home.kit.kind if home.kit else None
    reach = reach_for(kind, rule.stencil) if reach is None else reach
    span = stencil_span(kind, reach)
    pitch = min(rect.width(), rect.height()) / span
    more = (span - (2 * reach + 1)) / 2
    origin = QPointF(rect.left() + (reach + more) * pitch, rect.top() + (reach + more) * pitch)
    asked = {(y, x): ask for y, x, ask in rule.stencil}
    for place in places_of(kind, reach):
        at = place_rect(kind, place, origin, pitch)
        ask = asked.get(place)
        middle = place == (1, 1) and kind in (SetKind.RING, None)
        if ask is not None:
            draw_ask(painter, at, ask, home, pictures, rule.subject)
        elif middle and rule.subject is not None:
            draw_ask(painter, at, Ask(AskKind.SAME), home, pictures, rule.subject)
        else:
            draw_blank(painter, at)
        draw_frame(painter, at)
    own = QRectF(origin.x(), origin.y(), pitch, pitch)
    pen = QPen(theme().colour("madder"), 1.6)
    if kind in (SetKind.CORNER, SetKind.EDGE):
        pen.setStyle(Qt.PenStyle.DotLine)
    painter.setPen(pen)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(own)


def draw_key(
    painter: QPainter, rect: QRectF, key: Sequence[int], home: RuleHome, pictures: Pictures
) -> None:
    """Draw a situation, as the stencil that would take it."""
    draw_stencil(painter, rect, rule_of_key(home, key), home, pictures)


def rule_of_key(home: RuleHome, key: Sequence[int]) -> NeighbourRule:
    """Make the rule that takes just one situation, without a result."""
    assert home.kit is not None
    places = base_places(home.kit.kind)
    if home.kit.kind is not SetKind.RING:
        return stencil_from_cell(home.kit, dict(zip(places, key)))
    own, bits = key
    values = {(1, 1): own}
    for n, place in enumerate(places[1:]):
        sides = bits >> (n - 1) & 1 and bits >> (n + 1) % 8 & 1
        if bits >> n & 1 or n % 2 == 0 or sides:
            values[place] = own if bits >> n & 1 else 0
    return stencil_from_cell(home.kit, values)


# Results


def draw_result(
    painter: QPainter, rect: QRectF, result: Result, pictures: Pictures, project: Project
) -> None:
    """Draw what a rule lays: up to four tiles with their weights, a patch, or words."""
    side = min(rect.height() - 16, 34.0)
    if result.kind in (ResultKind.LEAVE, ResultKind.GAP):
        _caption(painter, rect, say(result.kind.value))
        return
    if result.kind is ResultKind.PATCH and result.patch is not None:
        draw_patch(painter, QRectF(rect.left(), rect.top(), rect.height(), rect.height()),
                   result.patch, pictures)  # fmt: skip
        return
    entries = result.tiles
    if result.kind is ResultKind.MIX:
        mix = next((each for each in project.mixes if each.name == result.mix), None)
        entries = mix.entries if mix else ()
    if not entries:
        _caption(painter, rect, say("no result yet"))
        return
    shown = entries[: max(1, int(rect.width() // (side + 8)))]
    for n, each in enumerate(shown):
        at = QRectF(rect.left() + n * (side + 8), rect.top() + 2, side, side)
        draw_tile(painter, at, pictures.tile(each.tile))
        draw_frame(painter, at)
        words = f"×{each.weight:g}"
        if n == len(shown) - 1 and len(entries) > len(shown):
            words = f"+{len(entries) - n}"
        small = QRectF(at.left() - 6, at.bottom() + 1, side + 12, 13)
        if len(entries) > 1:
            _small(painter, small, words)


def draw_patch(painter: QPainter, rect: QRectF, patch: Patch, pictures: Pictures) -> None:
    """Draw a patch as large as fits."""
    side = min(rect.width() / patch.width, rect.height() / patch.height)
    for row, line in enumerate(patch.rows):
        for col, ref in enumerate(line):
            at = QRectF(rect.left() + col * side, rect.top() + row * side, side, side)
            if ref is not None:
                draw_tile(painter, at, pictures.tile(ref))
    draw_frame(painter, QRectF(rect.left(), rect.top(), side * patch.width, side * patch.height))


def _caption(painter: QPainter, rect: QRectF, words: str) -> None:
    write_in(painter, 11)
    painter.setPen(theme().colour("ink2"))
    flags = Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextWordWrap
    painter.drawText(rect, int(flags), words)


def _small(painter: QPainter, rect: QRectF, words: str) -> None:
    write_in(painter, 10)
    painter.setPen(theme().colour("ink2"))
    painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, words)


# Blocks of rewrite rules


def ask_words(ask: Ask | None) -> str:
    """Say in words what a place asks for."""
    if ask is None:
        return say("anything")
    if ask.kind is AskKind.TERRAIN:
        return ask.name or say("nothing")
    if ask.kind is AskKind.TAG:
        return say("tag “{name}”", name=ask.name)
    if ask.kind in (AskKind.TILES, AskKind.NOT_TILES):
        some = (
            say("one tile")
            if len(ask.tiles) == 1
            else say("one of {count} tiles", count=len(ask.tiles))
        )
        return some if ask.kind is AskKind.TILES else say("not {some}", some=some)
    return say(ask.kind.value)
