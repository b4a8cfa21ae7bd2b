"""The swatch of a terrain set: a sample of the set, laid by itself, missing tiles glowing."""

from __future__ import annotations

import numpy as np

from knitground.core.base.window import read, whole
from knitground.core.knit.bridge import build_graph
from knitground.core.knit.knit import knit_box
from knitground.core.knit.layer import layer_table
from knitground.core.knit.sample import lay_sample
from knitground.core.model.lattice import DIAMOND, Rect
from knitground.core.model.layers import GAP
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.terrain import TerrainSet
from knitground.core.model.tileset import Tileset
from knitground.core.render.atlas import Atlas
from knitground.core.render.pixels import Pixels
from knitground.core.render.stack import draw, stack_of
from knitground.core.slicing.base import base_of

_GLOW, _PAPER = np.uint32(0xFFB4472F), np.uint32(0xFFF3D9B1)


def sample_pixels(project: Project, owner: Tileset, kit: TerrainSet) -> tuple[Pixels, int]:
    """Lay and draw a sample of a set; returns its pixels and how many cells have no tile."""
    base, cut = base_of(owner), owner.slicing
    map_ = Map("", 1, 1, cut.tile_height, cut.tile_width)
    if base is not None:
        map_ = Map("", 1, 1, base.height, base.width, grid=DIAMOND)
    layer = map_.new_ground_layer("", owner.name, kit.name, kit.kind)
    table = layer_table(project, map_, layer)
    terrain = lay_sample(table, build_graph(table), len(kit.terrains))
    map_.height, map_.width = terrain.shape[0] - 1, terrain.shape[1] - 1
    layer = map_.new_ground_layer("", owner.name, kit.name, kit.kind)
    layer.terrain = terrain
    map_.layers.append(layer)
    cells = knit_box(table, layer, whole(layer.cells))
    shown = np.maximum(cells, 0)
    atlas, lattice = Atlas(project, map_), map_.lattice
    rect = Rect(0, 0, *lattice.extent)
    pixels = draw(atlas, stack_of(map_, atlas, rect, 0, lambda _, box: read(shown, box)))
    high, wide = lattice.cell_size
    rows, cols = np.indices((high, wide))
    rim = (rows < 2) | (cols < 2) | (rows >= high - 2) | (cols >= wide - 2)
    glow = np.where(rim, _GLOW, _PAPER)
    mask = lattice.mask()
    for x, y in lattice.origins(*np.nonzero(cells == GAP)).tolist():
        pixels[y : y + high, x : x + wide][mask] = glow[mask]
    return pixels, int((cells == GAP).sum())
