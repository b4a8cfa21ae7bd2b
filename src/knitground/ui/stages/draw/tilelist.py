"""The sheet to take tiles from: as it stands, packed to the panel's width, or in an own order."""

from __future__ import annotations

from bisect import bisect_left, bisect_right

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen, QResizeEvent

from knitground.core.base.tongue import later, quoted, say
from knitground.core.edit.sheets import move_in_order
from knitground.core.model.patch import Patch
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import At, Tileset
from knitground.core.render.tiles import filled_tiles, is_empty, tile_pixels
from knitground.core.slicing.search import matching_tiles
from knitground.ui.common.checkers import checkers
from knitground.ui.common.painting import image_of
from knitground.ui.common.sheetview import SheetView
from knitground.ui.common.theme import LINEN, theme
from knitground.ui.common.zoom import STEPS, Camera
from knitground.ui.session import Session

WAYS = (later("as it stands"), later("packed"), later("own order"))
_GAP = 1


_ARROWS = {
    Qt.Key.Key_Left: (0, -1), Qt.Key.Key_Right: (0, 1),
    Qt.Key.Key_Up: (-1, 0), Qt.Key.Key_Down: (1, 0),
}  # fmt: skip


class TileList(SheetView):
    """A click takes a tile, a drag or Ctrl+click marks several; in an own order it moves one."""

    taken = Signal(int, int)
    block_taken = Signal()
    folds = True

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setAccessibleName(say("Tiles"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.chosen: list[At] = []
        self.way = WAYS[0]
        self._found: frozenset[At] | None = None
        self._words = ""
        self._start: At | None = None
        self._dragged: At | None = None
        self._onto: At | None = None
        self._laid: list[At] = []
        self._tops: list[int] = []
        self._highest = 0
        self._spots: dict[At, tuple[int, int]] = {}
        self._laid_for: object = None
        self._full: dict[object, list[At]] = {}

    def keyPressEvent(self, event: QKeyEvent) -> None:
        way = _ARROWS.get(Qt.Key(event.key()))
        if way is None or event.modifiers() or not self.offered():
            super().keyPressEvent(event)
            return
        at = self._beside(self.chosen[-1], *way) if self.chosen else self.offered()[0]
        if at is not None:
            self.chosen = [at]
            self.taken.emit(*at)
            self.setAccessibleDescription(say("row {at}, column {at2}", at=at[0], at2=at[1]))

    def _beside(self, at: At, down: int, across: int) -> At | None:
        """Find the tile that lies next to one on the screen, however they are arranged."""
        rect = self.tile_rect(*at)
        middle = rect.center()
        for step in range(1, 40):
            x = middle.x() + across * rect.width() * (0.3 + 0.4 * step)
            y = middle.y() + down * rect.height() * (0.3 + 0.4 * step)
            found = self.tile_at(QPointF(x, y))
            if found is not None and found != at:
                return found
        return None

    # How the tiles lie

    def set_way(self, way: str) -> None:
        """Show the tiles as the sheet stands, packed, or in an order of one's own."""
        if way == self.way:
            return
        self._remember()
        self.way = way
        self._fresh = True
        self.chosen = []
        self._recall()
        self._arrange()
        if self._fresh:
            self.fit()
        self.update()

    def _place_key(self) -> object:
        return self.way

    def show_tileset(self, tileset: Tileset | None) -> None:
        if tileset is not self.tileset:
            self._laid_for = None
        old, self.tileset = self.tileset, tileset
        self._arrange()
        self.tileset = old
        super().show_tileset(tileset)

    def search(self, words: str) -> int:
        """Show only the tiles that words fit, or point them out on the sheet; returns how many."""
        self._words = words
        self._look_for()
        self._laid_for = None
        self._arrange()
        if self._as_sheet is False:
            self.fit()
        self.update()
        return len(self._found) if self._found is not None else 0

    def _look_for(self) -> None:
        words = self._words.strip()
        self._found = None
        if self.tileset is not None and words:
            self._found = matching_tiles(self.session.project, self.tileset, words)

    @property
    def _as_sheet(self) -> bool:
        return self.way == WAYS[0] or self.tileset is None

    def offered(self) -> list[At]:
        """List the tiles that can be taken, in the order in which they are offered."""
        if self.tileset is None:
            return []
        key = (id(self.tileset), id(self.tileset.picture), self.tileset.slicing,
               self.tileset.left_out)  # fmt: skip
        if key not in self._full:
            filled = filled_tiles(self.tileset)
            for row, col in self.tileset.left_out:
                if self.tileset.has(row, col):
                    filled[row, col] = False
            self._full = {key: [(row, col) for row, col in np.argwhere(filled).tolist()]}
        places = self._full[key]
        if self.way == WAYS[2] and self.tileset.order:
            there = set(places)
            first = [each for each in self.tileset.order if each in there]
            some = set(first)
            places = first + [each for each in places if each not in some]
        if self._found is not None:
            places = [each for each in places if each in self._found]
        return places

    def _arrange(self) -> None:
        """Work out where each tile lies when the sheet is not shown as it stands."""
        if self._as_sheet or self.tileset is None:
            self._spots, self._laid, self._tops = {}, [], []
            return
        facts = (id(self.tileset), self.tileset.slicing, self.tileset.order, self.way,
                 self.width(), self._words, self.tileset.left_out)  # fmt: skip
        if facts == self._laid_for:
            return
        self._laid_for = facts
        self._look_for()
        self._laid = self.offered()
        cut = self.tileset.slicing
        zoom = self._packing_zoom()
        room = max(1, int((self.width() - 8) / zoom))
        self._spots, x, y, line = {}, 0, 0, 0
        for each in self._laid:
            _, _, wide, high = cut.tile_area(*each)
            if x and x + wide > room:
                x, y, line = 0, y + line + _GAP, 0
            self._spots[each] = (x, y)
            x += wide + _GAP
            line = max(line, high)
        self._tops = [self._spots[each][1] for each in self._laid]
        self._highest = max((cut.tile_area(*each)[3] for each in self._laid[:4096]), default=0)

    def _packing_zoom(self) -> float:
        """The zoom at which about nine tiles fill the panel's width."""
        assert self.tileset is not None
        wide = self.tileset.slicing.tile_width
        return max(1.0, float(round(self.width() / 9 / max(8, wide))))

    def extent(self) -> tuple[int, int]:
        if self._as_sheet or not self._spots:
            return super().extent()
        areas = [self._area(each) for each in self._laid]
        return max(x + w for x, _, w, _ in areas), max(y + h for _, y, _, h in areas)

    def _area(self, place: At) -> tuple[int, int, int, int]:
        assert self.tileset is not None
        _, _, wide, high = self.tileset.slicing.tile_area(*place)
        return (*self._spots[place], wide, high)

    def fit(self) -> None:
        if self._as_sheet:
            super().fit()
            return
        # Packed to the width: read from the top, not shrunk to show all of a long list.
        self.camera = Camera()
        zoom = int(self._packing_zoom()) if self.tileset is not None else 1
        self.camera.step = STEPS.index(min(zoom, 16))
        self.camera.left, self.camera.top = 4.0, 4.0
        self._fresh = True
        self.zoomed.emit()
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._arrange()
        super().resizeEvent(event)

    def tile_rect(self, row: int, col: int) -> QRectF:
        if self._as_sheet:
            return super().tile_rect(row, col)
        x, y, wide, high = self._area((row, col))
        zoom = self.camera.zoom
        return QRectF(*self.camera.to_screen(x, y), wide * zoom, high * zoom)

    def tile_at(self, at: QPointF) -> At | None:
        if self._as_sheet:
            return super().tile_at(at)
        y = self.sheet_at(at)[1]
        near = self._between(y, y)
        return next((each for each in near if self.tile_rect(*each).contains(at)), None)

    def _between(self, top: float, bottom: float) -> list[At]:
        """List the tiles that lie between two heights: of a long list only those are looked at."""
        first = bisect_left(self._tops, top - self._highest)
        return self._laid[first : bisect_right(self._tops, bottom)]

    # Painting

    def paint_sheet(self, painter: QPainter) -> None:
        if self._as_sheet or self.tileset is None or self.tileset.picture is None:
            super().paint_sheet(painter)
            return
        view = QRectF(self.rect())
        top, bottom = (self.sheet_at(QPointF(0, y))[1] for y in (0, self.height()))
        for each in self._between(top, bottom):
            rect = self.tile_rect(*each)
            if rect.intersects(view):
                pixels = tile_pixels(self.tileset, TileRef(self.tileset.name, *each))
                if pixels is not None:
                    checkers(painter, rect)
                    kept = pixels.copy()
                    painter.drawImage(rect, image_of(kept))

    def paint_over(self, painter: QPainter) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if self._found is not None and self._as_sheet:
            self._dim_others(painter)
        for row_, col in self.chosen:
            if self._as_sheet or (row_, col) in self._spots:
                rect = self.tile_rect(row_, col).adjusted(-1, -1, 1, 1)
                for colour, width in ((LINEN.panel, 4), (LINEN.madder, 2)):
                    painter.setPen(QPen(QColor(colour), width))
                    painter.drawRect(rect)
        if self._dragged is not None and self._onto is not None:
            rect = self.tile_rect(*self._onto)
            painter.setPen(QPen(QColor(LINEN.madder), 4))
            painter.drawLine(rect.topLeft(), rect.bottomLeft())

    def _dim_others(self, painter: QPainter) -> None:
        assert self._found is not None
        veil = QColor(theme().canvas)
        veil.setAlpha(190)
        for each in self.seen_tiles():
            rect = self.tile_rect(*each)
            if each not in self._found:
                painter.fillRect(rect, veil)

    # Pointer

    def pressed(self, event: QMouseEvent) -> None:
        at = self.tile_at(event.position())
        if at is None or self.tileset is None:
            return
        if at in self.tileset.left_out or is_empty(self.tileset, *at):
            self.session.note(say("That tile is empty or left out"))
            return
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            if at in self.chosen:
                self.chosen.remove(at)
            else:
                self.chosen.append(at)
        else:
            self.chosen = [at]
            self._start = at
            self.taken.emit(*at)
        self.update()

    def moved(self, event: QMouseEvent) -> None:
        at = self.tile_at(event.position())
        if at is not None and self.tileset is not None:
            self.session.pointed.emit(self._say(at))
        if self.tileset is None or at is None or self._start is None:
            return
        if self.way == WAYS[2]:
            self._dragged, self._onto = (self._start, at) if at != self._start else (None, None)
            self.update()
        elif at != self._start:
            self.chosen = self._block(self._start, at)
            self.update()

    def _say(self, at: At) -> str:
        assert self.tileset is not None
        number, fact = self.tileset.number(*at), self.tileset.fact(*at)
        words = [
            say(
                "tile {number} of {name}: column {at}, row {at2}",
                number=number,
                name=self.tileset.name,
                at=at[1],
                at2=at[0],
            )
        ]
        words += [quoted(fact.name)] if fact.name else []
        words += [", ".join(fact.tags)] if fact.tags else []
        return " · ".join([*words, say("weight {weight:g}", weight=fact.weight)])

    def _block(self, start: At, end: At) -> list[At]:
        """List the tiles in the rectangle between two, as they are shown."""
        assert self.tileset is not None
        if self._as_sheet:
            rows, cols = sorted((start[0], end[0])), sorted((start[1], end[1]))
            return [
                (r, c)
                for r in range(rows[0], rows[1] + 1)
                for c in range(cols[0], cols[1] + 1)
                if (r, c) not in self.tileset.left_out and not is_empty(self.tileset, r, c)
            ]
        frame = self.tile_rect(*start).united(self.tile_rect(*end))
        return [each for each in self._laid if frame.contains(self.tile_rect(*each).center())]

    def released(self, event: QMouseEvent) -> None:
        several = len(self.chosen) > 1
        self._start = None
        if self._dragged is not None and self._onto is not None and self.tileset is not None:
            edit = move_in_order(self.tileset, self.offered(), self._dragged, self._onto)
            self._dragged = self._onto = None
            self.session.apply(edit)
            self._laid_for = None
            self._arrange()
            self.update()
        elif several:
            self.block_taken.emit()

    def patch(self) -> Patch | None:
        """Give the marked tiles as a patch, as they lie in here, with holes between."""
        if self.tileset is None or not self.chosen:
            return None
        spots = self._lattice()
        rows, cols = [row for row, _ in spots], [col for _, col in spots]
        name = self.tileset.name
        return Patch(name, tuple(
            tuple(TileRef(name, *spots[r, c]) if (r, c) in spots else None
                  for c in range(min(cols), max(cols) + 1))
            for r in range(min(rows), max(rows) + 1)
        ))  # fmt: skip

    def _lattice(self) -> dict[At, At]:
        """Give the marked tiles by row and column as they are shown."""
        if self._as_sheet:
            return {each: each for each in self.chosen}
        lines = sorted({self._spots[each][1] for each in self.chosen})
        starts = sorted({self._spots[each][0] for each in self.chosen})
        return {
            (lines.index(self._spots[each][1]), starts.index(self._spots[each][0])): each
            for each in self.chosen
        }
