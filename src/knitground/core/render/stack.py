"""From the layers of a map to the planes that are composed."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from knitground.core.base.window import Box
from knitground.core.model.layers import Cells, Layer, MarkerLayer, TileLayer, TintLayer
from knitground.core.model.map import Map
from knitground.core.render.atlas import Atlas, Big, Reach
from knitground.core.render.compose import Margin, Plane, around, compose
from knitground.core.render.pixels import Pixels

CellsOf = Callable[[Layer, Box], Cells]
"""Gives a layer's cells in a box, which may wrap; of a layer with cells of its own, of those."""


def full_reach(map_: Map, atlas: Atlas) -> Reach:
    """How many cells beyond its own a change may show: large pictures, offsets and heights."""
    reach = atlas.reach
    shifts = [layer.shift for layer in map_.layers if layer.shift != (0, 0)]
    if not shifts:
        return reach
    high, wide = map_.tile_height, map_.tile_width
    return Reach(
        reach.up + max(0, *(-(down // high) for down, _ in shifts)),
        reach.left + max(0, *(-(across // wide) for _, across in shifts)),
        reach.down + max(0, *(-(-down // high) for down, _ in shifts)),
        reach.right + max(0, *(-(-across // wide) for _, across in shifts)),
    )


def stack_of(
    map_: Map,
    atlas: Atlas,
    box: Box,
    level: int,
    cells_of: CellsOf,
    layers: Sequence[Layer] | None = None,
) -> tuple[list[Plane], Margin]:
    """Give the planes of a box of the map, and their margin, for `compose`.

    Parameters
    ----------
    box : cells of the map; may reach over the border of one that wraps
    layers : to show, the back one first; by default the visible ones
    """
    shown = [each for each in map_.layers if each.visible] if layers is None else layers
    wide, margin = around(box, full_reach(map_, atlas), map_.height, map_.width, map_.wrap)
    high_px, wide_px = atlas.tile_size(level)
    planes = []
    for layer in shown:
        down, across = layer.shift
        placed: tuple[Big, ...] = ()
        own_grid = isinstance(layer, TileLayer) and layer.cell is not None
        if isinstance(layer, MarkerLayer):
            placed = _free_pictures(map_, atlas, layer, wide, level)
        elif isinstance(layer, TileLayer) and layer.cell is not None:
            placed = _own_cells(map_, atlas, layer, layer.cell, wide, level, cells_of)
        if own_grid or isinstance(layer, MarkerLayer):
            cells = np.zeros((wide.height, wide.width), np.int32)
        else:
            cells = cells_of(layer, wide)
            if layer.holds_tiles:
                cells = atlas.scattered(cells, wide)
        plane = Plane(
            cells,
            layer.opacity,
            round(down * high_px / map_.tile_height),
            round(across * wide_px / map_.tile_width),
            tint=isinstance(layer, TintLayer),
            placed=placed,
        )
        planes.append(plane)
    return planes, margin


def draw_planes(atlas: Atlas, level: int, planes: Sequence[Plane], margin: Margin) -> Pixels:
    """Compose planes with the pictures that they show."""
    return compose(atlas.at(level, shown_cells(planes)), planes, margin)


def shown_cells(planes: Sequence[Plane]) -> list[Cells]:
    """Give the cells of planes that are places of the legend."""
    return [each.cells for each in planes if not each.tint]


def _turns(map_: Map, box: Box) -> list[tuple[int, int]]:
    """By how many whole maps, down and across, a box that wraps reaches beyond the first one."""
    if not map_.wrap:
        return [(0, 0)]
    downs = range(box.top // map_.height - 1, -(-box.bottom // map_.height) + 1)
    acrosses = range(box.left // map_.width - 1, -(-box.right // map_.width) + 1)
    return [(down, across) for down in downs for across in acrosses]


def _free_pictures(
    map_: Map, atlas: Atlas, layer: MarkerLayer, box: Box, level: int
) -> tuple[Big, ...]:
    """Free pictures that may show in a box, measured from its upper left at the level."""
    high, wide = atlas.tile_size(level)
    rows, cols = map_.height * map_.tile_height, map_.width * map_.tile_width
    top, left = box.top * map_.tile_height, box.left * map_.tile_width
    bottom, right = box.bottom * map_.tile_height, box.right * map_.tile_width
    down, across = high / map_.tile_height, wide / map_.tile_width
    out = []
    for each in atlas.free_pictures(layer):
        for turn_down, turn_across in _turns(map_, box):
            y, x = each.down + turn_down * rows, each.across + turn_across * cols
            tall, broad = each.pixels.shape
            if y >= bottom or x >= right or y + tall <= top or x + broad <= left:
                continue
            small = atlas.smaller(each.pixels, down, across)
            out.append(Big(small, round((y - top) * down), round((x - left) * across)))
    return tuple(out)


def _own_cells(
    map_: Map,
    atlas: Atlas,
    layer: TileLayer,
    cell: tuple[int, int],
    box: Box,
    level: int,
    cells_of: CellsOf,
) -> tuple[Big, ...]:
    """Tiles of a layer with cells of its own that may show in a box, row by row from the top."""
    high, wide = atlas.tile_size(level)
    down, across = high / map_.tile_height, wide / map_.tile_width
    more = atlas.reach
    top, left = box.top * map_.tile_height, box.left * map_.tile_width
    out = []
    for turn_down, turn_across in _turns(map_, box):
        y0 = turn_down * map_.height * map_.tile_height
        x0 = turn_across * map_.width * map_.tile_width
        # A picture covers at most its reach and one cell of the map more.
        area = Box(
            (top - y0 - (more.down + 1) * map_.tile_height) // cell[0],
            (left - x0 - (more.right + 1) * map_.tile_width) // cell[1],
            -(-(box.bottom * map_.tile_height - y0 + (more.up + 1) * map_.tile_height) // cell[0]),
            -(-(box.right * map_.tile_width - x0 + (more.left + 1) * map_.tile_width) // cell[1]),
        ).clipped(*layer.cells.shape)
        if area.is_empty:
            continue
        cells = cells_of(layer, area)
        rows, cols = np.nonzero(cells)
        for row, col in zip(rows.tolist(), cols.tolist()):
            big = atlas.on_cell(int(cells[row, col]), cell)
            y = y0 + (area.top + row) * cell[0] + big.down - top
            x = x0 + (area.left + col) * cell[1] + big.across - left
            small = atlas.smaller(big.pixels, down, across)
            out.append(Big(small, round(y * down), round(x * across)))
    return tuple(out)
