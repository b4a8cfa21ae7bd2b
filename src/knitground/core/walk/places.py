"""What a figure comes by: areas that it enters, doors, and where it begins."""

from __future__ import annotations

import numpy as np

from knitground.core.edit.markers import Outlines, inside
from knitground.core.model.layers import MarkerLayer
from knitground.core.model.map import Map
from knitground.core.model.marker import DOOR, SPAWN, Marker, Point, Shape
from knitground.core.model.project import Project
from knitground.core.walk.figure import Figure, Stand


def met(project: Project, map_: Map, outlines: Outlines, figure: Figure, at: Stand) -> list[Marker]:
    """List the areas that a figure stands in, and points that it stands on, of visible layers."""
    near, x, y = figure.wide / 2, at.x, at.y - 1
    out: list[Marker] = []
    for layer in map_.layers:
        if not isinstance(layer, MarkerLayer) or not layer.visible or not layer.markers:
            continue
        corners, bounds = outlines.of(project, layer)
        close = (bounds[:, :2] <= (x + near, y + near)) & (bounds[:, 2:] >= (x - near, y - near))
        for n in np.flatnonzero(close.all(axis=1)).tolist():
            each = layer.markers[n]
            point = each.shape is Shape.POINT
            if point or (each.shape is not Shape.PICTURE and inside(corners[n], x, y)):
                out.append(each)
    return out


def arrival(map_: Map, door: str = "") -> Point:
    """Tell where one comes to a map: at its door of that name, at a spawn point, in the middle."""
    every = [each for layer in map_.layers if isinstance(layer, MarkerLayer)
             for each in layer.markers]  # fmt: skip
    same = [each.middle for each in every if door and each.kind == DOOR and each.name == door]
    spawn = [each.middle for each in every if each.kind == SPAWN]
    wide, high = map_.lattice.extent
    return next(iter((*same, *spawn)), (wide / 2, high / 2))
