"""Edits of markers: points, areas and free pictures."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from math import cos, hypot, radians, sin

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say, say_many
from knitground.core.base.window import Box
from knitground.core.edit.atoms import SetField
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.model.layers import MarkerLayer
from knitground.core.model.limits import MAX_MARKERS
from knitground.core.model.map import Map
from knitground.core.model.marker import Marker, Point, Shape
from knitground.core.model.project import Project
from knitground.core.model.turns import lies_across

Size = tuple[int, int]
Bounds = NDArray[np.float64]


def add_markers(map_: Map, layer: MarkerLayer, made: Sequence[Marker]) -> tuple[Edit, set[int]]:
    """Add markers in front of those that are there; returns the numbers that they get too."""
    if len(layer.markers) + len(made) > MAX_MARKERS:
        raise EditError(
            say(
                "a layer holds at most {max_markers} markers: use another one",
                max_markers=MAX_MARKERS,
            )
        )
    first = max((each.number for each in layer.markers), default=0) + 1
    fresh = tuple(replace(each, number=first + n) for n, each in enumerate(made))
    what = made[0].title if len(made) == 1 else say("{count} markers", count=len(made))
    edit = _markers_edit(map_, layer, (*layer.markers, *fresh), say("Lay {what}", what=what))
    return edit, {each.number for each in fresh}


def change_markers(
    map_: Map,
    layer: MarkerLayer,
    numbers: Iterable[int],
    change: Callable[[Marker], Marker],
    name: str,
) -> Edit:
    """Change some of a layer's markers."""
    chosen = set(numbers)
    new = tuple(change(each) if each.number in chosen else each for each in layer.markers)
    if new == layer.markers:
        return Edit(name, ())
    return _markers_edit(map_, layer, new, name)


def move_markers(
    map_: Map, layer: MarkerLayer, numbers: Iterable[int], right: float, down: float
) -> Edit:
    """Move markers by pixels."""
    return change_markers(
        map_, layer, numbers, lambda each: moved(each, right, down), say("Move markers")
    )


def delete_markers(map_: Map, layer: MarkerLayer, numbers: Iterable[int]) -> Edit:
    """Take markers away."""
    gone = set(numbers)
    left = tuple(each for each in layer.markers if each.number not in gone)
    count = len(layer.markers) - len(left)
    name = say_many("Delete {count} marker", "Delete {count} markers", count)
    if not count:
        return Edit(name, ())
    return _markers_edit(map_, layer, left, name)


def restack_markers(
    map_: Map, layer: MarkerLayer, numbers: Iterable[int], *, to_front: bool
) -> Edit:
    """Bring markers in front of all others of their layer, or behind them."""
    chosen = set(numbers)
    some = tuple(each for each in layer.markers if each.number in chosen)
    rest = tuple(each for each in layer.markers if each.number not in chosen)
    new = (*rest, *some) if to_front else (*some, *rest)
    name = say("Markers to the front") if to_front else say("Markers to the back")
    return Edit(name, ()) if new == layer.markers else _markers_edit(map_, layer, new, name)


def _markers_edit(map_: Map, layer: MarkerLayer, new: tuple[Marker, ...], name: str) -> Edit:
    changed = Changed(What.MARKERS, map_, layer)
    return Edit(name, (SetField(layer, "markers", new, changed),))


def moved(marker: Marker, right: float, down: float) -> Marker:
    """Move a marker by pixels."""
    return replace(marker, points=tuple((x + right, y + down) for x, y in marker.points))


def turned(marker: Marker, degrees: float) -> Marker:
    """Turn a marker further, clockwise; what it says stays from 0 to below 360."""
    return replace(marker, turn=(marker.turn + degrees) % 360)


def picture_size(project: Project, marker: Marker) -> Size:
    """Width and height of a free picture before it is turned, scaled."""
    tile = marker.tile
    owner = project.tileset_named(tile.tileset) if tile else None
    if tile is None or owner is None or not owner.has(tile.row, tile.col):
        return 16, 16
    _, _, wide, high = owner.slicing.tile_area(tile.row, tile.col)
    if lies_across(tile.turn):
        wide, high = high, wide
    return max(1, round(wide * marker.scale)), max(1, round(high * marker.scale))


