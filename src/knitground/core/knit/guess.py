"""Guessing marks: from a few tiles whose marks are known to all others, from the pixels.

Each pixel is described by its opponent colours, their mean and deviation in the 3 × 3 round it, and
its alpha. A slot's patch is compared with pixels of each terrain, taken from the tiles that are
known: the nearest ones count (k-d tree, k = 2). Then tiles whose border strips match vote on what
they share. The confidence is the margin between the best terrain and the next. (Own derivation.)
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.progress import Progress, no_progress
from knitground.core.model.terrain import ANY, NOTHING, SLOTS, UNKNOWN, SetKind, Slot

Floats = NDArray[np.float32]

_SAMPLES = 400
_CAP = 3.0
_CORNER_PART, _STRIP_PART, _RING_CORNER = 0.3, 0.16, 0.14
_ROUNDS = 3
_MOST_SIDE = 32
_STRANGE = 0.05
_PLACES = {
    Slot.N: (0.0, 0.5), Slot.NE: (0.0, 1.0), Slot.E: (0.5, 1.0), Slot.SE: (1.0, 1.0),
    Slot.S: (1.0, 0.5), Slot.SW: (1.0, 0.0), Slot.W: (0.5, 0.0), Slot.NW: (0.0, 0.0),
    Slot.MIDDLE: (0.5, 0.5),
}  # fmt: skip
"""Down and across, as parts of the tile."""
_SHARED = {
    # The slots at the two ends and the middle of a side, and those that meet them next door.
    Slot.E: ((Slot.NE, Slot.NW), (Slot.SE, Slot.SW), (Slot.E, Slot.W)),
    Slot.S: ((Slot.SW, Slot.NW), (Slot.SE, Slot.NE), (Slot.S, Slot.N)),
}


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
        wide[:, Slot.MIDDLE] = NOTHING
    found, sure = _guess(tiles, kind, wide, no_progress)
    return found[:, : known.shape[1]], sure[:, : known.shape[1]]


def guess_all(
    tiles: NDArray[np.uint8],
    kind: SetKind,
    marks: NDArray[np.uint8],
    progress: Progress = no_progress,
) -> tuple[NDArray[np.uint8], Floats]:
    """Guess marks as `guess_marks`, all nine slots, the middle of ring sets among them."""
    return _guess(tiles, kind, marks, progress)


def _guess(
    tiles: NDArray[np.uint8], kind: SetKind, marks: NDArray[np.uint8], progress: Progress
) -> tuple[NDArray[np.uint8], Floats]:
    slots = list(kind.slots)
    out = marks.copy()
    sure = np.ones(marks.shape, np.float32)
    asked = (marks[:, slots] == UNKNOWN).any(axis=1)
    unused = [slot for slot in Slot if slot not in slots]
    out[:, unused] = np.where(out[:, unused] == UNKNOWN, NOTHING, out[:, unused])
    if not asked.any() or not len(tiles):
        return out, sure
    faces = _coarser(square_faces(tiles))
    features = pixel_features(faces)
    progress(0.2)
    classes, samples = _samples(faces, features, kind, marks)
    if not classes:
        out[out == UNKNOWN] = NOTHING
        sure[marks == UNKNOWN] = 0
        return out, sure
    votes, familiar = _votes(faces, features, slots, samples, progress)
    strange = (familiar.max(axis=1) < _STRANGE) & (marks[:, slots] == UNKNOWN).all(axis=1)
    votes = _fixed(votes, slots, marks, classes)
    for _ in range(_ROUNDS):
        votes = _agreed(votes, faces, slots)
        votes = _fixed(votes, slots, marks, classes)
    progress(0.95)
    if kind is SetKind.RING:
        votes = _ring_votes(votes, slots, classes)
    order = np.sort(votes, axis=2)
    margin = order[..., -1] - (order[..., -2] if len(classes) > 1 else 0)
    best = np.array(classes, np.uint8)[votes.argmax(axis=2)]
    for n, slot in enumerate(slots):
        open_ = marks[:, slot] == UNKNOWN
        out[open_, slot] = best[open_, n]
        sure[open_, slot] = np.clip(margin[open_, n], 0, 1)
    if kind is SetKind.RING:
        _clear_loose_corners(out, marks)
    out[np.ix_(strange, slots)] = NOTHING
    sure[np.ix_(strange, slots)] = 0
    progress(1.0)
    return out, sure


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


# Pixels


def _coarser(tiles: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Take every n-th pixel of large tiles: the grain stays, the work is bounded."""
    step = max(1, -(-max(tiles.shape[1:3]) // _MOST_SIDE))
    return np.ascontiguousarray(tiles[:, step // 2 :: step, step // 2 :: step])


def pixel_features(tiles: NDArray[np.uint8]) -> Floats:
    """Describe each pixel: (n, h, w, 8) float32, 1 apart where eyes tell two grounds apart."""
    alpha = tiles[..., 3:].astype(np.float32) / 255
    rgb = tiles[..., :3].astype(np.float32) / 255 * alpha
    light: Floats = np.asarray(rgb @ np.array([0.299, 0.587, 0.114]), np.float32)
    red_green = (rgb[..., 0] - rgb[..., 1]) * 1.6
    blue_yellow = (rgb[..., 2] - (rgb[..., 0] + rgb[..., 1]) / 2) * 1.6
    own = np.stack([light, red_green, blue_yellow], axis=-1)
    mean = _mean3(own)
    spread = _mean3(light[..., None] ** 2) - _mean3(light[..., None]) ** 2
    deviation = np.sqrt(np.maximum(spread, 0))
    parts = [own * 3.0, mean * 6.0, deviation * 5.0, alpha * 4.0]
    return np.ascontiguousarray(np.concatenate(parts, axis=-1), np.float32)


def _mean3(values: Floats) -> Floats:
    """Mean over the 3 × 3 round each pixel, inside its own tile."""
    padded = np.pad(values, ((0, 0), (1, 1), (1, 1), (0, 0)), mode="edge")
    rows = padded[:, :-2] + padded[:, 1:-1] + padded[:, 2:]
    total: Floats = (rows[:, :, :-2] + rows[:, :, 1:-1] + rows[:, :, 2:]) / np.float32(9)
    return total


def square_faces(tiles: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Lay the upper faces of isometric tiles out as squares; other tiles stay as they are."""
    face = _diamond(tiles)
    if face is None:
        return tiles
    middle, top, half_wide, half_high = face
    side = max(4, round(half_wide))
    u = (np.arange(side) + 0.5) / side
    across = middle + (u[None, :] - u[:, None]) * half_wide
    down = top + (u[None, :] + u[:, None]) * half_high
    rows = np.clip(down.astype(int), 0, tiles.shape[1] - 1)
    cols = np.clip(across.astype(int), 0, tiles.shape[2] - 1)
    return np.ascontiguousarray(tiles[:, rows, cols])


def _diamond(tiles: NDArray[np.uint8]) -> tuple[float, float, float, float] | None:
    """Find the upper face that most tiles have: middle, tip, half its width, half its height."""
    height, width = tiles.shape[1:3]
    if width < 8 or height < 4:
        return None
    seen = (tiles[..., 3] > 0).mean(axis=0)
    overlay = _overlay_diamond(seen)
    if overlay is not None:
        return overlay
    usual = seen > 0.5
    small = max(1, min(height, width) // 8)
    corners = [seen[:small, :small], seen[:small, -small:], seen[-small:, :small],
               seen[-small:, -small:]]  # fmt: skip
    if max(float(c.max()) for c in corners) > 0.05 or not usual.any():
        return None
    rows = np.flatnonzero(usual.any(axis=1))
    widths = usual.sum(axis=1)
    if widths.max() < 0.85 * width or widths[rows[0]] > 0.35 * width:
        return None
    tip, widest = int(rows[0]), int(np.argmax(widths >= widths.max() - 1))
    half_high = widest - tip + 1
    if not 0.3 < 2 * half_high / width < 1.1:
        return None
    return (width / 2, float(tip), width / 2, float(half_high))


def _overlay_diamond(seen: NDArray[Any]) -> tuple[float, float, float, float] | None:
    """Recognise flat isometric overlays: all that is ever seen lies inside the tile's diamond."""
    height, width = seen.shape
    if width < 1.5 * height or not (seen > 0).any():
        return None
    rows, cols = np.nonzero(seen > 0)
    across = np.abs(cols + 0.5 - width / 2) / (width / 2)
    down = np.abs(rows + 0.5 - height / 2) / (height / 2)
    outside = (across + down > 1 + 2.5 / height).mean()
    # What fills less than a tenth of the tile may lie anywhere.
    if outside > 0.01 or len(rows) < 0.1 * seen.size:
        return None
    return (width / 2, 0.0, width / 2, height / 2)


# Slots


def _patch(
    slot: Slot, height: int, width: int, corner_part: float = _CORNER_PART
) -> tuple[slice, slice, Floats]:
    """Give where a slot's patch lies and the weights of its pixels."""
    down, across = _PLACES[slot]
    if slot is Slot.MIDDLE:
        rows, cols = _span(0.5, height, 0.34), _span(0.5, width, 0.34)
        return rows, cols, np.ones((rows.stop - rows.start, cols.stop - cols.start), np.float32)
    corner = down != 0.5 and across != 0.5
    if corner:
        rows, cols = _span(down, height, corner_part), _span(across, width, corner_part)
    elif down == 0.5:
        rows, cols = _span(0.5, height, 1 / 3), _span(across, width, _STRIP_PART)
    else:
        rows, cols = _span(down, height, _STRIP_PART), _span(0.5, width, 1 / 3)
    y = np.abs((np.arange(rows.start, rows.stop) + 0.5) / height - down)
    x = np.abs((np.arange(cols.start, cols.stop) + 0.5) / width - across)
    if corner:
        weights = np.maximum(0.05, 1 - np.maximum(y[:, None], x[None, :]) / corner_part)
    else:
        weights = np.ones((len(y), len(x)))
    return rows, cols, weights.astype(np.float32)


def _span(place: float, side: int, part: float) -> slice:
    length = max(1, min(side, round(side * part)))
    if place == 0.5:
        start = (side - length) // 2
    else:
        start = 0 if place == 0 else side - length
    return slice(start, start + length)


@dataclass(frozen=True, eq=False)
class _Class:
    """Pixels that show one terrain."""

    mark: int
    pixels: Floats


def _samples(
    tiles: NDArray[np.uint8], features: Floats, kind: SetKind, marks: NDArray[np.uint8]
) -> tuple[list[int], list[_Class]]:
    """Take pixels of each terrain from the tiles whose marks are known."""
    slots = list(kind.slots)
    own = marks[:, slots]
    known = np.flatnonzero((own != UNKNOWN).all(axis=1) & (own != ANY).all(axis=1))
    found: dict[int, list[Floats]] = {}
    for tile in known.tolist():
        kinds = set(own[tile].tolist())
        if len(kinds) == 1 and kind is not SetKind.EDGE:
            mark = kinds.pop()
            found.setdefault(mark, []).append(features[tile].reshape(-1, features.shape[-1]))
            continue
        for slot in slots:
            rows, cols, _ = _patch(slot, *tiles.shape[1:3])
            part = features[tile][rows, cols].reshape(-1, features.shape[-1])
            found.setdefault(int(marks[tile, slot]), []).append(part)
    if kind is SetKind.EDGE and NOTHING not in found:
        _ground_of_edges(tiles, features, known, found)
    if _nothing_shows(tiles, found):
        clear = pixel_features(np.zeros((1, 3, 3, 4), np.uint8)).reshape(-1, features.shape[-1])
        found.setdefault(NOTHING, []).append(clear)
    classes = sorted(found)
    return classes, [_Class(mark, _thinned(np.concatenate(found[mark]))) for mark in classes]


def _nothing_shows(tiles: NDArray[np.uint8], found: dict[int, list[Floats]]) -> bool:
    return NOTHING not in found and float((tiles[..., 3] == 0).mean()) > 0.02


def _ground_of_edges(
    tiles: NDArray[np.uint8],
    features: Floats,
    known: NDArray[np.intp],
    found: dict[int, list[Floats]],
) -> None:
    """Take what lies in the corners of known tiles for nothing: between roads there is ground."""
    for tile in known.tolist():
        for slot in (Slot.NW, Slot.NE, Slot.SE, Slot.SW):
            rows, cols, _ = _patch(slot, *tiles.shape[1:3])
            part = features[tile][rows, cols].reshape(-1, features.shape[-1])
            found.setdefault(NOTHING, []).append(part)


def _thinned(pixels: Floats) -> Floats:
    if len(pixels) <= _SAMPLES:
        return pixels
    chosen: Floats = pixels[np.linspace(0, len(pixels) - 1, _SAMPLES).astype(int)]
    return chosen


def _votes(
    tiles: NDArray[np.uint8],
    features: Floats,
    slots: list[Slot],
    samples: list[_Class],
    progress: Progress,
) -> tuple[Floats, Floats]:
    """Compare patches with terrains.

    Returns
    -------
    (n, slots, classes), how much of each slot's patch looks like each terrain, and (n, slots), how
    much of it looks like any
    """
    from scipy.spatial import cKDTree  # late: it is slow to import

    trees = [cKDTree(each.pixels) for each in samples]
    # Of a ring set a corner tells only by its very end: both sides beside it may be joined.
    part = _RING_CORNER if Slot.MIDDLE in slots else _CORNER_PART
    patches = [_patch(slot, tiles.shape[1], tiles.shape[2], part) for slot in slots]
    needed = np.zeros(tiles.shape[1:3], np.bool_)
    for rows, cols, _ in patches:
        needed[rows, cols] = True
    at = np.flatnonzero(needed.ravel())
    flat = features.reshape(len(tiles), -1, features.shape[-1])[:, at]
    shown, where = np.unique(
        np.round(flat.reshape(-1, flat.shape[-1]), 2), axis=0, return_inverse=True
    )
    likeness = np.empty((len(shown), len(samples)), np.float32)
    for n, tree in enumerate(trees):
        k = min(2, len(samples[n].pixels))
        distance = np.asarray(tree.query(shown, k=k, distance_upper_bound=_CAP)[0])
        distance = np.minimum(distance.reshape(len(shown), k).mean(axis=1), _CAP)
        likeness[:, n] = np.exp(-((distance / 0.45) ** 2) / 2) + 1e-4
        progress(0.2 + 0.6 * (n + 1) / len(trees))
    best = likeness.max(axis=1, keepdims=True)
    parts = np.concatenate([likeness / likeness.sum(axis=1, keepdims=True), best], axis=1)
    whole = np.zeros((len(tiles), needed.size, parts.shape[1]), np.float32)
    whole[:, at] = parts[np.asarray(where).ravel()].reshape(len(tiles), len(at), -1)
    grid = whole.reshape(len(tiles), *tiles.shape[1:3], parts.shape[1])
    out = np.empty((len(tiles), len(slots), parts.shape[1]), np.float32)
    for n, (rows, cols, weights) in enumerate(patches):
        out[:, n] = np.einsum("nhwc,hw->nc", grid[:, rows, cols], weights) / weights.sum()
    return out[..., :-1].copy(), out[..., -1]


def _fixed(
    votes: Floats, slots: list[Slot], marks: NDArray[np.uint8], classes: list[int]
) -> Floats:
    """Hold what is known."""
    out = votes.copy()
    place = {mark: n for n, mark in enumerate(classes)}
    for n, slot in enumerate(slots):
        for tile in np.flatnonzero((marks[:, slot] != UNKNOWN) & (marks[:, slot] != ANY)).tolist():
            mark = int(marks[tile, slot])
            if mark in place:
                out[tile, n] = 0
                out[tile, n, place[mark]] = 1
    return out


def _agreed(votes: Floats, tiles: NDArray[np.uint8], slots: list[Slot]) -> Floats:
    """Let tiles whose border strips match vote on the slots that they share."""
    from scipy.spatial import cKDTree

    if len(tiles) < 3:
        return votes
    out = votes.copy()
    weight = np.ones(votes.shape[:2], np.float32)
    ends = {
        Slot.E: (_strip(tiles[:, :, -1]), _strip(tiles[:, :, 0])),
        Slot.S: (_strip(tiles[:, -1]), _strip(tiles[:, 0])),
    }
    for side, (own, next_door) in ends.items():
        for mine, theirs, flip in ((own, next_door, False), (next_door, own, True)):
            k = min(6, len(tiles))
            found = cKDTree(theirs).query(mine, k=k, distance_upper_bound=0.12)
            distance, near = np.asarray(found[0]), np.asarray(found[1], np.intp)
            close = np.exp(-((distance / 0.05) ** 2) / 2)
            for a, b in _SHARED[side]:
                first, second = (b, a) if flip else (a, b)
                if first not in slots or second not in slots:
                    continue
                at, there = slots.index(first), slots.index(second)
                for n in range(k):
                    ok = np.isfinite(distance[:, n])
                    w = (0.25 * close[ok, n]).astype(np.float32)
                    out[ok, at] += w[:, None] * votes[near[ok, n], there]
                    weight[ok, at] += w
    blended: Floats = out / weight[..., None]
    return blended


def _clear_loose_corners(out: NDArray[np.uint8], given: NDArray[np.uint8]) -> None:
    """Take guessed corners back that have not both their sides: they say nothing."""
    for corner in (Slot.NE, Slot.SE, Slot.SW, Slot.NW):
        before, after = Slot(corner - 1), Slot((corner + 1) % 8)
        loose = (out[:, before] != out[:, corner]) | (out[:, after] != out[:, corner])
        out[loose & (given[:, corner] == UNKNOWN), corner] = NOTHING


def _strip(line: NDArray[np.uint8]) -> Floats:
    """Describe a border strip (n, length, 4) by its colours at eight places, apart by 0 to 1."""
    alpha = line[..., 3:].astype(np.float32) / 255
    values = np.concatenate([line[..., :3].astype(np.float32) / 255 * alpha, alpha], axis=-1)
    at = np.linspace(0, values.shape[1], 9).astype(int)
    parts = [values[:, a : max(a + 1, b)].mean(axis=1) for a, b in pairwise(at.tolist())]
    stacked: Any = np.concatenate(parts, axis=-1) / np.sqrt(len(parts) * 4)
    return np.asarray(stacked, np.float32)


def _ring_votes(votes: Floats, slots: list[Slot], classes: list[int]) -> Floats:
    """Let the slots round a tile say only: the terrain of the middle, or nothing."""
    out = votes.copy()
    if NOTHING not in classes:
        return out
    middle = slots.index(Slot.MIDDLE)
    nothing = classes.index(NOTHING)
    for n in range(len(slots)):
        if n == middle:
            if len(classes) > 1:
                out[:, n, nothing] = 0  # a tile of the set always has a terrain of its own
            continue
        own = out[:, middle].argmax(axis=1)
        same = np.take_along_axis(out[:, n], own[:, None], axis=1)[:, 0]
        rest = out[:, n].sum(axis=1) - same
        out[:, n] = 0
        out[np.arange(len(out)), n, nothing] = rest
        out[np.arange(len(out)), n, own] = same
    return out
