"""Shapes from the outline of what a tile shows, and polygons with fewer corners."""

from __future__ import annotations

import heapq
from collections.abc import Sequence
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from knitground.core.model.shapes import MAX_SHAPE_CORNERS, Corner
from knitground.core.shapes.geometry import area_of

_MOST = MAX_SHAPE_CORNERS
Seen = NDArray[np.bool_]
"""(height, width) of a tile: the pixels that belong to it."""


class Traced(NamedTuple):
    """The outlines of a tile's parts, and what they leave out or take in too much.

    `lost` and `added` are pixels (areas in square pixels); holes are always filled, and told as
    added.
    """

    outlines: list[list[Corner]]
    lost: float
    added: float


def trace(seen: Seen, tolerance: float = 0.0, most: int = 0, least: float = 3.0) -> Traced:
    """Trace what a tile shows, simplified.

    Parameters
    ----------
    tolerance : pixels by which an outline may leave the pixels' borders
    most : corners that each outline may have; 0 is as many as the tolerance leaves
    least : parts of fewer pixels are left out

    Notes
    -----
    The border of the pixels is exact; simplified by the line's distance (Douglas and Peucker), then
    corner by corner, the one that takes the least area first (Visvalingam and Whyatt), as long as
    the outline does not cross itself.
    """
    return _traced(seen.tobytes(), seen.shape, tolerance, most, least)


@lru_cache(maxsize=4096)
def _traced(
    raw: bytes, shape: tuple[int, int], tolerance: float, most: int, least: float
) -> Traced:
    seen = np.frombuffer(raw, np.bool_).reshape(shape)
    outlines: list[list[Corner]] = []
    loops = border_loops(seen)
    for corners in sorted((each for each in loops if _signed(each) > 0), key=_size, reverse=True):
        if area_of(corners) >= least:
            outlines.append(fewer_corners(_straightened(corners, tolerance), most or _MOST))
    return Traced(outlines, *_difference(seen, outlines))


def border_loops(seen: Seen) -> list[list[Corner]]:
    """Follow the borders of pixels: outer ones clockwise, those of holes the other way round.

    Pixels that touch at a corner only are two parts.
    """
    padded = np.pad(seen, 1).astype(np.int8)
    after: dict[tuple[int, int], list[tuple[int, int]]] = {}
    across = padded[1:, 1:-1] - padded[:-1, 1:-1]
    for row, col in np.argwhere(across == 1).tolist():
        after.setdefault((row, col), []).append((row, col + 1))
    for row, col in np.argwhere(across == -1).tolist():
        after.setdefault((row, col + 1), []).append((row, col))
    down = padded[1:-1, 1:] - padded[1:-1, :-1]
    for row, col in np.argwhere(down == 1).tolist():
        after.setdefault((row + 1, col), []).append((row, col))
    for row, col in np.argwhere(down == -1).tolist():
        after.setdefault((row, col), []).append((row + 1, col))
    loops = []
    while after:
        loops.append(_followed(after))
    return loops


def _signed(loop: Sequence[Corner]) -> float:
    """Give twice the area of a loop, less than 0 if it goes anticlockwise on the screen."""
    return sum(x0 * y1 - x1 * y0 for (x0, y0), (x1, y1) in zip(loop, (*loop[1:], loop[0])))


def _size(loop: Sequence[Corner]) -> tuple[float, Corner]:
    return area_of(loop), loop[0]


def _followed(after: dict[tuple[int, int], list[tuple[int, int]]]) -> list[Corner]:
    """Take one loop out of directed pixel sides, which have the pixel at their right."""
    start = min(after)
    at, came = start, (0, 0)
    corners: list[Corner] = []
    while True:
        ways = after[at]
        # Where two pixels touch at a corner, the turn to the right stays with the same one.
        right = (at[0] + came[1], at[1] - came[0])
        to = right if len(ways) > 1 and right in ways else ways[0]
        ways.remove(to)
        if not ways:
            del after[at]
        step = (to[0] - at[0], to[1] - at[1])
        if step != came:
            corners.append((float(at[1]), float(at[0])))
        at, came = to, step
        if at == start:
            first = corners[0]
            if len(corners) > 2 and _in_line(corners[-1], first, corners[1]):
                corners.pop(0)
            return corners


def _in_line(a: Corner, b: Corner, c: Corner) -> bool:
    return (a[0] == b[0] == c[0]) or (a[1] == b[1] == c[1])


def _straightened(corners: list[Corner], tolerance: float) -> list[Corner]:
    """Take out corners that are no further off than the tolerance."""
    if tolerance <= 0 or len(corners) <= 4:
        return corners
    from shapely import Polygon

    ring = Polygon(corners).simplify(tolerance, preserve_topology=True)
    assert isinstance(ring, Polygon)
    out = [(float(x), float(y)) for x, y in list(ring.exterior.coords)[:-1]]
    return out if len(out) >= 3 and area_of(out) > 0 else corners


def _difference(seen: Seen, outlines: list[list[Corner]]) -> tuple[float, float]:
    """Tell how many pixels outlines leave out, and take in too much."""
    from shapely import Polygon, area, box, intersection, prepare, union_all

    kept = union_all([Polygon(each) for each in outlines])
    prepare(kept)
    steps = np.diff(np.pad(seen, ((0, 0), (1, 1))).astype(np.int8), axis=1)
    rows, starts = np.nonzero(steps == 1)
    ends = np.nonzero(steps == -1)[1]
    runs = box(starts.astype(float), rows.astype(float), ends.astype(float), rows + 1.0)
    both = float(area(intersection(runs, kept)).sum()) if outlines else 0.0
    return round(float(seen.sum()) - both, 2), round(float(area(kept)) - both, 2)


def fewer_corners(corners: Sequence[Corner], most: int) -> list[Corner]:
    """Take corners out of a polygon until it has no more than `most`, at least three.

    The corner whose triangle with its neighbours is smallest goes first; one whose going would let
    the polygon cross itself stays.
    """
    left = list(corners)
    want = max(3, most)
    while len(left) > want:
        for _, n in heapq.nsmallest(len(left), _triangles(left)):
            trial = left[:n] + left[n + 1 :]
            if _is_simple(trial):
                left = trial
                break
        else:
            break
    return left


def _triangles(points: Sequence[Corner]) -> list[tuple[float, int]]:
    count = len(points)
    return [(area_of([points[n - 1], points[n], points[(n + 1) % count]]), n) for n in range(count)]


def _is_simple(points: Sequence[Corner]) -> bool:
    from shapely import Polygon

    return bool(Polygon(points).is_valid)
