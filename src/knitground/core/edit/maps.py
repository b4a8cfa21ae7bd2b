"""Edits of maps, recipes and mixes."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.base.window import whole
from knitground.core.edit.atoms import Atom, SetField
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.edit.properties import check_property, with_property, without_property
from knitground.core.grow.runner import last_made
from knitground.core.grow.work import Grown
from knitground.core.model.lattice import Corner, Grid, GridKind
from knitground.core.model.layers import GroundLayer, TileLayer
from knitground.core.model.limits import MAX_CELLS, MAX_SIDE
from knitground.core.model.map import Map
from knitground.core.model.mix import Mix
from knitground.core.model.project import Project, free_name
from knitground.core.model.properties import Properties, Property
from knitground.core.model.recipe import MixStep, Recipe, RouteStep, ScatterStep
from knitground.core.model.standing import close_seam, standing_of


def check_size(height: int, width: int) -> None:
    """Refuse a size that no map can have.

    Raises
    ------
    EditError
        A side is not 1 … 65 535 cells, or there are more than 4096 × 4096 cells.
    """
    for side, value in ((say("height"), height), (say("width"), width)):
        if not 1 <= value <= MAX_SIDE:
            raise EditError(
                say(
                    "{side} {value} is out of bounds: give 1 to {max_side} cells",
                    side=side,
                    value=value,
                    max_side=MAX_SIDE,
                )
            )
    if height * width > MAX_CELLS:
        raise EditError(
            say(
                "{width} × {height} cells are more than {max_cells}: make the map smaller",
                width=width,
                height=height,
                max_cells=MAX_CELLS,
            )
        )


def add_map(project: Project, map_: Map) -> Edit:
    """Add a map to the project."""
    check_size(map_.height, map_.width)
    if not map_.name.strip() or project.map_named(map_.name):
        raise EditError(
            say("there is a map “{name}” already, or it has no name: give another", name=map_.name)
        )
    changed = Changed(What.MAPS, map_)
    return Edit(
        say("Add map “{name}”", name=map_.name),
        (SetField(project, "maps", [*project.maps, map_], changed),),
    )


def delete_map(project: Project, map_: Map) -> Edit:
    """Delete a map from the project."""
    maps = [each for each in project.maps if each is not map_]
    changed = Changed(What.MAPS, map_)
    return Edit(
        say("Delete map “{name}”", name=map_.name), (SetField(project, "maps", maps, changed),)
    )


def rename_map(project: Project, map_: Map, name: str) -> Edit:
    """Give a map another name."""
    if not name.strip() or (name != map_.name and project.map_named(name)):
        raise EditError(
            say("there is a map “{name}” already, or it has no name: give another", name=name)
        )
    new = name.strip()
    atoms: list[Atom] = [SetField(map_, "name", new, Changed(What.MAPS, map_))]
    profiles = tuple(
        replace(each, maps=tuple(new if one == map_.name else one for one in each.maps))
        for each in project.profiles
    )
    if profiles != project.profiles:  # they ship it under its new name
        atoms.append(SetField(project, "profiles", profiles, Changed(What.SHIPPING)))
    return Edit(say("Rename map “{name}”", name=map_.name), tuple(atoms))


def add_maps(project: Project, maps: Sequence[Map], name: str) -> Edit:
    """Add several maps at once, each under a name that is free."""
    taken = [each.name for each in project.maps]
    for each in maps:
        each.name = free_name(each.name, taken)
        taken.append(each.name)
    changed = Changed(What.MAPS, maps[-1] if maps else None)
    return Edit(name, (SetField(project, "maps", [*project.maps, *maps], changed),))


def set_recipe(map_: Map, recipe: Recipe, name: str = say("Change recipe")) -> Edit:
    """Give a map another recipe; nothing grows by that alone."""
    if recipe == map_.recipe:
        return Edit(name, ())
    changed = Changed(What.RECIPE, map_)
    return Edit(name, (SetField(map_, "recipe", recipe, changed),))


_GROWN = {"terrain": What.TERRAIN, "cells": What.CELLS, "markers": What.MARKERS}
"""What is different once a field of a layer was grown."""


def lay_grown(map_: Map, grown: Sequence[Grown], recipe: Recipe | None = None) -> Edit:
    """Lay what a recipe made; pins stay. With `recipe`, that becomes the map's in the same step."""
    atoms: list[Atom] = []
    if recipe is not None and recipe != map_.recipe:
        atoms.append(SetField(map_, "recipe", recipe, Changed(What.RECIPE, map_)))
    for each in last_made(grown):
        layer = each.layer
        name, old = layer.grown, getattr(layer, layer.grown)
        if isinstance(old, tuple):
            if old != each.made:
                atoms.append(SetField(layer, name, each.made, Changed(_GROWN[name], map_, layer)))
            continue
        if old.shape != each.made.shape:
            raise EditError(
                say("“{name}” has another size now: run the recipe once more", name=layer.name)
            )
        new, there = layer.with_grown(each.made), map_.lattice.exists
        if isinstance(layer, GroundLayer):
            there = standing_of(layer.kind_of_set).shown(map_.lattice)
        if there is not None:
            new = np.where(there, new, 0).astype(new.dtype)
        if isinstance(layer, GroundLayer):
            close_seam(new, map_.lattice)
            atoms += unpainted(map_, layer)
        if (old == new).all():
            continue
        # The array itself is swapped: however large the map, that takes no time.
        atoms.append(SetField(layer, name, new, Changed(_GROWN[name], map_, layer, whole(new))))
    return Edit(say("Grow"), tuple(atoms))


