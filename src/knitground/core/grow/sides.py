"""Noise ground of edge sets: sides along which a level line of the noise runs.

The lines between what lies above and below the middle of a field are closed or end at the map's
border: ways, fences or streams. More share lays lines at more levels.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import GrowError
from knitground.core.base.tongue import say
from knitground.core.grow.ground import Noise
from knitground.core.grow.work import Grown, Work
from knitground.core.knit.sides import with_sides
from knitground.core.model.layers import GroundLayer
from knitground.core.model.recipe import NoiseStep
from knitground.core.model.standing import close_seam

_LEVELS = 24


def run_noise_sides(work: Work, step: NoiseStep, layer: GroundLayer, noise: Noise) -> list[Grown]:
    """Lay each terrain of an edge set along level lines of a field of its own."""
    high, wide = work.size
    sides = np.zeros((high + 1, wide + 1), np.uint16)
    asked = {work.mark(layer, name): share for name, share in step.shares if share > 0}
    nothing = asked.pop(0, 0.0)
    total = sum(asked.values())
    if not total:
        raise GrowError(
            say("every share is 0, so nothing can grow: give one terrain a share over 0")
        )
    whole = total + nothing if nothing else max(100.0, total)
    free = work.mask(step)
    shares = []
    for number, (mark, share) in enumerate(sorted(asked.items())):
        field = noise.field((high, wide), number)
        north, west, laid = _lines(field, share / whole, free, wrap=work.goes_round)
        sides = with_sides(sides, north, west, mark)
        _, kit = work.kit(layer)
        shares.append((kit.name_of(mark), share / whole, laid))
    if step.where:
        old = work.terrain(layer)
        kept = np.zeros(old.shape, np.bool_)
        kept[:high, :wide] = ~free
        sides = np.where(kept & (sides == 0), old, sides).astype(np.uint16)
    return [Grown(layer, close_seam(sides, work.map.lattice), tuple(shares))]


def _lines(
    field: NDArray[np.float64], share: float, free: NDArray[np.bool_], *, wrap: bool
) -> tuple[NDArray[np.bool_], NDArray[np.bool_], float]:
    """Give the sides of level lines, as many levels as it takes for their share of all sides."""
    high, wide = field.shape
    fine = np.rint(field * 2.0**20)
    north = np.zeros((high + 1, wide + 1), np.bool_)
    west = np.zeros((high + 1, wide + 1), np.bool_)
    laid = 0.0
    order = sorted(range(1, _LEVELS), key=lambda n: (abs(n - _LEVELS / 2), n))
    for n in order:
        if laid >= share:
            break
        above = fine > np.quantile(fine, n / _LEVELS)
        # A way crosses the sides that a line between cells meets: it runs from cell to cell.
        down = (above != np.roll(above, 1, 0)) & free & np.roll(free, 1, 0)
        across = (above != np.roll(above, 1, 1)) & free & np.roll(free, 1, 1)
        if not wrap:
            down[0], across[:, 0] = False, False
        # Turned by a quarter: the line itself becomes the way.
        west[:high, :wide] |= _next(down, 1, wrap=wrap)
        north[:high, :wide] |= _next(across, 0, wrap=wrap)
        laid = float(north.sum() + west.sum()) / (2 * high * wide)
    return north, west, laid


def _next(mask: NDArray[np.bool_], axis: int, *, wrap: bool) -> NDArray[np.bool_]:
    out = np.roll(mask, 1, axis)
    if not wrap:
        out[(0 if axis == 0 else slice(None), 0 if axis == 1 else slice(None))] = False
    return out
