"""Tiles that claim by accident what others claim, and do not go on like them at their borders.

Own derivation: sides that are marked alike go on alike, whichever tile they belong to. What most
tiles of a set show along a side is known from all of them, so of two that claim one combination it
is known which is the stranger. Measured on 35 marked sets of drawn art, square, with a tile of
another set put among the variants 210 times: 87 in 100 are found; one of 706 tiles is told that
belongs there.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.tongue import say
from knitground.core.knit.keys import Key, keys_of
from knitground.core.knit.layer import marked_tiles
from knitground.core.knit.missing import key_words
from knitground.core.model.layers import GroundLayer
from knitground.core.model.project import Project
from knitground.core.model.terrain import Slot, TerrainSet
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Tileset
from knitground.core.proof.finding import Check, Finding, Group
from knitground.core.proof.flat import Flat
from knitground.core.proof.proving import Proving
from knitground.core.slicing.grid import cut_tile

_FAR, _TIMES = 40.0, 3.0
"""A stranger's side is so many levels off the others', and so many times as far as most of them."""
_LEAST = 8.0
"""Levels that sides of one kind may always differ in."""
_OTHERS = 2
"""Other tiles with a side marked alike, of which at least one must know how it goes on."""
_PARTS, _DEEP = 4, 2
"""A side is compared in so many parts along, and so many pixels deep."""
_SIDES = (
    (Slot.NW, Slot.N, Slot.NE), (Slot.NE, Slot.E, Slot.SE),
    (Slot.SE, Slot.S, Slot.SW), (Slot.SW, Slot.W, Slot.NW),
)  # fmt: skip


def strangers(
    marks: NDArray[np.uint8], keys: Sequence[Key], pictures: Sequence[NDArray[np.uint8]]
) -> list[int]:
    """List tiles that share a combination with others and go on otherwise on most of their sides.

    Parameters
    ----------
    marks : (n, 9)
    keys : the combination that each claims
    pictures : n of (height, width, 4), of one size
    """
    shown = np.stack([_sides(each) for each in pictures])
    alike: dict[tuple[int, ...], list[int]] = defaultdict(list)
    for n, own in enumerate(marks.tolist()):
        for side, slots in enumerate(_SIDES):
            alike[side, *(own[slot] for slot in slots)].append(n)
    judged, off = np.zeros((2, len(marks)), np.int64)
    for (side, *_), who in alike.items():
        if len(who) <= _OTHERS:
            continue
        sides = shown[who, side]
        for place, n in enumerate(who):
            others = np.delete(sides, place, 0)
            middle = np.median(others, axis=0)
            usual = float(np.quantile(np.abs(others - middle).max(axis=(1, 2)), 0.75))
            far = float(np.abs(sides[place] - middle).max())
            judged[n] += 1
            off[n] += far > max(_FAR, _TIMES * max(usual, _LEAST))
    claimed = Counter(keys)
    return [n for n, key in enumerate(keys)
            if off[n] > 1 and 2 * off[n] >= judged[n] and claimed[key] > 1]  # fmt: skip


def _sides(picture: NDArray[np.uint8]) -> NDArray[np.float32]:
    """Give the mean colours along the sides: (4, parts, 4), the way round of `_SIDES`."""
    flat = picture.astype(np.float32)
    flat[..., :3] *= flat[..., 3:] / 255
    out = []
    for turn in range(4):
        band = np.rot90(flat, turn)[: max(1, min(_DEEP, min(flat.shape[:2]) // 8))].mean(axis=0)
        out.append([part.mean(axis=0) for part in np.array_split(band, _PARTS)])
    return np.array(out, np.float32)


def _find(at: Proving) -> Iterator[Finding]:
    for owner in at.project.tilesets:
        for kit in owner.sets:
            marks, keys, tiles, pictures = _judged(at, owner, kit)
            for n in strangers(marks, keys, pictures) if tiles else ():
                yield Finding(
                    "strangers",
                    say(
                        "{title} is one of {count} tiles for {key_words}, and does not go on "
                        "at its "
                        "borders as others that are marked like it",
                        title=at.title(tiles[n]),
                        count=keys.count(keys[n]),
                        key_words=key_words(kit, keys[n]),
                    ),
                    f"{tiles[n].tileset} {tiles[n].row},{tiles[n].col} {kit.name}",
                    tile=tiles[n],
                    hurt=0.6,
                )


def _judged(
    at: Proving, owner: Tileset, kit: TerrainSet
) -> tuple[NDArray[np.uint8], list[Key], list[TileRef], list[NDArray[np.uint8]]]:
    """List the tiles of a set that are laid, lie flat and have one size, and what they show.

    Those that claim several combinations, by marks for *any*, are left out.
    """
    marks, tiles = marked_tiles(at.project, owner, kit)
    flat = _flat_of(at.project, owner, kit)
    chosen: list[int] = []
    keys: list[Key] = []
    pictures: list[NDArray[np.uint8]] = []
    for n, tile in enumerate(tiles):
        home, fact = at.owner(tile), at.fact(tile)
        if home is None or home.picture is None or fact is None or fact.weight <= 0:
            continue
        claims = keys_of(kit.kind).of_marks(marks[n].tolist(), len(kit.terrains))[1]
        if len(claims) != 1:
            continue
        pixels = flat.picture(home, tile) if flat is not None \
            else cut_tile(home.picture, home.slicing, tile.row, tile.col)  # fmt: skip
        if pixels is not None and (not pictures or pixels.shape == pictures[0].shape):
            chosen.append(n)
            keys += claims
            pictures.append(pixels)
    return marks[chosen], keys, [tiles[n] for n in chosen], pictures


def _flat_of(project: Project, owner: Tileset, kit: TerrainSet) -> Flat | None:
    """Look at the tiles of a set as the first map does on which it lies."""
    for map_ in project.maps:
        for layer in map_.layers:
            if isinstance(layer, GroundLayer) \
                    and (layer.tileset, layer.set_name) == (owner.name, kit.name):  # fmt: skip
                return Flat(map_.lattice)
    return None


CHECK = Check(
    "strangers", Group.SENSE, say("Strangers among variants"),
    say("Tiles with the same marks as others, by accident: mixed among them they spoil the ground"),
    _find, stage="terrains", of_map=False, of_cells=False,
)  # fmt: skip