def put_terrain(map_: Map, layer: GroundLayer, terrain: NDArray[Any]) -> Edit:
    """Lay terrain everywhere at once, of the shape that the layer holds; nothing is bridged."""
    new, there = terrain.astype(layer.terrain.dtype), standing_of(layer.kind_of_set)
    shown = there.shown(map_.lattice)
    if shown is not None:
        new = np.where(shown, new, 0).astype(new.dtype)
    close_seam(new, map_.lattice)
    other = new != layer.terrain
    if not other.any():
        return Edit(say("Lay terrain"), ())
    painted = layer.painted | other
    return Edit(say("Lay terrain"), (
        SetField(layer, "painted", painted, Changed(What.RECIPE, map_, layer)),
        SetField(layer, "terrain", new, Changed(What.TERRAIN, map_, layer, whole(new))),
    ))  # fmt: skip


def unpainted(map_: Map, layer: GroundLayer) -> list[Atom]:
    """Note that what was painted on a layer by hand may be replaced, or is already."""
    if not layer.painted.any():
        return []
    none = np.zeros_like(layer.painted)
    return [SetField(layer, "painted", none, Changed(What.RECIPE, map_, layer))]


def set_background(map_: Map, colour: str | None) -> Edit:
    """Put a colour #rrggbb behind all layers of a map, or none."""
    if colour is not None and not re.fullmatch(r"#[0-9a-fA-F]{6}", colour):
        raise EditError(say("“{colour}” is not a colour: give #rrggbb", colour=colour))
    changed = Changed(What.LAYERS, map_)
    return Edit(say("Background"), (SetField(map_, "background", colour, changed),))


def set_screen(map_: Map, width: int, height: int) -> Edit:
    """Say how many pixels a player sees at a time."""
    for side, value in ((say("width"), width), (say("height"), height)):
        if not 1 <= value <= 16_384:
            raise EditError(
                say(
                    "screen {side} {value} px is out of bounds: give 1 to 16 384",
                    side=side,
                    value=value,
                )
            )
    changed = Changed(What.LAYERS, map_)
    name = say("Screen of {width} × {height} px", width=width, height=height)
    return Edit(name, (SetField(map_, "screen", (width, height), changed),))


def put_map_property(map_: Map, new: Property, old: str = "", *, keep: bool = False) -> Edit:
    """Give a map a property, in place of one with the same name or of the one called `old`.

    Raises
    ------
    EditError
        It has no name or one that is taken, or its value is not of its kind.
    """
    check_property(new, old, (each.name for each in map_.properties))
    found = with_property(map_.properties, new, old, keep=keep)
    return _set_properties(map_, found, say("Property “{name}” of the map", name=new.name))


def remove_map_property(map_: Map, name: str) -> Edit:
    """Take a property away from a map."""
    found = without_property(map_.properties, name)
    return _set_properties(map_, found, say("Take property “{name}” from the map", name=name))


def _set_properties(map_: Map, found: Properties, name: str) -> Edit:
    changed = Changed(What.PROPERTIES, map_)
    return Edit(name, (SetField(map_, "properties", found, changed),))


def check_wraps(grid: Grid, name: str) -> None:
    """Refuse to let a grid wrap whose rows would not meet where it begins anew.

    Raises
    ------
    EditError
        Every other of its rows is shifted, and they are odd in number.
    """
    stagger = grid.stagger
    if stagger is None or stagger.meets:
        return
    if stagger.by_columns:
        raise EditError(
            say(
                "“{name}” has {count} columns, every other of which is shifted: to wrap they have "
                "to be even in number, so give it {more}",
                name=name, count=stagger.columns, more=stagger.columns + 1,
            )
        )  # fmt: skip
    raise EditError(
        say(
            "“{name}” has {count} rows, every other of which is shifted: to wrap they have to be "
            "even in number, so give it {more}",
            name=name, count=stagger.rows, more=stagger.rows + 1,
        )
    )  # fmt: skip


