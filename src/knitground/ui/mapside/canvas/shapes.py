"""View › Shapes: the shapes of all that lies on the map, merged as a game would see them.

What lies on the map is read in the interface thread, a few blocks a frame; merging it and drawing
the outlines goes on beside it. Until a picture is made, the last one is shown where it belongs.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass
from time import perf_counter
from typing import TYPE_CHECKING
from weakref import WeakKeyDictionary

from PySide6.QtCore import QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen
from PySide6.QtWidgets import QWidget

from knitground.core.base.errors import KnitError
from knitground.core.base.progress import Progress
from knitground.core.base.window import Box
from knitground.core.edit.changed import Changed, What
from knitground.core.model.map import Map, cells_under
from knitground.core.model.shapes import ShapeKind
from knitground.core.shapes.kinds import kind_named
from knitground.core.shapes.merge import (
    Laid,
    Merged,
    OfTiles,
    joined_areas,
    laid_shapes,
    merge,
    rings_of,
)
from knitground.ui.common.pulse import until_in_pulse
from knitground.ui.common.shapedrawing import draw_letter, ring_path
from knitground.ui.common.tasks import Job
from knitground.ui.common.theme import LINEN
from knitground.ui.common.zoom import Camera
from knitground.ui.mapside.canvas.over import Canvas, Overlay
from knitground.ui.mapside.canvas.overlay import seen_cells
from knitground.ui.session import Session

if TYPE_CHECKING:
    from shapely import Geometry

_SIDE = 16
"""Cells a side of the blocks that are read and merged at a time."""
_SECONDS = 0.002
_LEAST_PX = 5
"""Cells that are smaller on the screen show no shapes."""
_MOST_BLOCKS = 4096
_MOST_LETTERS = 60
_LETTER_AREA = 24 * 24
_MARGIN = 96
"""A picture shows so many pixels of the screen more on each side: a short pan needs no other."""
Key = tuple[int, int]
Rings = list[list[list[tuple[float, float]]]]
_NOTHING = (
    What.TERRAIN, What.MARKERS, What.TRAY, What.RECIPE, What.MIXES, What.ORDER, What.RULES,
    What.PROPERTIES,
)  # fmt: skip


@dataclass(eq=False)
class _Block:
    """Cells of a map: what lies there, and once it has been asked for, that merged."""

    laid: Laid
    merged: Merged | None = None


@dataclass(frozen=True, eq=False)
class _Outlines:
    """What some blocks show together, by kind, in pixels of the map."""

    blocks: tuple[_Block, ...]
    kinds: tuple[tuple[str, Rings], ...]


@dataclass(frozen=True, eq=False)
class _Order:
    """A picture that is to be made: of which part of a map, as large as it is on the screen."""

    map_: Map
    zoom: float
    ratio: float
    area: QRect
    age: int
    blocks: tuple[_Block, ...]
    kinds: dict[str, ShapeKind]

    def fits(self, map_: Map, zoom: float, ratio: float, seen: QRect, age: int) -> bool:
        """Whether its picture shows what is to be seen now."""
        return (
            self.map_ is map_ and self.age == age and (self.zoom, self.ratio) == (zoom, ratio)
            and self.area.contains(seen)
        )  # fmt: skip


class MapShapes(Overlay):
    """The merged shapes of a map, block by block as they are seen; a change drops its blocks.

    Parameters
    ----------
    view : painted again when a picture has been made
    """

    def __init__(self, session: Session, view: QWidget) -> None:
        super().__init__(session, view)
        self.outlines = _Outlines((), ())
        """What the last picture shows."""
        self._blocks: WeakKeyDictionary[Map, OrderedDict[Key, _Block]] = WeakKeyDictionary()
        self._of_tiles: OfTiles = {}
        self._age = 0
        self._picture: tuple[_Order, QImage] | None = None
        self._job: Job[tuple[_Outlines, QImage]] | None = None

    def forget(self) -> None:
        """Know nothing of another project's tiles, which may be called the same."""
        self._blocks.clear()
        self._of_tiles.clear()

    def follow(self, change: Changed) -> None:
        """Forget what a change may have touched."""
        if change.what in _NOTHING:
            return
        self._age += 1
        map_ = change.map
        if change.what is not What.CELLS or change.box is None or map_ is None:
            self.forget()
            return
        blocks = self._blocks.get(map_)
        if blocks:
            box = cells_under(map_, change.layer, change.box)
            for piece in map_.lattice.pieces(map_.lattice.fitted(box)):
                rows = range(piece.top // _SIDE, -(-piece.bottom // _SIDE))
                cols = range(piece.left // _SIDE, -(-piece.right // _SIDE))
                for key in [each for each in blocks if each[0] in rows and each[1] in cols]:
                    del blocks[key]

    def draw(self, on: Canvas) -> bool:
        """Draw what is known; what is being made comes when it is there."""
        self.waiting = False
        camera, map_, ratio = on.camera, on.map, self.view.devicePixelRatioF()
        if not on.session.sight.shapes or camera.zoom * map_.lattice.shorter < _LEAST_PX:
            return True
        whole = True
        seen = on.room.translated(-round(camera.left), -round(camera.top))
        made = self._picture
        if made is None or not made[0].fits(map_, camera.zoom, ratio, seen, self._age):
            self.waiting = True
            if self._job is None:
                whole = self._begin(camera, map_, on.room, ratio)
        if made is not None and made[0].map_ is map_:
            order, image = made
            part = camera.zoom / order.zoom
            at = QRectF(order.area)
            on.painter.drawImage(
                QRectF(camera.left + at.left() * part, camera.top + at.top() * part,
                       at.width() * part, at.height() * part),
                image,
            )  # fmt: skip
        return whole

    def _begin(self, camera: Camera, map_: Map, view: QRect, ratio: float) -> bool:
        """Let a picture be made, if all that it is to show could be read in time."""
        wide = view.adjusted(-_MARGIN, -_MARGIN, _MARGIN, _MARGIN)
        box = seen_cells(camera, map_, wide)
        keys = [] if box.is_empty else [
            (row, col)
            for row in range(box.top // _SIDE, -(-box.bottom // _SIDE))
            for col in range(box.left // _SIDE, -(-box.right // _SIDE))
        ]  # fmt: skip
        blocks = self._blocks.setdefault(map_, OrderedDict())
        until = until_in_pulse(_SECONDS)
        missing = [key for key in keys if key not in blocks]
        for n, key in enumerate(missing):
            if n and perf_counter() > until:
                return False
            blocks[key] = self._read(map_, key)
        shown = tuple(blocks[key] for key in keys)
        while len(blocks) > max(_MOST_BLOCKS, len(keys)):
            blocks.popitem(last=False)
        names = {name for each in shown for name in each.laid}
        area = wide.translated(-round(camera.left), -round(camera.top))
        order = _Order(
            map_, camera.zoom, ratio, area, self._age, shown,
            {name: kind_named(self.session.project, name) for name in sorted(names)},
        )  # fmt: skip
        known = self.outlines
        self._job = Job(
            lambda progress: _make(order, known, progress),
            lambda made: self._show(order, *made),
            lambda error: self._give_up(order, error),
            owner=self.view,
        )
        self._job.start()
        return True

    def _read(self, map_: Map, key: Key) -> _Block:
        box = _block(*key).clipped(map_.height, map_.width)
        doc = self.session.doc
        return _Block(
            laid_shapes(
                self.session.project, map_, box,
                cells_of=lambda layer, part: doc.cells(map_, layer, part), known=self._of_tiles,
            )
        )  # fmt: skip

    def _show(self, order: _Order, outlines: _Outlines, image: QImage) -> None:
        self._job, self.outlines, self._picture = None, outlines, (order, image)
        self.view.update()

    def _give_up(self, order: _Order, _error: KnitError) -> None:
        """Show nothing until something changes: the same order would fail again."""
        self._job, self._picture = None, (order, QImage())


def _make(order: _Order, known: _Outlines, progress: Progress) -> tuple[_Outlines, QImage]:
    """Merge what blocks show, and draw it: beside the interface, of what was read before."""
    for n, block in enumerate(order.blocks):
        if block.merged is None:
            block.merged = merge(block.laid)
        progress(n / len(order.blocks))
    outlines = known if known.blocks == order.blocks else _outlined(order.blocks)
    size = order.area.size() * order.ratio
    image = QImage(size, QImage.Format.Format_ARGB32_Premultiplied)
    image.setDevicePixelRatio(order.ratio)
    image.fill(0)
    painter = QPainter(image)
    try:
        _draw_all(painter, order, outlines)
    finally:
        painter.end()
    return outlines, image


def _outlined(blocks: tuple[_Block, ...]) -> _Outlines:
    found: dict[str, list[Geometry]] = {}
    for each in blocks:
        for name, area in (each.merged or {}).items():
            found.setdefault(name, []).append(area)
    return _Outlines(
        blocks,
        tuple((name, rings_of(joined_areas(parts))) for name, parts in sorted(found.items())),
    )


def _draw_all(painter: QPainter, order: _Order, outlines: _Outlines) -> None:
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    left, top, zoom = float(-order.area.left()), float(-order.area.top()), order.zoom
    letters = 0
    for name, parts in outlines.kinds:
        kind = order.kinds[name]
        # Part by part: each call keeps the interface waiting for as long as it takes.
        paths = [ring_path([part], left, top, zoom) for part in parts]
        colour = QColor(kind.colour)
        fill = QColor(colour)
        fill.setAlpha(84)
        for path in paths:
            painter.fillPath(path, fill)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for ink, width in ((QColor(LINEN.panel), 3.0), (colour, 1.5)):
            painter.setPen(QPen(ink, width))
            for path in paths:
                painter.drawPath(path)
        for spot in _letter_spots(paths, _MOST_LETTERS - letters):
            letters += 1
            draw_letter(painter, spot, kind, 10)


def _letter_spots(paths: Sequence[QPainterPath], most: int) -> list[QPointF]:
    found: list[QPointF] = []
    for path in paths:
        spot = _letter_spot(path) if len(found) < most else None
        if spot is not None:
            found.append(spot)
    return found


def _letter_spot(path: QPainterPath) -> QPointF | None:
    rect = path.boundingRect()
    if rect.width() * rect.height() < _LETTER_AREA or min(rect.width(), rect.height()) < 10:
        return None
    middle = rect.center()
    if path.contains(middle):
        return middle
    for part in (0.5, 0.2, 0.8, 0.05, 0.95):
        for other in (0.5, 0.2, 0.8, 0.05, 0.95):
            spot = QPointF(rect.left() + part * rect.width(), rect.top() + other * rect.height())
            if path.contains(spot):
                return spot
    return None


def _block(row: int, col: int) -> Box:
    return Box(row * _SIDE, col * _SIDE, (row + 1) * _SIDE, (col + 1) * _SIDE)
