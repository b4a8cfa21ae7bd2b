"""Who walks on a map while it is checked, and where: a figure that fits its cells."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from hashlib import blake2b
from threading import Lock
from typing import NamedTuple, TypeVar, cast

import numpy as np

from knitground.core.model.lattice import Rect
from knitground.core.model.layers import MarkerLayer
from knitground.core.model.marker import SPAWN
from knitground.core.proof.proving import Proving
from knitground.core.shapes.blocked import SOLID
from knitground.core.walk.figure import MOST_PX, Figure
from knitground.core.walk.solids import Solids, shapes_reach

Found = TypeVar("Found")
_ROOM = 4096
"""Pixels across and down of the part of a large map that is looked at."""


_MOST = 6
_known: OrderedDict[tuple[object, ...], object] = OrderedDict()
_lock = Lock()


class Walked(NamedTuple):
    """A figure, what stops it, and the part of the map that is looked at: x, y, width, height.

    `print` is the same wherever the same stands in its way.
    """

    solids: Solids
    figure: Figure
    room: tuple[int, int, int, int]
    print: bytes

    def once(self, what: str, make: Callable[[], Found]) -> Found:
        """Make something that follows from this alone, or give what was made before.

        Most of what is drawn stands in nobody's way: it is not walked on anew.
        """
        key = what, self.figure, self.room, self.print
        with _lock:
            if key in _known:
                _known.move_to_end(key)
                return cast("Found", _known[key])
        made = make()
        with _lock:
            _known[key] = made
            while len(_known) > _MOST:
                _known.popitem(last=False)
        return made


def walked(at: Proving) -> Walked | None:
    """Give who walks where; None if nothing on the map stops anybody.

    Of large maps the part round the first spawn point is looked at, else that round the middle.
    """
    map_ = at.map
    if at.blocked() is None:
        return None
    side = map_.lattice.shorter
    wide, high = (max(1, min(MOST_PX, round(side * part))) for part in (0.6, 1.2))
    figure = Figure(wide, high, min(4000.0, side * 6.0))
    solids = Solids(at.doc, map_, (SOLID,), side=1024)
    wide, high = min(_ROOM, solids.wide), min(_ROOM, solids.high)
    begins = [marker.middle for layer in map_.layers if isinstance(layer, MarkerLayer)
              for marker in layer.markers if marker.kind == SPAWN]  # fmt: skip
    x, y = begins[0] if begins else (solids.wide / 2, solids.high / 2)
    left = int(min(max(0, x - wide / 2), solids.wide - wide))
    top = int(min(max(0, y - high / 2), solids.high - high))
    room = left, top, wide, high
    return Walked(solids, figure, room, _print_of(at, room))


def _print_of(at: Proving, room: tuple[int, int, int, int]) -> bytes:
    """Give a print of all that shapes of a map's tiles make of a part of it."""
    lattice = at.map.lattice
    out = blake2b(repr(lattice).encode())
    box = lattice.cells_in(shapes_reach(lattice, Rect(*room)))
    part = box.clipped(at.map.height, at.map.width)
    facts = [at.fact(tile) if tile is not None else None for tile in at.legend]
    has = np.array([fact is not None and bool(fact.shapes) for fact in facts])
    for tile, fact in zip(at.legend, facts):
        if tile is not None and fact is not None and fact.shapes:
            owner = at.owner(tile)
            area = owner.slicing.tile_area(tile.row, tile.col) if owner is not None else None
            out.update(repr((tile, fact.shapes, fact.anchor, area)).encode())
    for layer in at.map.layers:
        if not layer.visible or not layer.holds_tiles:
            continue
        cells = at.cells(layer)
        if layer.own_cell is None and layer.shift == (0, 0) and not at.map.wrap:
            cells = cells[part.top : part.bottom, part.left : part.right]
        shaped = np.where(has[np.clip(cells, 0, len(has) - 1)], cells, 0)
        if shaped.any():
            out.update(repr((layer.number, layer.shift, layer.own_cell)).encode())
            out.update(np.ascontiguousarray(shaped).data)
    return out.digest()
