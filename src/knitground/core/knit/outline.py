"""Outlines: the shape of the border between two terrains, for every combination of a set.

A tile's shape is a field over its pixels: above 0.5 it shows the first terrain, else the second.
Along each side the field depends on the marks of that side alone, and what roughens it repeats from
tile to tile; so tiles that fit by their marks meet without a step. (Own derivation.)
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from itertools import product

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import distance_transform_edt

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import later, say
from knitground.core.knit.keys import Key
from knitground.core.knit.ring import RING_BITS, STEPS, reduced
from knitground.core.model.terrain import SetKind, Slot

Field = NDArray[np.float64]
Mask = NDArray[np.bool_]
_PAD = 8
"""Pixels beyond the tile up to which its field is known: for rims."""
MAX_RIM = 4
_ARM = 0.24
"""Half the width of a way, in parts of the tile."""
_INSET = 0.16
"""How far the border of a ring set lies within the cell, in parts of the tile."""


class OutlineShape(StrEnum):
    """What the border looks like."""

    RAGGED = later("ragged")
    ROUND = later("round")
    STRAIGHT = later("straight")
    TUFTS = later("tufts")
    STEPPED = later("stepped")


class Rim(StrEnum):
    """What is drawn along the border."""

    NONE = later("none")
    DARKER = later("darker")
    LIGHTER = later("lighter")
    SHADOW = later("shadow")


@dataclass(frozen=True)
class Outline:
    """A shape, how rough it is (0 to 1), its seed; a rim and how many pixels it is wide."""

    shape: OutlineShape = OutlineShape.RAGGED
    rough: float = 0.5
    seed: int = 1
    rim: Rim = Rim.DARKER
    rim_px: int = 1

    def __post_init__(self) -> None:
        if not 0 <= self.rough <= 1:
            raise EditError(
                say("an outline's roughness is 0 to 1, not {rough:g}", rough=self.rough)
            )
        if not 1 <= self.rim_px <= MAX_RIM:
            raise EditError(
                say(
                    "a rim is 1 to {max_rim} px wide, not {rim_px}",
                    max_rim=MAX_RIM,
                    rim_px=self.rim_px,
                )
            )


def every_key(kind: SetKind, *, both: bool) -> list[Key]:
    """List the combinations of a set of two terrains, or of one and nothing, the plain ones first.

    Parameters
    ----------
    both : the second terrain of a corner set is marked too; else it is nothing

    Examples
    --------
    >>> [len(every_key(kind, both=True)) for kind in SetKind]
    [16, 15, 47]
    >>> every_key(SetKind.CORNER, both=False)[0]
    (1, 1, 1, 1)
    """
    if kind is SetKind.RING:
        bits = sorted({reduced(n) for n in range(256)}, key=lambda n: (-n.bit_count(), n))
        return [(1, n) for n in bits]
    other = 2 if both and kind is SetKind.CORNER else 0
    keys = [key for key in product((1, other), repeat=4) if any(key)]
    return sorted(keys, key=lambda key: (len(set(key)), key.count(other), key))


def outline_mask(
    kind: SetKind, key: Key, size: tuple[int, int], outline: Outline, variant: int = 0
) -> Mask:
    """Where a tile shows the first terrain: (h + 16, w + 16), eight pixels more at every side.

    Parameters
    ----------
    key : as in `KnitTable`; 1 is the first terrain
    size : height and width of the tile in px
    variant : variants differ inside the tile, never along its sides
    """
    high, wide = size
    rows, cols = np.meshgrid(
        np.arange(-_PAD, high + _PAD), np.arange(-_PAD, wide + _PAD), indexing="ij"
    )
    if outline.shape is OutlineShape.STEPPED:
        rows, cols = _in_steps(rows, high), _in_steps(cols, wide)
    v, u = (rows + 0.5) / high, (cols + 0.5) / wide
    field = _FIELDS[kind](key, u, v, outline.shape)
    least = min(high, wide)
    reach = outline.rough * min(0.18, 6.0 / least)  # some pixels at most, on large tiles too
    if kind is SetKind.RING:
        reach *= 0.6  # its border lies nearer to the cell's
    rough = _roughness(rows, cols, size, outline, variant)
    if outline.shape is OutlineShape.TUFTS:
        # Blades stand up where the first terrain lies below the second.
        up = np.clip(np.gradient(field, axis=0) * high, 0.0, 1.0)
        blades = _blades(cols, wide, outline.seed)
        field = field + 2.2 * reach * up * blades + 0.5 * reach * rough
    elif outline.shape not in (OutlineShape.ROUND, OutlineShape.STRAIGHT):
        # Steps stand away from a side by half their width: they may stray the less.
        field = field + (1.4 if outline.shape is OutlineShape.STEPPED else 2.0) * reach * rough
    return np.asarray(field > 0.5)


def rim_of(mask: Mask, outline: Outline) -> Mask:
    """Where a rim is drawn: (h, w), of a mask as `outline_mask` gives it.

    A darker or lighter rim lies on the first terrain, a shadow on the second, below and right of
    the first.
    """
    px = outline.rim_px
    if outline.rim is Rim.NONE or mask.all() or not mask.any():
        return np.zeros_like(mask)[_PAD:-_PAD, _PAD:-_PAD]
    if outline.rim is Rim.SHADOW:
        cast = np.zeros_like(mask)
        for n in range(1, px + 1):
            cast[n:, n:] |= mask[:-n, :-n]
            cast[n:, :] |= mask[:-n, :]
        rim = cast & ~mask
    else:
        rim = mask & (distance_transform_edt(mask) <= px)
    return rim[_PAD:-_PAD, _PAD:-_PAD]


def inside(mask: Mask) -> Mask:
    """The part of a padded mask that is the tile."""
    return mask[_PAD:-_PAD, _PAD:-_PAD]


# Fields: above 0.5 is the first terrain; u and v run from 0 to 1 over the tile


def _corner_field(key: Key, u: Field, v: Field, shape: OutlineShape) -> Field:
    marks = dict(zip(SetKind.CORNER.slots, key))
    first = [float(marks[slot] == 1) for slot in (Slot.NW, Slot.NE, Slot.SE, Slot.SW)]
    # Never so soft that a side's pixels know of the far corners; the softer, the rounder.
    sharp = 1.2 if shape is OutlineShape.ROUND else 1.35
    if shape in (OutlineShape.STRAIGHT, OutlineShape.STEPPED):
        return _quarters(first, u, v)
    s, t = (np.clip((each - 0.5) * sharp + 0.5, 0.0, 1.0) for each in (u, v))
    top = first[0] * (1 - s) + first[1] * s
    bottom = first[3] * (1 - s) + first[2] * s
    return np.asarray(top * (1 - t) + bottom * t)


def _quarters(first: list[float], u: Field, v: Field) -> Field:
    """The nearest corner's terrain, with the distance to the other: borders are straight."""
    nearest = []
    for wanted in (1.0, 0.0):
        best = np.full(u.shape, 0.3)  # the far side's corners do not count near a side
        for each, (right, down) in zip(first, ((0, 0), (1, 0), (1, 1), (0, 1))):
            if each == wanted:
                across = np.maximum(0.5 - u if right else u - 0.5, 0.0)
                along = np.maximum(0.5 - v if down else v - 0.5, 0.0)
                best = np.minimum(best, np.maximum(across, along))
        nearest.append(best)
    return np.asarray(0.5 + nearest[1] - nearest[0])


