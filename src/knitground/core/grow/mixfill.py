"""Mix fill: cells of a grown layer, drawn from a mix by counted chance."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import EditError, GrowError
from knitground.core.base.hashing import mix_one
from knitground.core.base.tongue import say
from knitground.core.base.window import Box, index, read
from knitground.core.grow.patchwork import mix_cells
from knitground.core.grow.stepkind import DENSITY, MIX, ON_GROWN, As, Setting, StepKind
from knitground.core.grow.taking import Lie, by_chance, taken_cells
from knitground.core.grow.work import Grown, Work
from knitground.core.model.layers import Cells, GroundLayer, GrownLayer, Layer
from knitground.core.model.map import Map
from knitground.core.model.mix import FallWay, Mix
from knitground.core.model.project import Project
from knitground.core.model.recipe import PLACES, MixStep
from knitground.core.rules.board import Terrains, terrain_slots


def fill_from_mix(
    project: Project,
    map_: Map,
    step: MixStep,
    place: int,
    box: Box,
    terrains: Terrains | None = None,
    held: NDArray[np.float32] | None = None,
    cells: Callable[[Layer], Cells] | None = None,
) -> Cells:
    """Draw the cells of a box.

    Parameters
    ----------
    place : of the step in the recipe: each draws numbers of its own
    terrains : made by earlier steps and not laid yet
    held : (height, width) how far the step's conditions hold in each cell of the map, 0 to 1
    cells : what a layer holds once earlier steps have run; without it what it holds now

    Raises
    ------
    GrowError
        The mix, or the ground layer, is not there, or a number is out of bounds.
    """
    mix = _mix_of(project, step, place)
    whole = Box(0, 0, map_.height, map_.width)
    if (mix.fall.way is FallWay.DEALT or mix.has_patches) and box != whole:
        # Shares that are exact are so among all cells of the map; patches may reach out of a box.
        return read(fill_from_mix(project, map_, step, place, whole, terrains, held, cells), box)
    rows, cols = box.rows(map_.height), box.cols(map_.width)
    seed = mix_one(map_.recipe.seed, map_.recipe.salt_of(place))
    made = terrains or {}
    laid_by = cells or _laid_now
    lie = Lie(
        project, map_, lambda each, part: map_.lattice.read(laid_by(each), part),
        lambda each: made.get(each.number, each.terrain),
    )  # fmt: skip
    laid = allowed_cells(project, map_, step, place, box, terrains)
    if held is not None:
        part = held[index(box, map_.height, map_.width)]
        laid &= by_chance(part, rows, cols, seed, step.layer)
    try:
        laid &= taken_cells(lie, mix.fall, step.layer, box, seed, step.density, step.on)
        fallen = mix_cells(map_, mix, step.layer, box, seed, laid, laid)
    except EditError as error:
        raise GrowError(
            say("step {place}: mix “{name}”: {error}", place=place + 1, name=mix.name, error=error)
        ) from error
    return np.where(laid, fallen, 0)


def _laid_now(layer: Layer) -> Cells:
    return layer.cells


def _mix_of(project: Project, step: MixStep, place: int) -> Mix:
    mix = next((each for each in project.mixes if each.name == step.mix), None)
    if mix is None:
        raise GrowError(
            say(
                "step {place} draws from mix “{mix}”, which is not there",
                place=place + 1,
                mix=step.mix,
            )
        )
    if sum(mix.weights) <= 0:
        raise GrowError(
            say(
                "step {place}: mix “{mix}” has no tile with a weight over 0",
                place=place + 1,
                mix=step.mix,
            )
        )
    if not 0 <= step.density <= 1:
        raise GrowError(
            say(
                "step {place}: density {density:g} is out of bounds: give 0 to 1",
                place=place + 1,
                density=step.density,
            )
        )
    if step.place not in PLACES:
        raise GrowError(
            say(
                "step {place}: “{place2}” is none of {list}",
                place=place + 1,
                place2=step.place,
                list=list(PLACES),
            )
        )
    return mix


def allowed_cells(
    project: Project,
    map_: Map,
    step: MixStep,
    place: int,
    box: Box,
    terrains: Terrains | None = None,
) -> NDArray[np.bool_]:
    """Tell for the cells of a box whether the step's ground lets tiles lie there."""
    if not step.on:
        return np.ones((box.height, box.width), np.bool_)
    ground = map_.layer_numbered(step.on)
    found = (
        project.set_of(ground.tileset, ground.set_name) if isinstance(ground, GroundLayer) else None
    )
    if not isinstance(ground, GroundLayer) or found is None:
        raise GrowError(
            say(
                "step {place} looks at ground layer {on}, which is not there: choose another",
                place=place + 1,
                on=step.on,
            )
        )
    slots = terrain_slots(map_, ground, box, (terrains or {}).get(step.on, ground.terrain))
    named = np.zeros(256, np.bool_)
    marks = [found[1].number_of(name) for name in step.terrains]
    named[[mark for mark in marks if mark] if step.terrains else slice(1, None)] = True
    inside = named[slots].all(axis=0)
    if step.place == "inside":
        return np.asarray(inside)
    return np.asarray(inside & (slots != slots[0]).any(axis=0))


def run_mix(work: Work, step: MixStep) -> list[Grown]:
    """Fill a grown layer from a mix."""
    layer = work.map.layer_numbered(step.layer)
    if not isinstance(layer, GrownLayer):
        raise GrowError(
            say(
                "{number} fills grown layer {layer}, which is not there: choose another",
                number=work.number,
                layer=step.layer,
            )
        )
    terrains = {each.layer.number: each.made for each in work.before
                if isinstance(each.layer, GroundLayer)}  # fmt: skip
    box = Box(0, 0, *work.size)
    project, map_, place = work.project, work.map, work.place
    held = work.where(step.where)
    cells = fill_from_mix(project, map_, step, place, box, terrains, held, work.cells)
    allowed = allowed_cells(project, map_, step, place, box, terrains)
    if held is not None:
        allowed &= held > 0
    laid = float(np.count_nonzero(cells)) / max(1, int(allowed.sum()))
    before = work.own_cells(layer)
    return [Grown(layer, np.where(cells > 0, cells, before), ((step.mix, step.density, laid),))]


MIX_FILL = StepKind(
    MixStep,
    say("Mix fill"),
    say("Cells drawn from a mix by chance"),
    ON_GROWN,
    run_mix,
    lambda at: MixStep(at.layer.number, at.mix),
    (
        MIX,
        DENSITY,
        Setting("on", say("On"), As.GROUND, say("The ground layer that says where tiles may lie")),
        Setting(
            "place",
            say("Place"),
            As.CHOICE,
            say("Inside terrains, or where they meet"),
            options=PLACES,
        ),
        Setting("terrains", say("Terrains"), As.TERRAINS, say("None chosen: any terrain"), on="on"),
    ),
    alone=True,
    over_border=True,
)
