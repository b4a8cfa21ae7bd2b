"""Pins that the terrain has outgrown: a tile of the set that is not what is asked for there."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from knitground.core.base.tongue import say
from knitground.core.base.window import whole
from knitground.core.edit.atoms import Atom
from knitground.core.edit.document import Edit
from knitground.core.edit.laying import plan_unpin
from knitground.core.knit.keys import keys_of
from knitground.core.knit.knit import knit_box, terrain_of, without_rim
from knitground.core.knit.layer import marked_tiles
from knitground.core.knit.missing import key_words
from knitground.core.model.lattice import Cell
from knitground.core.model.layers import GroundLayer
from knitground.core.proof.finding import Check, Finding, Group
from knitground.core.proof.proving import Proving


def _find(at: Proving) -> Iterator[Finding]:
    map_ = at.map
    for layer, owner, kit, table in at.grounds():
        if not layer.pinned.any():
            continue
        cells = at.cells(layer)
        rows, cols = np.nonzero(layer.pinned & (cells > 0))
        marks, tiles = marked_tiles(at.project, owner, kit)
        asks = keys_of(kit.kind)
        shows = {
            map_.legend.place(tile): set(asks.of_marks(each, len(kit.terrains))[1])
            for tile, each in zip(tiles, marks.tolist())
        }
        would = knit_box(table, layer, whole(cells), keep_pins=False, wrap=map_.wrap)
        ground = terrain_of(table, layer, whole(cells), map_.wrap)
        ground = without_rim(ground, table.margin - table.kind.margin)
        keys = table.keys.keys_at(table, ground, rows, cols)
        known = table.variants.keys() | table.inner.keys()
        found: dict[tuple[int, tuple[int, ...]], list[Cell]] = {}
        for key, row, col in zip(keys, rows.tolist(), cols.tolist()):
            place = int(cells[row, col])
            beneath = int(would[row, col])
            if beneath > 0 and key not in shows.get(beneath, ()):
                continue  # a rule decides there: what it lays need not show what marks ask for
            if place in shows and key in known and key not in shows[place]:
                found.setdefault((place, key), []).append((row, col))
        for (place, key), places in sorted(found.items(), key=lambda each: -len(each[1])):
            tile = map_.legend.tile(place)
            assert tile is not None
            words = say(
                "{title} is pinned where terrain asks for {key_words}",
                title=at.title(tile),
                key_words=key_words(kit, key),
            )
            yield Finding(
                "pins", words, f"{at.key(place)} {key}", map_.name, layer.number,
                at.places(places), len(places), tile, 0.5,
            )  # fmt: skip


def _cure(at: Proving, findings: Sequence[Finding]) -> Edit:
    atoms: list[Atom] = []
    for layer in at.map.layers:
        cells = [cell for each in findings if each.layer == layer.number for cell in each.places]
        if cells and isinstance(layer, GroundLayer):
            mask = np.zeros(layer.cells.shape, np.bool_)
            mask[tuple(np.array(cells).T)] = True
            plan = plan_unpin(at.doc, at.map, layer, whole(mask), mask, "")
            atoms += plan.edit.atoms
    return Edit(say("Release pins that terrain has outgrown"), tuple(atoms))


CHECK = Check(
    "pins", Group.SENSE, say("Outgrown pins"),
    say("Tiles of the set that were pinned, and show other terrain than lies there now"), _find,
    say("Release the pins"), _cure,
)  # fmt: skip
