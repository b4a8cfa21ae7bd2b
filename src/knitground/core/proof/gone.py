"""Tiles that lie on a map and that their sheet has no more: it was changed, or cut otherwise."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence

import numpy as np

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.base.window import whole
from knitground.core.edit.atoms import Atom
from knitground.core.edit.document import Edit
from knitground.core.edit.laying import plan_unpin
from knitground.core.model.layers import PinnedLayer
from knitground.core.model.tile import TileRef
from knitground.core.proof.finding import Check, Finding, Group
from knitground.core.proof.places import lay_masked
from knitground.core.proof.proving import Proving
from knitground.core.render.tiles import is_empty


def _lost(at: Proving, tile: TileRef) -> str:
    """Say why nothing is seen of a tile; "" if something is, or its sheet is missing altogether."""
    owner = at.project.tileset_named(tile.tileset)
    if owner is None:
        return say("there is no sheet “{tileset}”", tileset=tile.tileset)
    if owner.picture is None:
        return ""  # *Missing sheets* says so once
    if not owner.has(tile.row, tile.col):
        return say("“{name}” has no tile there any more", name=owner.name)
    marked = any(kit.marks_within(owner.rows, owner.columns)[tile.row, tile.col].any()
                 for kit in owner.sets)  # fmt: skip
    if not marked and is_empty(owner, tile.row, tile.col):
        return say("nothing is to be seen at its place on “{name}”", name=owner.name)
    return ""


def _find(at: Proving) -> Iterator[Finding]:
    map_ = at.map
    why = {n: words for n, tile in enumerate(at.legend)
           if tile is not None and (words := _lost(at, tile))}  # fmt: skip
    if not why:
        return
    for layer in map_.layers:
        if not layer.holds_tiles:
            continue
        cells = at.cells(layer)
        alike: dict[str, list[int]] = defaultdict(list)
        laid = np.bincount(np.maximum(cells, 0).ravel(), minlength=len(at.legend))
        for n in why:
            if laid[n]:
                alike[why[n]].append(n)
        for words, places in alike.items():
            mask = np.isin(cells, places)
            count = int(mask.sum())
            kinds = say("{count} tiles", count=len(places)) if len(places) > 1 else say("a tile")
            yield Finding(
                "gone",
                say("{kinds} on {count} cells: {words}", kinds=kinds, count=count, words=words),
                words,
                map_.name,
                layer.number,
                at.places(mask),
                count,
                hurt=0.9,
            )


def _cure(at: Proving, findings: Sequence[Finding]) -> Edit:
    """Erase them; a layer of terrain knits there again."""
    atoms: list[Atom] = []
    count = 0
    for layer in at.map.layers:
        mask = np.zeros(layer.cells.shape, np.bool_) if layer.holds_tiles else None
        for cell in [cell for each in findings if each.layer == layer.number
                     for cell in each.places]:  # fmt: skip
            assert mask is not None
            mask[cell] = True
        if mask is None or not mask.any():
            continue
        count += int(mask.sum())
        if isinstance(layer, PinnedLayer):
            mask &= layer.pinned
            atoms += plan_unpin(at.doc, at.map, layer, whole(mask), mask, "").edit.atoms
            continue
        atoms += lay_masked(at.map, layer, np.zeros(mask.shape, np.int32), mask)
    if not atoms:
        raise EditError(
            say("these are knitted or grown: correct the slicing of the sheet in Slice")
        )
    return Edit(say("Erase {count} cells of gone tiles", count=count), tuple(atoms))


CHECK = Check(
    "gone",
    Group.FILES,
    say("Gone tiles"),
    say(
        "Tiles on maps that their sheet does not have any more: it was changed, or is cut otherwise"
    ),
    _find,
    say("Erase them"),
    _cure,
    "slice",
)