def outline(project: Project, marker: Marker) -> list[Point]:
    """Give the corners of a marker as it lies on the map, turned; one for a point."""
    if marker.shape is Shape.POINT:
        return list(marker.points)
    if marker.shape is Shape.PICTURE:
        wide, high = picture_size(project, marker)
        (x, y), half = marker.points[0], wide / 2
        corners = [(x - half, y - high), (x + half, y - high), (x + half, y), (x - half, y)]
        return _round(corners, (x, y - high / 2), marker.turn)
    if marker.shape is Shape.BOX:
        (x0, y0), (x1, y1) = marker.points
        corners = [(x0, y0), (x1, y0), (x1, y1), (x0, y1)]
    else:
        corners = list(marker.points)
    return _round(corners, marker.middle, marker.turn)


class Outlines:
    """Where the markers of layers lie, kept as long as the markers are the same.

    A change of one marker works out one outline; `forget` lets go of all of them, after sheets were
    cut anew.
    """

    def __init__(self) -> None:
        self._known: dict[int, tuple[tuple[Marker, ...], list[list[Point]], Bounds]] = {}
        self._kinds: tuple[tuple[Marker, ...], list[str], NDArray[np.intp]] | None = None

    def of(self, project: Project, layer: MarkerLayer) -> tuple[list[list[Point]], Bounds]:
        """Give the corners of each marker, and (n, 4) their least x and y, largest x and y."""
        known = self._known.get(layer.number)
        if known is not None and known[0] is layer.markers:
            return known[1], known[2]
        old: dict[int, tuple[Marker, list[Point]]] = {}
        if known is not None:
            old = {id(each): (each, corners) for each, corners in zip(known[0], known[1])}
        corners = [
            old[id(each)][1] if id(each) in old else outline(project, each)
            for each in layer.markers
        ]
        bounds = np.array([
            (*map(min, zip(*each)), *map(max, zip(*each))) if len(each) > 1 else each[0] * 2
            for each in corners
        ]).reshape(-1, 4)  # fmt: skip
        self._known[layer.number] = (layer.markers, corners, bounds)
        return corners, bounds

    def kinds(self, layer: MarkerLayer) -> tuple[list[str], NDArray[np.intp]]:
        """Give the kinds of markers there are, and which of them each marker is (n,)."""
        if self._kinds is None or self._kinds[0] is not layer.markers:
            kinds = list(dict.fromkeys(each.kind for each in layer.markers))
            number = {kind: n for n, kind in enumerate(kinds)}
            which = np.array([number[each.kind] for each in layer.markers], np.intp)
            self._kinds = (layer.markers, kinds, which)
        return self._kinds[1], self._kinds[2]

    def forget(self) -> None:
        """Work all of them out again when they are next asked for."""
        self._known = {}


def _round(corners: list[Point], middle: Point, degrees: float) -> list[Point]:
    if not degrees:
        return corners
    c, s = cos(radians(degrees)), sin(radians(degrees))
    mx, my = middle
    return [
        (mx + c * (x - mx) - s * (y - my), my + s * (x - mx) + c * (y - my)) for x, y in corners
    ]


def marker_at(
    project: Project, layer: MarkerLayer, x: float, y: float, near: float
) -> Marker | None:
    """Find the front marker at a place of the map; points count from `near` pixels on."""
    for each in reversed(layer.markers):
        corners = outline(project, each)
        if each.shape is Shape.POINT:
            if hypot(corners[0][0] - x, corners[0][1] - y) <= near:
                return each
        elif inside(corners, x, y):
            return each
    return None


def inside(corners: list[Point], x: float, y: float) -> bool:
    """Tell whether a place lies in an area (even-odd rule)."""
    found = False
    for (x0, y0), (x1, y1) in zip(corners, [*corners[1:], corners[0]]):
        if (y0 > y) != (y1 > y) and x < x0 + (y - y0) * (x1 - x0) / (y1 - y0):
            found = not found
    return found


def marker_cells(project: Project, map_: Map, markers: Iterable[Marker]) -> Box | None:
    """Give the cells on which markers lie; None if there are no markers."""
    return map_.lattice.cells_round(point for each in markers for point in outline(project, each))
