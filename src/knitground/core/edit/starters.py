"""Recipes to begin with: what the sets and mixes at hand allow, made for one map."""

from __future__ import annotations

from collections.abc import Sequence
from colorsys import rgb_to_hls
from dataclasses import dataclass, replace

import numpy as np

from knitground.core.base.errors import GrowError, KnitError
from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import quoted, say
from knitground.core.edit.atoms import Atom, SetField
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.edit.recipes import layer_names, renumbered
from knitground.core.grow.preview import fitted_picture, knit_stand_in, lay_on, stand_in
from knitground.core.grow.runner import run_recipe
from knitground.core.knit.layer import plain_terrains
from knitground.core.model.conditions import Condition, Look
from knitground.core.model.layers import GroundLayer, GrownLayer, Layer, MarkerLayer, TintLayer
from knitground.core.model.map import Map
from knitground.core.model.mix import Mix
from knitground.core.model.project import Project
from knitground.core.model.recipe import (
    MarkersStep,
    NoiseStep,
    Recipe,
    RegionsStep,
    RouteEnd,
    RouteStep,
    ScatterStep,
    ShapeOf,
    ShapeStep,
    SmoothStep,
    Step,
)
from knitground.core.model.standing import standing_of
from knitground.core.model.terrain import SetKind, TerrainSet
from knitground.core.model.tileset import Tileset
from knitground.core.render.pixels import Pixels
from knitground.core.render.tiles import tile_pixels
from knitground.core.slicing.base import base_of

_BLUE = (0.42, 0.72)
_COLOURED = 0.12
"""Hue and least saturation of a terrain that is taken for water."""
_PLACE = "place"
_LOOKED_AT = 32
"""Entries of a mix that tell whether it is of things that stand loose."""
_MOST_SIDE = 512
"""Cells of a map, in each direction, that are grown for a picture."""


@dataclass(frozen=True)
class Starter:
    """Steps that show something at once on one map, and the layers that come with them."""

    title: str
    hint: str
    steps: tuple[Step, ...]
    layers: tuple[Layer, ...] = ()


@dataclass(frozen=True)
class _Ground:
    """A ground layer that is there, or would come, and what can be laid all over on it.

    `main` lies most, `other` is laid into it, `wet` looks like water (it may be either); "" is
    nothing, where sets leave cells free.
    """

    layer: GroundLayer
    kit: TerrainSet
    main: str
    other: str
    wet: str
    more: tuple[str, ...] = ()
    is_new: bool = False

    @property
    def comes(self) -> tuple[Layer, ...]:
        return (self.layer,) if self.is_new else ()


