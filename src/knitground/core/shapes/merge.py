"""The shapes of what lies on a map, merged as a game would see them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.window import Box
from knitground.core.model.layers import GAP, Layer
from knitground.core.model.map import Map, as_laid, grid_of
from knitground.core.model.project import Project
from knitground.core.model.tile import TileRef
from knitground.core.render.stack import CellsOf
from knitground.core.render.tiles import overhang
from knitground.core.shapes.geometry import outline, turned_shape

if TYPE_CHECKING:
    from shapely import Geometry

Laid = dict[str, list[NDArray[np.float64]]]
"""By kind: shapes where they lie, as corners in pixels of the map, (shapes, corners, 2) each."""
OfTiles = dict[TileRef, list[tuple[str, NDArray[np.float64]]]]
"""What `tile_shapes` gives, by tile."""
Merged = dict[str, "Geometry"]
"""By kind: the area in pixels of the map that shapes of it cover."""


def tile_shapes(project: Project, tile: TileRef) -> list[tuple[str, NDArray[np.float64]]]:
    """List the shapes of a tile as it is turned: kinds, and corners (n, 2) from its upper left."""
    owner = project.tileset_named(tile.tileset)
    if owner is None or not owner.has(tile.row, tile.col):
        return []
    _, _, wide, high = owner.slicing.tile_area(tile.row, tile.col)
    return [
        (each.kind, np.array(outline(turned_shape(each, tile.turn, wide, high)), float))
        for each in owner.fact(tile.row, tile.col).shapes
    ]


def laid_shapes(
    project: Project,
    map_: Map,
    box: Box | None = None,
    layers: Sequence[Layer] | None = None,
    cells_of: CellsOf | None = None,
    known: OfTiles | None = None,
) -> Laid:
    """List the shapes of what lies in a box of a map.

    Parameters
    ----------
    box : cells of the map, whole by default; of layers with cells of their own those whose upper
        left corner lies in it. Shapes may reach out of it
    layers : by default the visible ones
    known : shapes of tiles that are known already; what is found out is added
    """
    shown = [each for each in map_.layers if each.visible] if layers is None else layers
    found: Laid = {}
    known, read_from = {} if known is None else known, cells_of or as_laid(map_)
    for layer in shown:
        if not layer.holds_tiles:
            continue
        grid = grid_of(map_, layer)
        part = _part(map_, grid, box)
        cells = read_from(layer, part)
        down, across = layer.shift
        flat = cells.ravel()
        order = np.argsort(flat, kind="stable")
        places, starts = np.unique(flat[order], return_index=True)
        for place, which in zip(places.tolist(), np.split(order, starts[1:])):
            tile = map_.legend.tile(place) if place not in (0, GAP) else None
            if tile is None:
                continue
            if tile not in known:
                known[tile] = tile_shapes(project, tile)
            if not known[tile]:
                continue
            owner = project.tileset_named(tile.tileset)
            assert owner is not None
            up, left = overhang(owner, tile, grid.lattice)
            rows, cols = np.divmod(which, cells.shape[1])
            begins = grid.lattice.origins(rows + part.top, cols + part.left)
            begins += np.array([left + across, up + down])
            for kind, corners in known[tile]:
                found.setdefault(kind, []).append(corners[None] + begins[:, None])
    return found


def merge(laid: Laid) -> Merged:
    """Merge shapes of one kind, whatever layer they lie on; kinds stay apart."""
    from shapely import polygons

    def areas(each: list[NDArray[np.float64]]) -> list[Geometry]:
        return [area for corners in each for area in np.asarray(polygons(corners), object).ravel()]

    return {kind: joined_areas(areas(each)) for kind, each in sorted(laid.items())}


def _part(map_: Map, grid: Map, box: Box | None) -> Box:
    """Give the cells of a layer's grid that begin in a box of the map's."""
    if box is None:
        return Box(0, 0, grid.height, grid.width)
    if grid is map_:
        return box.clipped(map_.height, map_.width)
    return grid.lattice.beginning_in(map_.lattice.bounds(box)).clipped(grid.height, grid.width)


def joined_areas(areas: Sequence[Geometry]) -> Geometry:
    """Join areas that touch."""
    from shapely import union_all

    return union_all(list(areas)).simplify(0)


def rings_of(area: Geometry) -> list[list[list[tuple[float, float]]]]:
    """List the parts of an area: of each its outer ring, then its holes, without the last corner.

    In order of their upper left corners, so that two runs list the same.
    """
    from shapely import Polygon, get_parts

    out = []
    for part in get_parts(area):
        if isinstance(part, Polygon) and part.area > 0:
            whole = part.normalize()
            assert isinstance(whole, Polygon)
            rings = [whole.exterior, *whole.interiors]
            out.append([[(float(x), float(y)) for x, y in ring.coords[:-1]] for ring in rings])
    return sorted(out, key=lambda rings: (min(y for _, y in rings[0]), min(x for x, _ in rings[0])))
