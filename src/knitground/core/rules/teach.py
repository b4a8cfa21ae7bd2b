"""Teaching a rule from the map: the least stencil that tells some cells from others.

Each place that may be asked leaves out those of the other cells that show something else there
than the examples do. The least set of places that leaves out all is looked for: first one, two or
three places exactly, then by always taking the place that leaves out most, with needless ones
taken back. (Own derivation; the greedy part is that of set cover, V. Chvátal, 1979.)
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.model.rules import OFF, OTHER, SAME, Ask, AskKind, Spot
from knitground.core.model.terrain import SetKind, TerrainSet
from knitground.core.rules.apply import Window
from knitground.core.rules.places import MIDDLE, REACHES, Place, places_of

_MOST_EXACT = 60
Ground = NDArray[Any]


@dataclass(frozen=True)
class Taught:
    """A stencil and the terrain that it is about, and how many cells it could not tell apart."""

    stencil: tuple[Spot, ...]
    subject: Ask | None
    not_told: int = 0


def teach_rule(
    kit: TerrainSet, cells: Window, wanted: NDArray[np.bool_], other: NDArray[np.bool_]
) -> Taught:
    """Propose the least stencil that fits all wanted cells and none of the others.

    Parameters
    ----------
    kit : the terrain set that the rule is for
    cells : the cells of a map, with as much round them as the largest stencil asks (`REACHES`)
    wanted, other : (h, w) which cells it must fit, and which it must not; the rest may be either

    Returns
    -------
    a stencil of the smallest size that does; if none does, the one that leaves fewest untold
    """
    subject = _subject(kit, cells, wanted)
    best: Taught | None = None
    for reach in REACHES[kit.kind]:
        found = _least(kit, cells, wanted, other, places_of(kit.kind, reach), subject)
        if best is None or found.not_told < best.not_told:
            best = found
        if not found.not_told:
            return found
    assert best is not None
    return best


def _subject(kit: TerrainSet, cells: Window, wanted: NDArray[np.bool_]) -> Ask | None:
    """Give the terrain that all examples of a ring set have, else none."""
    if kit.kind is not SetKind.RING:
        return None
    own = np.unique(cells.values(MIDDLE)[wanted])
    if len(own) == 1 and own[0] and len(kit.terrains) > 1:
        return Ask(AskKind.TERRAIN, kit.name_of(int(own[0])))
    return None


def _least(
    kit: TerrainSet,
    cells: Window,
    wanted: NDArray[np.bool_],
    other: NDArray[np.bool_],
    places: Sequence[Place],
    subject: Ask | None,
) -> Taught:
    asked: list[tuple[Spot, NDArray[np.bool_]]] = []
    own = cells.values(MIDDLE) if kit.kind is SetKind.RING else None
    others = other.copy()
    if own is not None:
        # What is about another terrain, or about nothing, is told apart by that alone.
        mine = np.unique(own[wanted])
        others &= np.isin(own, mine) if subject is not None else own > 0
    for place in places:
        if own is not None and place == MIDDLE:
            continue
        for spot, fits in _asks(kit, cells, own, place):
            if fits[wanted].all():
                asked.append((spot, fits[others]))
    chosen, left = _cover(asked, int(others.sum()))
    return Taught(tuple(sorted(chosen, key=lambda spot: spot[:2])), subject, left)


def _asks(
    kit: TerrainSet, cells: Window, own: Ground | None, place: Place
) -> list[tuple[Spot, NDArray[np.bool_]]]:
    """List what may be asked of a place, and where it holds; what says less comes first."""
    shown = cells.values(place)
    y, x = place
    out: list[tuple[Spot, NDArray[np.bool_]]] = []
    if own is not None:
        out += [(Spot(y, x, SAME), shown == own), (Spot(y, x, OTHER), shown != own)]
    for value in range(len(kit.terrains) + 1):
        if own is None or (value and len(kit.terrains) > 1):
            name = kit.terrains[value - 1].name if value else ""
            out.append((Spot(y, x, Ask(AskKind.TERRAIN, name)), shown == value))
    off = cells.off(place)
    if off.any():
        out.append((Spot(y, x, OFF), off))
    return out


def _cover(asked: list[tuple[Spot, NDArray[np.bool_]]], count: int) -> tuple[list[Spot], int]:
    """Choose as few asks as may be so that no other cell fits all; returns how many still do."""
    if not count:
        return [], 0
    rows = np.array([fits for _, fits in asked], np.bool_).reshape(len(asked), count)
    if not len(rows):
        return [], count
    # Cells that look alike to every ask count once.
    packed = np.unique(np.packbits(rows, axis=0).T, axis=0, return_counts=True)
    kinds = np.unpackbits(packed[0].T, axis=0, count=len(asked)).astype(np.bool_)
    masks = [int.from_bytes(np.packbits(row).tobytes(), "big") for row in kinds]
    every = int.from_bytes(np.packbits(np.ones(kinds.shape[1], np.bool_)).tobytes(), "big")
    picked = _few(masks, every) or _greedy(masks, every)
    left = every
    for each in picked:
        left &= masks[each]
    untold = 0
    if left:
        still = np.logical_and.reduce([kinds[each] for each in picked]) if picked else kinds[0] | 1
        untold = int(packed[1][np.asarray(still, np.bool_)].sum())
    return [asked[each][0] for each in picked], untold


def _few(masks: list[int], every: int) -> list[int] | None:
    """Look for one, two or three masks that have no bit in common."""
    if not every:
        return []
    order = sorted(range(len(masks)), key=lambda n: (masks[n].bit_count(), n))[:_MOST_EXACT]
    for size in (1, 2, 3):
        for group in combinations(order, size):
            left = every
            for each in group:
                left &= masks[each]
            if not left:
                return list(group)
    return None


def _greedy(masks: list[int], every: int) -> list[int]:
    left, picked = every, list[int]()
    while left:
        best = min(range(len(masks)), key=lambda n: ((masks[n] & left).bit_count(), n))
        if masks[best] & left == left:
            break
        picked.append(best)
        left &= masks[best]
    for each in list(picked):
        rest = every
        for other in picked:
            if other != each:
                rest &= masks[other]
        if rest == left:
            picked.remove(each)
    return picked
