"""View › Shapes: the shapes of all that lies on the map, merged as a game would see them."""

from __future__ import annotations

from collections import OrderedDict
from time import perf_counter
from typing import TYPE_CHECKING
from weakref import WeakKeyDictionary

from PySide6.QtCore import QPointF, QRect, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen

from knitground.core.base.window import Box
from knitground.core.edit.changed import Changed, What
from knitground.core.model.map import Map, cells_under
from knitground.core.shapes.kinds import kind_named
from knitground.core.shapes.merge import Merged, joined_areas, merged_shapes, rings_of
from knitground.ui.common.shapedrawing import draw_letter, ring_path
from knitground.ui.common.theme import LINEN
from knitground.ui.mapside.canvas.overlay import seen_cells
from knitground.ui.mapside.canvas.zoom import Camera
from knitground.ui.session import Session

if TYPE_CHECKING:
    from shapely import Geometry

_SIDE = 16
"""Cells a side of the blocks that are merged at a time."""
_SECONDS = 0.008
_LEAST_PX = 5
"""Cells that are smaller on the screen show no shapes."""
_MOST_BLOCKS = 4096
_MOST_LETTERS = 60
_LETTER_AREA = 24 * 24
Key = tuple[int, int]
_NOTHING = (
    What.TERRAIN, What.MARKERS, What.TRAY, What.RECIPE, What.MIXES, What.ORDER, What.RULES,
    What.PROPERTIES,
)  # fmt: skip


class MapShapes:
    """The merged shapes of a map, block by block as they are seen; a change drops its blocks."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.on = False
        self.waiting = False
        """Whether parts that are seen are still to come."""
        self._blocks: WeakKeyDictionary[Map, OrderedDict[Key, Merged]] = WeakKeyDictionary()
        self._joined: tuple[object, list[tuple[str, list[list[list[tuple[float, float]]]]]]] = (
            None, [],
        )  # fmt: skip

    def follow(self, change: Changed) -> None:
        """Forget what a change may have touched."""
        if change.what in _NOTHING:
            return
        self._joined = (None, [])
        map_ = change.map
        if change.what is not What.CELLS or change.box is None or map_ is None:
            self._blocks.clear()
            return
        blocks = self._blocks.get(map_)
        if blocks:
            box = cells_under(map_, change.layer, change.box)
            box = box.fitted(map_.height, map_.width, map_.wrap)
            rows, cols = set(box.rows(map_.height) // _SIDE), set(box.cols(map_.width) // _SIDE)
            for key in [each for each in blocks if each[0] in rows and each[1] in cols]:
                del blocks[key]

    def draw(self, painter: QPainter, camera: Camera, map_: Map, view: QRect) -> bool:
        """Draw what is known; returns whether there is more to come."""
        if camera.zoom * map_.lattice.shorter < _LEAST_PX:
            return False
        box = seen_cells(camera, map_, view)
        if box.is_empty:
            return False
        keys = [
            (row, col)
            for row in range(box.top // _SIDE, -(-box.bottom // _SIDE))
            for col in range(box.left // _SIDE, -(-box.right // _SIDE))
        ]
        blocks = self._blocks.setdefault(map_, OrderedDict())
        until = perf_counter() + _SECONDS
        for key in keys:
            if key not in blocks and perf_counter() < until:
                blocks[key] = self._merge(map_, key)
        known = [key for key in keys if key in blocks]
        while len(blocks) > _MOST_BLOCKS:
            blocks.popitem(last=False)
        self._draw_all(painter, camera, map_, known, blocks)
        self.waiting = len(known) < len(keys)
        return self.waiting

    def _merge(self, map_: Map, key: Key) -> Merged:
        box = _block(*key).clipped(map_.height, map_.width)
        doc = self.session.doc
        return merged_shapes(
            self.session.project, map_, box,
            cells_of=lambda layer, part: doc.cells(map_, layer, part),
        )  # fmt: skip

    def _draw_all(
        self,
        painter: QPainter,
        camera: Camera,
        map_: Map,
        keys: list[Key],
        blocks: OrderedDict[Key, Merged],
    ) -> None:
        key = (id(map_), tuple(keys))
        if self._joined[0] != key:
            found: dict[str, list[Geometry]] = {}
            for each in keys:
                for name, area in blocks[each].items():
                    found.setdefault(name, []).append(area)
            rings = [(kind, rings_of(joined_areas(parts))) for kind, parts in sorted(found.items())]
            self._joined = (key, rings)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        letters = 0
        for name, parts in self._joined[1]:
            kind = kind_named(self.session.project, name)
            path = ring_path(parts, camera.left, camera.top, camera.zoom)
            colour = QColor(kind.colour)
            fill = QColor(colour)
            fill.setAlpha(84)
            painter.fillPath(path, fill)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for ink, width in ((QColor(LINEN.panel), 3.0), (colour, 1.5)):
                painter.setPen(QPen(ink, width))
                painter.drawPath(path)
            for part in parts:
                spot = _letter_spot(ring_path([part], camera.left, camera.top, camera.zoom))
                if spot is not None and letters < _MOST_LETTERS:
                    letters += 1
                    draw_letter(painter, spot, kind, 10)
        painter.restore()


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
