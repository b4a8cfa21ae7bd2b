"""Shapes from the outline of what a tile shows, and polygons with fewer corners."""

from __future__ import annotations

import heapq
from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from knitground.core.model.shapes import MAX_SHAPE_CORNERS, Corner
from knitground.core.shapes.geometry import area_of

if TYPE_CHECKING:
    from shapely import Polygon
    from shapely.geometry.base import BaseGeometry

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
    from shapely import Polygon, union_all

    exact = pixel_area(seen)
    outlines: list[list[Corner]] = []
    for part in _parts(exact):
        if part.area < least:
            continue
        ring = part.exterior.simplify(max(0.0, tolerance), preserve_topology=True)
        if Polygon(ring.coords).area < 1e-6 or len(ring.coords) < 4:
            ring = part.exterior
        corners = [(float(x), float(y)) for x, y in list(ring.coords)[:-1]]
        outlines.append(fewer_corners(corners, most or MAX_SHAPE_CORNERS))
    kept = union_all([Polygon(each) for each in outlines])
    return Traced(
        outlines, round(exact.difference(kept).area, 2), round(kept.difference(exact).area, 2)
    )


def pixel_area(seen: Seen) -> BaseGeometry:
    """Give the area of pixels as one shape; pixels that touch at a corner only are two parts."""
    from shapely import box, union_all

    rows, starts, ends = [], [], []
    padded = np.pad(seen, ((0, 0), (1, 1))).astype(np.int8)
    steps = np.diff(padded, axis=1)
    for row, line in enumerate(steps):
        begins, stops = np.flatnonzero(line == 1), np.flatnonzero(line == -1)
        rows += [row] * len(begins)
        starts += begins.tolist()
        ends += stops.tolist()
    tops = np.array(rows, float)
    runs = box(np.array(starts, float), tops, np.array(ends, float), tops + 1)
    made: BaseGeometry = union_all(runs).simplify(0)
    return made


def _parts(area: BaseGeometry) -> list[Polygon]:
    """List the parts of an area, largest first."""
    from shapely import get_parts

    return sorted(get_parts(area), key=lambda each: -float(each.area))


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
