"""Making a whole set: two plain tiles and an outline become every combination of a kind."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter

from knitground.core.base.errors import EditError
from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import say
from knitground.core.knit.keys import Key
from knitground.core.knit.making import Made, Tiles, key_of_marks, marks_of_key
from knitground.core.knit.outline import (
    Mask,
    Outline,
    Rim,
    every_key,
    inside,
    outline_mask,
    rim_of,
)
from knitground.core.model.limits import sheet_words
from knitground.core.model.terrain import ANY, NOTHING, SetKind

MAX_VARIANTS = 8
MIN_TILE, MAX_TILE = 4, 256
_DARKER, _LIGHTER = 0.66, 1.3
_LIGHT = np.array([0.3, 0.59, 0.11])
_COLOURS = 256
"""So many colours of the two tiles, the commonest, may be taken for a rim."""


@dataclass(frozen=True, eq=False)
class BorrowedShape:
    """The shape of a set's borders: by combination where its tiles show the first terrain.

    `masks` (h, w) bool of the set's own tile size; `rims` (h, w) bool, pixels in colours of
    neither terrain. `whole`: how many combinations there would be.
    """

    kind: SetKind
    masks: dict[Key, Mask]
    rims: dict[Key, Mask]
    whole: int


@dataclass(frozen=True, eq=False)
class SetPlan:
    """What a set is made from: plain tiles (h, w, 4) of one size; no second one: see-through.

    Of `borrowed` the shape is taken where it has the combination, else `outline`'s.
    """

    kind: SetKind
    first: Tiles
    second: Tiles | None
    outline: Outline = field(default_factory=Outline)
    variants: int = 1
    borrowed: BorrowedShape | None = None


def check_plan(plan: SetPlan) -> None:
    """Refuse what can not be made.

    Raises
    ------
    EditError
        It names the number, the limit and the cure.
    """
    high, wide = plan.first.shape[:2]
    if not (MIN_TILE <= high <= MAX_TILE and MIN_TILE <= wide <= MAX_TILE):
        raise EditError(
            say(
                "a set is made of tiles of {min_tile} to {max_tile} px a side, not {wide} × "
                "{high}: choose another tile",
                min_tile=MIN_TILE,
                max_tile=MAX_TILE,
                wide=wide,
                high=high,
            )
        )
    if plan.second is not None and plan.second.shape[:2] != (high, wide):
        other_high, other_wide = plan.second.shape[:2]
        raise EditError(
            say(
                "the two tiles differ in size, {wide} × {high} and {other_wide} × "
                "{other_high} px: choose two of one size",
                wide=wide,
                high=high,
                other_wide=other_wide,
                other_high=other_high,
            )
        )
    if not 1 <= plan.variants <= MAX_VARIANTS:
        raise EditError(
            say(
                "1 to {max_variants} variants can be made, not {variants}",
                max_variants=MAX_VARIANTS,
                variants=plan.variants,
            )
        )
    if not (plan.first[..., 3] > 0).any():
        raise EditError(
            say("nothing can be seen of the first tile: choose one that shows the terrain")
        )
    if plan.second is not None and np.array_equal(plan.first, plan.second):
        raise EditError(say("both tiles are the same picture: choose two that differ"))
    if plan.borrowed is not None and plan.borrowed.kind is not plan.kind:
        raise EditError(
            say(
                "the outline is of a {value} set, the new set is a {value2} set: borrow from "
                "one of its kind",
                value=say(plan.borrowed.kind.value),
                value2=say(plan.kind.value),
            )
        )


def make_set(plan: SetPlan, progress: Progress = no_progress) -> list[Made]:
    """Make all tiles of a set: 16 of a corner or edge set, 47 of a ring set, times the variants.

    Of a set whose second terrain is nothing, the tile of nothing alone is left out; ways go over
    ground whose own tile is the last one, without a mark. Every pixel has a colour of one of the
    two tiles.

    Raises
    ------
    EditError
        See `check_plan`.
    """
    check_plan(plan)
    both = plan.second is not None
    shades = _shades_of(plan)
    keys = every_key(plan.kind, both=both)
    out = []
    for number, key in enumerate(keys):
        progress(number / len(keys))
        plain = _is_plain(plan.kind, key)
        for variant in range(1 if plain else plan.variants):
            mask, rim = _shape(plan, key, variant)
            pixels = _filled(plan, mask)
            if rim.any():
                pixels[rim] = shades.of(pixels[rim], lighter=plan.outline.rim is Rim.LIGHTER)
            how = (
                say("plain")
                if plain
                else say("outline {value}", value=say(plan.outline.shape.value))
            )
            lent = plan.borrowed is not None and key in plan.borrowed.masks
            if lent and variant == 0 and not plain:
                how = say("outline of the set")
            out.append(Made(key, pixels, marks_of_key(plan.kind, key), how, ()))
    if plan.kind is SetKind.EDGE and plan.second is not None:
        none = (NOTHING,) * 4
        out.append(Made(none, plan.second.copy(), marks_of_key(plan.kind, none), say("plain"), ()))
    progress(1.0)
    return out


def _is_plain(kind: SetKind, key: Key) -> bool:
    """Whether a tile shows one terrain alone; ways have ground at their sides always."""
    if kind is SetKind.RING:
        return key[1] == 255
    return kind is SetKind.CORNER and len(set(key)) == 1


def _shape(plan: SetPlan, key: Key, variant: int) -> tuple[Mask, Mask]:
    """Where a tile shows the first terrain, and where a rim."""
    size = (plan.first.shape[0], plan.first.shape[1])
    borrowed = plan.borrowed
    if borrowed is not None and key in borrowed.masks and variant == 0:
        mask = _resized(borrowed.masks[key], size)
        if plan.outline.rim is Rim.NONE:
            return mask, np.zeros_like(mask)
        rim = _resized(borrowed.rims[key], size)
        if rim.any():
            return mask, rim
        pad = (outline_mask(plan.kind, key, size, plan.outline).shape[0] - size[0]) // 2
        return mask, rim_of(np.pad(mask, pad, mode="edge"), plan.outline)
    padded = outline_mask(plan.kind, key, size, plan.outline, variant)
    return inside(padded), rim_of(padded, plan.outline)


def _resized(mask: Mask, size: tuple[int, int]) -> Mask:
    rows, cols = ((np.arange(want) * have // want) for want, have in zip(size, mask.shape))
    return np.asarray(mask[rows[:, None], cols[None]])


def _filled(plan: SetPlan, mask: Mask) -> Tiles:
    second = plan.second if plan.second is not None else np.zeros_like(plan.first)
    return np.where(mask[..., None], plan.first, second)


# Rims in the colours that are there


@dataclass(frozen=True, eq=False)
class _Shades:
    """The two tiles' colours (n, 4), and for each of them one that is darker, and lighter.

    It is the colour of the palette that is nearest to it made darker; itself where there is none.
    """

    palette: NDArray[np.uint8]
    darker: NDArray[np.uint8]
    lighter: NDArray[np.uint8]

    def of(self, pixels: NDArray[np.uint8], *, lighter: bool) -> NDArray[np.uint8]:
        """Shades of some pixels (n, 4); what is see-through gets the darkest or lightest of all."""
        rgb = self.palette[:, :3].astype(np.float64)
        colours, inverse = np.unique(_packed(pixels), return_inverse=True)
        own = colours.view(np.uint8).reshape(-1, 4)
        gap = ((own[:, None, :3].astype(np.float64) - rgb[None]) ** 2).sum(axis=2)
        shades = (self.lighter if lighter else self.darker)[gap.argmin(axis=1)]
        light = rgb @ _LIGHT
        shades[own[:, 3] == 0] = self.palette[light.argmax() if lighter else light.argmin()]
        return np.asarray(shades[inverse])


def _packed(pixels: NDArray[np.uint8]) -> NDArray[np.uint32]:
    """Pixels (n, 4) as one number each."""
    return np.ascontiguousarray(pixels).reshape(-1, 4).view(np.uint32)[:, 0]


def _shades_of(plan: SetPlan) -> _Shades:
    tiles = [plan.first] if plan.second is None else [plan.first, plan.second]
    every = np.concatenate([each.reshape(-1, 4) for each in tiles])
    codes, counts = np.unique(_packed(every[every[:, 3] > 0]), return_counts=True)
    common = np.ascontiguousarray(codes[np.argsort(-counts, kind="stable")[:_COLOURS]])
    palette = common.view(np.uint8).reshape(-1, 4)
    rgb = palette[:, :3].astype(np.float64)
    light = rgb @ _LIGHT
    out = []
    for by in (_DARKER, _LIGHTER):
        goal = np.clip(rgb * by, 0, 255)
        gap = ((goal[:, None] - rgb[None]) ** 2).sum(axis=2)
        wrong = light[None] >= light[:, None] - 4 if by < 1 else light[None] <= light[:, None] + 4
        wrong |= palette[None, :, 3] < palette[:, None, 3]
        gap = np.where(wrong, np.inf, gap)
        best = np.where(np.isfinite(gap).any(axis=1), gap.argmin(axis=1), np.arange(len(rgb)))
        out.append(palette[best])
    return _Shades(palette, out[0], out[1])


def rim_shows(plan: SetPlan) -> bool:
    """Whether the two tiles have a colour for the rim: darker, or lighter, than most of a tile."""
    rim = plan.outline.rim
    if rim is Rim.NONE or (rim is Rim.SHADOW and plan.second is None):
        return True
    tile = plan.second if rim is Rim.SHADOW and plan.second is not None else plan.first
    pixels = tile[tile[..., 3] > 0]
    shaded = _shades_of(plan).of(pixels, lighter=rim is Rim.LIGHTER)
    return bool((shaded != pixels).any(axis=1).mean() > 0.5)


# Shapes of sets that are there


def borrow_shape(kind: SetKind, tiles: Tiles, marks: NDArray[np.uint8]) -> BorrowedShape | None:
    """Read the shape of a set's borders off its tiles.

    Parameters
    ----------
    tiles : (n, h, w, 4) of one size
    marks : (n, 9)

    Returns
    -------
    the shape of the two terrains (or one and nothing) with the most combinations; None if no tile
    shows how they meet, or if nothing tells them apart

    Notes
    -----
    A pixel is the first terrain's if its colour is commoner in plain tiles of it than in those of
    the other, over its neighbourhood of 3 × 3; of nothing if it is see-through. (Own derivation.)
    """
    pair = _best_pair(kind, marks)
    if pair is None:
        return None
    first, second = pair
    by_key: dict[Key, int] = {}
    for n, row in enumerate(marks):
        key = _renamed(kind, row, first, second)
        if key is not None:
            by_key.setdefault(key, n)
    ground = _grounds(kind, tiles, by_key)
    masks: dict[Key, Mask] = {}
    rims: dict[Key, Mask] = {}
    for key, n in by_key.items():
        if _is_plain(kind, key):
            continue
        mask, rim = _read(tiles[n], *ground)
        if mask.any() and not mask.all():
            masks[key], rims[key] = mask, rim
    whole = len(every_key(kind, both=second != NOTHING))
    plain = 2 if kind is SetKind.CORNER and second != NOTHING else 1
    if kind is SetKind.EDGE:
        plain = 0  # where all ways meet the ground shows too
    return BorrowedShape(kind, masks, rims, whole - plain) if masks else None


def _best_pair(kind: SetKind, marks: NDArray[np.uint8]) -> tuple[int, int] | None:
    slots = [int(slot) for slot in kind.slots]
    used = marks[:, slots]
    terrains = [int(each) for each in np.unique(used) if each not in (NOTHING, ANY)]
    if kind is not SetKind.CORNER:
        slot = 8 if kind is SetKind.RING else slots
        counts = [(int((marks[:, slot] == each).sum()), each) for each in terrains]
        return (max(counts)[1], NOTHING) if counts else None
    best: tuple[int, tuple[int, int]] | None = None
    for n, first in enumerate(terrains):
        for second in (*terrains[n + 1 :], NOTHING):
            of_both = np.isin(used, (first, second)).all(axis=1)
            mixed = of_both & (used == first).any(axis=1) & (used == second).any(axis=1)
            count = len(np.unique(used[mixed], axis=0))
            if count and (best is None or count > best[0]):
                best = (count, (first, second))
    return best[1] if best else None


def _renamed(kind: SetKind, row: NDArray[np.uint8], first: int, second: int) -> Key | None:
    """The key of a tile's marks with the two terrains called 1 and 2 (or 0)."""
    slots = [int(slot) for slot in kind.slots]
    if kind is SetKind.RING:
        if int(row[8]) != first:
            return None
        return (1, key_of_marks(kind, row)[1])
    if not np.isin(row[slots], (first, second)).all():
        return None
    other = 2 if second != NOTHING else NOTHING
    return tuple(1 if each == first else other for each in row[slots].tolist())