def set_wrap(map_: Map, wrap: bool) -> Edit:
    """Let a map wrap at its borders, or not. Switched on, the far vertices take the near ones."""
    if wrap == map_.wrap:
        return Edit(say("Wrap"), ())
    if wrap:
        check_wraps(map_.grid, map_.name)
    lattice = replace(map_.lattice, wrap=wrap)
    atoms: list[Atom] = [SetField(map_, "wrap", wrap, Changed(What.MAPS, map_))]
    if lattice.exists is not None:  # what cells are knitted from lies elsewhere now
        atoms.append(SetField(map_, "wrap", wrap, Changed(What.SIZE, map_)))
    for layer in map_.layers:
        if not isinstance(layer, GroundLayer):
            continue
        # Cells at a border look beyond it, or no longer do, whatever happens to the terrain.
        atoms.append(SetField(map_, "wrap", wrap, Changed(What.KNITTING, map_, layer)))
        changed = Changed(What.TERRAIN, map_, layer, whole(layer.terrain))
        shown = standing_of(layer.kind_of_set).shown(lattice)
        for name in ("terrain", "painted"):
            new = close_seam(getattr(layer, name).copy(), lattice)
            if not wrap and shown is not None:  # copies in cells that there are not mean nothing
                new[~shown] = 0
            if (new != getattr(layer, name)).any():
                atoms.append(SetField(layer, name, new, changed))
    return Edit(say("Wrap at the borders") if wrap else say("No wrapping"), tuple(atoms))


def draw_from(map_: Map, corner: Corner) -> Edit:
    """Let a map of diamonds be drawn from another corner.

    Raises
    ------
    EditError
        Its cells are upright: they are drawn row by row.
    """
    if map_.grid.kind is GridKind.SQUARE:
        raise EditError(
            say("“{name}” has upright cells: they are drawn row by row, from above", name=map_.name)
        )
    if corner is map_.grid.drawn_from:
        return Edit(say("Order of drawing"), ())
    grid = replace(map_.grid, drawn_from=corner)
    changed = Changed(What.LAYERS, map_)
    return Edit(
        say("Draw from the {corner}", corner=say(corner.value)),
        (SetField(map_, "grid", grid, changed),),
    )


def put_mix(project: Project, mix: Mix, instead_of: Mix | None = None) -> Edit:
    """Add a mix, or put it in another one's place."""
    if not mix.name.strip():
        raise EditError(say("a mix needs a name: type one"))
    if any(each.name == mix.name and each is not instead_of for each in project.mixes):
        raise EditError(say("there is a mix “{name}” already: give another name", name=mix.name))
    for entry in mix.entries:
        if not 0 <= entry.weight <= 1e6:
            raise EditError(
                say("weight {weight:g} is out of bounds: give 0 to 1 000 000", weight=entry.weight)
            )
    if instead_of is None:
        mixes, name = [*project.mixes, mix], say("Add mix “{name}”", name=mix.name)
    else:
        mixes = [mix if each is instead_of else each for each in project.mixes]
        name = say("Change mix “{name}”", name=mix.name)
    atoms: list[Atom] = [SetField(project, "mixes", mixes, Changed(What.MIXES))]
    if instead_of is not None and instead_of.name != mix.name:
        atoms += _renamed_in_recipes(project, instead_of.name, mix.name)
    return Edit(name, tuple(atoms))


def mixes_following(project: Project, names: Mapping[str, str | None]) -> list[Atom]:
    """Let mixes that look at a layer or a terrain follow its new name."""

    def new(name: str) -> str:
        return names.get(name) or name

    mixes = [
        replace(each, fall=replace(each.fall, of=new(each.fall.of), tint=new(each.fall.tint)))
        for each in project.mixes
    ]
    if mixes == project.mixes:
        return []
    return [SetField(project, "mixes", mixes, Changed(What.MIXES))]


def _renamed_in_recipes(project: Project, old: str, new: str) -> list[Atom]:
    """Let recipes draw from a mix under its new name."""
    atoms: list[Atom] = []
    for map_ in project.maps:
        steps = tuple(
            replace(step, mix=new)
            if isinstance(step, MixStep | ScatterStep | RouteStep) and step.mix == old
            else step
            for step in map_.recipe.steps
        )
        for layer in map_.layers:
            if isinstance(layer, TileLayer) and any(each.mix == old for each in layer.laid):
                laid = tuple(
                    replace(each, mix=new) if each.mix == old else each for each in layer.laid
                )
                atoms.append(SetField(layer, "laid", laid, Changed(What.LAYERS, map_, layer)))
        if steps != map_.recipe.steps:
            recipe = replace(map_.recipe, steps=steps)
            atoms.append(SetField(map_, "recipe", recipe, Changed(What.RECIPE, map_)))
    return atoms


def delete_mix(project: Project, mix: Mix) -> Edit:
    """Delete a mix."""
    mixes = [each for each in project.mixes if each is not mix]
    changed = Changed(What.MIXES)
    return Edit(
        say("Delete mix “{name}”", name=mix.name), (SetField(project, "mixes", mixes, changed),)
    )
