"""Running a recipe: every step in order, from one seed."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import partial
from time import perf_counter
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import GrowError
from knitground.core.base.hashing import mix_one
from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.window import Box
from knitground.core.grow.ground import Noise, noise_ground
from knitground.core.grow.mixfill import allowed_cells, fill_from_mix
from knitground.core.grow.rewriting import live_rules
from knitground.core.knit.bridge import build_graph
from knitground.core.knit.layer import layer_table
from knitground.core.knit.repair import close_gaps
from knitground.core.model.layers import Cells, GroundLayer, GrownLayer
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.recipe import MixStep, NoiseStep, RewriteStep
from knitground.core.model.terrain import SetKind


@dataclass(frozen=True, eq=False)
class Grown:
    """What a step made, shares and time.

    `made` is a ground layer's new terrain (height + 1, width + 1), or the cells (height, width) of
    a grown one. `shares` lists (name, part asked for, part laid), parts 0 to 1: of the vertices by
    terrain, or by mix, of the cells that may get a tile.
    """

    layer: GroundLayer | GrownLayer
    made: NDArray[Any]
    shares: tuple[tuple[str, float, float], ...] = field(default=())
    seconds: float = 0.0


def run_recipe(project: Project, map_: Map, progress: Progress = no_progress) -> list[Grown]:
    """Run a map's recipe without changing the map.

    Raises
    ------
    GrowError
        The recipe is empty, or a step's layer, terrain set or shares can not be used.
    Cancelled
        From `progress`.
    """
    steps = map_.recipe.steps
    if not steps:
        raise GrowError(f"the recipe of map “{map_.name}” has no step yet: add one in Grow")
    results: list[Grown] = []
    for place, step in enumerate(steps):
        progress(place / len(steps))
        part = partial(_part_of, progress, place, len(steps))
        results += _RUN[type(step)](project, map_, step, place, results, part)
    progress(1.0)
    return results


def grown_cells(project: Project, map_: Map, layer: GrownLayer, box: Box) -> Cells:
    """Give what the recipe grows in a box of a layer, pins apart; empty if no step makes it.

    A part is what the same part of the whole is. On a map that wraps the box may reach over the
    border.
    """
    # Of several steps on one layer the last one counts, as when the recipe runs.
    for place, step in reversed(list(enumerate(map_.recipe.steps))):
        if isinstance(step, MixStep) and step.layer == layer.number:
            return fill_from_mix(project, map_, step, place, box)
        if isinstance(step, RewriteStep):
            live = live_rules(project, map_, step, place)
            if any(each is layer for each in live.layers.values()):
                return live.cells(box)[layer.number]
    return np.zeros((box.height, box.width), np.int32)


def run_mix(
    project: Project, map_: Map, step: MixStep, place: int, before: Sequence[Grown] = ()
) -> Grown:
    """Run one mix-fill step, the `place`-th of the recipe, on ground that steps `before` made."""
    begun = perf_counter()
    layer = map_.layer_numbered(step.layer)
    if not isinstance(layer, GrownLayer):
        raise GrowError(
            f"step {place + 1} fills grown layer {step.layer}, which is not there: choose another"
        )
    terrains = {each.layer.number: each.made for each in before}
    box = Box(0, 0, map_.height, map_.width)
    cells = fill_from_mix(project, map_, step, place, box, terrains)
    room = int(allowed_cells(project, map_, step, place, box, terrains).sum())
    shares = ((step.mix, step.density, float(np.count_nonzero(cells)) / max(1, room)),)
    return Grown(layer, cells, shares, perf_counter() - begun)


def run_rewrite(
    project: Project, map_: Map, step: RewriteStep, place: int, before: Sequence[Grown] = ()
) -> list[Grown]:
    """Run one rewrite step, the `place`-th of the recipe, on what steps `before` made."""
    begun = perf_counter()
    cells = {each.layer.number: each.made for each in before if isinstance(each.layer, GrownLayer)}
    grounds = {each.layer.number: each.made for each in before
               if isinstance(each.layer, GroundLayer)}  # fmt: skip
    live = live_rules(project, map_, step, place, cells, grounds)
    made = live.cells(Box(0, 0, map_.height, map_.width))
    seconds = perf_counter() - begun
    out = []
    for layer in live.layers.values():
        laid = float(np.count_nonzero(made[layer.number])) / max(1, layer.cells.size)
        out.append(Grown(layer, made[layer.number], ((step.rules, 0.0, laid),), seconds))
    return out


def _part_of(progress: Progress, place: int, count: int, done: float) -> None:
    progress((place + done) / count)


def run_noise(
    project: Project, map_: Map, step: NoiseStep, place: int, progress: Progress = no_progress
) -> Grown:
    """Run one noise-ground step, the `place`-th of the recipe."""
    begun = perf_counter()
    layer = map_.layer_numbered(step.layer)
    if not isinstance(layer, GroundLayer):
        raise GrowError(f"step {place + 1} asks for ground layer {step.layer}, which is not there")
    found = project.set_of(layer.tileset, layer.set_name)
    if found is None:
        raise GrowError(
            f"layer “{layer.name}” uses terrain set “{layer.set_name}” of “{layer.tileset}”, "
            "which is not there: choose another set for the layer"
        )
    _check_step(step)
    kit = found[1]
    parts = {kit.number_of(name): share for name, share in step.shares if kit.number_of(name)}
    height, width = map_.height, map_.width
    size = (height, width) if map_.wrap else (height + 1, width + 1)
    if kit.kind is not SetKind.CORNER:
        raise GrowError(
            f"step {place + 1} lays noise ground, which needs a corner set; “{layer.set_name}” of "
            f"layer “{layer.name}” is an {kit.kind.value} set: choose another layer"
        )
    table = layer_table(project, map_, layer)
    graph = build_graph(table)
    noise = Noise(step.scale, step.octaves, mix_one(map_.recipe.seed, place))
    laid_out = noise_ground(graph, parts, size, map_.wrap, noise)
    ground = close_gaps(table, laid_out, map_.wrap, progress=progress)
    terrain = np.pad(ground, ((0, 1), (0, 1)), mode="wrap") if map_.wrap else ground
    total = sum(parts.values())
    laid = np.bincount(ground.ravel(), minlength=len(kit.terrains) + 1) / ground.size
    shares = tuple(
        (each.name, parts.get(n, 0.0) / total, float(laid[n]))
        for n, each in enumerate(kit.terrains, 1)
        if n in parts or laid[n] > 0
    )
    return Grown(layer, terrain, shares, perf_counter() - begun)


_RUN: dict[type, Callable[..., list[Grown]]] = {
    NoiseStep: lambda project, map_, step, place, before, progress: [
        run_noise(project, map_, step, place, progress)
    ],
    MixStep: lambda project, map_, step, place, before, progress: [
        run_mix(project, map_, step, place, before)
    ],
    RewriteStep: lambda project, map_, step, place, before, progress: run_rewrite(
        project, map_, step, place, before
    ),
}
"""What runs each kind of step: (project, map, step, place, what was made before, progress)."""


def _check_step(step: NoiseStep) -> None:
    if not 2 <= step.scale <= 4096:
        raise GrowError(f"scale {step.scale} is out of bounds: give 2 to 4096 cells")
    if not 1 <= step.octaves <= 8:
        raise GrowError(f"{step.octaves} octaves are out of bounds: give 1 to 8")
    if any(share < 0 for _, share in step.shares):
        raise GrowError("a share is negative: give 0 or more")
