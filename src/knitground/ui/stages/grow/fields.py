"""What can be set of each kind of step: one line a field, from which its card is made."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from knitground.core.model.limits import MAX_PASSES
from knitground.core.model.recipe import (
    PLACES,
    BorderStep,
    MarkersStep,
    MixStep,
    NoiseForm,
    NoiseStep,
    RegionsStep,
    RewriteStep,
    RouteEnd,
    RouteStep,
    ScatterStep,
    ShapeOf,
    ShapeStep,
    SmoothStep,
    TintStep,
)
from knitground.core.model.solvestep import SolveEdge, SolveFrom, SolveStep


class As(StrEnum):
    """How a field is shown."""

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
class Field:
    """One setting of a step.

    Parameters
    ----------
    of : the attribute
    low, high, step : bounds of numbers
    options, names : of a choice, and how they are called if not by themselves
    on : attribute that names the layer whose terrains are meant
    only : attribute and value without which the field means nothing, and is hidden
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


_SCALE = Field("scale", "Scale", As.SLIDER, "Cells from one large patch to the next", 2, 96,
               unit=" cells")  # fmt: skip
_OCTAVES = Field("octaves", "Octaves", As.SLIDER, "How many halvings of the scale add detail", 1, 7)
_SHARES = Field("shares", "Shares", As.SHARES, "Asked for by the sliders, and laid on this map")
_MIX = Field("mix", "Mix", As.MIX, "What is laid")
_DENSITY = Field("density", "Density", As.PART, "Part of the cells that get a tile")

