"""Shapes from what a tile's marks say: the part of it that shows a terrain."""

from __future__ import annotations

from collections.abc import Sequence

from knitground.core.base.tongue import say
from knitground.core.model.shapes import Corner, ShapeForm, TileShape
from knitground.core.model.terrain import ANY, SetKind, Slot
from knitground.core.model.tileset import Tileset
from knitground.core.shapes.geometry import outline
from knitground.core.slicing.base import base_of

WHOLE_TILE, PART = say("whole tile"), say("where it shows")
WAYS = (PART, WHOLE_TILE)
Rect = tuple[float, float, float, float]
"""Left, top, right, bottom."""


def terrain_shapes(
    kind_of_set: SetKind,
    marks: Sequence[int],
    terrain: int,
    size: tuple[int, int],
    kind: str,
    *,
    whole: bool = False,
    px: float = 0.0,
) -> tuple[TileShape, ...]:
    """Give the shapes of the part of a tile that shows a terrain.

    Parameters
    ----------
    marks : of the tile, N NE E SE S SW W NW and the middle
    size : height and width of the tile in pixels
    kind : of the shapes
    whole : the whole tile as soon as it shows any of the terrain
    px : corner sets: how far the border lies beyond the tile's middle, less than 0 for short of it;
        ring sets: how far the border lies inside the tile; edge sets: how wide the way is, 0 for a
        third of the tile

    Returns
    -------
    boxes where it is a box, else polygons; none if the tile does not show the terrain
    """
    rects = _rects(kind_of_set, [int(mark) for mark in marks], terrain, size, px)
    if not rects:
        return ()
    if whole:
        rects = [(0.0, 0.0, float(size[1]), float(size[0]))]
    return merged_rects(rects, kind)


