"""From the layers of a map to the planes that are composed."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from knitground.core.base.window import Box
from knitground.core.model.lattice import Rect
from knitground.core.model.layers import Cells, Holds, Layer, MarkerLayer
from knitground.core.model.map import Map, grid_of
from knitground.core.render.atlas import Atlas
from knitground.core.render.compose import Margin, Plane, around, compose
from knitground.core.render.pages import Big, Reach
from knitground.core.render.pixels import Pixels

CellsOf = Callable[[Layer, Box], Cells]
"""Gives a layer's cells in a box, which may wrap; of a layer with cells of its own, of those."""


def full_reach(map_: Map, atlas: Atlas) -> Reach:
    """How many cells beyond its own a change may show: large pictures, offsets and heights."""
    reach = atlas.reach
    shifts = [layer.shift for layer in map_.layers if layer.shift != (0, 0)]
    if not shifts:
        return reach
    downs, acrosses = [down for down, _ in shifts], [across for _, across in shifts]
    more = map_.lattice.reach_of(-min(downs), -min(acrosses), max(downs), max(acrosses))
    return Reach(
        reach.up + more[0], reach.left + more[1], reach.down + more[2], reach.right + more[3]
    )


def _near_reach(map_: Map, atlas: Atlas) -> Reach:
    """How many cells round a part are needed to draw it, where shifted layers are read shifted."""
    reach = atlas.reach
    shifts = [layer.shift for layer in map_.layers if layer.shift != (0, 0)]
    if not shifts:
        return reach
    left_over = [map_.lattice.parted(*shift)[2:] for shift in shifts]
    return Reach(
        reach.up, reach.left,
        reach.down + any(down for down, _ in left_over),
        reach.right + any(across for _, across in left_over),
    )  # fmt: skip


def needed(map_: Map, atlas: Atlas, layer: Layer, box: Box) -> Box:
    """Give the cells of a layer that draw a box of the map; may wrap where the map does."""
    wide, _ = around(box, _near_reach(map_, atlas), map_.height, map_.width, True)
    there = _there(map_, layer, wide)
    return there if map_.wrap else there.clipped(map_.height, map_.width)


def _there(map_: Map, layer: Layer, box: Box) -> Box:
    """The cells that a layer shows in a box, but for less than a cell of its shift."""
    rows, cols, _, _ = map_.lattice.parted(*layer.shift)
    return Box(box.top - rows, box.left - cols, box.bottom - rows, box.right - cols)


def stack_of(
    map_: Map,
    atlas: Atlas,
    box: Box,
    level: int,
    cells_of: CellsOf,
    layers: Sequence[Layer] | None = None,
) -> tuple[list[Plane], Margin]:
    """Give the planes of a box of the map, and their margin, for `compose`.

    Asking for cells may knit them and so bring tiles to the map that reach further than any before:
    then cells are asked for again, with a margin for those.

    Parameters
    ----------
    box : cells of the map; may reach over the border of one that wraps
    layers : to show, the back one first; by default the visible ones
    """
    shown = [each for each in map_.layers if each.visible] if layers is None else layers
    beyond = any(any(map_.lattice.parted(*layer.shift)[:2]) for layer in shown)
    reach: Reach | None = None
    while reach != (now := _near_reach(map_, atlas)):
        reach = now
        wide, margin = around(box, reach, map_.height, map_.width, map_.wrap or beyond)
        planes = _planes(map_, atlas, wide, level, cells_of, shown)
    return planes, margin


