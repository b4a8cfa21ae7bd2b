"""The sheet in Terrains: painting marks with the pointer and with keys, copying a block's marks."""

from __future__ import annotations

from collections.abc import Collection, Iterable

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen

from knitground.core.base.tongue import say
from knitground.core.edit.document import Edit
from knitground.core.edit.terrains import colours_from_art, paint_marks
from knitground.core.model.terrain import ANY, NOTHING, Slot, TerrainSet
from knitground.core.model.tileset import Tileset
from knitground.core.slicing.base import base_of
from knitground.ui.common.marks import (
    Face,
    diamond,
    draw_diamond,
    draw_free_slots,
    draw_marks,
    draw_shared,
    slot_at,
    slot_point,
)
from knitground.ui.common.sheetview import SheetView
from knitground.ui.common.theme import LINEN
from knitground.ui.session import Session

SLOT_KEYS = {
    Qt.Key.Key_Q: Slot.NW, Qt.Key.Key_W: Slot.N, Qt.Key.Key_E: Slot.NE,
    Qt.Key.Key_A: Slot.W, Qt.Key.Key_S: Slot.MIDDLE, Qt.Key.Key_D: Slot.E,
    Qt.Key.Key_Z: Slot.SW, Qt.Key.Key_X: Slot.S, Qt.Key.Key_C: Slot.SE,
}  # fmt: skip
"""Nine keys that lie on the keyboard as the slots lie on a tile."""
_ARROWS = {
    Qt.Key.Key_Left: (0, -1), Qt.Key.Key_Right: (0, 1),
    Qt.Key.Key_Up: (-1, 0), Qt.Key.Key_Down: (1, 0),
}  # fmt: skip
Parts = tuple[Tileset, TerrainSet, Tileset | None]
Block = tuple[int, int, int, int]
"""First row, first column, rows, columns."""

_MANY = 40
"""Tiles in view from which on those with the same marks share a picture of them."""