def shapes_on_tile(
    owner: Tileset,
    at: tuple[int, int],
    kind_of_set: SetKind,
    marks: Sequence[int],
    terrain: int,
    kind: str,
    *,
    whole: bool = False,
    px: float = 0.0,
) -> tuple[TileShape, ...]:
    """Give `terrain_shapes` of a tile; of one that stands on a diamond on that, as it is seen.

    There `px` is measured along the diamond's upper right side, in pixels across.
    """
    _, _, wide, high = owner.slicing.tile_area(*at)
    base = base_of(owner)
    if base is None:
        return terrain_shapes(kind_of_set, marks, terrain, (high, wide), kind, whole=whole, px=px)
    side = base.width  # as a square that is seen from above: its corners are the diamond's
    anchor = owner.fact(*at).anchor or (wide // 2, high - base.below - base.height // 2)
    out = []
    for each in terrain_shapes(kind_of_set, marks, terrain, (side, side), kind, whole=whole, px=px):
        points = tuple(
            (anchor[0] + (x - y) / 2, anchor[1] + ((x + y) / side - 1) * base.height / 2)
            for x, y in outline(each)
        )
        out.append(TileShape(kind, ShapeForm.POLYGON, points))
    return tuple(out)


def merged_rects(rects: Sequence[Rect], kind: str) -> tuple[TileShape, ...]:
    """Join rectangles that touch to as few shapes as there are parts."""
    from shapely import box, get_parts, union_all

    joined = union_all([box(*each) for each in rects]).simplify(0)
    out = []
    for part in get_parts(joined):
        left, top, right, bottom = part.bounds
        if abs(part.area - (right - left) * (bottom - top)) < 1e-6:
            shape = TileShape(kind, ShapeForm.BOX, ((left, top), (right, bottom)))
        else:
            corners: tuple[Corner, ...] = tuple((x, y) for x, y in part.exterior.coords[:-1])
            shape = TileShape(kind, ShapeForm.POLYGON, corners)
        out.append(shape)
    return tuple(sorted(out, key=lambda each: each.corners))


def _rects(
    kind_of_set: SetKind, marks: list[int], terrain: int, size: tuple[int, int], px: float
) -> list[Rect]:
    if kind_of_set is SetKind.CORNER:
        return _corner_rects(marks, terrain, size, px)
    if kind_of_set is SetKind.EDGE:
        return _edge_rects(marks, terrain, size, px)
    return _ring_rects(marks, terrain, size, px)


def _corner_rects(marks: list[int], terrain: int, size: tuple[int, int], px: float) -> list[Rect]:
    high, wide = size
    across = min(max(wide / 2 + px, 0), wide)
    down = min(max(high / 2 + px, 0), high)
    lefts = {Slot.NW: (0.0, across), Slot.SW: (0.0, across)}
    tops = {Slot.NW: (0.0, down), Slot.NE: (0.0, down)}
    out = []
    on = [slot for slot in (Slot.NW, Slot.NE, Slot.SE, Slot.SW) if marks[slot] == terrain]
    for slot in on:
        left, right = lefts.get(slot, (wide - across, float(wide)))
        top, bottom = tops.get(slot, (high - down, float(high)))
        out.append((left, top, right, bottom))
    # Short of the middle two quarters do not touch: what lies between two that show it shows it.
    for one, other in ((Slot.NW, Slot.NE), (Slot.SW, Slot.SE)):
        if one in on and other in on:
            top, bottom = tops.get(one, (high - down, float(high)))
            out.append((0.0, top, float(wide), bottom))
    for one, other in ((Slot.NW, Slot.SW), (Slot.NE, Slot.SE)):
        if one in on and other in on:
            left, right = lefts.get(one, (wide - across, float(wide)))
            out.append((left, 0.0, right, float(high)))
    if len(on) == 4:
        out = [(0.0, 0.0, float(wide), float(high))]
    return [each for each in out if each[0] < each[2] and each[1] < each[3]]


def _edge_rects(marks: list[int], terrain: int, size: tuple[int, int], px: float) -> list[Rect]:
    high, wide = size
    way = min(px or round(min(high, wide) / 3), float(min(high, wide)))
    left, top = (wide - way) / 2, (high - way) / 2
    right, bottom = left + way, top + way
    arms = {
        Slot.N: (left, 0.0, right, bottom), Slot.S: (left, top, right, float(high)),
        Slot.W: (0.0, top, right, bottom), Slot.E: (left, top, float(wide), bottom),
    }  # fmt: skip
    return [arm for slot, arm in arms.items() if marks[slot] == terrain]


def _ring_rects(marks: list[int], terrain: int, size: tuple[int, int], px: float) -> list[Rect]:
    if marks[Slot.MIDDLE] != terrain:
        return []
    high, wide = size
    inset = min(max(px, 0.0), (min(high, wide) - 1) / 2)

    def on(slot: Slot) -> bool:
        return marks[slot] in (terrain, ANY)

    left, right = inset, wide - inset
    top, bottom = inset, high - inset
    out: list[Rect] = [(left, top, right, bottom)]
    sides = {
        Slot.N: (left, 0.0, right, top), Slot.S: (left, bottom, right, float(high)),
        Slot.W: (0.0, top, left, bottom), Slot.E: (right, top, float(wide), bottom),
    }  # fmt: skip
    corners = {
        Slot.NW: ((Slot.N, Slot.W), (0.0, 0.0, left, top)),
        Slot.NE: ((Slot.N, Slot.E), (right, 0.0, float(wide), top)),
        Slot.SE: ((Slot.S, Slot.E), (right, bottom, float(wide), float(high))),
        Slot.SW: ((Slot.S, Slot.W), (0.0, bottom, left, float(high))),
    }
    out += [rect for slot, rect in sides.items() if on(slot)]
    for slot, (beside, rect) in corners.items():
        if on(slot) and all(on(each) for each in beside):
            out.append(rect)
    return [each for each in out if each[0] < each[2] and each[1] < each[3]]
