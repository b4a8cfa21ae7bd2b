"""The demo's second map, which grows, and a draft of it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from knitground.core.base.hashing import cell_numbers
from knitground.core.base.window import Box
from knitground.core.edit.document import Document
from knitground.core.edit.laying import plan_cells
from knitground.core.edit.maps import lay_grown
from knitground.core.edit.tint import blended, soft_weights, tint_value
from knitground.core.grow.runner import run_recipe
from knitground.core.model.conditions import Condition, Look
from knitground.core.model.layers import Cells, GroundLayer, GrownLayer
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.recipe import (
    MixStep,
    NoiseStep,
    Recipe,
    RewriteStep,
    ScatterStep,
    SmoothStep,
    Step,
)
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Tileset
from knitground.demo.pans import (
    BRINE,
    CRUST,
)
from knitground.demo.props import PLACES
from knitground.demo.rules import LIST
from knitground.demo.texture import SIZE
from knitground.demo.works import DRAFTS


def growing_recipe(
    map_: Map, growth: GrownLayer, ground: GroundLayer, reeds: float, salt: int
) -> tuple[Step, ...]:
    """Steps that let something grow on shores, crust and clay."""

    def on(name: str) -> tuple[Condition, ...]:
        return (Condition(look=Look.TERRAIN, layer=ground.number, names=(name,)),)

    shore = MixStep(
        growth.number, "shore growth", reeds, ground.number, ("brine", "crust"), "where they meet",
        name="Reeds", salt=salt,
    )  # fmt: skip
    return (
        shore,
        MixStep(growth.number, "crust specks", 1.0, ground.number, ("crust",), "inside",
                name="Specks", salt=salt + 10),
        ScatterStep(growth.number, "salt heaps", 0.03, 1, 3, 8.0, name="Heaps", salt=salt + 11,
                    where=on("crust")),
        ScatterStep(growth.number, "shore growth", 0.015, 2, 4, 0.0, name="Strays",
                    salt=salt + 12, where=on("clay")),
    )  # fmt: skip


def lay_dusk(map_: Map) -> None:
    """Evening over the quay basin, and the light of a lamp on the causeway."""
    layer = map_.new_tint_layer("Evening")
    map_.layers.append(layer)
    for (row, col), size, colour, strength in (
        ((30, 41), 40, "#5a5f9e", 70), ((30, 41), 26, "#2e3566", 52), ((29, 41), 9, "#ffcf7a", 90),
    ):  # fmt: skip
        top, left = row - size // 2, col - size // 2
        part = (slice(top, top + size), slice(left, left + size))
        value = tint_value(colour, strength)
        layer.cells[part] = blended(layer.cells[part], value, soft_weights(size))


def make_basin(project: Project) -> Map:
    """48 × 48 cells that wrap at all borders."""
    map_ = Map("North basin", 48, 48, SIZE, SIZE, wrap=True)
    ground = map_.new_ground_layer("Basin", "pans", "Pans")
    map_.layers.append(ground)
    shares = (("brine", 0.45), ("crust", 0.30), ("clay", 0.25))
    map_.recipe = Recipe(7, (
        NoiseStep(ground.number, 16.0, 3, shares, name="Ground", salt=0),
        SmoothStep(ground.number, 0, True, 7, name="No specks", salt=5),
    ))  # fmt: skip
    doc = grown_layer(project, map_)
    props = map_.new_tile_layer("Props")
    map_.layers.append(props)
    scatter_step(map_, ground, props.cells, 3, grow_reeds=True)
    growth = _drafted(project, map_)
    steps = growing_recipe(map_, growth, ground, 0.2, 2)
    *others, finish = map_.recipe.steps
    map_.recipe = replace(map_.recipe, steps=(*others, *steps, finish))
    doc.apply(lay_grown(map_, run_recipe(project, map_)))
    return map_


def draft_tiles(tileset: Tileset) -> dict[str, TileRef]:
    """The draft tiles of the works sheet, by what they stand for."""
    names = {fact.name: at for at, fact in tileset.facts.items()}
    return {name: TileRef(tileset.name, *names[f"draft {name}"]) for name in DRAFTS}


def _drafted(project: Project, map_: Map) -> GrownLayer:
    """Walls and gates drawn with flat draft tiles, and the layer of finished dykes over them.

    Returns a layer above them for what grows, pinned free where something stands.
    """
    draft = map_.new_tile_layer("Draft")
    map_.layers.append(draft)
    places = {name: map_.legend.place(t) for name, t in draft_tiles(project.tilesets[2]).items()}
    wall = places["wall"]
    draft.cells[12:29, 10] = draft.cells[12:29, 34] = wall
    draft.cells[12, 10:35] = draft.cells[28, 10:35] = wall
    draft.cells[12:29, 22] = wall
    draft.cells[20, 22:35] = wall
    draft.cells[0:12, 28] = draft.cells[29:48, 28] = wall
    for row, col in ((12, 16), (28, 16), (20, 28), (16, 10), (24, 22), (24, 34), (5, 28), (38, 28)):
        draft.cells[row, col] = places["gate"]
    dykes = map_.new_grown_layer("Dykes")
    map_.layers.append(dykes)
    draft.opacity = 0.0  # what no rule takes is copied: the draft itself need not be seen
    step = RewriteStep(dykes.number, LIST, draft.number, copies=True)
    map_.recipe = replace(map_.recipe, steps=(*map_.recipe.steps, step))
    props = map_.layers[1]
    props.cells[draft.cells > 0] = 0
    doc = Document(project)
    doc.rewriter.ensure_all(map_)
    growth = map_.new_grown_layer("Growth")
    map_.layers.append(growth)
    taken, box = (draft.cells > 0) | (props.cells > 0), Box(0, 0, map_.height, map_.width)
    doc.apply(plan_cells(map_, growth, box, np.zeros_like(growth.cells), taken, "Keep free").edit)
    return growth


def grown_layer(project: Project, map_: Map) -> Document:
    """Run a map's recipe and lay what it made."""
    doc = Document(project)
    doc.apply(lay_grown(map_, run_recipe(project, map_)))
    doc.ensure_all(map_)
    return doc


def scatter_step(
    map_: Map, ground: GroundLayer, cells: Cells, seed: int, *, grow_reeds: bool
) -> None:
    """Put reeds on shores and heaps on wide crust, by counted chance."""
    height, width = cells.shape
    numbers = cell_numbers(np.arange(height), np.arange(width), seed) >> 16
    corners = np.stack(
        [ground.terrain[r : r + height, c : c + width] for r in (0, 1) for c in (0, 1)]
    )
    shore = (corners == BRINE).any(0) & (corners == CRUST).any(0)
    flat = (corners == CRUST).all(0)
    reeds = (("reeds", shore, 0.10), ("thin reeds", shore, 0.22)) if grow_reeds else ()
    for name, mask, chance in (
        *reeds,
        ("heap", flat, 0.05),
        ("small heap", flat, 0.09),
        ("stones", flat, 0.11),
        ("rake", flat, 0.115),
    ):
        hit = mask & (cells == 0) & (numbers < chance * 65_536)
        cells[hit] = map_.legend.place(TileRef("props", *PLACES[name]))
