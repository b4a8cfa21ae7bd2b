"""Gaps: what terrain asks for and no tile shows."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.base.window import whole
from knitground.core.edit.atoms import Atom
from knitground.core.edit.document import Edit
from knitground.core.edit.piecehere import Fitting
from knitground.core.knit.knit import terrain_of, without_rim
from knitground.core.knit.missing import key_words
from knitground.core.model.lattice import Cell
from knitground.core.model.layers import GAP, GroundLayer
from knitground.core.proof.finding import Check, Finding, Group
from knitground.core.proof.places import lay_masked
from knitground.core.proof.proving import Proving


def _find(at: Proving) -> Iterator[Finding]:
    map_ = at.map
    for layer, _, kit, table in at.grounds():
        cells = at.cells(layer)
        rows, cols = np.nonzero(cells == GAP)
        if not rows.size:
            continue
        ground = terrain_of(table, layer, whole(cells), map_.wrap)
        ground = without_rim(ground, table.margin - table.kind.margin)
        keys = table.keys.keys_at(table, ground, rows, cols)
        found: dict[tuple[int, ...], list[Cell]] = {}
        for key, row, col in zip(keys, rows.tolist(), cols.tolist()):
            found.setdefault(key, []).append((row, col))
        for key, places in sorted(found.items(), key=lambda each: -len(each[1])):
            words = say("no tile shows {key_words}", key_words=key_words(kit, key))
            yield Finding(
                "gaps", words, f"{kit.name} {key}", map_.name, layer.number,
                at.places(places), len(places), hurt=1.0,
            )  # fmt: skip


def _cure(at: Proving, findings: Sequence[Finding]) -> Edit:
    """Pin the tile that joins best on each cell; what several findings ask for is one patch."""
    atoms: list[Atom] = []
    count, done, size = 0, 0, sum(len(each.places) for each in findings)
    for layer in at.map.layers:
        owner = at.project.tileset_named(layer.tileset) if isinstance(layer, GroundLayer) else None
        if owner is None:
            continue
        values = np.zeros(layer.cells.shape, np.int32)
        fitting = Fitting(at.doc, at.map, layer, owner)
        for cell in [cell for each in findings if each.layer == layer.number
                     for cell in each.places]:  # fmt: skip
            done += 1
            at.progress(done / size)
            best = fitting.on(cell, 1)
            if best:
                values[cell] = at.map.legend.place(best[0].tile)
        count += int((values > 0).sum())
        atoms += lay_masked(at.map, layer, values, values > 0)
    if not atoms:
        raise EditError(say("nothing joins there: make the missing tile in Terrains"))
    return Edit(say("Pin what fits on {count} gaps", count=count), tuple(atoms))


CHECK = Check(
    "gaps", Group.SENSE, say("Gaps"), say("Cells whose terrain no tile shows"), _find,
    say("Pin what fits best"), _cure, "terrains",
)  # fmt: skip
