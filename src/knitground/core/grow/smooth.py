"""Smooth: terrain by majority of its surroundings, shares kept; islands and holes taken away.

Own derivation: where the majority wants another terrain, places swap with others that want the
opposite, the surest first, so that every terrain keeps its number of places.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.tongue import say
from knitground.core.grow.distance import parts_of
from knitground.core.grow.stepkind import AREAS, ON_GROUND, As, Setting, StepKind
from knitground.core.grow.work import Grown, Mask, Places, Work
from knitground.core.model.layers import GroundLayer
from knitground.core.model.limits import MAX_PASSES
from knitground.core.model.recipe import SmoothStep


def run_smooth(work: Work, step: SmoothStep) -> list[Grown]:
    """Smooth the terrain that a ground layer has by now."""
    ground = work.layer(step.layer, GroundLayer, "ground")
    places = work.places(ground)
    free = work.on_places(ground, work.mask(step))
    before = places.copy()
    for number in range(step.passes):
        work.progress(number / max(1, step.passes))
        places = majority(places, free, wrap=work.goes_round, keeps=step.keeps_shares)
    if step.least > 1:
        places = without_islands(places, free, step.least, wrap=work.goes_round)
    places = work.joined(ground, places)
    terrain = work.as_terrain(ground, places)
    asked = np.bincount(before.ravel(), minlength=256)
    wanted = {n: float(asked[n]) for n in np.flatnonzero(asked).tolist()}
    changed = float((places != before).mean())
    words = say("{changed:.1%} of the places changed", changed=changed)
    return [Grown(ground, terrain, work.shares_laid(ground, places, wanted), words=words)]


def majority(places: Places, free: Mask, *, wrap: bool, keeps: bool) -> Places:
    """Give each place the terrain that most of its eight neighbours have, itself counted twice."""
    kinds = np.unique(places)
    if len(kinds) < 2:
        return places
    counts = np.stack([_near(places == kind, wrap=wrap) for kind in kinds])
    own = np.searchsorted(kinds, places)
    here = np.take_along_axis(counts, own[None], 0)[0]
    best = counts.argmax(0)
    gain = np.where(free, counts.max(0) - here, 0)
    out = places.copy()
    if not keeps:
        out[gain > 0] = kinds[best[gain > 0]]
        return out
    flat_gain, flat_best, flat_own = gain.ravel(), best.ravel(), own.ravel()
    order = np.argsort(-flat_gain, kind="stable")
    order = order[flat_gain[order] > 0]
    target = out.ravel()
    for a in range(len(kinds)):
        for b in range(a + 1, len(kinds)):
            there = order[(flat_own[order] == a) & (flat_best[order] == b)]
            back = order[(flat_own[order] == b) & (flat_best[order] == a)]
            count = min(len(there), len(back))
            target[there[:count]], target[back[:count]] = kinds[b], kinds[a]
    return out


def _near(mask: Mask, *, wrap: bool) -> NDArray[np.int32]:
    """Count a mask in the 3 × 3 places round each, the middle twice."""
    wide = np.pad(mask, 1, mode="wrap" if wrap else "edge").astype(np.int32)
    rows = wide[:-2] + wide[1:-1] + wide[2:]
    out: NDArray[np.int32] = rows[:, :-2] + rows[:, 1:-1] + rows[:, 2:] + mask
    return out


def without_islands(places: Places, free: Mask, least: int, *, wrap: bool) -> Places:
    """Let parts of fewer places take the terrain that most of their neighbours have."""
    out = places.copy()
    kinds = np.unique(places)
    for kind in kinds.tolist():
        numbers, count = parts_of(out == kind, wrap=wrap, corners=False)
        sizes = np.bincount(numbers.ravel(), minlength=count + 1)
        is_small = sizes < least
        is_small[0] = False
        if not is_small.any():
            continue
        wide = np.pad(out, 1, mode="wrap" if wrap else "edge")
        inside = is_small[numbers] & free
        rows, cols = np.nonzero(inside)
        part = (np.cumsum(is_small) - 1)[numbers[rows, cols]]  # small ones, numbered anew
        votes = np.zeros((int(is_small.sum()), len(kinds)), np.intp)
        for down, across in ((0, 1), (2, 1), (1, 0), (1, 2)):
            near = np.searchsorted(kinds, wide[rows + down, cols + across])
            votes += np.bincount(part * len(kinds) + near, minlength=votes.size).reshape(
                votes.shape
            )
        votes[:, kinds == kind] = 0
        new = np.where(votes.any(axis=1), kinds[votes.argmax(axis=1)], kind).astype(np.uint8)
        out[inside] = new[part]
    return out


SMOOTH = StepKind(
    SmoothStep,
    say("Smooth"),
    say("Round what is ragged; islands and holes go"),
    ON_GROUND,
    run_smooth,
    lambda at: SmoothStep(at.layer.number),
    (
        Setting(
            "passes",
            say("Passes"),
            As.SLIDER,
            say("How often; 0 only takes islands away"),
            0,
            MAX_PASSES,
        ),
        Setting(
            "least",
            say("Least"),
            As.SLIDER,
            say("Islands and holes of fewer places go"),
            0,
            60,
            unit=say(" places"),
        ),
        Setting(
            "keeps_shares", say("keeps the shares"), As.CHECK, say("Each terrain keeps its places")
        ),
    ),
    AREAS,
)
