"""Holes: cells that no layer fills, on a map that is filled elsewhere."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from knitground.core.base.tongue import say, say_many
from knitground.core.model.layers import GAP, Holds
from knitground.core.proof.finding import Check, Finding, Group
from knitground.core.proof.places import parts
from knitground.core.proof.proving import Proving

_FILLED = 0.75
"""Part of the map that must be filled: else it is one that is drawn on nothing."""
_SMALL = 0.02
"""Part of the map up to which a hole is taken for one."""


def _find(at: Proving) -> Iterator[Finding]:
    map_ = at.map
    if map_.background is not None:
        return
    layers = [each for each in map_.layers if each.holds is Holds.TILES and each.visible]
    if not layers or any(not at.own_grid(each) or each.shift != (0, 0) for each in layers[:1]):
        return
    covered = np.zeros((map_.height, map_.width), np.bool_)
    for layer in layers:
        if at.own_grid(layer):
            cells = at.cells(layer)
            covered |= (cells != 0) | (cells == GAP)
        else:
            return
    there = map_.lattice.exists
    holes = ~covered if there is None else ~covered & there
    size = int(there.sum()) if there is not None else covered.size
    if not holes.any() or holes.sum() > (1 - _FILLED) * size:
        return
    for part in parts(holes):
        count = len(part)
        if count > max(4, _SMALL * size):
            continue
        places = at.places(part)
        yield Finding(
            "uncovered",
            say_many(
                "{count} cell that no layer fills", "{count} cells that no layer fills", count
            ),
            f"{places[0]}",
            map_.name,
            0,
            places,
            count,
            hurt=0.7,
        )


CHECK = Check(
    "uncovered", Group.SENSE, say("Holes"),
    say("Cells that no layer fills, on a map that is filled almost everywhere"), _find,
)  # fmt: skip
