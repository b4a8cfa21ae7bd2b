"""The swatch of a terrain set: a sample of the set, laid by itself, missing tiles glowing."""

from __future__ import annotations

import numpy as np

from knitground.core.base.window import whole
from knitground.core.knit.bridge import build_graph
from knitground.core.knit.knit import knit_box
from knitground.core.knit.layer import layer_table
from knitground.core.knit.sample import lay_sample
from knitground.core.model.layers import GAP
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.terrain import TerrainSet
from knitground.core.model.tileset import Tileset
from knitground.core.render.atlas import Atlas
from knitground.core.render.compose import lay_out
from knitground.core.render.pixels import Pixels

_GLOW, _PAPER = np.uint32(0xFFB4472F), np.uint32(0xFFF3D9B1)


def sample_pixels(project: Project, owner: Tileset, kit: TerrainSet) -> tuple[Pixels, int]:
    """Lay and draw a sample of a set; returns its pixels and how many cells have no tile."""
    cut = owner.slicing
    map_ = Map("", 1, 1, cut.tile_height, cut.tile_width)
    layer = map_.new_ground_layer("", owner.name, kit.name, kit.kind)
    table = layer_table(project, map_, layer)
    terrain = lay_sample(table, build_graph(table), len(kit.terrains))
    map_.height, map_.width = terrain.shape[0] - 1, terrain.shape[1] - 1
    layer = map_.new_ground_layer("", owner.name, kit.name, kit.kind)
    layer.terrain = terrain
    map_.layers.append(layer)
    cells = knit_box(table, layer, whole(layer.cells))
    shown = np.maximum(cells, 0)
    pixels = lay_out(Atlas(project, map_).at(0, [shown]).tiles, shown)
    high, wide = cut.tile_height, cut.tile_width
    rows, cols = np.indices((high, wide))
    rim = (rows < 2) | (cols < 2) | (rows >= high - 2) | (cols >= wide - 2)
    glow = np.where(rim, _GLOW, _PAPER)
    for row, col in np.argwhere(cells == GAP).tolist():
        pixels[row * high : (row + 1) * high, col * wide : (col + 1) * wide] = glow
    return pixels, int((cells == GAP).sum())
