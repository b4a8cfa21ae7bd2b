"""From the layers of a map to the planes that are composed."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from knitground.core.base.window import Box
from knitground.core.model.lattice import Lattice, Rect
from knitground.core.model.layers import Cells, Holds, Layer, MarkerLayer
from knitground.core.model.map import Map, grid_of
from knitground.core.render.atlas import Atlas
from knitground.core.render.compose import Frame, Plane, compose
from knitground.core.render.pages import Big, Overhang
from knitground.core.render.pixels import Pixels

CellsOf = Callable[[Layer, Box], Cells]
"""Gives a layer's cells in a box, which may wrap; of a layer with cells of its own, of those."""


@dataclass(frozen=True, eq=False)
class Stack:
    """What a rectangle of a map is composed from."""

    rect: Rect
    level: int
    planes: Sequence[Plane]

    @property
    def cells(self) -> list[Cells]:
        """Give the cells of its planes that are places of the legend."""
        return [each.cells for each in self.planes if not each.tint]


def full_reach(map_: Map, atlas: Atlas) -> Overhang:
    """By how many pixels beyond its cells a change may show: large pictures, shifted layers."""
    reach = atlas.reach
    shifts = [layer.shift for layer in map_.layers if layer.shift != (0, 0)]
    if not shifts:
        return reach
    downs, acrosses = [down for down, _ in shifts], [across for _, across in shifts]
    return Overhang(
        reach.up + max(0, -min(downs)), reach.left + max(0, -min(acrosses)),
        reach.down + max(0, *downs), reach.right + max(0, *acrosses),
    )  # fmt: skip


class _Level(NamedTuple):
    """A level of a map: its lattice, pixels of it for one of the map, how far pictures reach."""

    lattice: Lattice
    across: float
    down: float
    reach: Overhang

    def shift(self, layer: Layer) -> tuple[int, int]:
        """By how many pixels of the level a layer is drawn further down and right."""
        down, across = layer.shift
        return round(down * self.down), round(across * self.across)


def _level(map_: Map, atlas: Atlas, level: int) -> _Level:
    small = atlas.lattice(level)
    return _Level(small, *map_.lattice.scale(small), atlas.reach_at(level))


def needed(map_: Map, atlas: Atlas, layer: Layer, rect: Rect, level: int) -> Box:
    """Give the cells of the map's grid that draw a layer in a rectangle of pixels of a level.

    Those whose pictures may reach into it are among them; the box may wrap where the map does.
    """
    return _needed(map_, layer, rect, _level(map_, atlas, level))


def _needed(map_: Map, layer: Layer, rect: Rect, at: _Level) -> Box:
    (down, across), reach = at.shift(layer), at.reach
    near = Rect(
        rect.x - across - reach.right, rect.y - down - reach.down,
        rect.width + reach.left + reach.right, rect.height + reach.up + reach.down,
    )  # fmt: skip
    box = at.lattice.cells_in(near)
    return box if map_.wrap else box.clipped(map_.height, map_.width)


def stack_of(
    map_: Map,
    atlas: Atlas,
    rect: Rect,
    level: int,
    cells_of: CellsOf,
    layers: Sequence[Layer] | None = None,
) -> Stack:
    """Give what a rectangle of the map is composed from.

    Asking for cells may knit them and so bring tiles to the map that reach further than any before:
    then cells are asked for again, with those that they may reach from.

    Parameters
    ----------
    rect : whole pixels of the level; may reach over the border of a map that wraps
    layers : to show, the back one first; by default the visible ones
    """
    shown = [each for each in map_.layers if each.visible] if layers is None else layers
    reach: Overhang | None = None
    while reach != atlas.reach:
        reach = atlas.reach
        planes, at = [], _level(map_, atlas, level)
        for layer in shown:
            there = _needed(map_, layer, rect, at)
            planes.append(_plane(map_, atlas, layer, there, rect, at, cells_of))
    return Stack(rect, level, planes)


