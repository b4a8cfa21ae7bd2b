"""Dead ends and ways that are narrower than the figure."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.tongue import say
from knitground.core.model.lattice import Cell
from knitground.core.proof.finding import Check, Finding, Group
from knitground.core.proof.proving import Proving
from knitground.core.proof.walking import walked
from knitground.core.walk.figure import Figure
from knitground.core.walk.room import covered_by, stops_for

_LEAST_PX = 4
"""What is less wide is a slit: *Snags and slits* tells of it."""
_ROUND = np.ones((3, 3), np.bool_)


class Tight(NamedTuple):
    """A place that no figure fits into.

    Parameters
    ----------
    pixels : (n, 2) rows and columns
    wide, deep : pixels
    ways : from how many sides one looks into it
    """

    pixels: NDArray[np.int64]
    wide: int
    deep: int
    ways: int


def tight_places(solid: NDArray[np.bool_], covered: NDArray[np.bool_], least: int) -> list[Tight]:
    """List places that are free, that no figure covers, and that lie beside where one can be.

    Those at the border of what is looked at are left out: nobody knows how they go on.

    Parameters
    ----------
    solid, covered : pixels; what a figure covers that stands wherever it can
    least : pixels that a place is deep at least

    Notes
    -----
    Own derivation. What a figure can cover is what is free without all that is narrower than it;
    what is left over hangs together in places. How wide one is tells the largest square in it.
    """
    from scipy.ndimage import distance_transform_cdt, find_objects, label  # late: slow to import

    left = ~solid & ~covered
    numbers, count = label(left, _ROUND)
    sizes = np.bincount(numbers.ravel(), minlength=count + 1)
    out = []
    for number, box in enumerate(find_objects(numbers), 1):
        deep = max(side.stop - side.start for side in box)
        if deep < least or sizes[number] < least * _LEAST_PX:
            continue
        if any(side.start == 0 or side.stop == far for side, far in zip(box, solid.shape)):
            continue
        room = tuple(slice(max(0, side.start - 1), side.stop + 1) for side in box)
        own = numbers[room] == number
        far = int(distance_transform_cdt(np.pad(own, 1), "chessboard").max())
        wide = 2 * far - 1
        if not stops_for(~own, Figure(2 * far, 4 * far)).all():
            wide = 2 * far  # the distance does not tell odd sides from even ones
        if wide < _LEAST_PX:
            continue
        beside = _grown(own) & covered[room] & ~own
        ways = int(label(beside, _ROUND)[1])
        if ways:
            pixels = np.argwhere(own) + [side.start for side in room]
            out.append(Tight(pixels, wide, deep, ways))
    return out


def _grown(mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
    from scipy.ndimage import binary_dilation  # late: it is slow to import

    return np.asarray(binary_dilation(mask))  # over sides: nobody goes round a corner


def _cells(at: Proving, pixels: NDArray[np.int64]) -> list[Cell]:
    """List the cells of the map under pixels and those beside them, as often as they are."""
    beside = np.array([(0, 0), (-1, 0), (1, 0), (0, -1), (0, 1)])
    spread = (pixels[:, None] + beside).reshape(-1, 2)
    rows, cols = at.map.lattice.cells_at(spread[:, 1] + 0.5, spread[:, 0] + 0.5)
    return list(zip(rows.tolist(), cols.tolist()))


def _find(at: Proving) -> Iterator[Finding]:
    map_, who = at.map, walked(at)
    if who is None:
        return

    def look() -> list[Tight]:
        solid = who.solids.seen(*who.room)
        at.progress(0.3)
        covered = covered_by(~stops_for(solid, who.figure), who.figure)
        at.progress(0.6)
        return tight_places(solid, covered, map_.lattice.shorter)

    left, top = who.room[:2]
    for each in who.once("tight", look):
        counts = Counter(_cells(at, each.pixels + np.array((top, left))))
        if not all(map_.lattice.holds(*cell) for cell in counts):
            continue  # at the border of a map of diamonds
        cells = sorted(counts, key=lambda cell: (-counts[cell], cell))
        what = say("a way") if each.ways > 1 else say("a dead end")
        yield Finding(
            "tight",
            say(
                "{what}, {wide} px wide and {deep} long, into which a figure of {wide2} × "
                "{high} px does not fit",
                what=what,
                wide=each.wide,
                deep=each.deep,
                wide2=who.figure.wide,
                high=who.figure.high,
            ),
            f"{min(counts)}",
            map_.name,
            0,
            at.places(cells),
            len(cells),
            hurt=0.45 if each.ways > 1 else 0.35,
        )


CHECK = Check(
    "tight", Group.PLAY, say("Too narrow"),
    say("Dead ends and ways between solid shapes that are narrower than a figure"), _find,
    stage="tiles",
)  # fmt: skip
