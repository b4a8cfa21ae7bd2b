"""Variants whose share on the map is not the one that their weights ask for."""

from __future__ import annotations

from collections.abc import Iterator
from math import sqrt

import numpy as np

from knitground.core.base.tongue import say
from knitground.core.proof.finding import Check, Finding, Group
from knitground.core.proof.proving import Proving

_POINTS, _SIGMAS = 0.05, 5.0
"""A share is off by so much of the whole, and by so many times what chance makes of it."""
_LEAST = 200


def _find(at: Proving) -> Iterator[Finding]:
    for layer, _, _, table in at.grounds():
        if table.rules is not None:
            continue  # what rules lay has shares of its own
        cells = at.cells(layer)
        for variants in table.variants.values():
            total = sum(weight for _, weight in variants)
            counts = [int((cells == place).sum()) for place, _ in variants]
            size = sum(counts)
            if size < _LEAST or total <= 0 or len(variants) < 2:
                continue
            for (place, weight), count in zip(variants, counts):
                asked, laid = weight / total, count / size
                spread = sqrt(max(1e-9, asked * (1 - asked)) / size)
                if abs(laid - asked) <= max(_POINTS, _SIGMAS * spread):
                    continue
                tile = at.map.legend.tile(place)
                assert tile is not None
                by_hand = int((layer.pinned & (cells == place)).sum())
                why = say("; {by_hand} of them are pinned", by_hand=by_hand) if by_hand else ""
                yield Finding(
                    "shares",
                    say("{title} takes {laid:.0%} of its ground, {asked:.0%} are asked for by its "
"weight{why}", title=at.title(tile), laid=laid, asked=asked, why=why),
                    at.key(place), at.map.name, layer.number,
                    at.places(np.asarray(cells == place)), count, tile,
                    min(0.4, 0.1 + abs(laid - asked)),
                )  # fmt: skip


CHECK = Check(
    "shares", Group.SENSE, say("Shares"),
    say("Variants that lie more often, or more rarely, than their weights ask for"), _find,
    stage="terrains",
)  # fmt: skip
