"""Many figures wander about at once, to find edges that catch them.

They go as `Walk` goes from above, aslant and pixel by pixel, all of them in one step of arrays;
what stops one is grown by the size of a figure first, so that its feet are all that is asked for.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.progress import Progress, no_progress
from knitground.core.walk.figure import CAUGHT_PX, SLIDES_PX, TICK, Figure
from knitground.core.walk.room import stops_for
from knitground.core.walk.solids import Solids

Ints = NDArray[np.int64]
_WAYS = np.array([(1, 1), (-1, 1), (-1, -1), (1, -1)])
"""Only who goes aslant slides along walls, and can be caught there."""
_TURNS = 1 / 45
"""How likely a figure turns in a tick."""
_RIM = CAUGHT_PX + 2
"""Solid pixels round the room: nobody looks further than so far from where it stands."""


class _Room:
    """A rectangle of a map in which figures wander."""

    def __init__(self, solids: Solids, figure: Figure, room: tuple[int, int, int, int]) -> None:
        free = np.pad(~stops_for(solids.seen(*room), figure), _RIM)
        self._row = free.shape[1]
        self._first = (_RIM - 1) * self._row + _RIM
        self._free = free.ravel()

    def is_free(self, x: Ints, y: Ints) -> NDArray[np.bool_]:
        """Whether figures can stand there: as `Stand` has it, in the room or its rim."""
        return np.asarray(self._free[y * self._row + (x + self._first)])


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
    x, y = rng.integers(0, room[2], count), rng.integers(1, room[3] + 1, count)
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