def _plane(
    map_: Map, atlas: Atlas, layer: Layer, box: Box, rect: Rect, at: _Level, cells_of: CellsOf
) -> Plane:
    placed: tuple[Big, ...] = ()
    cells = np.zeros((0, 0), np.int32)
    if isinstance(layer, MarkerLayer):
        placed = _free_pictures(map_, atlas, layer, rect, at)
    elif layer.own_cell is not None:
        placed = _own_cells(map_, atlas, layer, rect, at, cells_of)
    elif not box.is_empty:
        cells = cells_of(layer, box)
        if layer.holds_tiles:
            cells = atlas.scattered(cells, box)
    return Plane(
        cells,
        box.top,
        box.left,
        *at.shift(layer),
        layer.opacity,
        tint=layer.holds is Holds.COLOURS,
        placed=placed,
        interleaved=layer.interleaved,
    )


def draw(atlas: Atlas, stack: Stack) -> Pixels:
    """Compose what a rectangle shows, with the pictures that its cells have."""
    frame = Frame(atlas.lattice(stack.level), stack.rect)
    return compose(atlas.at(stack.level, stack.cells), stack.planes, frame)


def draw_map(map_: Map, atlas: Atlas, stack: Stack) -> Pixels:
    """Compose what a rectangle shows of the map itself.

    Where a map that wraps is no rectangle, what would go on beyond its outline is left out.
    """
    out, lattice = draw(atlas, stack), atlas.lattice(stack.level)
    if map_.wrap and lattice.slanted:
        xs = stack.rect.x + np.arange(out.shape[1]) + 0.5
        ys = stack.rect.y + np.arange(out.shape[0]) + 0.5
        out[~lattice.there(*lattice.cells_at(xs[None], ys[:, None]))] = 0
    return out


def _free_pictures(
    map_: Map, atlas: Atlas, layer: MarkerLayer, rect: Rect, at: _Level
) -> tuple[Big, ...]:
    """Free pictures that may show in a rectangle of pixels of a level, measured from it."""
    across, down, shift = at.across, at.down, at.shift(layer)
    shown = rect.moved(-shift[1], -shift[0]).scaled(1 / across, 1 / down)
    out = []
    pictures = [each for each in layer.markers if each.tile is not None]
    for each, marker in zip(atlas.single.free_pictures(layer), pictures):
        high, wide = each.pixels.shape
        for period in map_.lattice.periods_in(shown):
            lies = Rect(each.across, each.down, wide, high).moved(*period)
            if lies.meets(shown.grown(1, 1, 1, 1)):
                small = atlas.single.smaller(each.pixels, down, across)
                y, x = round(lies.y * down) + shift[0], round(lies.x * across) + shift[1]
                line = map_.lattice.line_at(*(a + b for a, b in zip(marker.points[0], period)))
                out.append(Big(small, y - int(rect.y), x - int(rect.x), line))
    return tuple(out)


def _own_cells(
    map_: Map,
    atlas: Atlas,
    layer: Layer,
    rect: Rect,
    at: _Level,
    cells_of: CellsOf,
) -> tuple[Big, ...]:
    """Tiles of a layer with cells of its own that may show in a rectangle, row by row."""
    across, down = at.across, at.down
    shift, more = at.shift(layer), atlas.reach
    shown, own = rect.moved(-shift[1], -shift[0]).scaled(1 / across, 1 / down), grid_of(map_, layer)
    # A picture covers at most its reach and one cell of the map more.
    high, wide = map_.lattice.cell_size
    near = shown.grown(more.down + high, more.right + wide, more.up + high, more.left + wide)
    out = []
    for period in map_.lattice.periods_in(shown):
        area = own.lattice.cells_in(near.moved(-period[0], -period[1]))
        area = area.clipped(*layer.cells.shape)
        if area.is_empty:
            continue
        cells = cells_of(layer, area)
        rows, cols = np.nonzero(cells)
        order = own.lattice.in_order(rows, cols)
        rows, cols = rows[order], cols[order]
        begins = own.lattice.origins(rows + area.top, cols + area.left)
        for place, (x, y) in zip(cells[rows, cols].tolist(), begins.tolist()):
            line = map_.lattice.line_at(x + period[0], y + period[1] + own.lattice.high)
            big = atlas.single.on_cell(place, own.lattice)
            small = atlas.single.smaller(big.pixels, down, across)
            y = round((y + period[1] + big.down) * down) + shift[0] - int(rect.y)
            x = round((x + period[0] + big.across) * across) + shift[1] - int(rect.x)
            out.append(Big(small, y, x, line))
    return tuple(out)
