"""What a tile shows at its sides and corners, in numbers that can be compared.

Tiles are brought to faces of 32 × 32, isometric ones laid out square first. Each slot is described
by the means of blocks near it, turned so that all sides, and all corners, look alike; each border
by its outermost line. (Own arrangement of block means and opponent colours.)
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.bands import in_bands
from knitground.core.model.terrain import SetKind, Slot

Floats = NDArray[np.float64]
FACE = 32
_AT_ONCE = 128
"""Tiles that are described together: all their numbers stay near the processor."""
_MOST = 0.6
"""Part of the tiles that tells what kind of art it is: others may lie among them."""
CHANNELS, ALPHA, OPAQUE = 5, 3, 0.7
"""Numbers of a pixel; which of them says how opaque it is, and what it is then."""
_LIGHT = np.array([0.3, 0.59, 0.11])
_TURNS = {
    Slot.N: 0, Slot.E: 1, Slot.S: 2, Slot.W: 3, Slot.NW: 0, Slot.NE: 1, Slot.SE: 2, Slot.SW: 3,
}  # fmt: skip
"""Quarter turns to the left that bring a side to the top, a corner to the upper left."""
BORDERS = (Slot.N, Slot.E, Slot.S, Slot.W)


@dataclass(frozen=True, eq=False)
class Described:
    """Tiles in numbers.

    Parameters
    ----------
    slots : of each group of slots that look alike, the slots
    parts : by group, (n, slots, features)
    weights : by group, (features,), 1 in sum
    lines : (n, 4, features) of the borders N E S W
    """

    slots: tuple[tuple[Slot, ...], ...]
    parts: tuple[Floats, ...]
    weights: tuple[Floats, ...]
    lines: Floats


def part_of(told: Described, at: NDArray[np.intp]) -> Described:
    """Give the description of some of the tiles."""
    parts = tuple(each[at] for each in told.parts)
    return Described(told.slots, parts, told.weights, told.lines[at])


def describe_tiles(tiles: NDArray[np.uint8], kind: SetKind) -> Described:
    """Describe tiles (n, h, w, 4), straight alpha, for the slots of a kind of set."""
    return describe_as(tiles, (kind,))[kind]


def describe_as(
    tiles: NDArray[np.uint8],
    kinds: Iterable[SetKind],
    heaps: Sequence[NDArray[np.intp]] | None = None,
) -> dict[SetKind, Described]:
    """Describe tiles (n, h, w, 4), straight alpha, for the slots of each of some kinds of sets.

    Parameters
    ----------
    heaps : tiles that are seen alike, (n,) numbers each, all tiles in one of them: whether they
        are isometric, and what is see-through, is found heap by heap; by default all together
    """
    faces = np.zeros((len(tiles), FACE, FACE, 4))
    for heap in [np.arange(len(tiles))] if heaps is None else heaps:
        if len(heap):
            faces[heap] = _resized(square_faces(_cleared(tiles[heap])))
    wanted, told = tuple(kinds), {}

    def look(top: int, bottom: int) -> None:
        features = _features(faces[top:bottom])
        lines = _lines(features)
        told[top] = [_described(features, lines, kind) for kind in wanted]

    in_bands(look, max(1, len(tiles)), FACE * FACE, _AT_ONCE * FACE * FACE)
    bands = [told[top] for top in sorted(told)]
    return {kind: _joined([each[n] for each in bands]) for n, kind in enumerate(wanted)}


def _joined(bands: list[Described]) -> Described:
    """Put the descriptions of some tiles behind each other."""
    parts = tuple(np.concatenate(each) for each in zip(*(band.parts for band in bands)))
    return replace(bands[0], parts=parts, lines=np.concatenate([each.lines for each in bands]))


def _described(features: Floats, lines: Floats, kind: SetKind) -> Described:
    sides = (Slot.N, Slot.E, Slot.S, Slot.W)
    corners = (Slot.NW, Slot.NE, Slot.SE, Slot.SW)
    groups: list[tuple[tuple[Slot, ...], Blocks]] = []
    if kind is SetKind.EDGE:
        groups.append((sides, _side_blocks()))
    elif kind is SetKind.CORNER:
        groups.append((corners, _corner_blocks((0, 2, 4, 8, 12), 6.0)))
    else:
        groups.append((sides, _ring_blocks()))
        groups.append((corners, _corner_blocks((0, 2, 4, 6), 3.0)))
    parts, weights = [], []
    for slots, blocks in groups:
        boxes, weight = blocks
        every = []
        for slot in slots:
            turned = np.rot90(features, _TURNS[slot], axes=(1, 2))
            every.append(np.concatenate(
                [turned[:, t:b, a:z].mean(axis=(1, 2)) for t, b, a, z in boxes], axis=1
            ))  # fmt: skip
        parts.append(np.stack(every, axis=1))
        spread = np.repeat(np.asarray(weight), CHANNELS)
        weights.append(spread / spread.sum())
    return Described(tuple(slots for slots, _ in groups), tuple(parts), tuple(weights), lines)


Box = tuple[int, int, int, int]
Blocks = tuple[tuple[Box, ...], tuple[float, ...]]


@lru_cache(maxsize=4)
def _side_blocks() -> Blocks:
    boxes, weights = [], []
    for (top, bottom), deep in zip(((0, 2), (2, 4), (4, 8)), (1.0, 0.8, 0.5)):
        for left in range(4, 28, 4):
            boxes.append((top, bottom, left, left + 4))
            weights.append(deep * float(np.exp(-(((left + 2 - 16) / 9) ** 2) / 2)))
    return tuple(boxes), tuple(weights)


@lru_cache(maxsize=4)
def _ring_blocks() -> Blocks:
    boxes = tuple((top, bottom, left, left + 4) for top, bottom in ((0, 2), (2, 5))
                  for left in (12, 16))  # fmt: skip
    return boxes, (1.0,) * len(boxes)


@lru_cache(maxsize=4)
def _corner_blocks(ends: tuple[int, ...], fades: float) -> Blocks:
    boxes, weights = [], []
    spans = list(pairwise(ends))
    for top, bottom in spans:
        for left, right in spans:
            boxes.append((top, bottom, left, right))
            weight = 1.0
            for low, high in ((top, bottom), (left, right)):
                weight *= float(np.exp(-(low + high) / 2 / fades) * np.sqrt((high - low) / 2))
            weights.append(weight)
    return tuple(boxes), tuple(weights)


def _lines(features: Floats) -> Floats:
    """Describe the outermost two pixels of each side in eight blocks, from the left or the top."""
    sides = (
        features[:, :2].mean(axis=1), features[:, :, -2:].mean(axis=2),
        features[:, -2:].mean(axis=1), features[:, :, :2].mean(axis=2),
    )  # fmt: skip
    blocks = [each.reshape(len(features), 8, FACE // 8, CHANNELS).mean(axis=2) for each in sides]
    return np.stack([each.reshape(len(features), -1) for each in blocks], axis=1)


def _features(faces: Floats) -> Floats:
    """Describe each pixel of faces (n, 32, 32, 4), premultiplied, by five numbers."""
    rgb, alpha = faces[..., :3], faces[..., 3]
    light = rgb @ _LIGHT
    deviation = np.sqrt(np.maximum(_mean3(light**2) - _mean3(light) ** 2, 0))
    return np.stack(
        [
            light,
            1.2 * (rgb[..., 0] - rgb[..., 1]),
            1.2 * (rgb[..., 2] - (rgb[..., 0] + rgb[..., 1]) / 2),
            OPAQUE * alpha,
            deviation,
        ],
        axis=-1,
    )


def _mean3(values: Floats) -> Floats:
    """Mean of the 3 × 3 round each pixel of (n, h, w), inside its own tile."""
    wide = np.pad(values, ((0, 0), (1, 1), (1, 1)), mode="edge")
    rows = wide[:, :-2] + wide[:, 1:-1] + wide[:, 2:]
    mean: Floats = (rows[:, :, :-2] + rows[:, :, 1:-1] + rows[:, :, 2:]) / 9
    return mean


def _cleared(tiles: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Take the colour of corner pixels for see-through if it is the same in most opaque tiles."""
    if len(tiles) < 2:
        return tiles
    ends = tiles[:, [0, 0, -1, -1], [0, -1, 0, -1]]
    opaque = (tiles[..., 3] == 255).all(axis=(1, 2)) & (ends == ends[:, :1]).all(axis=(1, 2))
    if opaque.mean() < _MOST:
        return tiles
    colours, counts = np.unique(ends[opaque, 0, :3], axis=0, return_counts=True)
    if counts.max() < _MOST * len(tiles):
        return tiles
    out = tiles.copy()
    mine = opaque[:, None, None] & (tiles[..., :3] == colours[counts.argmax()]).all(axis=-1)
    out[mine, 3] = 0
    return out


