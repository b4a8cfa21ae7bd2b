"""Snags: shapes of neighbours that end a few pixels apart."""

from __future__ import annotations

from collections.abc import Iterator

from knitground.core.base.tongue import say
from knitground.core.knit.fits import opposite
from knitground.core.model.terrain import Slot
from knitground.core.model.tile import TileRef
from knitground.core.proof.finding import Check, Finding, Group
from knitground.core.proof.flat import Flat
from knitground.core.proof.pairs import neighbours
from knitground.core.proof.proving import Proving
from knitground.core.shapes.blocked import SOLID
from knitground.core.shapes.borders import NEAR_PX, side_spans

_SMALL = 3.0
"""Pixels up to which a step between two shapes catches a figure, and is not meant."""
_WAYS = ((Slot.E, (0, 1), say("to the right of")), (Slot.S, (1, 0), say("below")))


def _find(at: Proving) -> Iterator[Finding]:
    map_ = at.map
    flat = Flat(map_.lattice)
    solid = {n for n, tile in enumerate(at.legend) if tile is not None and _has(at, tile)}
    for layer in map_.layers if solid else ():
        if not layer.holds_tiles or not layer.visible or not at.own_grid(layer):
            continue
        cells = at.cells(layer)
        for side, (down, across), name in _WAYS:
            beside = neighbours(map_.lattice, cells, down, across)
            for a, b, count in beside.pairs():
                if a not in solid or b not in solid:
                    continue
                first, second = map_.legend.tile(a), map_.legend.tile(b)
                assert first is not None
                assert second is not None
                words = _meeting(at, flat, first, second, side)
                if map_.lattice.slanted:
                    name = "beside"
                if words:
                    yield Finding(
                        "snags",
                        f"{at.title(second)} {name} {at.title(first)}: {words}",
                        f"{at.key(a)} {at.key(b)} {name}", map_.name, layer.number,
                        at.places(beside.where(a, b)),
                        count, first, 0.65,
                    )  # fmt: skip


def _has(at: Proving, tile: TileRef) -> bool:
    fact = at.fact(tile)
    return fact is not None and any(each.kind == SOLID for each in fact.shapes)


def _meeting(at: Proving, flat: Flat, one: TileRef, other: TileRef, side: Slot) -> str:
    """Say how two tiles' solid shapes miss each other at the side between them; "" if not."""
    sides = []
    for tile, slot in ((one, side), (other, opposite(side))):
        owner = at.owner(tile)
        assert owner is not None
        shapes, size = flat.shapes(owner, tile)
        sides.append([side_spans(shapes, SOLID, slot, size, inside) for inside in (0.0, NEAR_PX)])
    (mine, near), (theirs, close) = sides
    steps = [
        abs(a - b)
        for low, high in mine for from_, to in theirs
        if low < to and from_ < high
        for a, b in ((low, from_), (high, to))
    ]  # fmt: skip
    small = [each for each in steps if 0.3 < each <= _SMALL]
    if small:
        return say("a step of {number:.1f} px between their solid shapes", number=max(small))
    if (near and not mine and theirs) or (close and not theirs and mine):
        return say("their solid shapes end up to {near_px:.0f} px apart", near_px=NEAR_PX)
    return ""


CHECK = Check(
    "snags", Group.PLAY, say("Snags and slits"),
    say("Solid shapes of neighbours that miss each other by a few pixels: a figure catches there"),
    _find, stage="tiles",
)  # fmt: skip
