"""The frames of a tile in a row: chosen, moved, taken away; tiles and files are dropped on it."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path

import numpy as np
from PySide6.QtCore import QEvent, QMimeData, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QDragEnterEvent,
    QDragMoveEvent,
    QDropEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import QWidget

from knitground.core.base.tongue import say
from knitground.core.model.project import Project
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import At, Frames, Tileset
from knitground.core.render.tiles import tile_pixels
from knitground.ui.common.checkers import checkers
from knitground.ui.common.painting import image_of, painting, write_in
from knitground.ui.common.theme import LINEN, theme
from knitground.ui.common.widgets import keeps_key

TILES_KIND = "application/x-knitground-tiles"
_SIDE, _GAP, _HIGH = 40, 6, 62
_KEYS = (
    Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Delete, Qt.Key.Key_Backspace,
)  # fmt: skip


def tiles_mime(tileset: str, tiles: Sequence[At]) -> QMimeData:
    """Pack tiles for a drag inside the program."""
    data = QMimeData()
    text = json.dumps({"tileset": tileset, "tiles": [list(at) for at in tiles]})
    data.setData(TILES_KIND, text.encode())
    return data


class FrameStrip(QWidget):
    """Shows frames; a click chooses one, a drag moves it, Delete takes it away."""

    dropped_tiles = Signal(str, list, int)
    """Tiles of a tileset were dropped before the n-th frame."""
    dropped_files = Signal(list)
    moved = Signal(int, int)
    removed = Signal(int)
    picked = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.frames: Frames = ()
        self.number: int | None = None
        self.playing_at = -1
        self._project: Project | None = None
        self._tileset: Tileset | None = None
        self._drop_at: int | None = None
        self._drag_from: int | None = None
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(say("Frames"))
        self.setToolTip(
            say(
                "Frames: drag tiles here from the sheet, or drop picture files. Drag moves "
                "one, Delete "
                "takes it away, Alt+← → moves it"
            )
        )
        self.setFixedHeight(_HIGH)

    def sizeHint(self) -> QSize:
        return QSize(max(180, (len(self.frames) + 1) * (_SIDE + _GAP) + _GAP), _HIGH)

    def show_frames(self, project: Project, tileset: Tileset | None, frames: Frames) -> None:
        """Show other frames, or the same ones as they are now."""
        self._project, self._tileset, self.frames = project, tileset, frames
        if self.number is not None and self.number >= len(frames):
            self.number = None
        self.setMinimumWidth(self.sizeHint().width())
        self.update()

    def choose(self, number: int | None) -> None:
        """Choose a frame."""
        self.number = number
        self.picked.emit()
        self.update()

    def rect_of(self, number: int) -> QRectF:
        """Where a frame is drawn."""
        return QRectF(_GAP + number * (_SIDE + _GAP), 4, _SIDE, _SIDE)

    def _place_at(self, at: QPointF) -> int:
        """Before which frame a place lies."""
        place = round((at.x() - _GAP / 2) / (_SIDE + _GAP))
        return min(len(self.frames), max(0, place))

    # Pointer, keys and drops

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        found = [n for n in range(len(self.frames)) if self.rect_of(n).contains(event.position())]
        self._drag_from = found[0] if found else None
        self.choose(self._drag_from)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag_from is not None:
            self._drop_at = self._place_at(event.position())
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        start, place = self._drag_from, self._drop_at
        self._drag_from = self._drop_at = None
        if start is not None and place is not None and place not in (start, start + 1):
            self.moved.emit(start, place)
        self.update()

    def event(self, event: QEvent) -> bool:
        return keeps_key(event, _KEYS) or super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, count = Qt.Key(event.key()), len(self.frames)
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(key)
        if step is not None and count:
            at = self.number if self.number is not None else (-1 if step > 0 else count)
            new = min(count - 1, max(0, at + step))
            if event.modifiers() & Qt.KeyboardModifier.AltModifier and self.number is not None:
                if new != self.number:
                    self.moved.emit(self.number, new if step < 0 else new + 1)
            else:
                self.choose(new)
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and self.number is not None:
            self.removed.emit(self.number)
        else:
            super().keyPressEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasFormat(TILES_KIND) or event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        self._drop_at = self._place_at(event.position())
        self.update()
        event.acceptProposedAction()

    def dragLeaveEvent(self, event: QEvent) -> None:
        self._drop_at = None
        self.update()

    def dropEvent(self, event: QDropEvent) -> None:
        place, data = self._place_at(event.position()), event.mimeData()
        self._drop_at = None
        self.update()
        event.acceptProposedAction()
        if data.hasFormat(TILES_KIND):
            told = json.loads(bytes(data.data(TILES_KIND).data()))
            tiles = [(int(row), int(col)) for row, col in told["tiles"]]
            self.dropped_tiles.emit(str(told["tileset"]), tiles, place)
            return
        paths = [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]
        if paths:
            self.dropped_files.emit(sorted(paths))

    # Painting

    def paintEvent(self, event: QPaintEvent) -> None:
        with painting(self) as painter:
            painter.fillRect(self.rect(), theme().colour("sunken"))
            for n in range(len(self.frames)):
                self._draw(painter, n)
            if not self.frames:
                painter.setPen(theme().colour("ink2"))
                words = say("It stands still. Drag tiles here, or drop pictures.")
                painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, words)
            if self._drop_at is not None:
                x = self.rect_of(self._drop_at).left() - _GAP / 2
                painter.setPen(QPen(QColor(LINEN.madder), 3))
                painter.drawLine(QPointF(x, 2), QPointF(x, _SIDE + 6))

    def _draw(self, painter: QPainter, number: int) -> None:
        each, rect = self.frames[number], self.rect_of(number)
        checkers(painter, rect)
        owner = self._tileset
        if each.tileset and self._project is not None:
            owner = self._project.tileset_named(each.tileset)
        tile = TileRef(owner.name, each.row, each.col) if owner else None
        pixels = tile_pixels(owner, tile) if owner and tile else None
        if pixels is not None:
            high, wide = pixels.shape
            shown = QRectF(0, 0, wide * _SIDE / max(high, wide), high * _SIDE / max(high, wide))
            shown.moveCenter(rect.center())
            painter.drawImage(shown, image_of(np.ascontiguousarray(pixels)))
        chosen = number == self.number
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(LINEN.madder if chosen else LINEN.ink2), 2 if chosen else 1))
        painter.drawRect(rect)
        write_in(painter, 10)
        painter.setPen(theme().colour("ink2"))
        below = QRectF(rect.left() - 3, rect.bottom() + 1, rect.width() + 6, 14)
        painter.drawText(below, Qt.AlignmentFlag.AlignCenter, f"{each.ms} ms")
