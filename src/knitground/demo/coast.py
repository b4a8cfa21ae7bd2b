"""The map Salt coast: all of it grown by a recipe, seamless at all borders."""

from __future__ import annotations

import numpy as np

from knitground.core.edit.document import Document
from knitground.core.edit.maps import lay_grown
from knitground.core.grow.runner import run_recipe
from knitground.core.model.conditions import Area, Condition, Look
from knitground.core.model.map import Map
from knitground.core.model.mix import Fall, FallWay, Mix, MixEntry
from knitground.core.model.patch import Patch
from knitground.core.model.project import Project
from knitground.core.model.recipe import (
    MarkersStep,
    MixStep,
    NoiseStep,
    Recipe,
    RegionsStep,
    RouteEnd,
    RouteStep,
    ScatterStep,
    ShapeOf,
    ShapeStep,
    SmoothStep,
    TintStep,
)
from knitground.core.model.terrain import SetKind
from knitground.core.model.tile import TileRef
from knitground.demo.props import PLACES
from knitground.demo.texture import SIZE

HIGH, WIDE = 64, 96
_FIELD = (12, 30, 40, 52)
"""Top, left, height and width of the ground where pans were dug."""


def coast_mixes() -> list[Mix]:
    """What the coast is strewn with: heaps as patches and single ones, reeds and stones."""

    def tile(name: str) -> TileRef:
        return TileRef("props", *PLACES[name])

    row, col = PLACES["big heap"]
    big = Patch("big heap", tuple(
        tuple(TileRef("props", row + down, col + across) for across in (0, 1)) for down in (0, 1)
    ))  # fmt: skip
    store = Patch("raker's place", ((tile("heap"), tile("barrow")), (None, tile("rake"))))
    return [
        Mix("salt heaps", (
            MixEntry(tile("big heap"), 2.0, big), MixEntry(tile("heap"), 2.0),
            MixEntry(tile("small heap"), 3.0), MixEntry(tile("heap"), 0.8, store),
        )),
        Mix("marsh", (MixEntry(tile("reeds"), 4.0), MixEntry(tile("thin reeds"), 3.0)),
            Fall(FallWay.CLUMPS, 4.0)),
    ]  # fmt: skip


def build_coast(project: Project) -> Map:
    """Build the map and grow it."""
    map_ = Map("Salt coast", HIGH, WIDE, SIZE, SIZE, wrap=True)
    ground = map_.new_ground_layer("Coast", "pans", "Pans")
    map_.layers.append(ground)
    growth = map_.new_grown_layer("Growth")
    map_.layers.append(growth)
    ways = map_.new_ground_layer("Ways", "works", "Causeways", SetKind.EDGE)
    map_.layers.append(ways)
    dykes = map_.new_ground_layer("Dykes", "works", "Dykes", SetKind.RING)
    map_.layers.append(dykes)
    heaps = map_.new_grown_layer("Heaps")
    map_.layers.append(heaps)
    haze = map_.new_tint_layer("Haze")
    map_.layers.append(haze)
    people = map_.new_marker_layer("People")
    map_.layers.append(people)
    field = Area.of(_FIELD[0], _FIELD[1], np.ones((_FIELD[2], _FIELD[3]), np.bool_))
    dug = Condition(look=Look.AREA, area=field)
    wild = Condition(look=Look.AREA, area=field, negated=True)

    def on(*names: str) -> Condition:
        return Condition(look=Look.TERRAIN, layer=ground.number, names=names)

    def off_ways(low: float) -> Condition:
        return Condition(look=Look.NEAR_TILES, layer=ways.number, high=low, negated=True)

    no_dyke = Condition(look=Look.TILES, layer=dykes.number, negated=True)
    land = (("crust", 0.6), ("clay", 0.4))
    pans = (("brine", 0.5), ("blush", 0.32), ("crust", 0.18))
    map_.recipe = Recipe(12, (
        NoiseStep(ground.number, 26.0, 4, land, name="Land", salt=1),
        ShapeStep(ground.number, "brine", ShapeOf.GRADIENT, 0.3, 0.7, name="Sea", salt=2),
        SmoothStep(ground.number, 2, True, 14, name="Calm the shore", salt=3),
        RegionsStep(ground.number, 10.0, 0.12, pans, "crust", 2, name="Pans", salt=4,
                    where=(dug,)),
        RegionsStep(dykes.number, 10.0, 0.12, (("", 1.0),), "brick", 1, name="Dykes", salt=4,
                    where=(dug, on("crust"))),
        SmoothStep(dykes.number, 0, True, 5, name="Ruins go", salt=5),
        MarkersStep(people.number, "landing", "Landing", 5, 20.0, name="Landings", salt=6,
                    where=(on("crust"), no_dyke)),
        RouteStep(ways.number, "planks", between=RouteEnd.MARKERS, kind="landing",
                  ground=ground.number, dear=("clay", "blush"), wobble=0.15, name="Causeways",
                  salt=7, where=(no_dyke,)),
        MixStep(growth.number, "marsh", 0.5, ground.number, ("brine", "crust"), "where they meet",
                name="Reeds", salt=8, where=(wild, off_ways(0.0))),
        ScatterStep(heaps.number, "salt heaps", 0.07, 1, 2, 9.0, name="Heaps", salt=9,
                    where=(on("crust"), no_dyke, off_ways(1.5))),
        ScatterStep(growth.number, "shore growth", 0.02, 2, 4, 0.0, name="Strays", salt=10,
                    where=(on("clay"),)),
        TintStep(haze.number, "#6F86B5", 46, 30.0, 2, 0.15, name="Haze", salt=11),
    ))  # fmt: skip
    doc = Document(project)
    doc.apply(lay_grown(map_, run_recipe(project, map_)))
    doc.ensure_all(map_)
    return map_
