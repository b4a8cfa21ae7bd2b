"""Edges that catch a figure: found by a thousand that wander about."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from knitground.core.base.tongue import say
from knitground.core.proof.finding import Check, Finding, Group
from knitground.core.proof.places import parts
from knitground.core.proof.proving import Proving
from knitground.core.proof.walking import walked
from knitground.core.walk.wander import wander

_OFTEN = 2
"""Times that one was caught in a cell: once may be a corner that was hit just so."""


def _find(at: Proving) -> Iterator[Finding]:
    map_, who = at.map, walked(at)
    if who is None:
        return
    figure = who.figure
    found = who.once("edges", lambda: wander(*who[:3], progress=at.progress))
    hits = np.zeros((map_.height, map_.width), np.int32)
    if len(found):
        rows, cols = map_.lattice.cells_at(found[:, 0].astype(float), found[:, 1] - 0.5)
        inside = map_.lattice.there(rows, cols)
        np.add.at(hits, (rows[inside], cols[inside]), 1)
    for cells in parts(hits >= _OFTEN):
        count = int(hits[cells[:, 0], cells[:, 1]].sum())
        yield Finding(
            "edges",
            say("an edge catches a figure of {wide} × {high} px: of 1000 that wandered ten "
"seconds along walls {count} were stopped by it", wide=figure.wide, high=figure.high, count=count),
            f"{cells[0].tolist()}", map_.name, 0, at.places(cells),
            len(cells), hurt=min(0.7, 0.4 + count / 200),
        )  # fmt: skip


CHECK = Check(
    "edges", Group.PLAY, say("Edges that catch"),
    say("Edges between solid shapes that stop a figure though it could go on a few pixels beside"),
    _find, stage="tiles",
)  # fmt: skip
