"""Fringes of a see-through colour round what is drawn on it."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from knitground.core.base.tongue import say
from knitground.core.model.tile import TileRef
from knitground.core.proof.finding import Check, Finding, Group
from knitground.core.proof.proving import Proving
from knitground.core.slicing.grid import cut_tile

_NEAR = 60
"""How near to the see-through colour a fringe's is, in the channel that differs most."""
_LEAST = 3


def _find(at: Proving) -> Iterator[Finding]:
    for owner in at.project.tilesets:
        if owner.picture is None or not owner.slicing.see_through:
            continue
        keys = np.array(owner.slicing.see_through, np.int16)
        found: list[tuple[int, TileRef]] = []
        for row, col in np.ndindex(owner.rows, owner.columns):
            pixels = cut_tile(owner.picture, owner.slicing, row, col)
            seen = pixels[..., 3] > 0
            if not seen.any() or seen.all():
                continue
            clear = np.pad(~seen, 1)
            beside = clear[:-2, 1:-1] | clear[2:, 1:-1] | clear[1:-1, :-2] | clear[1:-1, 2:]
            off = np.abs(pixels[..., None, :3].astype(np.int16) - keys).max(axis=3).min(axis=2)
            count = int((seen & beside & (off <= _NEAR)).sum())
            if count >= _LEAST:
                found.append((count, TileRef(owner.name, row, col)))
        for count, tile in sorted(found, reverse=True)[:64]:
            yield Finding(
                "fringes",
                say(
                    "{title} has {count} pixels of nearly the see-through colour round it",
                    title=at.title(tile),
                    count=count,
                ),
                f"{tile.tileset} {tile.row},{tile.col}",
                count=count,
                tile=tile,
                hurt=0.35,
            )


CHECK = Check(
    "fringes", Group.LOOKS, say("Fringes"),
    say("Pixels of nearly the see-through colour that are left round what is drawn on it"), _find,
    stage="slice", of_map=False, of_cells=False,
)  # fmt: skip
