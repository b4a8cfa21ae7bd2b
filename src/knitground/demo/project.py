"""The demo project Harl Pans: its tilesets, mixes, a tray, maps with every kind of layer."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import KnitError, PlaceError
from knitground.core.base.window import Box
from knitground.core.edit.document import Document
from knitground.core.edit.frames import give_frames
from knitground.core.edit.laying import plan_cells, plan_sides, plan_terrain
from knitground.core.edit.maps import lay_grown
from knitground.core.edit.shapes import outline_tiles, shapes_from_terrain, use_outlines
from knitground.core.files.formats import PROJECT_FORMAT, PROJECT_VERSION, ProjectFile
from knitground.core.files.images import png_bytes, read_sheet
from knitground.core.files.jsontext import read_model
from knitground.core.files.opening import Source
from knitground.core.files.places import PROJECT_NAME
from knitground.core.files.saving import save_project, settle_after_save
from knitground.core.files.vault import write_together
from knitground.core.grow.runner import run_recipe
from knitground.core.knit.sides import sides_along
from knitground.core.model.conditions import Area, Condition, Look
from knitground.core.model.layers import GroundLayer
from knitground.core.model.map import Map
from knitground.core.model.marker import Marker, Shape
from knitground.core.model.mix import Fall, FallWay, Mix, MixEntry
from knitground.core.model.patch import Patch
from knitground.core.model.profile import Profile, ShipPart
from knitground.core.model.project import Project
from knitground.core.model.properties import Property, PropertyKind
from knitground.core.model.recipe import (
    NoiseStep,
    Recipe,
    RegionsStep,
    ShapeOf,
    ShapeStep,
    SmoothStep,
    Step,
)
from knitground.core.model.slicing import Slicing
from knitground.core.model.terrain import SetKind, Slot, Terrain, TerrainSet, no_marks
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import TileFacts, Tileset
from knitground.core.render.relief import made_relief
from knitground.demo.basin import (
    draft_tiles,
    growing_recipe,
    grown_layer,
    lay_dusk,
    make_basin,
    scatter_step,
)
from knitground.demo.coast import build_coast, coast_mixes
from knitground.demo.pans import (
    BRINE,
    CLAY,
    COLUMNS,
    CRUST,
    MARGIN,
    SHIMMER_MS,
    SPACING,
    VARIANTS,
    pans_sheet,
    shimmer_sheet,
)
from knitground.demo.props import PLACES, props_sheet
from knitground.demo.rules import causeway_rules, finish_rules, pans_rules
from knitground.demo.texture import SIZE
from knitground.demo.works import COLUMNS as WORKS_COLUMNS
from knitground.demo.works import DRAFTS, SEE_THROUGH, works_sheet
from knitground.demo.yard import build_quay, build_yard, yard_mix, yard_sheet, yard_tileset

NAME = "Harl Pans"
TERRAINS = (
    Terrain("brine", "#2f8f9d", "B"),
    Terrain("crust", "#f2ede1", "C"),
    Terrain("clay", "#b9822f", "L"),
    Terrain("blush", "#e3b0b4", "P"),
)


_HARD = ("heap", "barrow", "stones")
"""Props that nobody walks through."""


def write_demo(folder: Path) -> list[Path]:
    """Write the demo project into a folder; always the same bytes. Returns all its files.

    Raises
    ------
    PlaceError
        Another project, or files of other programs, lie there.
    """
    again = _is_demo(folder)
    sheet, _ = pans_sheet()
    sheets = {
        "pans.png": png_bytes(sheet),
        "props.png": png_bytes(props_sheet()),
        "works.png": png_bytes(works_sheet()[0]),
        "shimmer.png": png_bytes(shimmer_sheet()),
        "yard.png": png_bytes(yard_sheet()),
    }

    def look(wanted: Mapping[str, bytes | None]) -> None:
        there = [name for name in wanted if (folder / name).exists()]
        if there and not again:
            raise PlaceError(f"{there[0]} lies in {folder} already: give the demo an empty folder")

    write_together(folder, sheets, look=look)
    project = build_demo(folder)
    settle_after_save(project, save_project(project, folder, overwrite=again))
    return sorted(path for path in folder.iterdir() if not path.name.endswith(".previous"))


def _is_demo(folder: Path) -> bool:
    """Whether the demo was written there before."""
    try:
        raw = Source(folder).read(PROJECT_NAME)
        head = read_model(raw, PROJECT_NAME, ProjectFile, PROJECT_FORMAT, PROJECT_VERSION)
    except KnitError:
        return False
    return head.name == NAME


def build_demo(folder: Path) -> Project:
    """Build the demo project on the sheets that lie in a folder."""
    project = Project(NAME, folder)
    project.tilesets = [_pans(folder), _props(folder), _works(folder), _shimmer(folder)]
    _give_shapes(project)
    _let_brine_move(project)
    project.tilesets.append(yard_tileset(folder))
    project.mixes = [
        Mix("salt flat", _plain_entries(CRUST, (5, 3, 2, 4))),
        Mix("clay floor", _plain_entries(CLAY, (6, 2, 2, 1))),
        Mix(
            "shore growth",
            (_prop("reeds", 3), _prop("thin reeds", 4), _prop("stones", 1)),
            Fall(FallWay.CLUMPS, 5.0),
        ),
    ]
    project.mixes.append(Mix(
        "crust specks",
        (_prop("small heap", 2), MixEntry(TileRef("props", *PLACES["stones"]), 2.0, None, 3.0),
         _prop("rake", 0.2)),
        Fall(FallWay.CLUMPS, 7.0, density=0.12, border=1),
    ))  # fmt: skip
    project.rule_lists = [finish_rules(project.tilesets[2], draft_tiles(project.tilesets[2]))]
    project.mixes += coast_mixes()
    project.maps = [_harbour(project), make_basin(project)]
    project.mixes.append(yard_mix())
    project.maps += [build_coast(project), build_yard(project), build_quay(project)]
    project.profiles = (
        Profile("game", (), (ShipPart("json"), ShipPart("png", {"chunk": 32}), ShipPart("ways"),
                             ShipPart("markers")), "shipped/game"),
        Profile("print", ("Harbour pans",), (ShipPart("png", {"scale": "4"}), ShipPart("ora")),
                "shipped/print"),
    )  # fmt: skip
    project.tray = [
        Patch("salt store", (
            (TileRef("props", *PLACES["big heap"]), TileRef("props", 1, 1)),
            (TileRef("props", 2, 0), TileRef("props", 2, 1)),
        )),
        Patch("raker's things", (
            (TileRef("props", *PLACES["barrow"]), TileRef("props", *PLACES["rake"])),
        )),
    ]  # fmt: skip
    return project


def _let_brine_move(project: Project) -> None:
    """Let the plain brine move through the rows of another sheet, block by block."""
    document = Document(project)
    pans, shimmer = project.tilesets[0], project.tilesets[-1]
    block = [(0, col) for col in range(VARIANTS[BRINE])]
    for row in range(shimmer.rows):
        frames = [(row, col) for _, col in block]
        document.apply(give_frames(project, pans, block, frames, shimmer.name, SHIMMER_MS))


def _shimmer(folder: Path) -> Tileset:
    picture, data, _ = read_sheet(folder / "shimmer.png")
    height, width = picture.shape[:2]
    return Tileset(
        "shimmer", "shimmer.png", width, height, Slicing(SIZE, SIZE), picture=picture, data=data
    )


def _give_shapes(project: Project) -> None:
    """Give dykes and brine shapes by terrain, props by their outline."""
    document = Document(project)
    pans, props, works = project.tilesets[:3]
    dykes = works.sets[1]
    document.apply(shapes_from_terrain(project, works, dykes, 1, "solid", px=2))
    document.apply(shapes_from_terrain(project, pans, pans.sets[0], BRINE, "water", px=-1))
    planks = works.sets[0]
    document.apply(shapes_from_terrain(project, works, planks, 1, "walkable", px=8))
    hard = [PLACES[name] for name in _HARD]
    big = PLACES["big heap"]
    hard += [(big[0] + down, big[1] + across) for down in (0, 1) for across in (0, 1)]
    traced = outline_tiles(props, sorted(set(hard)), "solid", tolerance=1.0, most=8)
    document.apply(use_outlines(props, traced))


def _pans(folder: Path) -> Tileset:
    _, tiles = pans_sheet()
    picture, data, _ = read_sheet(folder / "pans.png")
    height, width = picture.shape[:2]
    slicing = Slicing(SIZE, SIZE, MARGIN, MARGIN, SPACING, SPACING)
    tileset = Tileset("pans", "pans.png", width, height, slicing, picture=picture, data=data)
    marks = no_marks(tileset.rows, tileset.columns)
    for place, tile in enumerate(tiles):
        at = divmod(place, COLUMNS)
        for slot, mark in zip((Slot.NW, Slot.NE, Slot.SW, Slot.SE), tile.marks):
            marks[(*at, slot)] = mark
        if tile.weight != 1:
            tileset.facts[at] = TileFacts(weight=tile.weight)
    kit = TerrainSet("Pans", SetKind.CORNER, TERRAINS, marks)
    tileset.sets = [kit]
    kit.rules = pans_rules(tileset)
    return tileset


def _works(folder: Path) -> Tileset:
    """Causeways and dykes: an edge set and a ring set on one sheet."""
    _, tiles = works_sheet()
    picture, data, _ = read_sheet(folder / "works.png")
    height, width = picture.shape[:2]
    slicing = Slicing(SIZE, SIZE, spacing_x=1, spacing_y=1, see_through=(SEE_THROUGH,))
    tileset = Tileset("works", "works.png", width, height, slicing, picture=picture, data=data,
                      relief=made_relief(picture, slicing))  # fmt: skip
    marks = {kind: no_marks(tileset.rows, tileset.columns) for kind in ("causeway", "dyke")}
    for place, tile in enumerate(tiles):
        at = divmod(place, WORKS_COLUMNS)
        if tile.kind in marks:
            marks[tile.kind][at] = tile.marks
        else:
            tileset.facts[at] = TileFacts(name=f"draft {list(DRAFTS)[place - len(tiles)]}")
        if tile.weight != 1:
            tileset.facts[at] = TileFacts(weight=tile.weight)
    planks, brick = Terrain("planks", "#8a4f7d", "K"), Terrain("brick", "#c65b3c", "D")
    tileset.sets = [
        TerrainSet("Causeways", SetKind.EDGE, (planks,), marks["causeway"]),
        TerrainSet("Dykes", SetKind.RING, (brick,), marks["dyke"]),
    ]
    worn = next(n for n, t in enumerate(tiles) if t.kind == "causeway" and t.weight != 1)
    tileset.sets[0].rules = causeway_rules(tileset, divmod(worn, WORKS_COLUMNS))
    return tileset


def _props(folder: Path) -> Tileset:
    picture, data, _ = read_sheet(folder / "props.png")
    height, width = picture.shape[:2]
    return Tileset(
        "props", "props.png", width, height, Slicing(SIZE, SIZE), picture=picture, data=data
    )


def _plain_entries(terrain: int, weights: tuple[float, ...]) -> tuple[MixEntry, ...]:
    first = sum(count for each, count in VARIANTS.items() if each < terrain)
    return tuple(
        MixEntry(TileRef("pans", *divmod(first + n, COLUMNS)), weight)
        for n, weight in enumerate(weights)
    )


def _prop(name: str, weight: float) -> MixEntry:
    return MixEntry(TileRef("props", *PLACES[name]), weight)


def _harbour(project: Project) -> Map:
    """96 × 64 cells: grown ground, a quay basin painted by hand, props on two layers."""
    map_ = Map("Harbour pans", 64, 96, SIZE, SIZE)
    map_.properties = (
        Property("wind", "0.4", PropertyKind.NUMBER),
        Property("raining", "no", PropertyKind.YES_NO),
        Property("ambient", "#4a5078", PropertyKind.COLOUR),
    )
    ground = map_.new_ground_layer("Pans", "pans", "Pans")
    map_.layers.append(ground)
    basin = Box(24, 30, 37, 52)
    steps = harbour_ground(ground)
    map_.recipe = Recipe(41, steps)
    doc = grown_layer(project, map_)
    for box, terrain in ((basin.grown(3), CRUST), (basin, BRINE)):
        mask = np.ones((box.height, box.width), np.bool_)
        doc.apply(plan_terrain(doc, map_, ground, box, mask, terrain, "Quay basin").edit)
    causeway = map_.new_ground_layer("Causeway", "works", "Causeways", SetKind.EDGE)
    map_.layers.append(causeway)
    for path in (
        [(30, 24), (30, 57)],
        [(30, 36), (20, 36), (20, 44)],
        [(31, 26), (31, 49), (41, 49)],
    ):
        doc.apply(plan_sides(doc, map_, causeway, sides_along(path), 1, "Causeway").edit)
    props = map_.new_tile_layer("Props")
    map_.layers.append(props)
    scatter_step(map_, ground, props.cells, 7, grow_reeds=False)
    for col in (26, 32, 41, 50, 55):
        props.cells[29, col] = map_.legend.place(TileRef("props", *PLACES["post"]))
    dykes = map_.new_ground_layer("Dykes", "works", "Dykes", SetKind.RING)
    map_.layers.append(dykes)
    for box in (Box(22, 28, 23, 54), Box(22, 53, 38, 54), Box(23, 28, 26, 30), Box(38, 30, 40, 52)):
        mask = causeway.cells[box.top : box.bottom, box.left : box.right] == 0
        doc.apply(plan_terrain(doc, map_, dykes, box, mask, 1, "Dyke").edit)
    built = (dykes.terrain[:-1, :-1] > 0) | (causeway.cells > 0)
    props.cells[built] = 0
    # The quay was laid by hand: what grows keeps off it.
    quay = basin.grown(4)
    area = Area.of(quay.top, quay.left, np.ones((quay.height, quay.width), np.bool_))
    wild = Condition(look=Look.AREA, area=area, negated=True)
    map_.recipe = Recipe(41, tuple(replace(each, where=(*each.where, wild)) for each in steps))
    _growth(doc, map_, ground, built | (props.cells > 0))
    _places(map_)
    lay_dusk(map_)
    doc.ensure_all(map_)
    return map_


def harbour_ground(ground: GroundLayer) -> tuple[Step, ...]:
    """Give the steps of the harbour's ground: land, the sea, and pans in rows to both sides."""
    shares = (("brine", 0.05), ("crust", 0.55), ("clay", 0.37), ("blush", 0.03))
    pans = (("brine", 0.5), ("blush", 0.34), ("clay", 0.16))

    def in_field(top: int, left: int, high: int, wide: int) -> tuple[Condition, ...]:
        area = Area.of(top, left, np.ones((high, wide), np.bool_))
        return (Condition(look=Look.AREA, area=area),)

    return (
        NoiseStep(ground.number, 18.0, 3, shares, name="Ground", salt=0),
        SmoothStep(ground.number, 0, True, 7, name="No specks", salt=5),
        ShapeStep(ground.number, "brine", ShapeOf.GRADIENT, 0.22, 0.35, 270.0, name="Sea",
                  salt=6),
        RegionsStep(ground.number, 8.0, 0.0, pans, "crust", 1, name="Pans in the west", salt=7,
                    where=in_field(10, 2, 36, 20)),
        RegionsStep(ground.number, 8.0, 0.0, pans, "crust", 1, name="Pans in the east", salt=8,
                    where=in_field(6, 60, 40, 34)),
    )  # fmt: skip


