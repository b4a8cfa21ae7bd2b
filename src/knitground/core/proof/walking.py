"""Who walks on a map while it is checked, and where: a figure that fits its cells."""

from __future__ import annotations

from typing import NamedTuple

from knitground.core.model.layers import MarkerLayer
from knitground.core.proof.proving import SOLID, Proving
from knitground.core.proof.reach import BEGINS
from knitground.core.walk.figure import MOST_PX, Figure
from knitground.core.walk.solids import Solids

_ROOM = 4096
"""Pixels across and down of the part of a large map that is looked at."""


class Walked(NamedTuple):
    """A figure, what stops it, and the part of the map that is looked at: x, y, width, height."""

    solids: Solids
    figure: Figure
    room: tuple[int, int, int, int]


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
              for marker in layer.markers if marker.kind == BEGINS]  # fmt: skip
    x, y = begins[0] if begins else (solids.wide / 2, solids.high / 2)
    left = int(min(max(0, x - wide / 2), solids.wide - wide))
    top = int(min(max(0, y - high / 2), solids.high - high))
    return Walked(solids, figure, (left, top, wide, high))
