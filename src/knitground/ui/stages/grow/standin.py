"""Stand-ins of a map for work beside the window."""

from __future__ import annotations

from knitground.core.base.tongue import say
from knitground.core.grow.work import Grown
from knitground.core.model.layers import GroundLayer
from knitground.core.model.map import Map
from knitground.core.model.recipe import Recipe
from knitground.ui.common.words import percent


def off_words(grown: list[Grown]) -> str:
    """Say how far noise ground is from the shares that were asked for."""
    shares = [
        s for each in grown if isinstance(each.layer, GroundLayer) and not each.words
        for s in each.shares
    ]  # fmt: skip
    worst = max((abs(a - b) for _, a, b in shares), default=0.0)
    if worst < 0.0005:
        return say("shares exact")
    return say(
        "shares within {percent}: borders need room; a larger scale gives more",
        percent=percent(worst),
    )


def with_recipe(map_: Map, recipe: Recipe) -> Map:
    """Make a stand-in for a map with another recipe, for the thread; it shares all else."""
    trial = map_.blank()
    trial.layers, trial.legend, trial.recipe = list(map_.layers), map_.legend, recipe
    return trial
