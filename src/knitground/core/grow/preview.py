"""What a recipe would make, as a picture: nothing of the map is changed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import GrowError
from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import say
from knitground.core.base.window import Box
from knitground.core.grow.runner import last_made, run_recipe
from knitground.core.grow.work import Grown
from knitground.core.knit.knit import knit_box
from knitground.core.knit.layer import layer_table
from knitground.core.model.lattice import Rect
from knitground.core.model.layers import GroundLayer
from knitground.core.model.map import Legend, Map, as_laid
from knitground.core.model.project import Project
from knitground.core.model.recipe import Recipe
from knitground.core.render.atlas import Atlas
from knitground.core.render.stack import draw, stack_of

Pixels = NDArray[np.uint32]


def stand_in(map_: Map, recipe: Recipe | None = None) -> Map:
    """Make a map with layers and a legend of its own, which may be grown without changing it."""
    out = map_.blank()
    out.legend = Legend()
    for tile in map_.legend.tiles[1:]:
        if tile is not None:
            out.legend.place(tile)
    out.layers = [replace(each) for each in map_.layers]
    out.recipe = recipe or map_.recipe
    out.background = map_.background
    return out


def grow_stand_in(project: Project, map_: Map, progress: Progress = no_progress) -> list[Grown]:
    """Run the recipe of a stand-in, lay what it made on it and knit it afresh."""
    grown = run_recipe(project, map_, progress, skipped=[])
    lay_on(map_, grown)
    knit_stand_in(project, map_)
    return grown


def lay_on(map_: Map, grown: Sequence[Grown]) -> None:
    """Lay what steps made on the layers of a stand-in; pins stay."""
    for each in last_made(grown):
        layer = map_.layer_numbered(each.layer.number)
        if layer is not None:
            setattr(layer, layer.grown, layer.with_grown(each.made))


def knit_stand_in(project: Project, map_: Map) -> None:
    """Knit all ground layers of a stand-in afresh."""
    box = Box(0, 0, map_.height, map_.width)
    for layer in map_.layers:
        if isinstance(layer, GroundLayer):
            layer.cells = knit_box(layer_table(project, map_, layer), layer, box, wrap=map_.wrap)


def grown_picture(
    project: Project,
    map_: Map,
    recipe: Recipe,
    size: tuple[int, int],
    progress: Progress = no_progress,
) -> Pixels:
    """Draw what a recipe would make of a map, within a height and a width in pixels."""
    trial = stand_in(map_, recipe)
    grow_stand_in(project, trial, progress)
    return fitted_picture(project, trial, size)


def alone_picture(
    project: Project,
    map_: Map,
    place: int,
    size: tuple[int, int],
    progress: Progress = no_progress,
) -> tuple[Pixels, str]:
    """Draw only what one step makes, of all before it, and say in words what that is.

    Raises
    ------
    GrowError
        The step can not run.
    """
    trial = stand_in(map_)
    skipped: list[str] = []
    grown = run_recipe(project, trial, progress, until=place + 1, skipped=skipped)
    own = [each for each in grown if each.step == place]
    if not own:
        raise GrowError(
            skipped[-1] if skipped else say("step {place} is switched off", place=place + 1)
        )
    lay_on(trial, grown)
    numbers = {each.layer.number for each in own}
    trial.layers = [each for each in trial.layers if each.number in numbers]
    for layer in trial.layers:
        layer.visible = True
    knit_stand_in(project, trial)
    shares = ", ".join(f"{name} {laid:.1%}" for name, _, laid in own[0].shares)
    return fitted_picture(project, trial, size), " · ".join(
        part for part in (own[0].words, shares) if part
    )


def fitted_picture(project: Project, map_: Map, size: tuple[int, int]) -> Pixels:
    """Draw a knitted map by whole halvings, less than twice as large as a height and a width."""
    level, last = 0, map_.lattice.level_count - 1
    while level < last:
        wide, high = map_.lattice.at_level(level).extent
        if high < 2 * size[0] and wide < 2 * size[1]:
            break
        level += 1
    atlas = Atlas(project, map_)

    rect = Rect(0, 0, *atlas.lattice(level).extent)
    return draw(atlas, stack_of(map_, atlas, rect, level, as_laid(map_)))
