"""Edges that catch a figure: found by a thousand that wander about."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from knitground.core.model.layers import MarkerLayer
from knitground.core.proof.finding import Check, Finding, Group
from knitground.core.proof.places import parts
from knitground.core.proof.proving import SOLID, Proving
from knitground.core.proof.reach import BEGINS
from knitground.core.walk.figure import MOST_PX, Figure
from knitground.core.walk.solids import Solids
from knitground.core.walk.wander import wander

_ROOM = 4096
"""Pixels across and down of the part of a large map in which they wander."""
_OFTEN = 2
"""Times that one was caught in a cell: once may be a corner that was hit just so."""


def _find(at: Proving) -> Iterator[Finding]:
    map_ = at.map
    if at.blocked() is None:
        return
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
    found = wander(solids, figure, (left, top, wide, high), progress=at.progress)
    hits = np.zeros((map_.height, map_.width), np.int32)
    if len(found):
        rows, cols = map_.lattice.cells_at(found[:, 0].astype(float), found[:, 1] - 0.5)
        inside = (rows >= 0) & (rows < map_.height) & (cols >= 0) & (cols < map_.width)
        np.add.at(hits, (rows[inside], cols[inside]), 1)
    for part in parts(hits >= _OFTEN):
        cells = np.argwhere(part)
        count = int(hits[part].sum())
        yield Finding(
            "edges",
            f"an edge catches a figure of {figure.wide} × {figure.high} px: of 1000 that "
            f"wandered ten seconds along walls {count} were stopped by it",
            f"{cells[0].tolist()}", map_.name, 0, at.places(part),
            len(cells), hurt=min(0.7, 0.4 + count / 200),
        )  # fmt: skip


CHECK = Check(
    "edges", Group.PLAY, "Edges that catch",
    "Edges between solid shapes that stop a figure though it could go on a few pixels beside",
    _find, stage="tiles",
)  # fmt: skip