def _edge_field(key: Key, u: Field, v: Field, shape: OutlineShape) -> Field:
    """Ways from the middle over the sides that show the first terrain."""
    marks = dict(zip(SetKind.EDGE.slots, key))
    sides = [marks[slot] for slot in (Slot.N, Slot.E, Slot.S, Slot.W)]
    distance = np.full(u.shape, 0.5)
    square = shape in (OutlineShape.STRAIGHT, OutlineShape.STEPPED)
    for mark, (right, down) in zip(sides, ((0, -1), (1, 0), (0, 1), (-1, 0))):
        if mark != 1:
            continue
        along = (u - 0.5) * right + (v - 0.5) * down
        across = np.abs((u - 0.5) * (right == 0) + (v - 0.5) * (down == 0))
        back = np.maximum(-along, 0.0)
        here = np.maximum(across, back) if square else np.hypot(across, back)
        distance = np.minimum(distance, here)
    return np.asarray(0.5 + 2.0 * (_ARM - distance))


def _ring_field(key: Key, u: Field, v: Field, shape: OutlineShape) -> Field:
    """Whole cells, inset where the neighbour is another: `RING_BITS` tell which are the same."""
    distance = np.full(u.shape, 0.5)
    square = shape in (OutlineShape.STRAIGHT, OutlineShape.STEPPED)
    for n, slot in enumerate(RING_BITS):
        down, right = STEPS[slot]
        if key[1] >> n & 1 or (n % 2 and _beside_open(key[1], n)):
            continue
        across = {0: np.zeros_like(u), 1: 1 - u, -1: u}[right]
        along = {0: np.zeros_like(v), 1: 1 - v, -1: v}[down]
        across, along = np.maximum(across, 0.0), np.maximum(along, 0.0)
        here = np.maximum(across, along) if square else np.hypot(across, along)
        distance = np.minimum(distance, here)
    if shape is OutlineShape.ROUND:
        distance = np.minimum(distance, _rounded(key[1], u, v))
    return np.asarray(0.5 + 2.0 * (distance - _INSET))


