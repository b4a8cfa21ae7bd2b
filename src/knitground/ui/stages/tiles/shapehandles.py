"""Handles of shapes: where they are, and what dragging one gives."""

from __future__ import annotations

from dataclasses import replace

from knitground.core.model.shapes import Corner, ShapeForm, TileShape
from knitground.core.shapes.geometry import outline


def handles(shape: TileShape) -> list[Corner]:
    """List the corners of a shape that can be dragged: four of a frame, all of a polygon.

    Examples
    --------
    >>> handles(TileShape("solid", ShapeForm.ROUND, ((0, 0), (4, 2))))
    [(0, 0), (4, 0), (4, 2), (0, 2)]
    """
    if shape.form is ShapeForm.POLYGON:
        return list(shape.corners)
    (left, top), (right, bottom) = shape.corners[0], shape.corners[-1]
    return [(left, top), (right, top), (right, bottom), (left, bottom)]


def with_handle(shape: TileShape, number: int, place: Corner) -> TileShape:
    """Move one corner of a shape; of a frame the opposite one stays."""
    if shape.form is ShapeForm.POLYGON:
        corners = (*shape.corners[:number], place, *shape.corners[number + 1 :])
        return replace(shape, corners=corners)
    stays = handles(shape)[(number + 2) % 4]
    left, right = sorted((stays[0], place[0]))
    top, bottom = sorted((stays[1], place[1]))
    return replace(shape, corners=((left, top), (right, bottom)))


def with_corner(shape: TileShape, side: int, place: Corner) -> TileShape:
    """Put a corner more into a side; a box becomes a polygon."""
    points = outline(shape)
    return TileShape(
        shape.kind, ShapeForm.POLYGON, (*points[: side + 1], place, *points[side + 1 :])
    )
