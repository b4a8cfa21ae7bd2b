"""Example rules for a set that has none: drawn with its own tiles, so that one sees what rules do.

Each takes cells that the marks give a plain tile and lays another one there; that one is only an
example, to be exchanged for what is meant.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.tongue import say
from knitground.core.base.window import Box, read
from knitground.core.edit.rulehome import RuleHome
from knitground.core.knit.knit import knit_box
from knitground.core.knit.layer import layer_table, plain_terrains
from knitground.core.knit.table import links
from knitground.core.model.lattice import DIAMOND, Rect
from knitground.core.model.map import Map
from knitground.core.model.mix import MixEntry
from knitground.core.model.project import Project
from knitground.core.model.rules import (
    OFF,
    SAME,
    Ask,
    AskKind,
    NeighbourRule,
    Result,
    Rule,
    RuleList,
    Spot,
    Ways,
)
from knitground.core.model.terrain import SetKind, TerrainSet
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Tileset
from knitground.core.render.atlas import Atlas
from knitground.core.render.pixels import Pixels
from knitground.core.render.stack import draw, stack_of
from knitground.core.render.tiles import filled_tiles, tile_pixels
from knitground.core.rules.places import base_places, places_of
from knitground.core.slicing.base import base_of

_ROWS, _COLUMNS = 7, 10
_LOOKED_AT = 600
"""Tiles of a sheet among which one is chosen at most."""


@dataclass(frozen=True)
class RuleStarter:
    """A rule to begin with."""

    title: str
    hint: str
    rule: NeighbourRule


def rule_starters(home: RuleHome) -> list[RuleStarter]:
    """List example rules for a terrain set; none where no terrain of it has a plain tile."""
    kit, owner = home.kit, home.tileset
    if kit is None or owner is None:
        return []
    mark = _subject(home, owner, kit)
    if not mark:
        return []
    name = kit.name_of(mark)
    results = [Result(tiles=(MixEntry(tile),)) for tile in _others(owner, kit, mark)]
    if not results:
        return []
    terrain = Ask(AskKind.TERRAIN, name)
    out: list[RuleStarter] = []

    def add(title: str, hint: str, spots: list[Spot], **more: object) -> None:
        about = terrain if kit.kind is SetKind.RING else None
        result = results[len(out) % len(results)]
        rule = NeighbourRule(0, tuple(spots), title, result, about)
        out.append(RuleStarter(title, hint, replace(rule, **more)))  # type: ignore[arg-type]

    own = _plain_spots(kit.kind, terrain)
    if kit.kind is SetKind.EDGE:
        along = [Spot(1, 0, terrain), Spot(1, 2, terrain), *_bare((0, 1), (2, 1))]
        add(
            say("Here and there"),
            say("Where {name} goes on straight, a third of the cells by chance", name=name),
            along,
            chance=0.33,
            ways=Ways.TURNED,
        )
        add(say("Crossings"), say("Where {name} comes from all sides", name=name), own)
        add(say("At the map's border"), say("Where {name} leaves the map", name=name),
            [Spot(1, 0, terrain), Spot(1, -2, OFF)], ways=Ways.TURNED)  # fmt: skip
        return out
    wide = [Spot(y, x, SAME if kit.kind is SetKind.RING else terrain)
            for y, x in places_of(kit.kind, 1)
            if kit.kind is not SetKind.RING or (y, x) != (1, 1)]  # fmt: skip
    add(
        say("Wide {name}", name=name),
        say("Where {name} lies all round, a cell gets another tile", name=name),
        wide,
    )
    add(
        say("Every third"),
        say("In {name} every third row and column gets another tile", name=name),
        own,
        every=(3, 3, 0, 0),
    )
    # Beyond the border there is no place: of a corner set two vertices, of a ring set a cell.
    beyond = [(-2, 0), (-2, 2)] if kit.kind is SetKind.CORNER else [(-1, 1)]
    border = [each for each in own if (each.y, each.x) not in beyond]
    add(say("At the map's border"), say("Where {name} meets the end of the map", name=name),
        [*(Spot(y, x, OFF) for y, x in beyond), *border], ways=Ways.TURNED)  # fmt: skip
    return out


def _bare(*places: tuple[int, int]) -> list[Spot]:
    return [Spot(y, x, Ask(AskKind.TERRAIN, "")) for y, x in places]


def _plain_spots(kind: SetKind, terrain: Ask) -> list[Spot]:
    """Say that a cell shows one terrain all over."""
    if kind is SetKind.RING:
        return [Spot(y, x, SAME) for y, x in base_places(kind)[1:]]
    return [Spot(y, x, terrain) for y, x in base_places(kind)]


def _subject(home: RuleHome, owner: Tileset, kit: TerrainSet) -> int:
    """Choose the terrain that the examples are about: one with a plain tile, with several best."""
    plains = sorted(plain_terrains(home.project, owner, kit))
    if kit.kind is SetKind.EDGE:
        return 1 if kit.terrains else 0
    return max(plains, key=lambda mark: (min(3, len(_plain_tiles(owner, kit, mark))), -mark),
               default=0)  # fmt: skip


def _plain_tiles(owner: Tileset, kit: TerrainSet, mark: int) -> list[TileRef]:
    marks = kit.marks_within(owner.rows, owner.columns)[..., list(kit.kind.slots)]
    return [TileRef(owner.name, row, col)
            for row, col in np.argwhere((marks == mark).all(axis=2)).tolist()]  # fmt: skip


def _others(owner: Tileset, kit: TerrainSet, mark: int) -> list[TileRef]:
    """Choose up to three tiles that an example may lay: full ones unlike the terrain's first.

    Those of the sheet that the set does not use come first, as they can be seen best.
    """
    marks = kit.marks_within(owner.rows, owner.columns)
    free = filled_tiles(owner) & ~(marks[..., list(kit.kind.slots)] > 0).any(axis=2)
    own = _plain_tiles(owner, kit, mark)
    first = tile_pixels(owner, own[0]) if own else None
    places = np.argwhere(free)[:_LOOKED_AT].tolist()
    found = []
    for row, col in places:
        tile = TileRef(owner.name, row, col)
        pixels = tile_pixels(owner, tile)
        if pixels is None or (first is not None and pixels.shape != first.shape):
            continue
        dull = (pixels >> 24 < 255).any() or (pixels == pixels[0, 0]).all()
        found.append((bool(dull), -_unlike(first, pixels), tile))
    found.sort(key=lambda each: each[:2])
    out = [tile for *_, tile in found[:3]]
    rest = [tile for tile in own[1:] if tile not in out]
    return [*out, *rest][:3] or [each._replace(turn=1) for each in own[:1]]


def _unlike(first: Pixels | None, pixels: Pixels) -> float:
    """Tell how far two tiles are apart, in colours on the average."""
    if first is None:
        return 0.0
    one, other = _rgb(first), _rgb(pixels)
    return float(np.abs(one.mean(axis=(0, 1)) - other.mean(axis=(0, 1))).sum())


def _rgb(pixels: Pixels) -> NDArray[np.float32]:
    parts = [(pixels >> shift & 255).astype(np.float32) for shift in (16, 8, 0)]
    return np.stack(parts, axis=2)


def rule_picture(home: RuleHome, rule: Rule) -> Pixels:
    """Draw a small ground of the set as it is knitted with one rule alone."""
    assert home.kit is not None
    assert home.tileset is not None
    owner = home.tileset
    kit = replace(home.kit, rules=RuleList(rules=(replace(rule, number=1),)))
    project = Project(home.project.name, home.project.folder)
    copy = replace(owner, sets=[kit])
    others = [each for each in home.project.tilesets if each is not owner]
    project.tilesets = [copy, *others]
    project.mixes = home.project.mixes
    base, cut = base_of(owner), owner.slicing
    map_ = Map("", _ROWS, _COLUMNS, cut.tile_height, cut.tile_width)
    if base is not None:
        map_ = Map("", _ROWS, _COLUMNS, base.height, base.width, grid=DIAMOND)
    layer = map_.new_ground_layer("", copy.name, kit.name, kit.kind)
    table = layer_table(project, map_, layer)
    mark = _subject(home, owner, home.kit)
    layer.terrain[:] = _example(kit, mark, links(table))
    map_.layers.append(layer)
    layer.cells = knit_box(table, layer, Box(0, 0, _ROWS, _COLUMNS))
    shown = np.maximum(layer.cells, 0)
    atlas = Atlas(project, map_)
    rect = Rect(0, 0, *map_.lattice.extent)
    return draw(atlas, stack_of(map_, atlas, rect, 0, lambda _, box: read(shown, box)))


def _example(kit: TerrainSet, mark: int, together: set[tuple[int, int]]) -> NDArray[np.uint16]:
    """Lay a terrain up to the border, with a piece of another in it; or ways that cross."""
    out = np.zeros((_ROWS + 1, _COLUMNS + 1), np.uint16)
    if kit.kind is SetKind.EDGE:
        out[3, :] |= np.uint16(mark) << np.uint16(8)
        out[:, 5] |= np.uint16(mark)
        return out
    out[:] = mark
    near = [b if a == mark else a for a, b in sorted(together) if mark in (a, b) and a != b]
    if kit.kind is SetKind.RING or near:
        out[_ROWS - 3 :, _COLUMNS - 3 :] = near[0] if near and kit.kind is SetKind.CORNER else 0
    return out
