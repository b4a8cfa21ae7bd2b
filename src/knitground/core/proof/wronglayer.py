"""Tiles on a layer on which they lie nowhere else."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.edit.atoms import Atom
from knitground.core.edit.document import Edit
from knitground.core.model.layers import TileLayer
from knitground.core.proof.finding import Check, Finding, Group
from knitground.core.proof.places import lay_masked
from knitground.core.proof.proving import Proving

_MOST, _LEAST_ELSEWHERE, _TIMES = 3, 12, 12
"""At most so many of a tile lie here, at least so many on another layer, so many times as many."""


def _find(at: Proving) -> Iterator[Finding]:
    map_ = at.map
    layers = [each for each in map_.layers if isinstance(each, TileLayer) and at.own_grid(each)]
    count = len(at.legend) + 1
    laid = {
        each.number: np.bincount(np.clip(at.cells(each), 0, count - 1).ravel(), minlength=count)
        for each in layers
    }
    for layer in layers:
        for place in np.flatnonzero(laid[layer.number][1:]).tolist():
            own = int(laid[layer.number][place + 1])
            others = {n: int(each[place + 1]) for n, each in laid.items() if n != layer.number}
            home = max(others, key=lambda n: others[n], default=0)
            if own > _MOST or not home or others[home] < max(_LEAST_ELSEWHERE, _TIMES * own):
                continue
            if sum(others.values()) > others[home]:
                continue
            tile, other = map_.legend.tile(place + 1), map_.layer_numbered(home)
            assert tile is not None
            assert other is not None
            places = at.places(at.cells(layer) == place + 1)
            yield Finding(
                "layer",
                say(
                    "{title} lies on “{name}” {own}×, on “{name2}” {others}×: it may have been "
                    "laid on the wrong layer",
                    title=at.title(tile),
                    name=layer.name,
                    own=own,
                    name2=other.name,
                    others=others[home],
                ),
                f"{home} {at.key(place + 1)}",
                map_.name,
                layer.number,
                places,
                own,
                tile,
                0.45,
            )


def _cure(at: Proving, findings: Sequence[Finding]) -> Edit:
    """Move them to the layer on which the others lie: of each layer one patch."""
    atoms: list[Atom] = []
    tiles = [each for each in at.map.layers if isinstance(each, TileLayer)]
    values = {each.number: np.zeros(each.cells.shape, np.int32) for each in tiles}
    masks = {number: array != 0 for number, array in values.items()}
    for each in findings:
        home = int(each.what.split(" ", 1)[0])
        own = next(layer for layer in tiles if layer.number == each.layer)
        for cell in each.places:
            values[home][cell] = own.cells[cell]
            masks[home][cell] = masks[each.layer][cell] = True
    for layer in tiles:
        if layer.locked and masks[layer.number].any():
            raise EditError(say("“{name}” is locked: unlock it first", name=layer.name))
        atoms += lay_masked(at.map, layer, values[layer.number], masks[layer.number])
    return Edit(
        say(
            "Move {number} tiles to their layer", number=sum(len(each.places) for each in findings)
        ),
        tuple(atoms),
    )


CHECK = Check(
    "layer", Group.SENSE, say("Wrong layer"),
    say("Tiles that lie a few times on one layer and otherwise always on another"), _find,
    say("Move to that layer"), _cure,
)  # fmt: skip
