"""What a player sees of a map: a screen round the figure, held within limits."""

from __future__ import annotations

from collections.abc import Iterable

from knitground.core.model.lattice import Rect
from knitground.core.model.layers import MarkerLayer
from knitground.core.model.map import Map
from knitground.core.model.marker import Shape
from knitground.core.walk.figure import Figure, Stand

CAMERA = "camera"
"""The kind of areas that hold the screen within themselves, while the figure is in them."""


def limits_of(map_: Map, at: Stand) -> Rect | None:
    """Give what the screen stays within, in pixels of the map.

    That is the smallest camera area in which the figure's feet are; else the map, unless it wraps:
    then nothing limits it.
    """
    areas = []
    for layer in map_.layers:
        if not isinstance(layer, MarkerLayer) or not layer.visible:
            continue
        for each in layer.markers:
            if each.kind == CAMERA and each.shape not in (Shape.POINT, Shape.PICTURE):
                xs, ys = [x for x, _ in each.points], [y for _, y in each.points]
                areas.append(Rect(min(xs), min(ys), max(xs) - min(xs), max(ys) - min(ys)))
    held = _within(areas, at)
    if held is not None or map_.wrap:
        return held
    return Rect(0, 0, *map_.lattice.extent)


def _within(areas: Iterable[Rect], at: Stand) -> Rect | None:
    mine = [each for each in areas
            if each.x <= at.x < each.right and each.y < at.y <= each.bottom]  # fmt: skip
    return min(mine, key=lambda each: each.width * each.height, default=None)


def screen_at(map_: Map, figure: Figure, at: Stand) -> Rect:
    """Give what is seen of a map: a rectangle of whole pixels as large as the map's screen.

    The figure's middle is in its middle, save where the limits hold it; what is smaller than the
    screen lies in its middle.
    """
    wide, high = map_.screen
    limits = limits_of(map_, at)
    x, y = at.x - wide / 2, at.y - figure.high / 2 - high / 2
    if limits is not None:
        x = _held(x, wide, limits.x, limits.width)
        y = _held(y, high, limits.y, limits.height)
    return Rect(round(x), round(y), wide, high)


def _held(start: float, side: int, first: float, room: float) -> float:
    if side >= room:
        return first + (room - side) / 2
    return min(max(start, first), first + room - side)
