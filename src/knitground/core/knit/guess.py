"""Guessing marks: from a few tiles whose marks are known to all others, from the pixels.

The most consistent labels of all tiles together are looked for (`labelling`), held to those that
are known. A terrain of which no tile is known costs what the others cost on the average, so that
one plain tile is enough to tell it from the rest.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.progress import Progress, no_progress
from knitground.core.knit.codes import Codes, corner_codes, edge_codes, ring_codes
from knitground.core.knit.faces import describe_tiles
from knitground.core.knit.labelling import SLOT_ORDERS, Labeller
from knitground.core.model.terrain import ANY, NOTHING, SLOTS, UNKNOWN, SetKind, Slot

Floats = NDArray[np.float32]
_FOREIGN, _FOREIGN_LEAST = 5.0, 2.5
"""A tile of another set costs so many times as much as the usual one, and so much a unit."""


def guess_marks(
    tiles: NDArray[np.uint8], kind: SetKind, marks: NDArray[np.uint8]
) -> tuple[NDArray[np.uint8], Floats]:
    """Guess the marks of tiles from those that are known.

    Parameters
    ----------
    tiles : (n, h, w, 4) uint8, straight alpha
    kind : which slots are asked for
    marks : (n, 8) or (n, 9) uint8 by slot; 255 where a mark is not known yet. Rows that are known
        are the examples: one plain tile for each terrain is enough. 0 is nothing, and an example
        of it helps where tiles are opaque

    Returns
    -------
    marks as given, 255 replaced in the slots of the kind (0 elsewhere), and the confidence of each,
    0 to 1, float32; 1 for what was known. A tile that looks like none of the examples gets no marks
    and confidence 0

    Notes
    -----
    Isometric tiles are recognised by their see-through corners: their upper face is looked at. The
    corner NW is then its upper tip, NE the right one.
    """
    known = np.asarray(marks, np.uint8)
    wide = np.zeros((len(known), SLOTS), np.uint8)
    wide[:, : known.shape[1]] = known
    if known.shape[1] < SLOTS:
        wide[:, Slot.MIDDLE] = UNKNOWN if kind is SetKind.RING else NOTHING
        whole = (known != UNKNOWN).all(axis=1)
        wide[whole, Slot.MIDDLE] = known[whole].max(axis=1) if kind is SetKind.RING else NOTHING
    found, sure = guess_all(tiles, kind, wide)
    return found[:, : known.shape[1]], sure[:, : known.shape[1]]


def guess_all(
    tiles: NDArray[np.uint8],
    kind: SetKind,
    marks: NDArray[np.uint8],
    progress: Progress = no_progress,
) -> tuple[NDArray[np.uint8], Floats]:
    """Guess marks as `guess_marks`, all nine slots, the middle of ring sets among them."""
    slots = list(kind.slots)
    out, sure = marks.copy(), np.ones(marks.shape, np.float32)
    asked = marks == UNKNOWN
    unused = [slot for slot in Slot if slot not in slots]
    out[:, unused] = np.where(asked[:, unused], NOTHING, out[:, unused])
    asked[:, unused] = False
    if not asked.any() or not len(tiles):
        return out, sure
    values = _values(kind, marks)
    if not values:
        out[asked], sure[asked] = NOTHING, 0
        return out, sure
    progress(0.1)
    first, same = _alike(tiles, marks)
    codes = _codes(kind, len(values))
    given = _given(kind, marks, values)
    allowed = np.ones((len(first), len(codes.values)), np.bool_)
    known = given[first]
    for slot in range(known.shape[1]):
        fixed = known[:, slot] >= 0
        allowed[fixed] &= codes.values[None, :, slot] == known[fixed, slot][:, None]
    if kind is SetKind.RING:
        _hold_middles(marks[first], values, codes, allowed)
    allowed[~allowed.any(axis=1)] = True  # what is given fits no code: the rest is guessed freely
    told = describe_tiles(np.asarray(tiles)[first], kind)
    progress(0.2)
    labels = Labeller(told, codes, allowed, known).solve(lambda part: progress(0.2 + 0.7 * part))
    progress(0.95)
    found = _as_marks(kind, codes.values[labels.code], values)[same]
    confidence = _of_slots(kind, labels.sure)[same]
    out[asked] = found[asked]
    sure[asked] = confidence[asked]
    bound = max(_FOREIGN * float(np.median(labels.cost)), _FOREIGN_LEAST)
    foreign = (labels.cost > bound)[same] & asked[:, slots].all(axis=1)
    out[np.ix_(foreign, slots)], sure[np.ix_(foreign, slots)] = NOTHING, 0
    progress(1.0)
    return out, sure


def _alike(
    tiles: NDArray[np.uint8], marks: NDArray[np.uint8]
) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Take tiles of the same pixels and the same given marks as one: the first, and whose it is."""
    rows = np.concatenate([np.asarray(tiles).reshape(len(tiles), -1), marks], axis=1)
    seen: dict[bytes, int] = {}
    same = np.array([seen.setdefault(row.tobytes(), len(seen)) for row in rows], np.intp)
    first = np.array([int(np.flatnonzero(same == n)[0]) for n in range(len(seen))], np.intp)
    return first, same


