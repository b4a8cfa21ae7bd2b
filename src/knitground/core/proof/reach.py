"""Places that nobody can reach from where a game begins."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from knitground.core.base.tongue import say
from knitground.core.grow.distance import parts_of
from knitground.core.model.layers import MarkerLayer
from knitground.core.model.marker import SPAWN
from knitground.core.proof.finding import Check, Finding, Group
from knitground.core.proof.places import numbered
from knitground.core.proof.proving import Proving

_LEAST = 2


def _find(at: Proving) -> Iterator[Finding]:
    map_ = at.map
    begins = [marker.middle for layer in map_.layers if isinstance(layer, MarkerLayer)
              for marker in layer.markers if marker.kind == SPAWN]  # fmt: skip
    if not begins:
        return
    blocked = at.blocked()
    if blocked is None:
        return
    free = ~blocked if map_.lattice.exists is None else ~blocked & map_.lattice.exists
    numbers, count = parts_of(
        free, wrap=map_.lattice.torus is not None, corners=False, meeting=map_.lattice.meeting()
    )
    from_ = set()
    for x, y in begins:
        cell = map_.lattice.cell_at(x, y)
        if map_.wrap:
            cell = map_.lattice.nearest(*cell)
        if map_.lattice.holds(*cell) and numbers[cell]:
            from_.add(int(numbers[cell]))
    if not from_:
        return
    sizes = np.bincount(numbers.ravel(), minlength=count + 1)
    largest = sorted(range(1, count + 1), key=lambda n: -int(sizes[n]))[:64]
    lost = [number for number in largest if number not in from_ and sizes[number] >= _LEAST]
    for cells in numbered(numbers, lost):
        places = at.places(cells)
        yield Finding(
            "reach",
            say(
                "{count} cells that can not be reached from any {spawn}",
                count=len(cells),
                spawn=SPAWN,
            ),
            f"{places[0]}",
            map_.name,
            0,
            places,
            len(cells),
            hurt=0.55,
        )


CHECK = Check(
    "reach", Group.PLAY, say("Out of reach"),
    say("Places that can be walked on and not be reached from any {spawn}", spawn=SPAWN), _find,
)  # fmt: skip
