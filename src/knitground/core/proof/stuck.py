"""Markers inside walls, or outside the map."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import partial

import numpy as np

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.edit.atoms import Atom
from knitground.core.edit.document import Edit
from knitground.core.edit.markers import change_markers, moved
from knitground.core.model.layers import MarkerLayer
from knitground.core.model.marker import SPAWN, Marker, Shape
from knitground.core.proof.finding import Check, Finding, Group
from knitground.core.proof.proving import Proving

_WALKED = (SPAWN, "path stop")


def _find(at: Proving) -> Iterator[Finding]:
    map_ = at.map
    blocked = at.blocked()
    wide, high = map_.lattice.extent
    for layer in map_.layers:
        if not isinstance(layer, MarkerLayer):
            continue
        for marker in layer.markers:
            cell = map_.lattice.cell_at(*marker.middle)
            if map_.wrap:
                cell = map_.lattice.nearest(*cell)
            off = not any(0 <= x <= wide and 0 <= y <= high for x, y in marker.points)
            inside = (
                not off and marker.kind in _WALKED and blocked is not None
                and map_.lattice.holds(*cell) and bool(blocked[cell])
            )  # fmt: skip
            if off or inside:
                where = say("lies outside the map") if off else say("stands inside something solid")
                yield Finding(
                    "stuck",
                    say(
                        "{kind} “{title}” {where}",
                        kind=marker.kind or say("marker"),
                        title=marker.title,
                        where=where,
                    ),
                    f"{marker.number}",
                    map_.name,
                    layer.number,
                    (map_.lattice.nearest(*cell),),
                    hurt=0.85,
                )


def _cure(at: Proving, findings: Sequence[Finding]) -> Edit:
    """Put each on the nearest place that is free."""
    map_ = at.map
    blocked = at.blocked()
    free = np.ones((map_.height, map_.width), np.bool_) if blocked is None else ~blocked
    if map_.lattice.exists is not None:
        free &= map_.lattice.exists
    rows, cols = np.nonzero(free)
    if not rows.size:
        raise EditError(say("no cell of the map is free: take something solid away"))
    atoms: list[Atom] = []
    for layer in map_.layers:
        if not isinstance(layer, MarkerLayer):
            continue
        wanted = {int(each.what) for each in findings if each.layer == layer.number}
        changes = {
            marker.number: _freed(at, marker, rows, cols)
            for marker in layer.markers if marker.number in wanted
        }  # fmt: skip
        if changes:
            edit = change_markers(map_, layer, list(changes), partial(_changed, changes), "")
            atoms += edit.atoms
    return Edit(say("Put markers where they are free"), tuple(atoms))


def _changed(made: dict[int, Marker], marker: Marker) -> Marker:
    return made[marker.number]


def _freed(at: Proving, marker: Marker, rows: np.ndarray, cols: np.ndarray) -> Marker:
    row, col = at.map.lattice.cell_at(*marker.middle)
    nearest = int(((rows - row) ** 2 + (cols - col) ** 2).argmin())
    x, y = at.map.lattice.middle(int(rows[nearest]), int(cols[nearest]))
    assert marker.shape in Shape
    return moved(marker, x - marker.middle[0], y - marker.middle[1])


CHECK = Check(
    "stuck", Group.PLAY, say("Misplaced markers"),
    say("Spawn points and path stops inside something solid, and markers outside the map"), _find,
    say("Move to the nearest free cell"), _cure,
)  # fmt: skip
