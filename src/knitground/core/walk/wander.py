"""Many figures wander about at once, to find edges that catch them.

They go as `Walk` goes from above, aslant and pixel by pixel, all of them in one step of arrays;
what stops one is grown by the size of a figure first, so that its feet are all that is asked for.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.progress import Progress, no_progress
from knitground.core.walk.figure import CAUGHT_PX, SLIDES_PX, TICK, Figure
from knitground.core.walk.solids import Solids

Ints = NDArray[np.int64]
_WAYS = np.array([(1, 1), (-1, 1), (-1, -1), (1, -1)])
"""Only who goes aslant slides along walls, and can be caught there."""
_TURNS = 1 / 45
"""How likely a figure turns in a tick."""


class _Room:
    """A rectangle of a map in which figures wander."""

    def __init__(self, solids: Solids, figure: Figure, room: tuple[int, int, int, int]) -> None:
        from scipy.ndimage import maximum_filter1d  # late: it is slow to import

        solid = solids.seen(*room).view(np.uint8)
        solid = maximum_filter1d(solid, figure.wide, axis=1, mode="constant", cval=1)
        # Feet stand on the line beneath the lowest of the figure's pixels.
        before = (figure.stands - 1) // 2
        self._stops = maximum_filter1d(
            solid, figure.stands, axis=0, mode="constant", cval=1, origin=before
        )

    def is_free(self, x: Ints, y: Ints) -> NDArray[np.bool_]:
        """Whether figures can stand there: pixels of the room, as `Stand` has them."""
        high, wide = self._stops.shape
        inside = (x >= 0) & (x < wide) & (y >= 1) & (y <= high)
        stops = self._stops[np.minimum(np.maximum(y - 1, 0), high - 1),
                            np.minimum(np.maximum(x, 0), wide - 1)]  # fmt: skip
        return np.asarray(inside & (stops == 0))


def wander(
    solids: Solids,
    figure: Figure,
    room: tuple[int, int, int, int],
    count: int = 1000,
    seconds: float = 10.0,
    seed: int = 1,
    progress: Progress = no_progress,
) -> Ints:
    """Let figures wander from above, and tell where edges caught them.

    Parameters
    ----------
    room : x, y, width and height in pixels of the part of the map in which they wander
    count, seconds : how many, and how long in the time of the game

    Returns
    -------
    (n, 2) int64: x and y of each time that one was caught by an edge (`Stand.caught`)
    """
    there, rng = _Room(solids, figure, room), np.random.default_rng(seed)
    # One that begins in a wall stays there: each has chances of its own, whatever the others do, so
    # that what is drawn somewhere changes only the ways of those that come by.
    x, y = rng.integers(0, room[2], count), rng.integers(0, room[3], count)
    way = rng.integers(0, len(_WAYS), count)
    rest, goes = np.zeros(count), there.is_free(x, y)
    caught: list[Ints] = []
    ticks = round(seconds / TICK)
    for tick in range(ticks):
        if tick % 30 == 0:
            progress(tick / ticks)
        rest += figure.speed * TICK / np.sqrt(2)
        for _ in range(int(rest.max())):
            rest -= 1
            step = _WAYS[way]
            across = goes & there.is_free(x + step[:, 0], y)
            x += step[:, 0] * across
            down = goes & there.is_free(x, y + step[:, 1])
            y += step[:, 1] * down
            stops = goes & ~across & ~down
            caught.append(_past(there, x, y, step, np.flatnonzero(stops)))
            way = np.where(stops, rng.integers(0, len(_WAYS), count), way)
        turned = rng.random(count) < _TURNS
        way = np.where(turned, rng.integers(0, len(_WAYS), count), way)
    found: Ints = np.concatenate([np.zeros((0, 2), np.int64), *caught])
    return np.asarray(found + np.array(room[:2]))


def _past(there: _Room, x: Ints, y: Ints, step: Ints, stopped: Ints) -> Ints:
    """Move those past what sticks out a little; gives where the others are that it has caught."""
    caught = np.zeros((0, 2), np.int64)
    for off in range(1, CAUGHT_PX + 1):
        for axis in (0, 1):
            if not len(stopped):
                return caught
            way = step[stopped]
            on_x = x[stopped] - off * way[:, 0] * axis
            on_y = y[stopped] - off * way[:, 1] * (1 - axis)
            beside = there.is_free(on_x, on_y)
            on_x, on_y = on_x + way[:, 0] * (1 - axis), on_y + way[:, 1] * axis
            on = beside & there.is_free(on_x, on_y)
            if off <= SLIDES_PX:
                x[stopped[on]], y[stopped[on]] = on_x[on], on_y[on]
            else:
                caught = np.concatenate([caught, np.stack([x[stopped[on]], y[stopped[on]]], 1)])
            stopped = stopped[~on]
    return caught