class MarksSheet(SheetView):
    """The sheet with its marks; drag paints the chosen terrain on slots, right drag clears."""

    tile_chosen = Signal(int, int)
    tile_pointed = Signal(object)
    """Row and column under the pointer, or None."""
    block_dropped = Signal(object, object)
    """A block whose marks are to be copied, and the first row and column of where to."""
    stepped = Signal(int)
    """Enter: go on in the review."""
    gathered = Signal(list, bool)
    """Tiles that a drag went over while a likely set takes tiles in and out, and whether in."""

    folds = True

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.kit: TerrainSet | None = None
        self.owner: Tileset | None = None
        self.value = NOTHING
        self.chosen: tuple[int, int] | None = None
        self.copying = False
        self.block: Block | None = None
        self._grip: tuple[int, int] | None = None
        self._corner: tuple[int, int] | None = None
        self._hover: tuple[int, int, Slot] | None = None
        self._stroke: set[tuple[int, int, int]] | None = None
        self._stroke_on: Parts | None = None
        self._stroke_value = NOTHING
        self._clearing = False
        self._outlined: list[tuple[int, int]] = []
        self.gathering: frozenset[tuple[int, int]] | None = None
        """The tiles of a likely set that takes others in, and them out; None: none does."""
        self._over: list[tuple[int, int]] | None = None
        self.guessed: Collection[tuple[int, int]] = ()
        """Tiles of the set whose marks were guessed, and that nobody has looked at."""
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    @property
    def guest(self) -> Tileset | None:
        """The sheet shown, if it is another one than the set's own."""
        return None if self.tileset is self.owner else self.tileset

    def show_set(self, kit: TerrainSet | None, owner: Tileset | None) -> None:
        """Show the marks of another set, which belongs to a tileset."""
        self.kit, self.owner = kit, owner
        self.update()

    def forget(self) -> None:
        self.value, self.chosen, self._hover = NOTHING, None, None
        super().forget()

    def outline(self, places: list[tuple[int, int]]) -> None:
        """Outline some tiles: those of what is pointed at elsewhere."""
        self._outlined = places
        self.update()

    def gather(self, places: Iterable[tuple[int, int]] | None) -> None:
        """Let clicks and drags put tiles into a likely set, and out of it; None: no more."""
        self.gathering = None if places is None else frozenset(places)
        self._over = None
        self.update()

    def set_copying(self, on: bool) -> None:
        """Let drags choose a block of tiles, and then drop its marks elsewhere."""
        self.copying = on
        self.block = self._grip = self._corner = None
        self.update()

    def marks(self) -> NDArray[np.uint8]:
        """Marks of the tiles of the sheet that is shown, (rows, columns, 8)."""
        assert self.kit is not None
        assert self.tileset is not None
        guest = self.guest.name if self.guest else None
        return self.kit.marks_within(self.tileset.rows, self.tileset.columns, guest)

    def face(self, row: int, col: int) -> Face:
        """Where the slots of a tile are on the screen."""
        assert self.tileset is not None
        tall = self.tileset.slicing.tile_area(row, col)[3]
        return Face(self.tile_rect(row, col), base_of(self.tileset), tall)

    # Painting

    def paint_over(self, painter: QPainter) -> None:
        if self.tileset is not None:
            for at in self.gathering if self.gathering is not None else self._outlined:
                if self.tileset.has(*at):
                    _outline(painter, self.tile_rect(*at), LINEN.madder)
            for at in self._over or ():
                _outline(painter, self.tile_rect(*at).adjusted(2, 2, -2, -2), LINEN.accent)
        if self.kit is None or self.tileset is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        marks = self.marks()
        cut = self.tileset.slicing
        small = not cut.pieces and cut.tile_width * self.camera.zoom < 14  # no room for marks
        seen = [] if small else self.seen_tiles()
        draw = draw_shared if len(seen) > _MANY else draw_marks
        for row, col in seen:
            rect = self.tile_rect(row, col)
            if rect.width() >= 14:
                draw(painter, self.face(row, col), marks[row, col].tolist(), self.kit)
        if self.guest is None:
            self._draw_guessed(painter, seen)
        self._draw_chosen(painter)
        if self.copying:
            self._draw_blocks(painter)
        else:
            self._draw_hover(painter)

    def _draw_guessed(self, painter: QPainter, seen: Iterable[tuple[int, int]]) -> None:
        """Mark tiles whose marks nobody has looked at: a dog-ear at their upper right."""
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(LINEN.madder))
        for at in seen:
            if at in self.guessed:
                rect = self.tile_rect(*at)
                side = max(4.0, min(10.0, rect.width() * 0.2))
                corner = rect.topRight()
                painter.drawPolygon([corner, corner - QPointF(side, 0), corner + QPointF(0, side)])

    def _draw_chosen(self, painter: QPainter) -> None:
        assert self.tileset is not None
        if self.chosen is not None and self.tileset.has(*self.chosen):
            rect = self.tile_rect(*self.chosen).adjusted(-1, -1, 1, 1)
            _outline(painter, rect, LINEN.madder)

    def _draw_blocks(self, painter: QPainter) -> None:
        if self.block is None or not self._holds(self.block):
            return  # the sheet was sliced anew since
        for rect in self._block_rects(self.block):
            _outline(painter, rect, LINEN.accent)
        to = self._drop_place()
        for rect in self._block_rects((*to, *self.block[2:])) if to is not None else ():
            _outline(painter, rect, LINEN.madder)

    def _holds(self, block: Block) -> bool:
        row, col, rows, cols = block
        assert self.tileset is not None
        return self.tileset.has(row, col) and self.tileset.has(row + rows - 1, col + cols - 1)

    def _block_rects(self, block: Block) -> list[QRectF]:
        """Give a rectangle round a block; of one on several lines of a strip one for each."""
        row, col, rows, cols = block
        lines: dict[int, QRectF] = {}
        for at in ((r, c) for r in range(row, row + rows) for c in range(col, col + cols)):
            line = self.area_of(*at)[1] if self._line else 0
            lines[line] = lines.get(line, QRectF()).united(self.tile_rect(*at))
        return [rect.adjusted(-2, -2, 2, 2) for rect in lines.values()]

    def _drop_place(self) -> tuple[int, int] | None:
        if self._grip is None or self._hover is None or self.block is None:
            return None
        row = self.block[0] + self._hover[0] - self._grip[0]
        col = self.block[1] + self._hover[1] - self._grip[1]
        inside = row >= 0 and col >= 0 and self._holds((row, col, 1, 1))
        return (row, col) if inside else None

    def _draw_hover(self, painter: QPainter) -> None:
        if self._hover is None or self.kit is None:
            return
        row, col, slot = self._hover
        if not self._holds((row, col, 1, 1)):
            return  # the sheet was sliced anew since
        rect = self.tile_rect(row, col)
        if rect.width() >= 24:
            draw_free_slots(painter, self.face(row, col), self.kit.kind)
        at, half = slot_point(self.face(row, col), slot), max(4.5, rect.width() * 0.13)
        painter.setOpacity(0.75)
        if self.value == ANY or NOTHING < self.value <= len(self.kit.terrains):
            draw_diamond(painter, at, half, self.kit, self.value)
        painter.setOpacity(1.0)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor("#FFFFFF"), 1.5))
        painter.drawPolygon(diamond(at, half + 2))

    # Pointer

    def _slot_under(self, at: QPointF) -> tuple[int, int, Slot] | None:
        tile = self.tile_at(at)
        if tile is None or self.kit is None:
            return None
        return (*tile, slot_at(self.face(*tile), at, self.kit.kind))

    def pressed(self, event: QMouseEvent) -> None:
        if self.gathering is not None:
            tile = self.tile_at(event.position())
            self._over = [tile] if tile is not None else None
            self.update()
            return
        found = self._slot_under(event.position())
        if found is None or self.kit is None or self.tileset is None:
            return
        self.setFocus()
        if self.copying:
            self._press_block(found[:2])
            return
        self.choose(*found[:2])
        self._clearing = event.button() == Qt.MouseButton.RightButton
        if not self._clearing and self.value == NOTHING:
            self.session.note(say("Choose a terrain above first; the right button clears marks"))
            return
        value = NOTHING if self._clearing else self.value
        name = (
            say("Clear marks")
            if self._clearing
            else say("Mark {name}", name=self.kit.name_of(value))
        )
        if not self.session.attempt(lambda: self.session.doc.begin_stroke(name)):
            return
        self._stroke, self._stroke_on, self._stroke_value = set(), self._parts(), value
        self.session.begin_gesture(self)
        whole = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        slots = list(self.kit.kind.slots) if whole else [found[2]]
        self._mark([(found[0], found[1], int(slot)) for slot in slots])

    def choose(self, row: int, col: int) -> None:
        """Choose a tile."""
        self.chosen = (row, col)
        self.tile_chosen.emit(row, col)
        self.update()

    def _press_block(self, at: tuple[int, int]) -> None:
        inside = self.block is not None and (
            self.block[0] <= at[0] < self.block[0] + self.block[2]
            and self.block[1] <= at[1] < self.block[1] + self.block[3]
        )
        if inside:
            self._grip = at
        else:
            self._corner, self.block = at, (*at, 1, 1)
        self.update()

    def moved(self, event: QMouseEvent) -> None:
        if self.gathering is not None:
            tile = self.tile_at(event.position())
            over = self._over or []
            # What the first tile does, all do: in, or out.
            if tile and over and (tile in self.gathering) == (over[0] in self.gathering):
                self._over = over if tile in over else [*over, tile]
                self.update()
            return
        found = self._slot_under(event.position())
        if found != self._hover:
            if (found and found[:2]) != (self._hover and self._hover[:2]):
                self.tile_pointed.emit(found[:2] if found else None)
            self._hover = found
            self.update()
            if found is not None:
                self.session.pointed.emit(self._words(found))
        if self._corner is not None and found is not None:
            rows, cols = sorted((self._corner[0], found[0])), sorted((self._corner[1], found[1]))
            self.block = (rows[0], cols[0], rows[1] - rows[0] + 1, cols[1] - cols[0] + 1)
        if self._stroke is not None and found is not None:
            self._mark([(found[0], found[1], int(found[2]))])

    def released(self, event: QMouseEvent) -> None:
        if self.gathering is not None:
            over, self._over = self._over, None
            if over:
                self.gathered.emit(over, over[0] not in self.gathering)
            self.update()
            return
        to, block = self._drop_place(), self.block
        self._corner = self._grip = None
        if self.copying and to is not None and block is not None and to != block[:2]:
            self.block_dropped.emit(block, to)
        if self._stroke is not None:
            self.session.end_gesture(self)
            self.finish_gesture()

    def finish_gesture(self) -> None:
        """End the stroke: what it has marked, and the colours that come of it, are one step."""
        self._stroke = None
        parts = self._stroke_on
        if parts is not None and parts[2] is None:
            edit = colours_from_art(parts[0], parts[1])
            self.session.attempt(lambda: self.session.doc.apply(edit))
        self.session.doc.commit_stroke()

    def cancel_gesture(self) -> None:
        """Take back what the stroke has marked."""
        self._stroke = None
        self.session.doc.cancel_stroke()

    def hideEvent(self, event: object) -> None:
        if self._stroke is not None:
            self.session.finish_gesture()

    def cancel(self) -> bool:
        """Call off the drag; returns whether there was one."""
        if self._over is not None:
            self._over = None
            self.update()
            return True
        if self._grip is not None or self._corner is not None:
            self._grip = self._corner = None
            self.update()
            return True
        if self._stroke is None:
            return False
        return self.session.cancel_gesture()

    def _mark(self, slots: list[tuple[int, int, int]]) -> None:
        assert self._stroke is not None
        fresh = [slot for slot in slots if slot not in self._stroke]
        if fresh:
            self._stroke.update(fresh)
            self._paint(fresh, self._stroke_value)

    def _paint(self, slots: list[tuple[int, int, int]], value: int) -> None:
        parts = self._stroke_on if self._stroke is not None else self._parts()
        if parts is None:
            return
        owner, kit, guest = parts

        def build() -> Edit:
            return paint_marks(owner, kit, slots, value, guest)

        if self._stroke is None:
            self.session.do(build)
        else:  # part of the stroke
            self.session.attempt(lambda: self.session.doc.apply(build()))
        self.update()

    def _parts(self) -> Parts | None:
        """Give the set that is marked: its owner, itself, and the sheet if it is another one's."""
        if self.kit is None or self.owner is None:
            return None
        return self.owner, self.kit, self.guest

    # Keys

    def event(self, event: QEvent) -> bool:
        # Letters are tools elsewhere in the window; over the sheet they are slots.
        ours = (*SLOT_KEYS, *_ARROWS, Qt.Key.Key_Space, Qt.Key.Key_Backspace, Qt.Key.Key_Return)
        plain = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier
        if (
            isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.ShortcutOverride
            and event.key() in ours
            and event.modifiers() in plain
        ):
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        if self.kit is None or self.tileset is None or self.copying:
            super().keyPressEvent(event)
        elif key in _ARROWS:
            self._step(*_ARROWS[key])
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.stepped.emit(-1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1)
        elif key in SLOT_KEYS and SLOT_KEYS[key] in self.kit.kind.slots:
            clears = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self._mark_chosen([SLOT_KEYS[key]], NOTHING if clears else self.value)
        elif key in (Qt.Key.Key_Space, Qt.Key.Key_Backspace):
            value = self.value if key == Qt.Key.Key_Space else NOTHING
            self._mark_chosen(list(self.kit.kind.slots), value)
        else:
            super().keyPressEvent(event)

    def _step(self, down: int, across: int) -> None:
        assert self.tileset is not None
        row, col = self.chosen or (0, 0)
        if self.chosen is not None:
            row, col = self.tile_beside((row, col), down, across)
        if self.tileset.has(row, col):
            self.choose(row, col)
            self.tile_pointed.emit((row, col))
            self.show_tile(row, col)

    def show_tile(self, row: int, col: int) -> None:
        """Bring a tile into the view if it is not there."""
        if not QRectF(self.rect()).contains(self.tile_rect(row, col)) and self.tileset is not None:
            left, top, wide, high = self.area_of(row, col)
            self.camera.centre(left + wide / 2, top + high / 2, self.width(), self.height())
            self._fresh = False
            self.update()

    def _mark_chosen(self, slots: list[Slot], value: int) -> None:
        if self.chosen is None:
            self.session.note(say("Choose a tile first: click it, or use the arrow keys"))
            return
        row, col = self.chosen
        self._paint([(row, col, int(slot)) for slot in slots], value)

    def _words(self, found: tuple[int, int, Slot]) -> str:
        assert self.kit is not None
        assert self.tileset is not None
        row, col, slot = found
        marks = self.marks()[row, col].tolist()
        around = " · ".join(
            f"{s.name} {self.kit.name_of(marks[s])}" for s in self.kit.kind.slots if marks[s]
        )
        number = self.tileset.number(row, col)
        weight = self.tileset.fact(row, col).weight
        return say(
            "tile {number}, slot {name}: {marks} · weight {weight:g}",
            number=number,
            name=slot.title,
            marks=around or say("no marks"),
            weight=weight,
        )

    def leaveEvent(self, event: object) -> None:
        self._hover = None
        self.tile_pointed.emit(None)
        self.session.pointed.emit("")
        self.update()


def _outline(painter: QPainter, rect: QRectF, colour: str) -> None:
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for each, width in ((LINEN.panel, 4), (colour, 2)):
        painter.setPen(QPen(QColor(each), width))
        painter.drawRect(rect)
