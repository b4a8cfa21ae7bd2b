"""What a step made as a small picture, and how well a map that wraps meets itself."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from knitground.core.grow.work import Grown
from knitground.core.model.layers import GroundLayer, MarkerLayer, TintLayer
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.terrain import SetKind
from knitground.core.render.tiles import tile_pixels

Small = NDArray[np.uint32]
"""(h, w) premultiplied pixels."""
_PAPER, _INK, _FAINT = 0xFFE3DCCD, 0xFF3B4C8C, 0xFFCFC6B4
_DENSE = 0.6
"""Part of the cells from which on a layer is shown by the colours of its tiles."""


def step_picture(
    project: Project, map_: Map, grown: Grown, height: int, width: int, *, tiles: bool = False
) -> Small:
    """Draw what a step made, each pixel one cell of it: terrain in its colours, tiles as ink.

    Tiles are drawn in their own colours where they lie nearly everywhere, or if `tiles` says so.
    """
    rows = (np.arange(height) * map_.height) // height
    cols = (np.arange(width) * map_.width) // width
    layer = grown.layer
    if isinstance(layer, MarkerLayer):
        out = np.full((height, width), _PAPER, np.uint32)
        for each in grown.made:
            x, y = each.middle
            row = int(y / (map_.height * map_.tile_height) * height)
            col = int(x / (map_.width * map_.tile_width) * width)
            out[max(0, row - 1) : row + 2, max(0, col - 1) : col + 2] = 0xFFB4472F
        return out
    if isinstance(layer, TintLayer):
        cells = grown.made[np.ix_(rows, cols)].astype(np.int64)
        strength = (cells >> 24 & 127)[..., None] / 127
        colour = np.stack([(cells >> shift) & 255 for shift in (16, 8, 0)], -1)
        paper = np.array([_PAPER >> shift & 255 for shift in (16, 8, 0)])
        mixed = np.rint(paper * (1 - strength) + colour * strength).astype(np.uint32)
        tinted: Small = 0xFF000000 | mixed[..., 0] << 16 | mixed[..., 1] << 8 | mixed[..., 2]
        return tinted.astype(np.uint32)
    if isinstance(layer, GroundLayer):
        found = project.set_of(layer.tileset, layer.set_name)
        colours = np.full(256, _PAPER, np.uint32)
        for n, each in enumerate(found[1].terrains if found else (), 1):
            colours[n] = 0xFF000000 | int(each.colour[1:], 16)
        if layer.kind_of_set is SetKind.EDGE:
            whole = grown.made
            on = np.maximum(whole[:-1, :-1] & 255, whole[:-1, :-1] >> 8)
            return _largest(on.astype(np.uint8), height, width, colours)
        drawn: Small = colours[grown.made[np.ix_(rows, cols)]]
        return drawn
    on = (np.asarray(grown.made) > 0).astype(np.uint8)
    if tiles or on.mean() > _DENSE:
        return _tile_colours(project, map_, grown.made[np.ix_(rows, cols)])
    return _largest(on, height, width, np.array([_PAPER, _INK], np.uint32))


def _tile_colours(project: Project, map_: Map, cells: NDArray[np.int32]) -> Small:
    """Draw cells in the mean colour of what they show: a picture of what covers nearly all."""
    known, where = np.unique(cells, return_inverse=True)
    colours = np.full(len(known), _PAPER, np.uint32)
    paper = np.array([_PAPER >> shift & 255 for shift in (16, 8, 0)], np.float64)
    for n, place in enumerate(known.tolist()):
        tile = map_.legend.tile(place) if place > 0 else None
        owner = project.tileset_named(tile.tileset) if tile else None
        pixels = tile_pixels(owner, tile) if owner and tile else None
        if pixels is None:
            continue
        mean = [float((pixels >> shift & 255).mean()) for shift in (24, 16, 8, 0)]
        red, green, blue = np.rint(paper * (1 - mean[0] / 255) + mean[1:]).astype(int).tolist()
        colours[n] = 0xFF000000 | red << 16 | green << 8 | blue
    return colours[where.reshape(cells.shape)]


def _largest(cells: NDArray[np.uint8], height: int, width: int, colours: Small) -> Small:
    """Shrink so that thin lines and single cells stay to be seen."""
    high, wide = cells.shape
    rows = np.minimum(np.arange(height) * high // height, high - 1)
    cols = np.minimum(np.arange(width) * wide // width, wide - 1)
    tall = np.maximum.reduceat(cells, np.unique(rows), axis=0)
    both = np.maximum.reduceat(tall, np.unique(cols), axis=1)
    rows = np.searchsorted(np.unique(rows), rows)
    cols = np.searchsorted(np.unique(cols), cols)
    return colours[both[np.ix_(rows, cols)]]


def seam_figure(ground: GroundLayer) -> float:
    """Tell how often terrain changes over a wrapping map's border, against inside: 1 is alike."""
    terrain = ground.terrain[:-1, :-1]
    inside, across = [], []
    for each in (terrain, terrain.T):
        across.append(float((each[0] != each[-1]).mean()))
        # Of large maps some lines stand for all: it is asked for whenever the recipe is shown.
        lines = np.unique(np.linspace(1, max(1, len(each) - 1), 128).astype(int))
        lines = lines[lines < len(each)]
        inside.append(float((each[lines] != each[lines - 1]).mean()) if lines.size else 0.0)
    usual = sum(inside)
    return sum(across) / usual if usual > 0 else 1.0
