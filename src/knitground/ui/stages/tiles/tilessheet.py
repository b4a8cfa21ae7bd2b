"""The sheet in Tiles: many tiles chosen at once, and what is known of each drawn over it."""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen

from knitground.core.base.tongue import later, quoted, say
from knitground.core.model.tileset import PLAIN, At, TileFacts, Tileset
from knitground.core.shapes.kinds import kind_named
from knitground.ui.common.painting import write_in
from knitground.ui.common.shapedrawing import draw_shape, shape_path
from knitground.ui.common.sheetview import SheetView
from knitground.ui.common.theme import LINEN, theme
from knitground.ui.session import Session

OVERLAYS = (
    later("weight"),
    later("name"),
    later("tags"),
    later("properties"),
    later("shapes"),
    later("moves"),
    later("anchor"),
    later("never used"),
    later("nothing"),
)
_MOST_LABELS = 3000
_OUT_PX = 12
_MOST_OUTLINED = 800
"""Chosen tiles in view up to which each has an outline of its own."""


class TilesSheet(SheetView):
    """A click chooses a tile, a drag a block, Ctrl adds and takes away; arrows move, Shift adds."""

    chosen_changed = Signal()
    dragged_out = Signal(list)
    """Tiles were dragged down out of the sheet, as frames of those that were chosen before."""

    folds = True

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.chosen: frozenset[At] = frozenset()
        self.overlay = OVERLAYS[0]
        self.found: frozenset[At] | None = None
        self.gives_frames = False
        self._earlier: frozenset[At] = frozenset()
        self._start: At | None = None
        self._before: frozenset[At] = frozenset()
        self._cursor: At | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def show_tileset(self, tileset: Tileset | None) -> None:
        if tileset is not self.tileset:
            self.chosen, self._cursor = frozenset(), None
        super().show_tileset(tileset)

    def choose(self, places: Iterable[At]) -> None:
        """Choose other tiles."""
        rows, cols = (self.tileset.rows, self.tileset.columns) if self.tileset else (0, 0)
        chosen = frozenset(at for at in places if 0 <= at[0] < rows and 0 <= at[1] < cols)
        if chosen != self.chosen:
            self.chosen = chosen
            self.update()
            self.chosen_changed.emit()

    # Painting

    def paint_over(self, painter: QPainter) -> None:
        assert self.tileset is not None
        seen = self.seen_tiles()
        if self.found is not None:
            veil = QColor(theme().canvas)
            veil.setAlpha(190)
            for rect in self._runs([at for at in seen if at not in self.found]):
                painter.fillRect(rect, veil)
        if len(seen) <= _MOST_LABELS:
            for at in seen:
                self._label(painter, at, self.tileset.facts.get(at, PLAIN))
            if self.overlay == "shapes":
                self._draw_shapes(painter, seen)
        self._draw_chosen(painter, seen)

    def _label(self, painter: QPainter, at: At, fact: TileFacts) -> None:
        words, role = overlay_words(self.overlay, fact)
        rect = self.tile_rect(*at)
        if not words or rect.width() < 14:
            return
        write_in(painter, 9 if rect.width() < 30 else 11, bold=True)
        wide = min(rect.width() - 1, painter.fontMetrics().horizontalAdvance(words) + 5)
        high = 11 if rect.width() < 30 else 14
        spot = QRectF(rect.left() + 1, rect.bottom() - high, wide, high - 1)
        ground = QColor(LINEN.panel)
        ground.setAlpha(230)
        painter.fillRect(spot, ground)
        painter.setPen(QColor(getattr(LINEN, role)))
        shown = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(wide) - 2)
        painter.drawText(spot, Qt.AlignmentFlag.AlignCenter, shown)

    def _draw_shapes(self, painter: QPainter, seen: list[At]) -> None:
        assert self.tileset is not None
        project, zoom = self.session.project, self.camera.zoom
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for at in seen:
            rect = self.tile_rect(*at)
            for shape in self.tileset.facts.get(at, PLAIN).shapes:
                path = shape_path(shape, rect.left(), rect.top(), zoom)
                draw_shape(painter, path, kind_named(project, shape.kind))
        painter.restore()

    def _draw_chosen(self, painter: QPainter, seen: list[At]) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        shown = [at for at in seen if at in self.chosen]
        many = len(shown) > _MOST_OUTLINED
        rects = self._runs(shown) if many else [self.tile_rect(*at) for at in shown]
        for rect in rects if many else ():
            veil = QColor(LINEN.madder)
            veil.setAlpha(60)
            painter.fillRect(rect, veil)
        rects = [rect.adjusted(0, 0, -1, -1) for rect in rects]
        for colour, width in ((LINEN.panel, 3), (LINEN.madder, 1.5)):
            painter.setPen(QPen(QColor(colour), width))
            painter.drawRects(rects)
        if self._cursor is not None and self.hasFocus():
            painter.setPen(QPen(QColor(LINEN.accent), 2, Qt.PenStyle.DashLine))
            painter.drawRect(self.tile_rect(*self._cursor).adjusted(-2, -2, 1, 1))

    def _runs(self, tiles: list[At]) -> list[QRectF]:
        """Give tiles that follow each other in a row as one rectangle: there may be thousands."""
        out: list[QRectF] = []
        start = last = None
        for at in [*sorted(tiles), None]:
            if start is not None and last is not None:
                beside = at is not None and self.area_of(*at)[1] == self.area_of(*last)[1]
                if at == (last[0], last[1] + 1) and beside and not self._loose:
                    last = at
                    continue
                out.append(self.tile_rect(*start).united(self.tile_rect(*last)))
            start = last = at
        return out

    @property
    def _loose(self) -> bool:
        """Whether the tiles are pieces that lie anywhere."""
        return self.tileset is not None and bool(self.tileset.slicing.pieces)

    # Pointer and keys

    def pressed(self, event: QMouseEvent) -> None:
        at = self.tile_at(event.position())
        if at is None:
            if not event.modifiers():
                self.choose(())
            return
        adds = event.modifiers() & Qt.KeyboardModifier.ControlModifier
        self._start, self._cursor, self._earlier = at, at, self.chosen
        self._before = self.chosen if adds else frozenset()
        if adds and at in self.chosen:
            self._start = None
            self.choose(self.chosen - {at})
            return
        self.choose(self._before | {at})

    def moved(self, event: QMouseEvent) -> None:
        at = self.tile_at(event.position())
        below = event.position().y() > self.height() + _OUT_PX
        if below and self.gives_frames and self._start is not None and self._earlier:
            tiles, self._start = sorted(self.chosen), None
            self.choose(self._earlier)
            self.dragged_out.emit(tiles)
            return
        if at is not None and self.tileset is not None:
            self.session.pointed.emit(tile_line(self.tileset, at))
        if at is not None and self._start is not None:
            self.choose(self._before | block(self._start, at))

    def released(self, event: QMouseEvent) -> None:
        self._start = None

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = _STEPS.get(Qt.Key(event.key()))
        if self.tileset is None or step is None:
            super().keyPressEvent(event)
            return
        at = self._cursor or min(self.chosen, default=(0, 0))
        new = self.tile_beside(at, *step) if self._cursor or self.chosen else at
        if self.tileset.has(*new):
            self._cursor = new
            more = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
            self.choose(self.chosen | {new} if more else {new})


