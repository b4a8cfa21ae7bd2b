"""An ordered list of steps that make layers from a seed."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum
from typing import Annotated, Any, ClassVar, Literal, get_args

from annotated_types import Ge, Le, MaxLen

from knitground.core.base.tongue import later
from knitground.core.model.conditions import FORBID_MORE, AnyStep, Distance, Names
from knitground.core.model.limits import (
    MAX_STEPS,
    Cells,
    HexColour,
    Name,
    Number,
    Octaves,
    Part,
    Passes,
    Seed,
    Strength,
    Weight,
    Word,
)
from knitground.core.model.solvestep import SolveStep

Count = Annotated[int, Ge(0), Le(16_384)]
SmallCount = Annotated[int, Ge(0), Le(4096)]
Gap = Annotated[int, Ge(0), Le(64)]
Width = Annotated[int, Ge(1), Le(64)]
Turned = Annotated[float, Ge(0), Le(180)]
Stretch = Annotated[float, Ge(1), Le(16)]
Rounds = Annotated[int, Ge(0), Le(8)]
Shares = Annotated[tuple[tuple[Word, Weight], ...], MaxLen(256)]


class NoiseForm(StrEnum):
    """How noise is bent."""

    PLAIN = later("plain")
    RIDGED = later("ridged")
    BILLOWED = later("billowed")


@dataclass(frozen=True)
class NoiseStep(AnyStep):
    """Noise ground: a ground layer's terrain, laid by noise.

    Parameters
    ----------
    layer : number of the ground layer that it makes
    scale : cells from one large patch to the next
    octaves : how many halvings of the scale add detail
    shares : asked-for part of each terrain: (terrain's name, weight); "" is nothing, for ring and
        edge sets
    form : plain, in ridges (long narrow patches of the last terrains) or billowed (round ones)
    stretch, turn : how many times longer patches are than wide, and in which direction, in degrees
        clockwise from lying
    """

    layer: Number
    scale: Cells = 16.0
    octaves: Octaves = 4
    shares: Shares = ()
    form: NoiseForm = NoiseForm.PLAIN
    stretch: Stretch = 1.0
    turn: Turned = 0.0


MixPlace = Literal["inside", "where they meet"]
PLACES: tuple[MixPlace, ...] = get_args(MixPlace)


@dataclass(frozen=True)
class MixStep(AnyStep):
    """Mix fill: the cells of a grown layer, drawn from a mix by counted chance.

    Parameters
    ----------
    layer : number of the grown layer that it makes
    mix : the mix's name
    density : part of the cells that get a tile, 0 to 1
    on : number of the ground layer that says where; 0: everywhere
    terrains : names of the terrains on which tiles are laid; none: any terrain at all
    place : “inside”, where all that a cell shows is among them, or “where they meet”, where it
        shows two or more of them and nothing else
    """

    layer: Number
    mix: Name
    density: Part = 0.2
    on: Number = 0
    terrains: Names = ()
    place: MixPlace = "inside"
    step: Literal["mix fill"] = field(default="mix fill", kw_only=True)

    __pydantic_config__: ClassVar[dict[str, object]] = FORBID_MORE


@dataclass(frozen=True)
class RewriteStep(AnyStep):
    """Rewrite: a grown layer that follows what lies on other layers, by a list of rules.

    Parameters
    ----------
    layer : number of the grown layer that it makes
    rules : name of the rule list
    source : number of the layer that the rules read
    passes : how often the rules are tried at most, each time on what they wrote before
    copies : whether cells that no rule takes show what lies on the source
    """

    layer: Number
    rules: Name
    source: Number
    passes: Passes = 1
    copies: bool = False
    step: Literal["rewrite"] = field(default="rewrite", kw_only=True)

    __pydantic_config__: ClassVar[dict[str, object]] = FORBID_MORE


@dataclass(frozen=True)
class SmoothStep(AnyStep):
    """Smooth: terrain by majority of what lies round it, small islands and holes gone.

    Parameters
    ----------
    passes : how often; 0 only takes islands and holes away
    keeps_shares : whether each terrain keeps its number of places
    least : islands, and holes, of fewer places take what is round them
    """

    __pydantic_config__: ClassVar[dict[str, object]] = FORBID_MORE

    layer: Number
    passes: Rounds = 2
    keeps_shares: bool = True
    least: SmallCount = 6
    step: Literal["smooth"] = field(default="smooth", kw_only=True)


@dataclass(frozen=True)
class RegionsStep(AnyStep):
    """Regions: cells round scattered points, each of one terrain; or rooms with passages.

    Parameters
    ----------
    size : cells from one region to the next
    warp : how ragged their borders are, 0 to 1
    shares : of the terrains; a region is never split
    wall : terrain between rooms; "" for regions that touch
    thick : cells of wall
    """

    __pydantic_config__: ClassVar[dict[str, object]] = FORBID_MORE

    layer: Number
    size: Cells = 14.0
    warp: Part = 0.5
    shares: Shares = ()
    wall: Word = ""
    thick: Width = 2
    step: Literal["regions"] = field(default="regions", kw_only=True)


class ShapeOf(StrEnum):
    """The forms that a shape step knows."""

    ISLAND = later("island")
    LAKE = later("lake")
    BORDER = later("border band")
    GRADIENT = later("gradient")
    PICTURE = later("grey picture")


@dataclass(frozen=True)
class ShapeStep(AnyStep):
    """Shape: one terrain in a large form over the map.

    Parameters
    ----------
    terrain : that it lays
    form : a round island in the middle, all but a round lake, a band along the borders, from one
        side to the other, or where a sheet's picture is bright
    share : part of the places that it takes
    rough : how much noise bends its border, 0 to 1
    turn : of a gradient, degrees clockwise from “at the left”
    sheet : tileset whose picture is read
    """

    __pydantic_config__: ClassVar[dict[str, object]] = FORBID_MORE

    layer: Number
    terrain: Word = ""
    form: ShapeOf = ShapeOf.ISLAND
    share: Part = 0.4
    rough: Part = 0.4
    turn: Annotated[float, Ge(0), Le(360)] = 0.0
    sheet: Word = ""
    step: Literal["shape"] = field(default="shape", kw_only=True)


class RouteEnd(StrEnum):
    """What a route joins."""

    MARKERS = later("markers")
    BORDERS = later("the map's borders")
    REGIONS = later("patches of a terrain")


@dataclass(frozen=True)
class RouteStep(AnyStep):
    """Route: ways from place to place where going is cheap.

    Parameters
    ----------
    layer : ground layer on which it lays `terrain` (of an edge set along the way, else under it),
        or grown layer on which it lays tiles of `mix`
    between : markers of `kind` on any marker layer, the middles of the map's borders, or patches of
        the first of `seek` on `ground`
    ground : ground layer whose terrain makes going dear or impossible
    dear, never : names of terrains that cost eight times as much, and that are never crossed
    width : cells
    wobble : how much chance bends it, 0 to 1
    joins : whether ways that are there are cheap to follow
    """

    __pydantic_config__: ClassVar[dict[str, object]] = FORBID_MORE

    layer: Number
    terrain: Word = ""
    mix: Word = ""
    between: RouteEnd = RouteEnd.MARKERS
    kind: Word = ""
    ground: Number = 0
    seek: Names = ()
    dear: Names = ()
    never: Names = ()
    width: Width = 1
    wobble: Part = 0.3
    joins: bool = True
    step: Literal["route"] = field(default="route", kw_only=True)


@dataclass(frozen=True)
class ScatterStep(AnyStep):
    """Scatter: tiles and patches of a mix, whole and apart from each other.

    Parameters
    ----------
    density : part of the cells that they take, as far as there is room
    gap : free cells round each
    alike : free cells between two of the same kind
    clumps : cells from one clump to the next; 0 spreads them evenly
    """

    __pydantic_config__: ClassVar[dict[str, object]] = FORBID_MORE

    layer: Number
    mix: Name = "mix"
    density: Part = 0.1
    gap: Gap = 0
    alike: Gap = 0
    clumps: Distance = 0.0
    step: Literal["scatter"] = field(default="scatter", kw_only=True)


@dataclass(frozen=True)
class BorderStep(AnyStep):
    """Border: a terrain along the map's borders; on a map that wraps there is none."""

    __pydantic_config__: ClassVar[dict[str, object]] = FORBID_MORE

    layer: Number
    terrain: Word = ""
    width: Width = 3
    rough: Part = 0.3
    step: Literal["border"] = field(default="border", kw_only=True)


@dataclass(frozen=True)
class TintStep(AnyStep):
    """Tint by noise: a colour of a tint layer, stronger here and weaker there."""

    __pydantic_config__: ClassVar[dict[str, object]] = FORBID_MORE

    layer: Number
    colour: HexColour = "#3B4C8C"
    strength: Strength = 60
    scale: Cells = 20.0
    octaves: Octaves = 3
    even: Part = 0.3
    step: Literal["tint"] = field(default="tint", kw_only=True)


@dataclass(frozen=True)
class MarkersStep(AnyStep):
    """Markers: points where conditions hold, so far apart, within reach of others.

    Parameters
    ----------
    kind, called : of the markers; those of this kind that the step made before are replaced
    count : asked for
    apart : cells between two
    reach : kind of marker from which each must be reachable over cells where the conditions hold
    """

    __pydantic_config__: ClassVar[dict[str, object]] = FORBID_MORE

    layer: Number
    kind: Word = "spawn point"
    called: Word = ""
    count: Annotated[int, Ge(1), Le(1000)] = 5
    apart: Distance = 8.0
    reach: Word = ""
    step: Literal["markers"] = field(default="markers", kw_only=True)


@dataclass(frozen=True)
class UnknownStep(AnyStep):
    """A step of a kind that this version does not know: kept as it is, and passed over."""

    layer: Number = 0
    kind: Word = ""
    raw: Annotated[str, MaxLen(10_000_000)] = "{}"


Step = (
    NoiseStep | MixStep | RewriteStep | SmoothStep | RegionsStep | ShapeStep | RouteStep
    | ScatterStep | BorderStep | TintStep | MarkersStep | SolveStep | UnknownStep
)  # fmt: skip
PLAIN_STEPS: tuple[Any, ...] = (
    MixStep, RewriteStep, SmoothStep, RegionsStep, ShapeStep, RouteStep, ScatterStep, BorderStep,
    TintStep, MarkersStep, SolveStep,
)  # fmt: skip
"""Kinds of steps whose files are written as they are."""


@dataclass(frozen=True)
class Recipe:
    """Steps and the seed that they start from; an edit replaces it as a whole."""

    seed: Seed = 1
    steps: Annotated[tuple[Step, ...], MaxLen(MAX_STEPS)] = ()

    @property
    def layers_made(self) -> frozenset[int]:
        """Numbers of the layers that steps make which run when they are asked to."""
        made = (s for s in self.steps if s.active and not isinstance(s, UnknownStep | RewriteStep))
        return frozenset(each.layer for each in made)

    def salt_of(self, place: int) -> int:
        """What the step at a place draws its numbers with, put to the seed."""
        salt = self.steps[place].salt if place < len(self.steps) else None
        return place if salt is None else salt

    def free_salt(self) -> int:
        """A salt that no step of the recipe has."""
        used = {self.salt_of(n) for n in range(len(self.steps))}
        return max([MAX_STEPS - 1, *used]) + 1