def _values(kind: SetKind, marks: NDArray[np.uint8]) -> list[int]:
    """List the marks that slots may have: those with an example, and nothing if it may be."""
    if kind is SetKind.RING:
        middles = marks[:, Slot.MIDDLE]
        return sorted({int(m) for m in middles} - {NOTHING, UNKNOWN, ANY})
    own = marks[:, list(kind.slots)]
    found = {int(mark) for mark in np.unique(own)} - {UNKNOWN, ANY, NOTHING}
    example = bool((own == NOTHING).any())
    if not found:
        return []
    return sorted(found | ({NOTHING} if example or len(found) < 2 else set()))


def _codes(kind: SetKind, count: int) -> Codes:
    make = {SetKind.CORNER: corner_codes, SetKind.EDGE: edge_codes, SetKind.RING: ring_codes}
    return make[kind](count)


def _given(kind: SetKind, marks: NDArray[np.uint8], values: list[int]) -> NDArray[np.int64]:
    """Give the number of the value of each given slot, −1 where none is: (n, slots)."""
    order = list(SLOT_ORDERS[kind])
    out = np.full((len(marks), len(order)), -1, np.int64)
    if kind is not SetKind.RING:
        for number, value in enumerate(values):
            out[marks[:, order] == value] = number
        return out
    own = marks[:, order]
    for number, value in enumerate(values):
        mine = marks[:, Slot.MIDDLE] == value
        out[mine] = np.where(own[mine] == value, 2 * number + 1, 2 * number)
    out[(own == UNKNOWN) | (own == ANY)] = -1
    return out


def _hold_middles(
    marks: NDArray[np.uint8], values: list[int], codes: Codes, allowed: NDArray[np.bool_]
) -> None:
    """Let a tile whose middle is given have codes of that terrain only."""
    terrain = codes.values[:, 0] // 2
    for number, value in enumerate(values):
        allowed[marks[:, Slot.MIDDLE] == value] &= terrain == number


def _as_marks(kind: SetKind, found: NDArray[np.int64], values: list[int]) -> NDArray[np.uint8]:
    """Turn numbers of values (n, slots) into marks (n, 9)."""
    out = np.zeros((len(found), SLOTS), np.uint8)
    names = np.array(values, np.uint8)
    order = list(SLOT_ORDERS[kind])
    if kind is not SetKind.RING:
        out[:, order] = names[found]
        return out
    out[:, order] = np.where(found % 2 == 1, names[found // 2], NOTHING)
    out[:, Slot.MIDDLE] = names[found[:, 0] // 2]
    return out


def _of_slots(kind: SetKind, sure: NDArray[np.float64]) -> Floats:
    out = np.ones((len(sure), SLOTS), np.float32)
    out[:, list(SLOT_ORDERS[kind])] = sure
    if kind is SetKind.RING:
        out[:, Slot.MIDDLE] = sure.max(axis=1)
    return out


def least_sure(confidence: Floats, asked: NDArray[np.bool_], part: float = 0.1) -> NDArray[np.intp]:
    """List the tiles to look at first: the least sure part of those that were asked for.

    Parameters
    ----------
    confidence : (n, slots)
    asked : (n,) which tiles were guessed

    Returns
    -------
    numbers of tiles, the least sure first; at least one if any was asked for
    """
    rows = np.flatnonzero(asked)
    if not rows.size:
        return rows
    worst = confidence[rows].min(axis=1)
    count = max(1, int(np.ceil(part * rows.size)))
    return np.asarray(rows[np.argsort(worst, kind="stable")][:count])