_STEPS = {
    Qt.Key.Key_Up: (-1, 0), Qt.Key.Key_Down: (1, 0), Qt.Key.Key_Left: (0, -1),
    Qt.Key.Key_Right: (0, 1),
}  # fmt: skip


def block(start: At, end: At) -> set[At]:
    """List the tiles of the rectangle between two."""
    rows, cols = sorted((start[0], end[0])), sorted((start[1], end[1]))
    return {(r, c) for r in range(rows[0], rows[1] + 1) for c in range(cols[0], cols[1] + 1)}


def overlay_words(overlay: str, fact: TileFacts) -> tuple[str, str]:
    """Say what an overlay shows of a tile, and in which colour's role; “” where it is plain."""
    if overlay == "weight":
        return ("" if fact.weight == 1 else f"{fact.weight:g}", "ink" if fact.weight else "madder")
    if overlay == "name":
        return fact.name, "ink"
    if overlay == "tags":
        return ", ".join(fact.tags), "accent"
    if overlay == "properties":
        return (str(len(fact.properties)) if fact.properties else "", "accent")
    if overlay == "moves":
        return (f"{len(fact.frames)}×" if fact.frames else "", "good")
    if overlay == "anchor":
        return ("" if fact.anchor is None else f"{fact.anchor[0]},{fact.anchor[1]}", "ink")
    if overlay == "never used":
        return (say("never") if fact.left_out or not fact.weight else "", "madder")
    return "", "ink"


def tile_line(tileset: Tileset, at: At) -> str:
    """Say in one line what is known of a tile."""
    fact = tileset.fact(*at)
    words = [
        say(
            "tile {number}: column {at}, row {at2}", number=tileset.number(*at), at=at[1], at2=at[0]
        )
    ]
    words += [quoted(fact.name)] if fact.name else []
    words += [", ".join(fact.tags)] if fact.tags else []
    words += [f"{each.name} = {each.value}" for each in fact.properties[:4]]
    words += [say("{count} frames", count=len(fact.frames))] if fact.frames else []
    return " · ".join([*words, say("weight {weight:g}", weight=fact.weight)])
