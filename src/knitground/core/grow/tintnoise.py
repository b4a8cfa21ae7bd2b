"""Tint by noise: one colour, stronger here and weaker there."""

from __future__ import annotations

import numpy as np

from knitground.core.base.tongue import say
from knitground.core.grow.noise import noise_on
from knitground.core.grow.stepkind import OCTAVES, SCALE, As, Setting, StepKind
from knitground.core.grow.work import Grown, Work
from knitground.core.model.layers import TintLayer
from knitground.core.model.recipe import TintStep


def run_tint(work: Work, step: TintStep) -> list[Grown]:
    """Make the colours of a tint layer; where conditions hold in part, weaker."""
    layer = work.layer(step.layer, TintLayer, "tint")
    field = noise_on(work.map.lattice, work.size, step.scale, step.octaves, work.seed)
    part = step.even + (1 - step.even) * np.clip(0.5 + field / 3, 0, 1)
    dense = work.where(step.where)
    if dense is not None:
        part = part * dense
    strength = np.rint(part * step.strength).astype(np.int32)
    colour = int(step.colour[1:], 16)
    made = np.where(strength > 0, strength << 24 | colour, 0).astype(np.int32)
    before = next((e.made for e in reversed(work.before) if e.layer is layer), None)
    if before is not None:  # several tints of one layer lie over each other
        made = np.where(strength > 0, made, before)
    laid = float((strength > 0).mean())
    return [Grown(layer, made, words=say("{laid:.0%} of the cells tinted", laid=laid))]


TINT = StepKind(
    TintStep,
    say("Tint by noise"),
    say("A colour, stronger here and weaker there"),
    (TintLayer,),
    run_tint,
    lambda at: TintStep(at.layer.number),
    (
        Setting("colour", say("Colour"), As.COLOUR, say("Multiplied over what lies beneath")),
        Setting("strength", say("Strength"), As.SLIDER, say("At its strongest"), 1, 127),
        SCALE,
        OCTAVES,
        Setting("even", say("Even"), As.PART, say("How much of it lies everywhere")),
    ),
    covers=True,
    over_border=True,
)
