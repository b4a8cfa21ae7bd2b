"""Geometry of single shapes: outlines, turning, measuring, and reading typed corners."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import replace

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.model.limits import number_words
from knitground.core.model.shapes import MAX_SHAPE_CORNERS, Corner, ShapeForm, TileShape
from knitground.core.model.turns import turned_points

ROUND_SIDES = 24
"""Sides of the polygon that stands for what is round."""


def outline(shape: TileShape) -> list[Corner]:
    """Give the corners of a shape as a polygon, clockwise as they are seen for boxes and rounds.

    Examples
    --------
    >>> outline(TileShape("solid", ShapeForm.BOX, ((0, 0), (4, 2))))
    [(0, 0), (4, 0), (4, 2), (0, 2)]
    """
    if shape.form is ShapeForm.POLYGON:
        return list(shape.corners)
    (left, top), (right, bottom) = shape.corners[0], shape.corners[-1]
    if shape.form is ShapeForm.BOX:
        return [(left, top), (right, top), (right, bottom), (left, bottom)]
    middle, down = (left + right) / 2, (top + bottom) / 2
    wide, high = abs(right - left) / 2, abs(bottom - top) / 2
    turns = (2 * math.pi * n / ROUND_SIDES for n in range(ROUND_SIDES))
    return [(middle + wide * math.cos(each), down + high * math.sin(each)) for each in turns]


def area_of(corners: Sequence[Corner]) -> float:
    """Give the area of a polygon in square pixels.

    Examples
    --------
    >>> area_of([(0, 0), (4, 0), (4, 2), (0, 2)])
    8.0
    """
    pairs = zip(corners, (*corners[1:], corners[0]))
    return abs(sum(x0 * y1 - x1 * y0 for (x0, y0), (x1, y1) in pairs)) / 2


def turned_shape(shape: TileShape, turn: int, width: float, height: float) -> TileShape:
    """Turn a shape with its tile: mirrored left to right first if `turn` has the 4, then clockwise.

    Parameters
    ----------
    width, height : of the tile that is not turned, in pixels

    Examples
    --------
    >>> turned_shape(TileShape("solid", ShapeForm.BOX, ((0, 0), (4, 2))), 1, 16, 8).corners
    ((6, 0), (8, 4))
    """
    points = turned_points(shape.corners, turn, width, height)
    return replace(shape, corners=_in_order(shape.form, points))


def moved_shape(shape: TileShape, right: float, down: float) -> TileShape:
    """Move a shape by pixels."""
    return replace(shape, corners=tuple((x + right, y + down) for x, y in shape.corners))


def scaled_shape(shape: TileShape, across: float, down: float) -> TileShape:
    """Scale a shape with its tile."""
    return replace(shape, corners=tuple((x * across, y * down) for x, y in shape.corners))


def _in_order(form: ShapeForm, points: Sequence[Corner]) -> tuple[Corner, ...]:
    """Give the frame of a box by its upper left and lower right; a polygon as it is."""
    if form is ShapeForm.POLYGON:
        return tuple(points)
    xs, ys = [x for x, _ in points], [y for _, y in points]
    return ((min(xs), min(ys)), (max(xs), max(ys)))


def checked_shape(shape: TileShape, width: int, height: int) -> TileShape:
    """See to it that a shape is one: in reach of its tile, with an area, not crossing itself.

    A box drawn from another corner is put in order.

    Raises
    ------
    EditError
        It is none.
    """
    points = shape.corners
    least = 3 if shape.form is ShapeForm.POLYGON else 2
    if not least <= len(points) <= MAX_SHAPE_CORNERS:
        raise EditError(
            say(
                "a {form} of {count} corners is none: give {least} to {max_shape_corners}",
                form=shape.form,
                count=len(points),
                least=least,
                max_shape_corners=MAX_SHAPE_CORNERS,
            )
        )
    for x, y in points:
        if not (-width <= x <= 2 * width and -height <= y <= 2 * height):
            raise EditError(
                say(
                    "corner {x},{y} is too far from the tile of {width} × "
                    "{height} px: give {left} to {right} across, {top} to {bottom} down",
                    x=number_words(x),
                    y=number_words(y),
                    width=width,
                    height=height,
                    left=-width,
                    right=2 * width,
                    top=-height,
                    bottom=2 * height,
                )
            )
    if len(set(points)) < len(points) and shape.form is ShapeForm.POLYGON:
        raise EditError(say("two corners lie on one place: take one of them away"))
    corners = outline(shape)
    if all(_side_of((corners[0], corners[1]), each) == 0 for each in corners):
        raise EditError(say("this {form} has no area: draw it wider", form=shape.form))
    crossing = _crossing(points) if shape.form is ShapeForm.POLYGON else None
    if crossing is not None:
        raise EditError(
            say(
                "this polygon crosses itself: its sides {crossing} and {crossing2} do. Draw "
                "it as two, or move a corner",
                crossing=crossing[0] + 1,
                crossing2=crossing[1] + 1,
            )
        )
    if area_of(corners) < 1e-6:
        raise EditError(say("this {form} has no area: draw it wider", form=shape.form))
    return replace(shape, corners=_in_order(shape.form, points))


def _crossing(points: Sequence[Corner]) -> tuple[int, int] | None:
    """Find two sides of a polygon that meet where they should not."""
    count = len(points)
    sides = [(points[n], points[(n + 1) % count]) for n in range(count)]
    for first in range(count):
        for second in range(first + 1, count):
            beside = second == first + 1 or (first == 0 and second == count - 1)
            if beside:
                if _folds(sides[first], sides[second], forward=second == first + 1):
                    return first, second
            elif _meet(sides[first], sides[second]):
                return first, second
    return None


Line = tuple[Corner, Corner]


def _side_of(line: Line, point: Corner) -> float:
    (x0, y0), (x1, y1) = line
    return (x1 - x0) * (point[1] - y0) - (y1 - y0) * (point[0] - x0)


def _meet(one: Line, other: Line) -> bool:
    """Whether two lines have a point in common."""
    a, b = _side_of(one, other[0]), _side_of(one, other[1])
    c, d = _side_of(other, one[0]), _side_of(other, one[1])
    if a == b == c == d == 0:
        return all(
            max(min(one[0][n], one[1][n]), min(other[0][n], other[1][n]))
            <= min(max(one[0][n], one[1][n]), max(other[0][n], other[1][n]))
            for n in (0, 1)
        )
    return a * b <= 0 and c * d <= 0


def _folds(one: Line, other: Line, *, forward: bool) -> bool:
    """Whether a side goes back over the one that it follows."""
    before, after = (one, other) if forward else (other, one)
    middle = before[1]
    if _side_of(before, after[1]) != 0:
        return False
    back = [(p[0] - middle[0], p[1] - middle[1]) for p in (before[0], after[1])]
    return back[0][0] * back[1][0] + back[0][1] * back[1][1] > 0


def corner_words(shape: TileShape) -> str:
    """Write the corners of a shape so that they can be typed again.

    Examples
    --------
    >>> corner_words(TileShape("solid", ShapeForm.BOX, ((0, 0), (4.5, 2))))
    '0,0  4.5,2'
    """
    return "  ".join(f"{x:g},{y:g}" for x, y in shape.corners)


def typed_corners(text: str) -> tuple[Corner, ...]:
    """Read corners as they are typed: `x,y` in pixels, blanks between them.

    Raises
    ------
    EditError
        A part of the text is no corner.
    """
    found = []
    for word in re.sub(r"\s*,\s*", ",", text.replace(";", " ")).split():
        parts = word[:80].split(",")
        try:
            x, y = (float(each) for each in parts)
        except ValueError as error:
            raise EditError(
                say(
                    "“{word}” is no corner: give x,y in pixels, as in 0,0  16,0  16,8",
                    word=word[:20],
                )
            ) from error
        if not (math.isfinite(x) and math.isfinite(y)):
            raise EditError(say("“{word}” is no corner: give numbers", word=word[:20]))
        found.append((x, y))
    if len(found) > MAX_SHAPE_CORNERS:
        raise EditError(
            say(
                "{count} corners are too many: at most {max_shape_corners} fit",
                count=len(found),
                max_shape_corners=MAX_SHAPE_CORNERS,
            )
        )
    return tuple(found)


def snapped(value: float, step: float) -> float:
    """Put a number on the nearest multiple of a step; 0 leaves it, to a hundredth.

    Examples
    --------
    >>> snapped(3.3, 1), snapped(3.3, 0.5), snapped(3.337, 0)
    (3, 3.5, 3.34)
    """
    return round(math.floor(value / step + 0.5) * step, 4) if step else round(value, 2)
