"""Variants that the eye catches again and again: what repeats, and with which weight it would not.

A tile stands alone to the eye if the next of its like is further off than it looks at a time; how
far that is, and how unlike a tile must be (`landmarks()`), are own choices.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.tongue import say
from knitground.core.chance.landmark import landmarks
from knitground.core.edit.atoms import Atom, SetField
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.model.lattice import Lattice
from knitground.core.model.tile import TileRef
from knitground.core.proof.finding import Check, Finding, Group
from knitground.core.proof.proving import Proving
from knitground.core.slicing.grid import cut_tile

_NEAR = 3
"""Cells within which another of its like is seen together with a tile."""
_LEAST = 12
"""So many must lie so near to another."""
_LIGHTEST = 0.001
_ALONE = 0.01
"""Share with which three in four of them have none of their like so near: (1 - share) ** 48 is
about 0.6, and a rarer one is hardly seen at all."""


def _find(at: Proving) -> Iterator[Finding]:
    for layer, _, _, table in at.grounds():
        cells = at.cells(layer)
        for variants in table.variants.values():
            total = sum(weight for _, weight in variants)
            pictures = [_picture(at, place) for place, _ in variants]
            if len(variants) < 3 or total <= 0 or any(each is None for each in pictures):
                continue
            stack = [each for each in pictures if each is not None]
            if len({each.shape for each in stack}) > 1:
                continue
            shares = [weight / total for _, weight in variants]
            for n in landmarks(np.stack(stack), shares):
                place = variants[n][0]
                near = _near_another(at.map.lattice, cells == place)
                count = int(near.sum())
                if count < _LEAST or 2 * count < int((cells == place).sum()):
                    continue
                tile = at.map.legend.tile(place)
                assert tile is not None
                yield Finding(
                    "repeats",
                    say(
                        "{title} catches the eye, and {count} of them lie within {near} cells of "
                        "another: it takes {shares:.0%} of its ground, {alone:.0%} would hide that",
                        title=at.title(tile),
                        count=count,
                        near=_NEAR,
                        shares=shares[n],
                        alone=_ALONE,
                    ),
                    at.key(place),
                    at.map.name,
                    layer.number,
                    at.places(near),
                    count,
                    tile,
                    min(0.5, 0.2 + count / 1000),
                )


def _picture(at: Proving, place: int) -> NDArray[np.uint8] | None:
    tile = at.map.legend.tile(place)
    owner = at.owner(tile) if tile is not None else None
    if owner is None or tile is None or owner.picture is None:
        return None
    pixels = cut_tile(owner.picture, owner.slicing, tile.row, tile.col)
    out = pixels.copy()
    out[..., :3] = pixels[..., :3] * (pixels[..., 3:] / 255.0)
    return out


def _near_another(lattice: Lattice, same: NDArray[np.bool_]) -> NDArray[np.bool_]:
    from scipy.ndimage import uniform_filter  # late: it is slow to import

    side, rim = 2 * _NEAR + 1, slice(_NEAR, -_NEAR)
    wide = lattice.read(same, lattice.whole.grown(_NEAR))
    part = uniform_filter(wide.astype(np.float32), side)[rim, rim]
    return np.asarray(same & (part * side * side > 1.5))


def _cure(at: Proving, findings: Sequence[Finding]) -> Edit:
    """Give them the weight with which they would stand alone."""
    wanted = {each.tile for each in findings}
    new: dict[TileRef, float] = {}
    for _, _, _, table in at.grounds():
        for variants in table.variants.values():
            total = sum(weight for _, weight in variants)
            for place, weight in variants:
                tile = at.map.legend.tile(place)
                if tile in wanted and tile is not None and weight > 0:
                    part = _ALONE / (1 - _ALONE) * (total - weight) / weight
                    own = at.fact(tile)
                    assert own is not None
                    new.setdefault(tile, max(_LIGHTEST, round(own.weight * min(1.0, part), 3)))
    atoms: list[Atom] = []
    for name in sorted({tile.tileset for tile in new}):
        owner = at.project.tileset_named(name)
        assert owner is not None
        facts = dict(owner.facts)
        for tile, light in new.items():
            if tile.tileset == name:
                where = tile.row, tile.col
                facts[where] = replace(owner.fact(*where), weight=light)
        changed = Changed(What.MARKS, tileset=owner)
        atoms.append(SetField(owner, "facts", facts, changed))
    return Edit(say("Lay what catches the eye more rarely"), tuple(atoms))


CHECK = Check(
    "repeats", Group.LOOKS, say("What repeats"),
    say("Variants that look unlike the others, and lie so near to their like that the eye sees it"),
    _find, say("Lay it more rarely"), _cure, "terrains",
)  # fmt: skip
