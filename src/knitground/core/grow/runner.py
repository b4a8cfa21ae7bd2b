"""Running a recipe: every step in order, from one seed."""

from __future__ import annotations

from dataclasses import dataclass, field
from time import perf_counter

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import GrowError
from knitground.core.base.hashing import mix_one
from knitground.core.base.progress import Progress, no_progress
from knitground.core.grow.ground import Noise, noise_ground
from knitground.core.knit.bridge import build_graph
from knitground.core.knit.layer import layer_table
from knitground.core.knit.repair import close_gaps
from knitground.core.model.layers import GroundLayer
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.recipe import NoiseStep
from knitground.core.model.terrain import SetKind


@dataclass(frozen=True, eq=False)
class Grown:
    """What a step made: a layer's new terrain (height + 1, width + 1), shares and time.

    `shares` lists (terrain's name, part asked for, part laid), parts 0 to 1 of the vertices.
    """

    layer: GroundLayer
    terrain: NDArray[np.uint8]
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
    results = []
    for place, step in enumerate(steps):
        progress(place / len(steps))
        results.append(run_noise(project, map_, step, place))
    progress(1.0)
    return results


def run_noise(project: Project, map_: Map, step: NoiseStep, place: int) -> Grown:
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
    ground = close_gaps(table, noise_ground(graph, parts, size, map_.wrap, noise), map_.wrap)
    terrain = np.pad(ground, ((0, 1), (0, 1)), mode="wrap") if map_.wrap else ground
    total = sum(parts.values())
    laid = np.bincount(ground.ravel(), minlength=len(kit.terrains) + 1) / ground.size
    shares = tuple(
        (each.name, parts.get(n, 0.0) / total, float(laid[n]))
        for n, each in enumerate(kit.terrains, 1)
        if n in parts or laid[n] > 0
    )
    return Grown(layer, terrain, shares, perf_counter() - begun)


def _check_step(step: NoiseStep) -> None:
    if not 2 <= step.scale <= 4096:
        raise GrowError(f"scale {step.scale} is out of bounds: give 2 to 4096 cells")
    if not 1 <= step.octaves <= 8:
        raise GrowError(f"{step.octaves} octaves are out of bounds: give 1 to 8")
    if any(share < 0 for _, share in step.shares):
        raise GrowError("a share is negative: give 0 or more")
