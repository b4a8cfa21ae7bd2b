"""The chosen tile large, moving if it moves, with the tiles round it that it would join."""

from __future__ import annotations

from time import monotonic

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, QTimer
from PySide6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PySide6.QtWidgets import QWidget

from knitground.core.base.tongue import say
from knitground.core.knit.joining import Round, joined_tiles
from knitground.core.model.project import Project
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import At, Frames, Tileset
from knitground.core.render.tiles import tile_pixels
from knitground.ui.common.checkers import checkers
from knitground.ui.common.painting import image_of, painting
from knitground.ui.common.theme import theme

_SIDE, _FAINT = 168, 0.4
LOOKS = (8.0, 12.0, 16.0, 24.0)
"""How many times as large the wheel makes the tile, when it does not just fit."""


class BigTile(QWidget):
    """Shows one tile large, what it would join at all sides, and its frames in turn.

    It fits with a rim of what lies round it; the wheel comes nearer, 8 to 24 times, to what is
    under the pointer, the middle button moves what is seen, and out again it fits.

    A tile that is in no terrain set has itself at all sides, as it would repeat.
    """

    def __init__(self, side: int = _SIDE) -> None:
        super().__init__()
        self.side = side
        self.tileset: Tileset | None = None
        self.at: At | None = None
        self.playing = True
        self.faint = False
        self._step = 0
        self.beside: Round | None = None
        self._round: dict[tuple[int, int], QImage] = {}
        self._images: dict[TileRef, QImage] = {}
        self.home: Project | None = None
        self.near: float | None = None
        self._middle = QPointF()
        self._held: QPointF | None = None
        self._begun = 0.0
        self._timer = QTimer(self, interval=40)
        self._timer.timeout.connect(self._tick)
        self.setFixedSize(QSize(side, side))
        self.setAccessibleName(say("The tile, large"))
        self.setToolTip(
            say("The wheel comes nearer, to 24 times; the middle button moves what is seen")
        )

    def show_tile(
        self,
        tileset: Tileset | None,
        at: At | None,
        project: Project | None = None,
        *,
        faint: bool = False,
    ) -> None:
        """Show another tile; in a project with the tiles that it would join.

        Parameters
        ----------
        faint : whether it is only an example, which nobody has chosen
        """
        self.faint = faint
        other = tileset is not self.tileset or at != self.at
        self.tileset, self.at, self.home = tileset, at, project
        if other:
            self.near, self._middle = None, QPointF()
        self._images.clear()
        self._show_round(project)
        self._step = 0 if other else self._step
        self._start()

    def _start(self) -> None:
        self._begun = monotonic()
        moves = bool(self.frames())
        if moves and self.playing and self.isVisible():
            self._timer.start()
        else:
            self._timer.stop()
        self.update()

    def _show_round(self, project: Project | None) -> None:
        self.beside, self._round = None, {}
        if project is None or self.tileset is None or self.at is None:
            return
        self.beside = joined_tiles(project, self.tileset, self.at)
        for place, tile in (self.beside or {}).items():
            owner = project.tileset_named(tile.tileset)
            pixels = tile_pixels(owner, tile) if owner is not None else None
            if pixels is not None:
                self._round[place] = image_of(np.ascontiguousarray(pixels)).copy()

    def frames(self) -> Frames:
        """The frames of the tile that is shown."""
        if self.tileset is None or self.at is None:
            return ()
        return self.tileset.fact(*self.at).frames

    def play(self, on: bool) -> None:
        """Play, or pause at the present frame."""
        self.playing = on
        self._start()

    def show_frame(self, number: int) -> None:
        """Stand at one of the frames."""
        self.playing = False
        self._timer.stop()
        self._step = number
        self.update()

    def step(self) -> None:
        """Show the next frame."""
        self.playing = False
        self._timer.stop()
        self._step += 1
        self.update()

    def _tick(self) -> None:
        if not self.isVisible():
            self._timer.stop()
            return
        self.update()

    def number(self) -> int:
        """Which of its frames is shown now, counted from 0."""
        frames = self.frames()
        if not frames:
            return 0
        if not self.playing:
            return self._step % len(frames)
        at = int((monotonic() - self._begun) * 1000) % max(1, sum(each.ms for each in frames))
        for n, each in enumerate(frames):
            if at < each.ms:
                return n
            at -= each.ms
        return len(frames) - 1

    def shown(self) -> TileRef | None:
        """The tile that is shown now: a frame, or itself."""
        if self.tileset is None or self.at is None:
            return None
        frames = self.frames()
        if not frames:
            return TileRef(self.tileset.name, *self.at)
        each = frames[self.number()]
        return TileRef(each.tileset or self.tileset.name, each.row, each.col)

    def paintEvent(self, event: QPaintEvent) -> None:
        with painting(self) as painter:
            rect = QRectF(0, 0, self.side, self.side)
            painter.fillRect(rect, theme().colour("sunken"))
            at = self.shown()
            image = self._image(at) if at is not None else None
            if image is not None:
                painter.setOpacity(_FAINT if self.faint else 1.0)
                self._draw(painter, image)

    def _image(self, tile: TileRef) -> QImage | None:
        if tile not in self._images and self.tileset is not None:
            own = tile.tileset == self.tileset.name
            owner = self.tileset if own or self.home is None else self.home.tileset_named(
                tile.tileset
            )  # fmt: skip
            pixels = tile_pixels(owner, tile) if owner is not None else None
            if pixels is None:
                return None
            self._images[tile] = image_of(np.ascontiguousarray(pixels)).copy()
        return self._images.get(tile)

    def frame_of(self, wide: int, high: int) -> QRectF:
        """Where a tile of a size lies on the screen: it fits, or is as near as the wheel says."""
        zoom = self.near or self._fitting(wide, high)
        wide_px, high_px = wide * zoom, high * zoom
        return QRectF(
            float(round((self.side - wide_px) / 2 - self._middle.x() * zoom)),
            float(round((self.side - high_px) / 2 - self._middle.y() * zoom)),
            wide_px, high_px,
        )  # fmt: skip

    def _fitting(self, wide: int, high: int) -> float:
        room = self.side * 0.78  # 8 times for 16 pixels, and a rim of what lies round it
        zoom = min(LOOKS[-1], room / max(wide, high))
        return float(int(zoom)) if zoom >= 1 else zoom

    def _size(self) -> tuple[int, int] | None:
        at = self.shown()
        image = self._image(at) if at is not None else None
        return (image.width(), image.height()) if image is not None else None

    def come_near(self, nearer: bool, at: QPointF) -> None:
        """Show the tile a step larger or smaller; what lies at a place of the screen stays."""
        size = self._size()
        if size is None:
            return
        fits = self._fitting(*size)
        steps = [fits, *(each for each in LOOKS if each > fits)]
        now = self.near or fits
        number = max(n for n, each in enumerate(steps) if each <= now) + (1 if nearer else -1)
        zoom = steps[min(max(number, 0), len(steps) - 1)]
        if zoom == fits:
            self.near, self._middle = None, QPointF()
        else:
            off = at - QPointF(self.side / 2, self.side / 2)
            self._look_at(self._middle + off / now - off / zoom, size)
            self.near = zoom
        self.update()

    def _look_at(self, middle: QPointF, size: tuple[int, int]) -> None:
        """Look at another place of the tile, counted from its middle; never away from it."""
        wide, high = size[0] / 2, size[1] / 2
        self._middle = QPointF(min(max(middle.x(), -wide), wide), min(max(middle.y(), -high), high))

    def wheelEvent(self, event: QWheelEvent) -> None:
        turned = event.angleDelta().y()
        if turned:
            self.come_near(turned > 0, event.position())
        event.accept()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.MiddleButton:
            self._held = event.position()
        else:
            super().mousePressEvent(event)

    @property
    def moving_look(self) -> bool:
        """Whether the middle button holds what is seen."""
        return self._held is not None

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        size = self._size()
        if self._held is None or self.near is None or size is None:
            super().mouseMoveEvent(event)
            return
        self._look_at(self._middle - (event.position() - self._held) / self.near, size)
        self._held = event.position()
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.MiddleButton:
            self._held = None
        else:
            super().mouseReleaseEvent(event)

    def _draw(self, painter: QPainter, image: QImage) -> None:
        frame = self.frame_of(image.width(), image.height())
        left, top, wide, high = frame.left(), frame.top(), frame.width(), frame.height()
        checkers(painter, QRectF(0, 0, self.side, self.side))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
        for down in (-1, 0, 1):
            for across in (-1, 0, 1):
                painter.setOpacity(1.0 if not (down or across) else 0.4)
                at = QRectF(left + across * wide, top + down * high, wide, high)
                beside = image if self.beside is None else self._round.get((down, across))
                shown = beside if down or across else image
                if shown is not None:
                    painter.drawImage(at, shown)
        painter.setOpacity(1.0)
        painter.setPen(theme().colour("madder"))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(QRectF(left, top, wide - 1, high - 1))
