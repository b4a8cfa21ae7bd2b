"""Regions: cells round scattered points, each of one terrain; or rooms joined by passages.

One point stands in each square of a lattice that fits the map, so that on a map that wraps regions
go over its border. Their borders are warped by noise (S. Worley's cellular basis, 1996, read at
places moved by noise). Which terrain a region gets is dealt: the largest first, to the terrain that
lacks most.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.bands import in_bands
from knitground.core.base.errors import GrowError
from knitground.core.base.hashing import cell_numbers, mix_one
from knitground.core.base.tongue import say
from knitground.core.grow.noise import noise_field
from knitground.core.grow.stepkind import (
    AREAS,
    ON_GROUND,
    SHARES,
    As,
    Setting,
    StepKind,
    even_shares,
)
from knitground.core.grow.work import Grown, Mask, Places, Work
from knitground.core.model.layers import GroundLayer
from knitground.core.model.recipe import RegionsStep

Numbers = NDArray[np.int32]
_NEAR = [(down, across) for down in (-1, 0, 1) for across in (-1, 0, 1)]
_FAR = [
    (down, across)
    for down in range(-2, 3)
    for across in range(-2, 3)
    if (down, across) not in _NEAR
]


def run_regions(work: Work, step: RegionsStep) -> list[Grown]:
    """Lay regions, or rooms, on a ground layer."""
    ground = work.layer(step.layer, GroundLayer, "ground")
    places = work.places(ground)
    asked = {work.mark(ground, name): share for name, share in step.shares if share > 0}
    if not asked:
        raise GrowError(
            say("{number} has no terrain with a share over 0: give one", number=work.number)
        )
    numbers, count, edge = regions(
        places.shape, step.size, step.warp, work.seed, wrap=work.goes_round
    )
    terrain_of = _dealt(np.bincount(numbers.ravel(), minlength=count), asked, work.seed)
    made = terrain_of[numbers]
    words = say("{count} regions", count=count)
    if step.wall:
        walls, passages = _walls(numbers, edge, step, work.seed, wrap=work.goes_round)
        made[walls] = work.mark(ground, step.wall)
        words = say("{count} rooms, {passages} passages", count=count, passages=passages)
    free = work.on_places(ground, work.mask(step))
    places[free] = made[free]
    places = work.joined(ground, places)
    shares = work.shares_laid(ground, places, asked)
    return [Grown(ground, work.as_terrain(ground, places), shares, words=words)]


def regions(
    size: tuple[int, int], each: float, warp: float, seed: int, *, wrap: bool
) -> tuple[Numbers, int, NDArray[np.float32]]:
    """Number the regions of places.

    Returns
    -------
    (h, w) numbers from 0 on, how many there are, and how much further the second nearest point is
    than the nearest: 0 on the border between two regions
    """
    high, wide = size
    rows, cols = max(1, round(high / each)), max(1, round(wide / each))
    draw = cell_numbers(np.arange(rows), np.arange(cols), seed, 3) / 2.0**32
    more = cell_numbers(np.arange(rows), np.arange(cols), seed, 4) / 2.0**32
    point_y = (np.arange(rows)[:, None] + 0.12 + 0.76 * draw) * high / rows
    point_x = (np.arange(cols)[None, :] + 0.12 + 0.76 * more) * wide / cols
    y, x = (np.indices(size) + 0.5).astype(np.float32)
    if warp > 0:
        scale = max(2.0, each * 0.6)
        y = y + warp * 0.28 * each * noise_field(high, wide, scale, 4, mix_one(seed, 5))
        x = x + warp * 0.28 * each * noise_field(high, wide, scale, 4, mix_one(seed, 6))
    at_row = np.floor(y * rows / high).astype(np.int32)
    at_col = np.floor(x * cols / wide).astype(np.int32)
    points = _Points(
        (at_row.min() - 2, at_row.max() + 3), (at_col.min() - 2, at_col.max() + 3),
        point_y, point_x, size, wrap=wrap,
    )  # fmt: skip
    places = points.place(at_row, at_col)
    numbers, edge = np.empty(size, np.int32), np.empty(size, np.float32)

    def find(top: int, bottom: int) -> None:
        part = slice(top, bottom)
        numbers[part], edge[part] = points.nearest(places[part], y[part], x[part])

    in_bands(find, high, wide)
    return numbers, rows * cols, edge


class _Points:
    """The points round the squares in which places lie, and their copies beyond a border."""

    def __init__(
        self, rows: tuple[int, int], cols: tuple[int, int], point_y: NDArray[np.float64],
        point_x: NDArray[np.float64], size: tuple[int, int], *, wrap: bool,
    ) -> None:  # fmt: skip
        high, wide = point_y.shape
        self.top, self.left, self.wide = rows[0], cols[0], cols[1] - cols[0]
        down, row = np.divmod(np.arange(*rows)[:, None], high)
        across, col = np.divmod(np.arange(*cols)[None, :], wide)
        there = wrap | ((down == 0) & (across == 0))
        self.y = np.where(there, point_y[row, col] + down * size[0], np.inf).ravel()
        self.x = np.where(there, point_x[row, col] + across * size[1], np.inf).ravel()
        self.numbers = (row * wide + col).astype(np.int32).ravel()
        # A place lies in its square, and points not nearer to their squares' sides than 0.12.
        self.sure = np.float32(1.119 * min(size[0] / high, size[1] / wide))

    def place(self, row: NDArray[np.int32], col: NDArray[np.int32]) -> NDArray[np.int32]:
        """Give the place of a square's point in the lists."""
        return np.asarray((row - self.top) * self.wide + (col - self.left), np.int32)

    def nearest(
        self, places: NDArray[np.int32], y: NDArray[Any], x: NDArray[Any]
    ) -> tuple[Numbers, NDArray[np.float32]]:
        """Number the nearest point, and tell how much further the second nearest is."""
        found = (
            np.zeros(places.shape, np.int32), np.full(places.shape, np.inf, np.float32),
            np.full(places.shape, np.inf, np.float32),
        )  # fmt: skip
        self._look(_NEAR, places, y, x, found)
        # Points two squares away are further than the second nearest nearly everywhere.
        open_ = np.nonzero(found[2] > self.sure)
        if len(open_[0]):
            some = (found[0][open_], found[1][open_], found[2][open_])
            self._look(_FAR, places[open_], y[open_], x[open_], some)
            for whole, part in zip(found, some):
                whole[open_] = part
        return found[0], found[2] - found[1]

    def _look(
        self, ways: list[tuple[int, int]], places: NDArray[np.int32], y: NDArray[Any],
        x: NDArray[Any], found: tuple[Numbers, NDArray[np.float32], NDArray[np.float32]],
    ) -> None:  # fmt: skip
        numbers, best, second = found
        for down, across in ways:
            at = places + np.int32(down * self.wide + across)
            gap_y, gap_x = self.y.take(at), self.x.take(at)
            gap_y -= y
            gap_x -= x
            gap_y *= gap_y
            gap_x *= gap_x
            gap_y += gap_x
            far = np.sqrt(gap_y, out=gap_y).astype(np.float32)
            number = self.numbers.take(at)
            # A lattice of one or two rows meets itself: the same point again is no second one.
            other = number != numbers
            nearer = far < best
            np.minimum(second, np.maximum(far, best), out=second, where=other)
            np.copyto(numbers, number, where=nearer)
            np.minimum(best, far, out=best)