def starters(project: Project, map_: Map) -> list[Starter]:
    """List what a map could begin with, by the sets and mixes that there are."""
    ground = _ground(project, map_)
    if ground is None:
        return []
    ways = _ways(project, map_, 1 if ground.is_new else 0)
    number, size = ground.layer.number, max(8.0, min(map_.height, map_.width) / 3)
    main, other = ground.main, ground.other
    out: list[Starter] = []

    def add(title: str, hint: str, *steps: Step, brings: Sequence[Layer] = ()) -> None:
        out.append(Starter(title, hint, steps, (*ground.comes, *brings)))

    some = _shares((main, 0.72), (other, 0.28 - 0.08 * len(ground.more)),
                   *((name, 0.08) for name in ground.more))  # fmt: skip
    patches = NoiseStep(number, scale=min(size, 18.0), shares=some)
    if ways is not None:
        name = ways.kit.terrains[0].name
        path = RouteStep(ways.layer.number, name, between=RouteEnd.BORDERS, ground=number,
                         dear=_named(other), wobble=0.5)  # fmt: skip
        add(
            say("{called} with ways", called=_called(main)),
            say(
                "Patches of {called}, and {name} from border to border",
                called=_called(other),
                name=name,
            ),
            patches,
            path,
            brings=ways.comes,
        )
    else:
        add(
            say("{called} in patches", called=_called(main)),
            say("Patches of {called} by noise", called=_called(other)),
            patches,
        )
    sea, land = (ground.wet, other if ground.wet == main else main) if ground.wet else (main, other)
    fill = NoiseStep(number, shares=_shares((land, 1.0)))
    add(
        say("Islands"),
        say("Islands of {called} in {called2}", called=_called(land), called2=_called(sea)),
        NoiseStep(number, scale=size, shares=_shares((land, 0.4), (sea, 0.6))),
        SmoothStep(number, passes=1, least=14),
    )
    if sea:
        add(
            say("Coast"),
            say(
                "{called} at one side, {called2} at the other",
                called=_called(sea),
                called2=_called(land),
            ),
            fill,
            ShapeStep(number, sea, ShapeOf.GRADIENT, share=0.42, rough=0.5, turn=200.0),
        )
        add(say("Lake"), say("A lake of {called} with a ragged shore", called=_called(sea)), fill,
            ShapeStep(number, sea, ShapeOf.ISLAND, share=0.3, rough=0.5))  # fmt: skip
    dense = next(iter(ground.more), other)
    free = main if dense == other else other
    add(
        say("Caves with rooms"),
        say(
            "Rooms of {called}, each in reach, in {called2}",
            called=_called(free),
            called2=_called(dense),
        ),
        RegionsStep(
            number,
            size=max(9.0, size / 2),
            warp=0.3,
            shares=_shares((free, 1.0)),
            wall=dense,
            thick=2,
        ),
    )
    if main:
        even = _shares(*((name, 1.0) for name in (main, other, *ground.more)))
        add(say("Fields"), say("Pieces of land beside each other, each of one terrain"),
            RegionsStep(number, size=max(6.0, size / 2.5), warp=0.15, shares=even))  # fmt: skip
    if ways is not None:
        name = ways.kit.terrains[0].name
        later = sum(each.is_new for each in (ground, ways))
        spots = map_.new_marker_layer(say("Places"))
        spots.number += later
        count = max(3, min(12, map_.height * map_.width // 400))
        add(
            say("Places and ways between"),
            say("{count} places, joined by {name}", count=count, name=name),
            patches,
            MarkersStep(spots.number, kind=_PLACE, count=count, apart=size / 1.5),
            RouteStep(
                ways.layer.number,
                name,
                between=RouteEnd.MARKERS,
                kind=_PLACE,
                ground=number,
                dear=_named(other),
                wobble=0.4,
            ),
            brings=(*ways.comes, spots),
        )
    loose = next((each for each in project.mixes if _stands_loose(project, map_, each)), None)
    if loose is not None:
        mix = loose.name
        on = _grown_layer(map_, say("Scattered"), ground, ways)
        where = (Condition(look=Look.TERRAIN, layer=number, names=(main,)),) if main else ()
        add(
            say("Scattered {mix}", mix=mix),
            say("Patches of {called}, and {mix} in clumps", called=_called(other), mix=mix),
            patches,
            ScatterStep(on.number, mix=mix, density=0.2, clumps=max(6.0, size / 2), where=where),
            brings=() if on in map_.layers else (on,),
        )
    return out


def _named(name: str) -> tuple[str, ...]:
    return (name,) if name else ()


def _called(name: str) -> str:
    return name or say("bare ground")


def _shares(*asked: tuple[str, float]) -> tuple[tuple[str, float], ...]:
    out: dict[str, float] = {}
    for name, share in asked:
        out[name] = round(out.get(name, 0.0) + share, 2)
    return tuple(out.items())


def _fits(tileset: Tileset, map_: Map) -> bool:
    base, cut = base_of(tileset), tileset.slicing
    own = (base.height, base.width) if base is not None else (cut.tile_height, cut.tile_width)
    return own == map_.lattice.cell_size


def _layers_of_sets(
    project: Project, map_: Map, areas: bool, later: int = 0
) -> list[tuple[GroundLayer, Tileset, TerrainSet, bool]]:
    """List the ground layers of a map whose sets cover areas, or go along sides.

    Then come layers that could be added, of sets that none has yet.

    Parameters
    ----------
    later : how many layers are to be added before such a one
    """
    out = []
    used = set()
    for layer in map_.layers:
        found = project.set_of(layer.tileset, layer.set_name) if isinstance(
            layer, GroundLayer
        ) else None  # fmt: skip
        if isinstance(layer, GroundLayer) and found is not None:
            used.add((layer.tileset, layer.set_name))
            if standing_of(layer.kind_of_set).areas == areas:
                out.append((layer, *found, False))
    for tileset in project.tilesets:
        for kit in tileset.sets:
            if standing_of(kit.kind).areas != areas or (tileset.name, kit.name) in used:
                continue
            if _fits(tileset, map_) and kit.terrains:
                made = map_.new_ground_layer(kit.name, tileset.name, kit.name, kit.kind)
                made.number += later
                out.append((made, tileset, kit, True))
    return out


def _ground(project: Project, map_: Map) -> _Ground | None:
    """Choose the ground: the hindmost layer with two terrains that cover areas, or with one."""
    best: _Ground | None = None
    for layer, tileset, kit, is_new in _layers_of_sets(project, map_, areas=True):
        plains = sorted(plain_terrains(project, tileset, kit))
        if not plains:
            continue
        names = [kit.terrains[n - 1].name for n in plains]
        lies = int(np.bincount(layer.terrain[:-1, :-1].ravel()).argmax())
        wet = next((name for name in names if _is_wet(kit, name)), "")
        dry = [name for name in names if name != wet] or names
        main = kit.name_of(lies) if lies in plains and kit.name_of(lies) in dry else dry[0]
        others = [name for name in names if name != main]
        if not others and kit.kind is SetKind.CORNER:
            continue  # noise has nothing to lay beside it
        if not others:  # one terrain, and cells that hold nothing
            found = _Ground(layer, kit, "", names[0], "", is_new=is_new)
        else:
            other = wet if wet and wet != main else others[0]
            more = tuple(name for name in others if name not in (other, wet))[:2]
            found = _Ground(layer, kit, main, other, wet, more, is_new)
        if others and (best is None or not best.main):
            return found
        best = best or found
    return best


def why_none(project: Project, map_: Map) -> str:
    """Say why a map has nothing to begin with, and what helps."""
    for _, tileset, kit, _ in _layers_of_sets(project, map_, areas=True):
        plains = plain_terrains(project, tileset, kit)
        lacks = [quoted(each.name) for n, each in enumerate(kit.terrains, 1) if n not in plains]
        if lacks:
            which = (
                lacks[0]
                if len(lacks) == 1
                else say("{words} and {lacks}", words=", ".join(lacks[:-1]), lacks=lacks[-1])
            )
            return say(
                "Nothing to begin with: {which} of the set “{name}” {words} no tile that "
                "shows nothing else, so no area can be laid. Coverage in Terrains shows what "
                "is missing.",
                which=which,
                name=kit.name,
                words=say("has") if len(lacks) == 1 else say("have"),
            )
    return say(
        "Nothing to begin with yet: areas are laid of two terrains of a corner set, or of one of a "
        "ring set, whose tiles fit this map. Make such a set in Terrains."
    )


def _stands_loose(project: Project, map_: Map, mix: Mix) -> bool:
    """Tell whether a mix is of things that stand on a ground: one sees it past them."""
    for each in mix.entries[:_LOOKED_AT]:
        tileset = project.tileset_named(each.tile.tileset)
        pixels = tile_pixels(tileset, each.tile) if tileset is not None else None
        if tileset is None or pixels is None or not _fits(tileset, map_):
            return False
        if (pixels >> 24 == 255).all():
            return False
    return bool(mix.entries)


def _is_wet(kit: TerrainSet, name: str) -> bool:
    colour = kit.terrains[kit.number_of(name) - 1].colour
    red, green, blue = (int(colour[n : n + 2], 16) / 255 for n in (1, 3, 5))
    hue, _, full = rgb_to_hls(red, green, blue)
    return _BLUE[0] <= hue <= _BLUE[1] and full >= _COLOURED


def _ways(project: Project, map_: Map, later: int) -> _Ground | None:
    """Choose what ways are laid with: a set that goes along sides."""
    for layer, _, kit, is_new in _layers_of_sets(project, map_, areas=False, later=later):
        if kit.terrains:
            return _Ground(layer, kit, "", kit.terrains[0].name, "", is_new=is_new)
    return None


def _grown_layer(map_: Map, name: str, *grounds: _Ground | None) -> GrownLayer:
    """Give a grown layer that is empty, or one that is to be added."""
    for layer in map_.layers:
        if isinstance(layer, GrownLayer) and not layer.filled().any():
            return layer
    made = map_.new_grown_layer(name)
    made.number += sum(1 for each in grounds if each is not None and each.is_new)
    return made


# A recipe that somebody kept, on another map


def kept_starter(
    map_: Map, title: str, recipe: Recipe, names: dict[int, tuple[str, str]]
) -> Starter | None:
    """Make a recipe of another map begin this one; None if it lacks a ground that it works on.

    Layers are found again by kind and name; those that hold no ground come with it.

    Parameters
    ----------
    names : kinds and names of the layers that its steps work on, by number
    """
    own = {known: number for number, known in layer_names(map_).items()}
    brings: list[Layer] = []
    make = {
        GrownLayer.kind: map_.new_grown_layer,
        TintLayer.kind: map_.new_tint_layer,
        MarkerLayer.kind: map_.new_marker_layer,
    }
    for each in recipe.steps:
        known = names.get(each.layer)
        if known is None or (known not in own and known[0] not in make):
            return None
        if known not in own:
            layer = make[known[0]](known[1])
            layer.number += len(brings)
            brings.append(layer)
            own[known] = layer.number
    steps = tuple(
        renumbered(each, lambda number: own.get(names.get(number, ("", "")), 0))
        for each in recipe.steps
    )
    hint = say("{count} steps, as you kept them", count=len(steps))
    return Starter(title, hint, steps, tuple(brings))


# What it would make, and taking it


def starter_recipe(map_: Map, starter: Starter, seed: int) -> Recipe:
    """Give the recipe of a map that begins so."""
    return replace(map_.recipe, seed=seed, steps=starter.steps)


def starter_picture(
    project: Project,
    map_: Map,
    starter: Starter,
    seed: int,
    size: tuple[int, int],
    progress: Progress = no_progress,
) -> Pixels:
    """Draw what a map would look like that begins so, within a height and a width in pixels.

    Raises
    ------
    GrowError
        One of the steps can not run here.
    """
    trial = _part_of(stand_in(map_, starter_recipe(map_, starter, seed)))
    for each in starter.layers:
        trial.layers.append(_cut(each, map_, trial))
    skipped: list[str] = []
    grown = run_recipe(project, trial, progress, skipped=skipped)
    if skipped:
        raise GrowError(skipped[0])
    lay_on(trial, grown)
    knit_stand_in(project, trial)
    return fitted_picture(project, trial, size)


def _part_of(trial: Map) -> Map:
    """Give a stand-in as it is, or its upper left part where growing all of it would take long."""
    high, wide = min(trial.height, _MOST_SIDE), min(trial.width, _MOST_SIDE)
    if (high, wide) == (trial.height, trial.width):
        return trial
    whole = replace(trial)
    trial.height, trial.width = high, wide
    trial.layers = [_cut(each, whole, trial) for each in trial.layers]
    return trial


def _cut(layer: Layer, whole: Map, part: Map) -> Layer:
    """Copy what of a layer lies on the upper left part of a map."""
    if layer.own_cell is not None:
        return layer.copy()
    arrays = {}
    for name in layer.arrays:
        array = getattr(layer, name)  # of some a row and a column more than cells
        rows = part.height + array.shape[0] - whole.height
        cols = part.width + array.shape[1] - whole.width
        arrays[name] = array[: max(0, rows), : max(0, cols)].copy()
    return replace(layer, **arrays)


def take_starter(map_: Map, starter: Starter, seed: int) -> Edit:
    """Give a map the steps of a starter, and the layers that come with it; nothing runs yet.

    Raises
    ------
    KnitError
        The map has a recipe already: it would be lost.
    """
    if map_.recipe.steps:
        raise KnitError(
            say(
                "“{name}” has a recipe of {count} steps already: add to it, or take its "
                "steps out first",
                name=map_.name,
                count=len(map_.recipe.steps),
            )
        )
    atoms: list[Atom] = []
    if starter.layers:
        layers = [*map_.layers, *(each.copy() for each in starter.layers)]
        told = Changed(What.LAYERS, map_, layers[-1])
        atoms.append(SetField(map_, "layers", layers, told))
    recipe = starter_recipe(map_, starter, seed)
    atoms.append(SetField(map_, "recipe", recipe, Changed(What.RECIPE, map_)))
    return Edit(say("Begin with “{title}”", title=starter.title), tuple(atoms))