FIELDS: dict[type, tuple[Field, ...]] = {
    NoiseStep: (
        _SCALE, _OCTAVES,
        Field("form", "Form", As.CHOICE, "Plain, in long ridges, or billowed",
              options=tuple(NoiseForm)),
        Field("stretch", "Stretched", As.SLIDER, "How many times longer than wide", 1, 8, 0.5,
              " ×"),
        Field("turn", "Turned", As.SLIDER, "Direction of what is stretched", 0, 180, 5, "°"),
        _SHARES,
    ),
    SmoothStep: (
        Field("passes", "Passes", As.SLIDER, "How often; 0 only takes islands away", 0, MAX_PASSES),
        Field("least", "Least", As.SLIDER, "Islands and holes of fewer places go", 0, 60,
              unit=" places"),
        Field("keeps_shares", "keeps the shares", As.CHECK, "Each terrain keeps its places"),
    ),
    RegionsStep: (
        Field("size", "Size", As.SLIDER, "Cells from one region to the next", 4, 64, unit=" cells"),
        Field("warp", "Ragged", As.PART, "How ragged their borders are"),
        Field("wall", "Walls", As.TERRAIN, "Terrain between rooms; none: regions that touch"),
        Field("thick", "Thick", As.SLIDER, "Cells of wall", 1, 8, unit=" cells"),
        _SHARES,
    ),
    ShapeStep: (
        Field("terrain", "Lays", As.TERRAIN, "The terrain of the shape"),
        Field("form", "Form", As.CHOICE, "What it is like", options=tuple(ShapeOf)),
        Field("share", "Share", As.PART, "Part of the places that it takes"),
        Field("rough", "Rough", As.PART, "How much noise bends its border"),
        Field("turn", "From", As.SLIDER, "Where a gradient begins; 0 is at the left", 0, 360, 5,
              "°", only=("form", (ShapeOf.GRADIENT,))),
        Field("sheet", "Picture", As.SHEET, "The sheet whose bright parts are taken",
              only=("form", (ShapeOf.PICTURE,))),
    ),
    BorderStep: (
        Field("terrain", "Lays", As.TERRAIN, "The terrain along the borders"),
        Field("width", "Width", As.SLIDER, "Cells", 1, 24, unit=" cells"),
        Field("rough", "Rough", As.PART, "How much noise bends it"),
    ),
    RouteStep: (
        Field("terrain", "Lays", As.TERRAIN, "The terrain of the way"),
        Field("mix", "Tiles of", As.MIX, "What is laid on a grown layer"),
        Field("between", "Joins", As.CHOICE, "What it leads to", options=tuple(RouteEnd)),
        Field("kind", "Kind", As.MARKER, "Markers of this kind; empty is all of them",
              only=("between", (RouteEnd.MARKERS,))),
        Field("ground", "Over", As.GROUND, "The ground layer that makes going dear"),
        Field("seek", "Patches", As.TERRAINS, "Patches of this terrain are joined", on="ground",
              only=("between", (RouteEnd.REGIONS,))),
        Field("dear", "Dear", As.TERRAINS, "Terrains that it goes round if it can", on="ground"),
        Field("never", "Never", As.TERRAINS, "Terrains that it never crosses", on="ground"),
        Field("width", "Width", As.SLIDER, "Cells; ways of edge sets are one", 1, 8, unit=" cells"),
        Field("wobble", "Wobble", As.PART, "How much chance bends it"),
        Field("joins", "joins ways that are there", As.CHECK, "Ways are cheap to follow"),
    ),
    ScatterStep: (
        _MIX, _DENSITY,
        Field("gap", "Gap", As.SLIDER, "Free cells round each", 0, 12, unit=" cells"),
        Field("alike", "Alike", As.SLIDER, "Free cells between two of the same kind", 0, 24,
              unit=" cells"),
        Field("clumps", "Clumps", As.SLIDER, "Cells from one clump to the next; 0 is even", 0, 48,
              unit=" cells"),
    ),
    MixStep: (
        _MIX, _DENSITY,
        Field("on", "On", As.GROUND, "The ground layer that says where tiles may lie"),
        Field("place", "Place", As.CHOICE, "Inside terrains, or where they meet", options=PLACES),
        Field("terrains", "Terrains", As.TERRAINS, "None chosen: any terrain", on="on"),
    ),
    SolveStep: (
        Field("tileset", "Tiles of", As.SHEET, "The sheet whose tiles are laid",
              only=("source", (SolveFrom.MARKS, SolveFrom.PIXELS))),
        Field("source", "Joined by", As.CHOICE, "What tells which tiles may lie side by side",
              options=tuple(SolveFrom)),
        Field("set_name", "Set", As.SET, "The set whose marks are read",
              only=("source", (SolveFrom.MARKS,))),
        Field("tolerance", "Tolerance", As.SLIDER, "Mean difference of touching pixels", 0, 120,
              only=("source", (SolveFrom.PIXELS,))),
        Field("example", "Example", As.LAYER, "The layer that shows what may lie side by side",
              only=("source", (SolveFrom.EXAMPLE,))),
        Field("blocks", "Like it in", As.CHOICE,
              "What lies as it does on the example: pairs, or blocks of 2 × 2 or 3 × 3 cells",
              options=(1, 2, 3), names=("pairs", "blocks of 2 × 2", "blocks of 3 × 3"),
              only=("source", (SolveFrom.EXAMPLE,))),
        Field("edge", "Border", As.CHOICE, "What the border of the map does",
              options=tuple(SolveEdge)),
        Field("reach", "Reachable", As.TAG,
              "All tiles with this tag can be reached from each other, side by side"),
        Field("gaps", "leaves gaps where it is impossible", As.CHECK,
              "Leaves the cells empty at which it shows that nothing fits, and fills the rest"),
        Field("seconds", "Gives up after", As.SLIDER, "The longest that it looks, in seconds",
              1, 120, unit=" s"),
    ),
    RewriteStep: (
        Field("rules", "Rules", As.RULES, "The list of rules, made in Rules"),
        Field("source", "Reads", As.LAYER, "The layer that the rules read"),
        Field("passes", "Passes", As.WHOLE, "How often the rules are tried at most", 1, MAX_PASSES),
        Field("copies", "copies what no rule takes", As.CHECK, "Shows the source where none fits"),
    ),
    TintStep: (
        Field("colour", "Colour", As.COLOUR, "Multiplied over what lies beneath"),
        Field("strength", "Strength", As.SLIDER, "At its strongest", 1, 127),
        _SCALE, _OCTAVES,
        Field("even", "Even", As.PART, "How much of it lies everywhere"),
    ),
    MarkersStep: (
        Field("kind", "Kind", As.TEXT, "What a game takes them for"),
        Field("called", "Name", As.TEXT, "Several get a number each"),
        Field("count", "Count", As.SLIDER, "Asked for", 1, 60),
        Field("apart", "Apart", As.SLIDER, "Cells between two", 0, 64, unit=" cells"),
        Field("reach", "Reached from", As.MARKER, "Kind of marker from which each can be reached"),
    ),
}  # fmt: skip
