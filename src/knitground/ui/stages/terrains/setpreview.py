"""What a set that is to be made looks like: its tiles laid out, and a sample of what it knits."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from knitground.core.edit.makeset import made_tileset, set_terrains
from knitground.core.knit.setmaking import SetPlan, make_set
from knitground.core.model.project import Project
from knitground.core.model.terrain import Terrain
from knitground.core.model.tileset import Tileset
from knitground.core.render.pixels import Pixels, premultiplied
from knitground.core.slicing.grid import cut_tile
from knitground.ui.common.setswatch import sample_pixels


class Made(NamedTuple):
    """The sheet, how many tiles it has, these laid out, a sample, and its cells without a tile."""

    tileset: Tileset
    tiles: int
    laid: Pixels
    sample: Pixels
    gaps: int


def preview_set(
    project: Project,
    plan: SetPlan,
    known: Sequence[Terrain | None],
    names: Sequence[str],
    name: str,
) -> Made:
    """Make a set, and look at what it knits; changes nothing.

    Raises
    ------
    EditError
        The plan can not be.
    """
    made = make_set(plan)
    tileset = made_tileset(project, name, plan, made, set_terrains(plan, known, names))
    alone = Project("", None)
    alone.tilesets = [tileset]
    sample, gaps = sample_pixels(alone, tileset, tileset.sets[0])
    return Made(tileset, len(made), _apart(tileset), sample, gaps)


def _apart(tileset: Tileset) -> Pixels:
    """The tiles of a sheet laid out with a little room between them."""
    assert tileset.picture is not None
    cut = tileset.slicing
    room = max(2, min(cut.tile_width, cut.tile_height) // 8)
    high, wide = cut.tile_height + room, cut.tile_width + room
    out = np.zeros((tileset.rows * high, tileset.columns * wide, 4), np.uint8)
    for row_ in range(tileset.rows):
        for col in range(tileset.columns):
            tile = cut_tile(tileset.picture, cut, row_, col)
            at = np.s_[row_ * high : row_ * high + cut.tile_height,
                       col * wide : col * wide + cut.tile_width]  # fmt: skip
            out[at] = tile
    return premultiplied(out)
