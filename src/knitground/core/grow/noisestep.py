"""The step that lays ground by noise."""

from __future__ import annotations

import numpy as np

from knitground.core.base.errors import GrowError
from knitground.core.base.tongue import say
from knitground.core.grow.ground import Noise, noise_ground
from knitground.core.grow.sides import run_noise_sides
from knitground.core.grow.stepkind import (
    OCTAVES,
    ON_GROUND,
    SCALE,
    SHARES,
    As,
    Setting,
    StepKind,
    even_shares,
)
from knitground.core.grow.work import Grown, Work
from knitground.core.knit.bridge import build_graph
from knitground.core.model.layers import GroundLayer
from knitground.core.model.recipe import NoiseForm, NoiseStep
from knitground.core.model.standing import standing_of
from knitground.core.model.terrain import SetKind


def run_noise(work: Work, step: NoiseStep) -> list[Grown]:
    """Lay ground by noise, with the shares asked for."""
    map_ = work.map
    layer = map_.layer_numbered(step.layer)
    if not isinstance(layer, GroundLayer):
        raise GrowError(
            say(
                "{number} asks for ground layer {layer}, which is not there",
                number=work.number,
                layer=step.layer,
            )
        )
    _, kit = work.kit(layer)
    _check_step(step)
    noise = Noise(
        step.scale, step.octaves, work.seed, step.form, step.stretch, step.turn, map_.lattice
    )
    if kit.kind is SetKind.EDGE:
        return run_noise_sides(work, step, layer, noise)
    parts = {kit.number_of(name): share for name, share in step.shares if kit.number_of(name)}
    if kit.kind is SetKind.RING:
        nothing = sum(share for name, share in step.shares if not name)
        return [_noise_areas(work, step, layer, {**parts, 0: nothing} if nothing else parts, noise)]
    size = standing_of(layer.kind_of_set).places(map_.lattice)
    shown = work.shown(layer)
    graph = build_graph(work.table(layer))
    ground = work.closed(layer, noise_ground(graph, parts, size, work.goes_round, noise, shown))
    if step.where:
        old = work.places(layer)
        free = work.on_places(layer, work.mask(step))
        ground = work.joined(layer, np.where(free, ground, old).astype(np.uint8))
    total = sum(parts.values())
    some = ground.ravel() if shown is None else ground[shown]
    laid = np.bincount(some, minlength=len(kit.terrains) + 1) / max(1, some.size)
    shares = tuple(
        (each.name, parts.get(n, 0.0) / total, float(laid[n]))
        for n, each in enumerate(kit.terrains, 1)
        if n in parts or laid[n] > 0
    )
    return [Grown(layer, work.as_terrain(layer, ground), shares)]


def _noise_areas(
    work: Work, step: NoiseStep, layer: GroundLayer, parts: dict[int, float], noise: Noise
) -> Grown:
    """Lay the terrains of a ring set, and nothing, in exact shares: none borders on another."""
    from knitground.core.grow.shares import cut_shares, exact_counts

    marks = sorted(parts)
    if not any(parts.values()):
        raise GrowError(
            say("every share is 0, so nothing can grow: give one terrain a share over 0")
        )
    shown = work.shown(layer)
    total = work.size[0] * work.size[1] if shown is None else int(shown.sum())
    counts = exact_counts([parts[n] for n in marks], total)
    levels = cut_shares(noise.field(work.size, 0), counts, shown)
    made = np.array(marks, np.uint8)[levels]
    if step.where:
        made = np.where(work.mask(step), made, work.places(layer)).astype(np.uint8)
    return Grown(layer, work.as_terrain(layer, made), work.shares_laid(layer, made, parts))


def _check_step(step: NoiseStep) -> None:
    if not 2 <= step.scale <= 4096:
        raise GrowError(
            say("scale {scale} is out of bounds: give 2 to 4096 cells", scale=step.scale)
        )
    if not 1 <= step.octaves <= 8:
        raise GrowError(
            say("{octaves} octaves are out of bounds: give 1 to 8", octaves=step.octaves)
        )
    if any(share < 0 for _, share in step.shares):
        raise GrowError(say("a share is negative: give 0 or more"))


NOISE = StepKind(
    NoiseStep,
    say("Noise ground"),
    say("Terrain laid by noise, as much of each as you say"),
    ON_GROUND,
    run_noise,
    lambda at: NoiseStep(at.layer.number, shares=even_shares(at)),
    (
        SCALE,
        OCTAVES,
        Setting(
            "form",
            say("Form"),
            As.CHOICE,
            say("Plain, in long ridges, or billowed"),
            options=tuple(NoiseForm),
        ),
        Setting(
            "stretch",
            say("Stretched"),
            As.SLIDER,
            say("How many times longer than wide"),
            1,
            8,
            0.5,
            " ×",
        ),
        Setting(
            "turn", say("Turned"), As.SLIDER, say("Direction of what is stretched"), 0, 180, 5, "°"
        ),
        SHARES,
    ),
    covers=True,
    over_border=True,
)