def _growth(doc: Document, map_: Map, ground: GroundLayer, built: NDArray[np.bool_]) -> None:
    """Let reeds grow on the shores, heaps and specks on the crust; where something stands, nothing.

    Each is a step of the map's recipe.
    """
    growth = map_.new_grown_layer("Shore growth")
    map_.layers.append(growth)
    map_.recipe = replace(
        map_.recipe, steps=(*map_.recipe.steps, *growing_recipe(map_, growth, ground, 0.32, 1))
    )
    box = Box(0, 0, map_.height, map_.width)
    doc.apply(plan_cells(map_, growth, box, np.zeros_like(growth.cells), built, "Keep free").edit)
    doc.apply(lay_grown(map_, run_recipe(doc.project, map_)))


def _places(map_: Map) -> None:
    """Points, areas and free pictures that a game would look for."""
    layer = map_.new_marker_layer("Places")
    map_.layers.append(layer)
    heap = TileRef("props", *PLACES["heap"])
    px = SIZE

    def at(col: float, row: float) -> tuple[float, float]:
        return col * px, row * px

    layer.markers = (
        Marker(1, Shape.POINT, (at(25.5, 30.5),), "Landing", "spawn point"),
        Marker(2, Shape.POINT, (at(44.5, 20.5),), "", "path stop"),
        Marker(3, Shape.BOX, (at(47, 39), at(52, 42)), "Sluice", "door",
               (Property("leads to", "North basin"), Property("key", "brass"),
                Property("toll", "3", PropertyKind.WHOLE))),
        Marker(4, Shape.POLYGON, (at(58, 27), at(64, 25), at(66, 31), at(61, 34), at(57, 32)),
               "Raking ground", "note"),
        Marker(5, Shape.PICTURE, (at(60.3, 30.2),), "", "", (), 0.0, 2.0, heap),
        Marker(6, Shape.PICTURE, (at(63.1, 29.4),), "", "", (), 15.0, 1.0,
               TileRef("props", *PLACES["rake"])),
        *(_lamp(n, at(col + 0.5, row + 0.5))
          for n, (row, col) in enumerate(((24, 30), (24, 38), (29, 41), (24, 46), (24, 54)), 7)),
    )  # fmt: skip


def _lamp(number: int, at: tuple[float, float]) -> Marker:
    """Hang up a lamp on the causeway."""
    return Marker(number, Shape.POINT, (at,), "", "lamp", (
        Property("radius", "80", PropertyKind.WHOLE),
        Property("flicker", "0.15", PropertyKind.NUMBER),
    ))  # fmt: skip