Histogram = dict[int, float]


def _grounds(
    kind: SetKind, tiles: Tiles, by_key: dict[Key, int]
) -> tuple[Histogram | None, Histogram | None]:
    """Colours of plain tiles of both; None where there is none."""
    inner = (1, 255) if kind is SetKind.RING else (1, 1, 1, 1)
    outer = (2, 2, 2, 2)
    return tuple(  # type: ignore[return-value]
        _colours(tiles[by_key[key]]) if key in by_key else None for key in (inner, outer)
    )


def _coded(pixels: Tiles) -> NDArray[np.int64]:
    small = pixels[..., :3].astype(np.int64) >> 3
    return np.asarray((small[..., 0] << 10) | (small[..., 1] << 5) | small[..., 2])


def _colours(tile: Tiles) -> Histogram:
    codes, counts = np.unique(_coded(tile[tile[..., 3] > 127]), return_counts=True)
    return {int(c): float(n) / max(1, counts.sum()) for c, n in zip(codes, counts)}


def _read(tile: Tiles, first: Histogram | None, second: Histogram | None) -> tuple[Mask, Mask]:
    """Where a tile shows the first terrain, and where colours of neither."""
    seen = tile[..., 3] > 127
    if not seen.all() or first is None:
        return seen, np.zeros_like(seen)
    codes = _coded(tile)
    values, inverse = np.unique(codes, return_inverse=True)
    one = np.array([first.get(int(c), 0.0) for c in values])
    two = np.array([second.get(int(c), 0.0) if second else 0.02 for c in values])
    if second is None:  # what is not of the inside is outside
        one, two = np.where(one > 0, one + 0.02, 0.0), np.where(one > 0, 0.0, 0.1)
    score = np.log((one + 1e-3) / (two + 1e-3))[inverse].reshape(codes.shape)
    near = uniform_filter(score, 3, mode="nearest")
    strange = ((one == 0) & (two == 0))[inverse].reshape(codes.shape)
    mask = np.where(strange, near > 0, score + near > 0)
    return mask, np.asarray(strange & mask)


def check_sheet(made: list[Made], columns: int) -> None:
    """Refuse a sheet that would be larger than one may be.

    Raises
    ------
    EditError
        It would.
    """
    high = made[0].pixels.shape[0] * -(-len(made) // columns)
    why = sheet_words(made[0].pixels.shape[1] * columns, high)
    if why:
        raise EditError(
            say("a sheet of {count} tiles: {why}; make fewer variants", count=len(made), why=why)
        )
