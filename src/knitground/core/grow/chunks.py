"""Chunks that fit: maps grown with different seeds whose borders are interchangeable.

All have the border of the first, which wraps: so any of them meets any other, and itself, without
a seam.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import GrowError
from knitground.core.base.hashing import mix_one
from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import say
from knitground.core.grow.preview import fitted_picture, grow_stand_in, knit_stand_in, stand_in
from knitground.core.grow.work import Work
from knitground.core.model.layers import GroundLayer, MarkerLayer
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.terrain import SetKind

BAND = 3
"""Places along the border that all chunks share."""
COUNTS = (4, 9, 16)
_FIRM = 1 << 40


def grow_chunks(
    project: Project, map_: Map, count: int, progress: Progress = no_progress
) -> list[Map]:
    """Grow maps whose borders fit each other; the first is the map as it is.

    Parameters
    ----------
    count : of maps, the first one included

    Raises
    ------
    GrowError
        The map does not wrap, has no recipe, or is too small to have an inside.
    """
    if not map_.wrap:
        raise GrowError(
            say(
                "“{name}” does not wrap: chunks fit by its border; let it wrap first",
                name=map_.name,
            )
        )
    if map_.lattice.torus is None:
        raise GrowError(
            say(
                "“{name}” is staggered: chunks are cut along straight borders, of square and "
                "diamond maps",
                name=map_.name,
            )
        )
    if not map_.recipe.steps:
        raise GrowError(
            say("the recipe of “{name}” has no step yet: add one first", name=map_.name)
        )
    if min(map_.height, map_.width) < 4 * BAND:
        raise GrowError(
            say(
                "“{name}” has {height} × {width} cells: chunks need {band} a side",
                name=map_.name,
                height=map_.height,
                width=map_.width,
                band=4 * BAND,
            )
        )
    out = [stand_in(map_)]
    for number in range(1, count):
        progress(number / count)
        seed = map_.recipe.seed + number
        trial = stand_in(map_, replace(map_.recipe, seed=seed))
        grow_stand_in(project, trial)
        for layer in trial.layers:
            first = map_.layer_numbered(layer.number)
            if isinstance(layer, GroundLayer) and isinstance(first, GroundLayer):
                layer.terrain = _with_border(project, trial, layer, first.terrain, number)
            elif isinstance(layer, MarkerLayer):
                inside = (each for each in layer.markers if _is_inside(trial, each.middle))
                layer.markers = tuple(inside)
            elif first is not None and layer.cells is not first.cells:
                layer.cells = _framed(layer.cells, first.cells)
        knit_stand_in(project, trial)
        trial.name = f"{map_.name} {number + 1}"
        out.append(trial)
    return out


def _band(size: tuple[int, int], width: int) -> NDArray[np.bool_]:
    out = np.ones(size, np.bool_)
    out[width : size[0] - width, width : size[1] - width] = False
    return out


def _framed(cells: NDArray[Any], first: NDArray[Any]) -> NDArray[Any]:
    """Take the border of the first map."""
    return np.where(_band(cells.shape, BAND), first, cells)


def _is_inside(map_: Map, at: tuple[float, float]) -> bool:
    col, row = map_.lattice.places(*at)
    return BAND <= row < map_.height - BAND and BAND <= col < map_.width - BAND


def _with_border(
    project: Project, trial: Map, layer: GroundLayer, first: NDArray[Any], number: int
) -> NDArray[Any]:
    """Put the first map's border round new ground, and let the inside give way."""
    if layer.kind_of_set is not SetKind.CORNER:
        band = np.zeros(layer.terrain.shape, np.bool_)
        band[:-1, :-1] = _band((trial.height, trial.width), BAND)
        band[-1], band[:, -1] = True, True
        return np.where(band, first, layer.terrain)
    work = Work(project, trial, 0)
    own, wanted = layer.terrain[:-1, :-1], first[:-1, :-1]
    chance = np.arange(own.size, dtype=np.int64).reshape(own.shape) * mix_one(number, 5) & 0xFFFF
    for more in range(8):
        # What touches the border is parted from it; should the border itself have given way, more
        # of the first map is taken in.
        band = _band(own.shape, BAND + more * 2)
        mixed = np.where(band, wanted, own).astype(np.uint8)
        made = work.joined(layer, mixed, np.where(band, _FIRM, chance))
        firm = _band(own.shape, BAND)
        if (made[firm] == wanted[firm]).all():
            return work.as_terrain(layer, made)
    return np.array(first)


def laid_out(
    project: Project, chunks: list[Map], side: int, seed: int, size: tuple[int, int]
) -> NDArray[np.uint32]:
    """Draw chunks side by side at random, `side` a side, within a height and a width."""
    each = (size[0] // side, size[1] // side)
    pictures = [fitted_picture(project, chunk, each) for chunk in chunks]
    rows = []
    for row in range(side):
        chosen = [mix_one(seed, row, col) % len(pictures) for col in range(side)]
        rows.append(np.concatenate([pictures[n] for n in chosen], axis=1))
    return np.ascontiguousarray(np.concatenate(rows))