def _dealt(sizes: NDArray[np.int64], asked: dict[int, float], seed: int) -> Places:
    """Deal terrains to regions: the largest first, to that which lacks most."""
    total = sum(asked.values())
    lack = {mark: share / total * int(sizes.sum()) for mark, share in sorted(asked.items())}
    numbers = cell_numbers(np.array([0]), np.arange(len(sizes)), seed, 7)[0]
    order = np.lexsort((numbers, -(sizes // max(1, int(sizes.max()) // 4))))
    out = np.zeros(len(sizes), np.uint8)
    # At random among those that lack something, as they lack: else large ones would be all alike.
    for n, region in enumerate(order.tolist()):
        marks = [mark for mark in lack if lack[mark] > 0] or list(lack)
        weights = np.array([max(lack[mark], 1e-9) for mark in marks])
        pick = (mix_one(seed, 8, n) & 0xFFFFFF) / 0x1000000
        late = n > len(order) * 0.6
        at = int(weights.argmax()) if late else int(
            np.searchsorted(np.cumsum(weights / weights.sum()), pick)
        )  # fmt: skip
        mark = marks[min(at, len(marks) - 1)]
        out[region] = mark
        lack[mark] -= int(sizes[region])
    return out


def _walls(
    numbers: Numbers, edge: NDArray[np.float32], step: RegionsStep, seed: int, *, wrap: bool
) -> tuple[Mask, int]:
    """Put walls between rooms, and passages through them so that each room can be reached."""
    walls = edge < step.thick * 1.4
    if not wrap:
        border = np.zeros(walls.shape, np.bool_)
        border[: step.thick], border[-step.thick :] = True, True
        border[:, : step.thick], border[:, -step.thick :] = True, True
        walls |= border
    doors: dict[tuple[int, int], list[int]] = {}
    flat = numbers.ravel()
    places = np.arange(flat.size).reshape(numbers.shape)
    for axis in (0, 1):
        here, there = numbers, np.roll(numbers, -1, axis)
        meets = here != there
        if not wrap:
            edge_of = [slice(None), slice(None)]
            edge_of[axis] = slice(-1 - step.thick, None)
            meets[tuple(edge_of)] = False
        for a, b, at in zip(here[meets].tolist(), there[meets].tolist(), places[meets].tolist()):
            doors.setdefault((min(a, b), max(a, b)), []).append(at)
    lead = list(range(int(flat.max()) + 1))

    def root(n: int) -> int:
        while lead[n] != n:
            lead[n] = lead[lead[n]]
            n = lead[n]
        return n

    order = sorted(doors, key=lambda pair: mix_one(seed, 11, *pair))
    passages = 0
    for pair in order:
        spots = doors[pair]
        one, other = root(pair[0]), root(pair[1])
        extra = (mix_one(seed, 12, *pair) & 255) < 40
        if len(spots) < 3 or (one == other and not extra):
            continue
        lead[one] = other
        passages += 1
        row, col = divmod(spots[len(spots) // 2], numbers.shape[1])
        reach = step.thick + 1
        rows, cols = (
            np.arange(row - reach, row + reach + 1),
            np.arange(col - reach, col + reach + 1),
        )
        if not wrap:
            rows = rows[(rows >= step.thick) & (rows < numbers.shape[0] - step.thick)]
            cols = cols[(cols >= step.thick) & (cols < numbers.shape[1] - step.thick)]
        at = np.ix_(rows % numbers.shape[0], cols % numbers.shape[1])
        walls[at] &= ~np.isin(numbers[at], pair)
    return walls, passages


REGIONS = StepKind(
    RegionsStep,
    say("Regions"),
    say("Patches round scattered points, or rooms with passages"),
    ON_GROUND,
    run_regions,
    lambda at: RegionsStep(at.layer.number, shares=even_shares(at)),
    (
        Setting(
            "size",
            say("Size"),
            As.SLIDER,
            say("Cells from one region to the next"),
            4,
            64,
            unit=say(" cells"),
        ),
        Setting("warp", say("Ragged"), As.PART, say("How ragged their borders are")),
        Setting(
            "wall", say("Walls"), As.TERRAIN, say("Terrain between rooms; none: regions that touch")
        ),
        Setting("thick", say("Thick"), As.SLIDER, say("Cells of wall"), 1, 8, unit=say(" cells")),
        SHARES,
    ),
    AREAS,
)