def _resized(tiles: NDArray[np.uint8]) -> Floats:
    """Bring tiles to 32 × 32, premultiplied, 0 to 1: areas are averaged, small ones doubled."""
    alpha = tiles[..., 3:].astype(np.float64) / 255
    values = np.concatenate([tiles[..., :3] / 255 * alpha, alpha], axis=-1)
    for axis in (1, 2):
        values = _axis_resized(values, axis)
    return values


def _axis_resized(values: Floats, axis: int) -> Floats:
    side = values.shape[axis]
    if side == FACE:
        return values
    if side < FACE:
        at = (np.arange(FACE) * side) // FACE
        doubled: Floats = np.take(values, at, axis=axis)
        return doubled
    share = np.zeros((FACE, side))
    for n in range(FACE):
        low, high = n * side / FACE, (n + 1) * side / FACE
        for m in range(int(low), min(side, int(np.ceil(high)))):
            share[n, m] = min(high, m + 1) - max(low, m)
    share /= share.sum(axis=1, keepdims=True)
    moved = np.moveaxis(values, axis, 0)
    out = np.tensordot(share, moved, axes=(1, 0))
    turned: Floats = np.moveaxis(out, 0, axis)
    return turned


# Isometric tiles


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
    clear = ~tiles[:, [0, 0, -1, -1], [0, -1, 0, -1], 3].any(axis=1)
    if clear.mean() < _MOST:
        return None
    seen = (tiles[clear, ..., 3] > 0).mean(axis=0)
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
    if not (seen > 0).any():
        return None
    if width < 1.5 * height:
        return _low_diamond(seen)
    rows, cols = np.nonzero(seen > 0)
    across = np.abs(cols + 0.5 - width / 2) / (width / 2)
    down = np.abs(rows + 0.5 - height / 2) / (height / 2)
    outside = (across + down > 1 + 2.5 / height).mean()
    # What fills less than a tenth of the tile may lie anywhere.
    if outside > 0.01 or len(rows) < 0.1 * seen.size:
        return None
    return (width / 2, 0.0, width / 2, height / 2)


def _low_diamond(seen: NDArray[Any]) -> tuple[float, float, float, float] | None:
    """Recognise overlays that lie in a diamond half as high as it is wide, anywhere down the tile.

    From the bottom up it goes on only while clearly more of what is seen lies inside.
    """
    height, width = seen.shape
    if height < width // 2 or width < 16:
        return None
    rows, cols = np.nonzero(seen > 0)
    much = seen[rows, cols]
    across = np.abs(cols + 0.5 - width / 2) / (width / 2)
    best, top = 0.0, 0
    for start in range(height - width // 2, -1, -1):
        down = np.abs(rows + 0.5 - start - width / 4) / (width / 4)
        inside = float(much[across + down <= 1 + 4 / width].sum())
        if inside > 1.03 * best:
            best, top = inside, start
    outer = float(much[across > 0.5].sum())
    if best < 0.9 * much.sum() or outer < 0.06 * much.sum():
        return None
    return (width / 2, float(top), width / 2, width / 4)
