"""What a step made as a small picture, and how well a map that wraps meets itself."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.grow.work import Grown
from knitground.core.model.lattice import Lattice
from knitground.core.model.layers import GroundLayer, MarkerLayer, TintLayer
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.terrain import SetKind
from knitground.core.render.tiles import tile_pixels

Size = tuple[int, int]
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
    look = _LOOKS.get(type(grown.layer), _tiles_look)
    return look(project, map_, grown, (height, width), tiles)


def _cells_of(map_: Map, size: tuple[int, int], cells: NDArray[Any]) -> NDArray[Any]:
    """Take one cell for each pixel of a picture of that size."""
    rows = (np.arange(size[0]) * map_.height) // size[0]
    cols = (np.arange(size[1]) * map_.width) // size[1]
    return cells[np.ix_(rows, cols)]


def _tiles_look(project: Project, map_: Map, grown: Grown, size: Size, tiles: bool) -> Small:
    on = (np.asarray(grown.made) > 0).astype(np.uint8)
    if tiles or on.mean() > _DENSE:
        return _tile_colours(project, map_, _cells_of(map_, size, grown.made))
    return _largest(on, *size, np.array([_PAPER, _INK], np.uint32))


def _ground_look(project: Project, map_: Map, grown: Grown, size: Size, _tiles: bool) -> Small:
    layer = grown.layer
    assert isinstance(layer, GroundLayer)
    found = project.set_of(layer.tileset, layer.set_name)
    colours = np.full(256, _PAPER, np.uint32)
    for n, each in enumerate(found[1].terrains if found else (), 1):
        colours[n] = 0xFF000000 | int(each.colour[1:], 16)
    if layer.kind_of_set is SetKind.EDGE:
        whole = grown.made
        on = np.maximum(whole[:-1, :-1] & 255, whole[:-1, :-1] >> 8)
        return _largest(on.astype(np.uint8), *size, colours)
    drawn: Small = colours[_cells_of(map_, size, grown.made)]
    return drawn


def _tint_look(_project: Project, map_: Map, grown: Grown, size: Size, _tiles: bool) -> Small:
    cells = _cells_of(map_, size, grown.made).astype(np.int64)
    strength = (cells >> 24 & 127)[..., None] / 127
    colour = np.stack([(cells >> shift) & 255 for shift in (16, 8, 0)], -1)
    paper = np.array([_PAPER >> shift & 255 for shift in (16, 8, 0)])
    mixed = np.rint(paper * (1 - strength) + colour * strength).astype(np.uint32)
    tinted = 0xFF000000 | mixed[..., 0] << 16 | mixed[..., 1] << 8 | mixed[..., 2]
    return np.asarray(tinted, np.uint32)


def _markers_look(_project: Project, map_: Map, grown: Grown, size: Size, _tiles: bool) -> Small:
    out = np.full(size, _PAPER, np.uint32)
    wide, high = map_.lattice.extent
    for each in grown.made:
        x, y = each.middle
        row, col = int(y / high * size[0]), int(x / wide * size[1])
        out[max(0, row - 1) : row + 2, max(0, col - 1) : col + 2] = 0xFFB4472F
    return out


_LOOKS = {GroundLayer: _ground_look, TintLayer: _tint_look, MarkerLayer: _markers_look}
"""What a step made on a kind of layer; on all others it made tiles."""


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


def seam_figure(ground: GroundLayer, lattice: Lattice) -> float:
    """Tell how often terrain changes over a wrapping map's border, against inside: 1 is alike."""
    terrain = ground.terrain[:-1, :-1]
    meeting, there = lattice.meeting(), lattice.exists
    if meeting is not None and there is not None:
        beyond = float((terrain[meeting[0]] != terrain[meeting[1]]).mean())
        both = [there[:-1] & there[1:], there[:, :-1] & there[:, 1:]]
        differs = [terrain[:-1] != terrain[1:], terrain[:, :-1] != terrain[:, 1:]]
        often = float(np.concatenate([each[on] for each, on in zip(differs, both)]).mean())
        return beyond / often if often > 0 else 1.0
    inside, across = [], []
    for each in (terrain, terrain.T):
        across.append(float((each[0] != each[-1]).mean()))
        # Of large maps some lines stand for all: it is asked for whenever the recipe is shown.
        lines = np.unique(np.linspace(1, max(1, len(each) - 1), 128).astype(int))
        lines = lines[lines < len(each)]
        inside.append(float((each[lines] != each[lines - 1]).mean()) if lines.size else 0.0)
    usual = sum(inside)
    return sum(across) / usual if usual > 0 else 1.0