def _beside_open(bits: int, corner: int) -> bool:
    """Whether a side beside a corner is open: then the corner says nothing of its own."""
    return not (bits >> (corner - 1) & 1 and bits >> ((corner + 1) % 8) & 1)


def _rounded(bits: int, u: Field, v: Field) -> Field:
    """Distance to the border at corners whose both sides are open: rounded off."""
    out = np.full(u.shape, 0.5)
    radius = 0.34
    for corner, (right, down) in ((1, (1, 0)), (3, (1, 1)), (5, (0, 1)), (7, (0, 0))):
        if bits >> (corner - 1) & 1 or bits >> ((corner + 1) % 8) & 1:
            continue
        x = radius - (1 - u if right else u)
        y = radius - (1 - v if down else v)
        out = np.where((x > 0) & (y > 0), np.minimum(out, radius - np.hypot(x, y)), out)
    return out


_FIELDS: dict[SetKind, Callable[[Key, Field, Field, OutlineShape], Field]] = {
    SetKind.CORNER: _corner_field,
    SetKind.EDGE: _edge_field,
    SetKind.RING: _ring_field,
}


# Roughness: fields about 0 that repeat from tile to tile


def _in_steps(places: NDArray[np.int64], size: int) -> NDArray[np.int64]:
    """Take the middle of blocks: as many as make steps of about an eighth of a tile."""
    blocks = _steps_of(size)
    block = np.floor(places * blocks / size)
    return np.asarray(np.floor((block + 0.5) * size / blocks), np.int64)


def _steps_of(size: int) -> int:
    return min(8, max(4, size // 2))


def _roughness(
    rows: NDArray[np.int64], cols: NDArray[np.int64], size: tuple[int, int], outline: Outline,
    variant: int,
) -> Field:  # fmt: skip
    """Two octaves of noise of a tile, -1 to 1, the same along the sides for every variant."""
    high, wide = size
    cells = (max(2, high // 4), max(2, wide // 4))
    shared = _noise(size, cells, outline.seed, 0)
    if variant:
        own = _noise(size, cells, outline.seed, variant)
        y, x = (np.minimum(np.arange(n), np.arange(n)[::-1]) - -(-n // _steps_of(n)) for n in size)
        inner = np.clip(np.minimum(y[:, None], x[None]) / max(1, min(size) // 4), 0.0, 1.0)
        shared = shared * (1 - inner) + own * inner
    return np.asarray(shared[rows % high, cols % wide])


def _noise(size: tuple[int, int], cells: tuple[int, int], seed: int, variant: int) -> Field:
    rng = np.random.default_rng([seed, variant])
    total: Field = np.zeros(size)
    for octave, part in ((1, 0.65), (2, 0.35)):
        count = tuple(min(n * octave, s) for n, s in zip(cells, size))
        lattice = rng.uniform(-1.0, 1.0, count)
        total = total + part * _smooth(lattice, size)
    return total


def _smooth(lattice: Field, size: tuple[int, int]) -> Field:
    """Values between the points of a lattice that repeats."""
    out = lattice
    for axis, wanted in enumerate(size):
        count = out.shape[axis]
        at = (np.arange(wanted) + 0.5) * count / wanted
        low = np.floor(at).astype(int)
        part = at - low
        part = part * part * (3 - 2 * part)
        shape = [1, 1]
        shape[axis] = -1
        part = part.reshape(shape)
        one, two = out.take(low % count, axis), out.take((low + 1) % count, axis)
        out = one * (1 - part) + two * part
    return out


def _blades(cols: NDArray[np.int64], wide: int, seed: int) -> Field:
    """Heights of blades over the columns, 0 to 1, that repeat."""
    rng = np.random.default_rng([seed, 977])
    count = max(2, wide // 3)
    height = rng.uniform(0.15, 1.0, count)
    at = (cols % wide + 0.5) * count / wide
    n = np.floor(at).astype(int)
    return np.asarray(height[n % count] * (1 - np.abs(2 * (at - n) - 1) * 0.7))