def _planes(
    map_: Map, atlas: Atlas, wide: Box, level: int, cells_of: CellsOf, shown: Sequence[Layer]
) -> list[Plane]:
    scale = map_.lattice.scale(atlas.lattice(level))
    planes = []
    for layer in shown:
        _, _, down, across = map_.lattice.parted(*layer.shift)
        there = _there(map_, layer, wide)
        placed: tuple[Big, ...] = ()
        cells = np.zeros((wide.height, wide.width), np.int32)
        if isinstance(layer, MarkerLayer):
            placed = _free_pictures(map_, atlas, layer, there, level)
        elif layer.own_cell is not None:
            placed = _own_cells(map_, atlas, layer, layer.own_cell, there, level, cells_of)
        else:
            cells = _cells_at(map_, atlas, layer, there, cells_of)
        plane = Plane(
            cells,
            layer.opacity,
            round(down * scale[1]),
            round(across * scale[0]),
            tint=layer.holds is Holds.COLOURS,
            placed=placed,
        )
        planes.append(plane)
    return planes


def _cells_at(map_: Map, atlas: Atlas, layer: Layer, box: Box, cells_of: CellsOf) -> Cells:
    """Read a layer's cells; beyond the border of a map that does not wrap there are none."""
    inside = box if map_.wrap else box.clipped(map_.height, map_.width)
    out = np.zeros((box.height, box.width), np.int32)
    if not inside.is_empty:
        cells = cells_of(layer, inside)
        if layer.holds_tiles:
            cells = atlas.scattered(cells, inside)
        if inside == box:
            return cells
        out[
            inside.top - box.top : inside.bottom - box.top,
            inside.left - box.left : inside.right - box.left,
        ] = cells
    return out


def draw_planes(atlas: Atlas, level: int, planes: Sequence[Plane], margin: Margin) -> Pixels:
    """Compose planes with the pictures that they show."""
    return compose(atlas.at(level, shown_cells(planes)), planes, margin)


def shown_cells(planes: Sequence[Plane]) -> list[Cells]:
    """Give the cells of planes that are places of the legend."""
    return [each.cells for each in planes if not each.tint]


def _free_pictures(
    map_: Map, atlas: Atlas, layer: MarkerLayer, box: Box, level: int
) -> tuple[Big, ...]:
    """Free pictures that may show in a box, measured from its upper left at the level."""
    shown = map_.lattice.area(box)
    across, down = map_.lattice.scale(atlas.lattice(level))
    out = []
    for each in atlas.single.free_pictures(layer):
        high, wide = each.pixels.shape
        for period in map_.lattice.periods_in(shown):
            lies = Rect(each.across, each.down, wide, high).moved(*period)
            if lies.meets(shown):
                small = atlas.single.smaller(each.pixels, down, across)
                x, y = (lies.x - shown.x) * across, (lies.y - shown.y) * down
                out.append(Big(small, round(y), round(x)))
    return tuple(out)


def _own_cells(
    map_: Map,
    atlas: Atlas,
    layer: Layer,
    cell: tuple[int, int],
    box: Box,
    level: int,
    cells_of: CellsOf,
) -> tuple[Big, ...]:
    """Tiles of a layer with cells of its own that may show in a box, row by row from the top."""
    across, down = map_.lattice.scale(atlas.lattice(level))
    shown, own, more = map_.lattice.area(box), grid_of(map_, layer).lattice, atlas.reach
    # A picture covers at most its reach and one cell of the map more.
    near = map_.lattice.area(
        Box(
            box.top - more.down - 1, box.left - more.right - 1,
            box.bottom + more.up + 1, box.right + more.left + 1,
        )
    )  # fmt: skip
    out = []
    for period in map_.lattice.periods_in(shown):
        area = own.cells_in(near.moved(-period[0], -period[1])).clipped(*layer.cells.shape)
        if area.is_empty:
            continue
        cells = cells_of(layer, area)
        rows, cols = np.nonzero(cells)
        begins = own.origins(rows + area.top, cols + area.left)
        for place, (x, y) in zip(cells[rows, cols].tolist(), begins.tolist()):
            big = atlas.single.on_cell(place, cell)
            small = atlas.single.smaller(big.pixels, down, across)
            y += period[1] + big.down - shown.y
            x += period[0] + big.across - shown.x
            out.append(Big(small, round(y * down), round(x * across)))
    return tuple(out)
