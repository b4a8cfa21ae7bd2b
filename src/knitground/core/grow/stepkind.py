"""A kind of recipe step: what it is called, on which layers it works, how it begins and runs."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.grow.work import Grown, Work
from knitground.core.model.layers import GroundLayer, GrownLayer, Layer
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.standing import standing_of
from knitground.core.model.terrain import SetKind

AREAS = tuple(kind for kind in SetKind if standing_of(kind).areas)
"""Kinds of sets whose terrain covers areas."""
ON_GROUND, ON_GROWN = (GroundLayer,), (GrownLayer,)


class As(StrEnum):
    """How a setting is shown."""

    SLIDER = "slider"
    PART = "part"
    WHOLE = "whole"
    CHOICE = "choice"
    TEXT = "text"
    COLOUR = "colour"
    CHECK = "check"
    TERRAIN = "terrain"
    TERRAINS = "terrains"
    MIX = "mix"
    RULES = "rules"
    GROUND = "ground"
    LAYER = "layer"
    SHEET = "sheet"
    SET = "set"
    SHARES = "shares"
    MARKER = "marker"
    TAG = "tag"


@dataclass(frozen=True)
class Setting:
    """One setting of a step.

    Parameters
    ----------
    of : the attribute
    low, high, step : bounds of numbers
    options, names : of a choice, and how they are called if not by themselves
    on : attribute that names the layer whose terrains are meant
    only : attribute and value without which the setting means nothing, and is hidden
    """

    of: str
    label: str
    shown: As
    hint: str
    low: float = 0
    high: float = 1
    step: float = 1
    unit: str = ""
    options: tuple[Any, ...] = ()
    names: tuple[str, ...] = ()
    on: str = "layer"
    only: tuple[str, tuple[Any, ...]] | None = None


SCALE = Setting(
    "scale",
    say("Scale"),
    As.SLIDER,
    say("Cells from one large patch to the next"),
    2,
    96,
    unit=say(" cells"),
)
OCTAVES = Setting(
    "octaves", say("Octaves"), As.SLIDER, say("How many halvings of the scale add detail"), 1, 7
)
SHARES = Setting(
    "shares", say("Shares"), As.SHARES, say("Asked for by the sliders, and laid on this map")
)
MIX = Setting("mix", say("Mix"), As.MIX, say("What is laid"))
DENSITY = Setting("density", say("Density"), As.PART, say("Part of the cells that get a tile"))


@dataclass(frozen=True)
class Start:
    """Where a new step is to work: from it the step gets settings that show something at once."""

    project: Project
    map: Map
    layer: Layer

    @property
    def terrains(self) -> list[str]:
        """Names of the terrains that can be laid on the layer."""
        if not isinstance(self.layer, GroundLayer):
            return []
        found = self.project.set_of(self.layer.tileset, self.layer.set_name)
        return [each.name for each in found[1].terrains] if found else []

    @property
    def terrain(self) -> str:
        """The first of them, or ""."""
        return next(iter(self.terrains), "")

    @property
    def mix(self) -> str:
        """The first mix of the project.

        Raises
        ------
        EditError
            It has none.
        """
        if not self.project.mixes:
            raise EditError(say("it draws from a mix: make one in Draw, under Tiles"))
        return self.project.mixes[0].name

    @property
    def grounds(self) -> list[int]:
        """Numbers of the map's ground layers."""
        return [each.number for each in self.map.layers if isinstance(each, GroundLayer)]


def even_shares(at: Start) -> tuple[tuple[str, float], ...]:
    """Give as much of each terrain; a little of the first alone, where cells may hold nothing.

    Raises
    ------
    EditError
        The set has no terrain.
    """
    names = at.terrains
    if not names:
        raise EditError(
            say("the set of “{name}” has no terrain yet: add one in Terrains", name=at.layer.name)
        )
    if isinstance(at.layer, GroundLayer) and at.layer.kind_of_set is not SetKind.CORNER:
        return ((names[0], 0.2), ("", 0.8))
    return tuple((name, round(1 / len(names), 2)) for name in names)


@dataclass(frozen=True, eq=False)
class StepKind:
    """A kind of step.

    Parameters
    ----------
    model : the class of its settings (`core/model/recipe.py`)
    title, hint : how it is called, what it is for
    layers, sets : kinds of layers that it can make; of ground layers those with such sets, () any
    run : does it: what is there by now, and the settings → what it makes
    begin : gives a step that shows something; an EditError says what it lacks
    settings : what can be set of it, from which its card is made
    alone : whether a new one goes to a layer that no other step makes, if there is one
    covers : whether it makes the whole layer anew, whatever lay on it, unless conditions hold it
    over_border : whether it looks over the border of a map whose copies lie aslant in its array too
    """

    model: type
    title: str
    hint: str
    layers: tuple[type[Layer], ...]
    run: Callable[[Work, Any], list[Grown]]
    begin: Callable[[Start], Any]
    settings: tuple[Setting, ...] = ()
    sets: tuple[SetKind, ...] = ()
    alone: bool = False
    covers: bool = False
    over_border: bool = False
