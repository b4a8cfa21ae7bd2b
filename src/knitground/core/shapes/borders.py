"""How shapes of neighbours meet: what of them touches a tile's sides, and where that differs."""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache
from typing import NamedTuple

import numpy as np

from knitground.core.knit.fits import fitting, opposite
from knitground.core.knit.layer import marked_tiles
from knitground.core.model.project import Project
from knitground.core.model.shapes import Shapes
from knitground.core.model.terrain import Slot
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import At, Tileset
from knitground.core.shapes.geometry import outline

Span = tuple[float, float]
"""From and to along a side, in pixels from its left or upper end."""
SIDES = (Slot.N, Slot.E, Slot.S, Slot.W)
NEAR_PX = 2.0
"""Shapes that end so close to a side, from both its sides, leave a gap between them."""
_BESIDE = 0.01
_SLACK = 0.3


class Meeting(NamedTuple):
    """How a tile's shapes of a kind meet those of what can lie beside it.

    Parameters
    ----------
    side : of the tile
    steps : where some neighbour's shapes go on and the tile's do not, or the other way round
    gaps : where the tile's shapes end just short of the side, and some neighbour's reach or nearly
        reach it
    differing, neighbours : of how many neighbours the shapes differ, and how many there are
    """

    side: Slot
    steps: list[Span]
    gaps: list[Span]
    differing: int
    neighbours: int


def meetings(project: Project, owner: Tileset, at: At, kind: str) -> list[Meeting]:
    """Compare the shapes of a tile, at all four sides, with those of its possible neighbours.

    What can lie beside it is told by its marks in the first set that marks it; a tile without marks
    meets nothing.
    """
    if not any(kit.marks_within(owner.rows, owner.columns)[at].any() for kit in owner.sets):
        return []
    size = _size(owner, at)
    own = owner.fact(*at).shapes
    out = []
    for side in SIDES:
        mine = side_spans(own, kind, side, size)
        beside = neighbours(project, owner, at, side)
        near = _minus(side_spans(own, kind, side, size, NEAR_PX), mine)
        steps: list[Span] = []
        gaps: list[Span] = []
        differing = 0
        for tile in beside:
            other = project.tileset_named(tile.tileset)
            if other is None:
                continue
            place = (tile.row, tile.col)
            theirs = side_spans(
                other.fact(*place).shapes, kind, opposite(side), _size(other, place)
            )
            close = side_spans(
                other.fact(*place).shapes, kind, opposite(side), _size(other, place), NEAR_PX
            )
            gaps += _common(near, _joined([*theirs, *close]))
            apart = _differing(mine, theirs)
            differing += bool(apart)
            steps += apart
        out.append(Meeting(side, _joined(steps), _joined(gaps), differing, len(beside)))
    return out


def _size(owner: Tileset, at: At) -> tuple[int, int]:
    _, _, wide, high = owner.slicing.tile_area(*at)
    return high, wide


@lru_cache(maxsize=4096)
def side_spans(
    shapes: Shapes, kind: str, side: Slot, size: tuple[int, int], inside: float = 0.0
) -> list[Span]:
    """Tell what of a side shapes of a kind touch.

    Parameters
    ----------
    size : height and width of the tile
    inside : pixels inside the tile at which is looked; 0 is at the side itself
    """
    high, wide = size
    depth = max(inside, _BESIDE)
    line = {Slot.N: depth, Slot.W: depth, Slot.S: high - depth, Slot.E: wide - depth}[side]
    upright = side in (Slot.E, Slot.W)
    length = high if upright else wide
    found: list[Span] = []
    for shape in shapes:
        if shape.kind != kind:
            continue
        points = [(x, y) if upright else (y, x) for x, y in outline(shape)]
        cuts = sorted(
            y0 + (line - x0) / (x1 - x0) * (y1 - y0)
            for (x0, y0), (x1, y1) in zip(points, (*points[1:], points[0]))
            if (x0 <= line) != (x1 <= line)
        )
        found += [
            (max(0.0, low), min(float(length), high_)) for low, high_ in zip(cuts[::2], cuts[1::2])
        ]
    return _joined(each for each in found if each[1] - each[0] > _SLACK)


def _joined(spans: Iterable[Span]) -> list[Span]:
    out: list[Span] = []
    for low, high in sorted(spans):
        if out and low <= out[-1][1] + 1e-6:
            out[-1] = (out[-1][0], max(out[-1][1], high))
        else:
            out.append((low, high))
    return out


def _minus(spans: list[Span], others: list[Span]) -> list[Span]:
    """Give what of spans no other covers, slivers apart."""
    left = spans
    for low, high in others:
        left = [
            part
            for a, b in left
            for part in ((a, min(b, low)), (max(a, high), b))
            if part[1] - part[0] > _SLACK
        ]
    return left


def _common(one: list[Span], other: list[Span]) -> list[Span]:
    both = [(max(a, c), min(b, d)) for a, b in one for c, d in other]
    return [span for span in both if span[1] - span[0] > _SLACK]


def _differing(one: list[Span], other: list[Span]) -> list[Span]:
    return _minus(one, other) + _minus(other, one)


def neighbours(project: Project, owner: Tileset, at: At, side: Slot) -> list[TileRef]:
    """List the tiles that can lie at a side of a tile, by the marks of the first set it is in."""
    for kit in owner.sets:
        own = kit.marks_within(owner.rows, owner.columns, None)[at].astype(int)
        if own.any():
            marks, tiles = marked_tiles(project, owner, kit)
            fits = fitting(kit.kind, own, marks.astype(int), side)
            return [tiles[int(n)] for n in np.flatnonzero(fits)]
    return []
