"""Edits of a set's list of terrains; marks, maps, rules and recipes follow."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.base.window import whole
from knitground.core.edit.atoms import Atom, PatchArray, SetField
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.edit.maps import mixes_following
from knitground.core.edit.recipes import terrain_renamed
from knitground.core.edit.rules import rules_renamed
from knitground.core.edit.sheets import check_free_name
from knitground.core.edit.terrains import TERRAIN_COLOURS, layers_of
from knitground.core.model.layers import GroundLayer
from knitground.core.model.limits import MAX_TERRAINS
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.recipe import MixStep, Recipe, Step
from knitground.core.model.standing import standing_of
from knitground.core.model.terrain import (
    NOTHING,
    Terrain,
    TerrainSet,
)
from knitground.core.model.tileset import Tileset


def free_colour(taken: Iterable[str]) -> str:
    """Give the first palette colour that is free; beyond sixteen, paler and darker ones of them."""
    used = {each.lower() for each in taken}
    for part in (0.0, 0.3, -0.25, 0.5, -0.4):
        for colour in TERRAIN_COLOURS:
            shifted = _shifted(colour, part)
            if shifted not in used:
                return shifted
    return TERRAIN_COLOURS[len(used) % len(TERRAIN_COLOURS)]


def _shifted(colour: str, part: float) -> str:
    channels = [int(colour[at : at + 2], 16) for at in (1, 3, 5)]
    goal = 255 if part > 0 else 0
    moved = [round(value + (goal - value) * abs(part)) for value in channels]
    return "#" + "".join(f"{value:02x}" for value in moved)


def add_terrain(tileset: Tileset, kit: TerrainSet, name: str) -> Edit:
    """Add a terrain to a set, with the next colour and a letter that is free."""
    if len(kit.terrains) >= MAX_TERRAINS:
        raise EditError(
            say(
                "a set holds at most {max_terrains} terrains: start another set",
                max_terrains=MAX_TERRAINS,
            )
        )
    check_free_name(name, [each.name for each in kit.terrains], "terrain")
    colour = free_colour(each.colour for each in kit.terrains)
    terrain = Terrain(name, colour, free_letter(name, [each.letter for each in kit.terrains]))
    changed = Changed(What.MARKS, tileset=tileset)
    atom = SetField(kit, "terrains", (*kit.terrains, terrain), changed)
    return Edit(say("Add terrain “{name}”", name=name), (atom,))


def change_terrain(
    project: Project, tileset: Tileset, kit: TerrainSet, number: int, *, name: str | None = None,
    colour: str | None = None, letter: str | None = None,
    picture: tuple[int, int] | None = None,
) -> Edit:  # fmt: skip
    """Give a terrain another name, colour #rrggbb, letter or picture; recipes follow the name."""
    old = kit.terrains[number - 1]
    if name is not None and name != old.name:
        check_free_name(name, [each.name for each in kit.terrains], "terrain")
    new = replace(
        old,
        name=old.name if name is None else name.strip(),
        colour=old.colour if colour is None else colour,
        letter=old.letter if letter is None else letter.strip().upper()[:1],
        picture=old.picture if picture is None else picture,
    )
    terrains = tuple(new if each is old else each for each in kit.terrains)
    changed = Changed(What.MARKS, tileset=tileset)
    atoms: list[Atom] = [SetField(kit, "terrains", terrains, changed)]
    if new.name != old.name:
        atoms += _recipe_atoms(project, tileset, kit, {old.name: new.name})
    return Edit(say("Change terrain “{name}”", name=old.name), tuple(atoms))


def move_terrain(project: Project, tileset: Tileset, kit: TerrainSet, number: int, to: int) -> Edit:
    """Move a terrain to another place of the list, 1 for the first; marks and maps follow."""
    to = max(1, min(to, len(kit.terrains)))
    order = [n for n in range(1, len(kit.terrains) + 1) if n != number]
    order.insert(to - 1, number)
    if order == sorted(order):
        return Edit(say("Move terrain"), ())
    terrains = tuple(kit.terrains[n - 1] for n in order)
    table = {old: new for new, old in enumerate(order, 1)}
    name = say("Move terrain “{name}”", name=kit.terrains[number - 1].name)
    return _renumbered(project, tileset, kit, terrains, table, name)


def merge_terrain(
    project: Project, tileset: Tileset, kit: TerrainSet, number: int, into: int
) -> Edit:
    """Let a terrain become another one, on tiles and on maps."""
    if number == into:
        return Edit(say("Merge terrains"), ())
    old, new = kit.terrains[number - 1], kit.terrains[into - 1]
    name = say("Merge “{name}” into “{name2}”", name=old.name, name2=new.name)
    return _without(project, tileset, kit, number, into, name, {old.name: new.name})


def delete_terrain(
    project: Project, tileset: Tileset, kit: TerrainSet, number: int, instead: int = NOTHING
) -> Edit:
    """Delete a terrain: its marks are cleared, maps get another terrain, or nothing, instead.

    Raises
    ------
    EditError
        It is the set's only terrain while maps use it.
    """
    old = kit.terrains[number - 1]
    used = terrain_uses(project, tileset, kit, number)
    if len(kit.terrains) == 1 and used:
        raise EditError(
            say(
                "“{name}” is the only terrain of “{name2}”, and map “{used}” uses it: add "
                "another terrain first",
                name=old.name,
                name2=kit.name,
                used=used[0][0],
            )
        )
    names = {old.name: kit.terrains[instead - 1].name if instead else None}
    edit = _without(
        project, tileset, kit, number, instead, say("Delete terrain “{name}”", name=old.name), names
    )
    cleared = {number: NOTHING}
    return _with_marks_cleared(edit, kit, cleared)


def terrain_uses(
    project: Project, tileset: Tileset, kit: TerrainSet, number: int
) -> list[tuple[str, str, int]]:
    """Say where maps use a terrain: map, layer, and how many places."""
    found = []
    for map_, layer in layers_of(project, tileset, kit):
        count = standing_of(kit.kind).count(layer.terrain, number)
        if count:
            found.append((map_.name, layer.name, count))
    return found


def _without(
    project: Project,
    tileset: Tileset,
    kit: TerrainSet,
    number: int,
    instead: int,
    name: str,
    names: dict[str, str | None] | dict[str, str],
) -> Edit:
    terrains = tuple(each for n, each in enumerate(kit.terrains, 1) if n != number)
    table = {n: n - (n > number) for n in range(1, len(kit.terrains) + 1)}
    table[number] = instead - (instead > number)
    edit = _renumbered(project, tileset, kit, terrains, table, name)
    return Edit(name, (*edit.atoms, *_recipe_atoms(project, tileset, kit, names)))


def _with_marks_cleared(edit: Edit, kit: TerrainSet, cleared: dict[int, int]) -> Edit:
    """Clear marks of a terrain that is gone, instead of giving them to its heir."""
    for atom in edit.atoms:
        if isinstance(atom, SetField) and atom.owner is kit and atom.name == "marks":
            for number in cleared:
                atom.new[kit.marks == number] = NOTHING
        if isinstance(atom, SetField) and atom.owner is kit and atom.name == "guests":
            for guest, marks in kit.guests.items():
                for number in cleared:
                    atom.new[guest][marks == number] = NOTHING
    return edit


def _renumbered(
    project: Project,
    tileset: Tileset,
    kit: TerrainSet,
    terrains: tuple[Terrain, ...],
    numbers: dict[int, int],
    name: str,
) -> Edit:
    """Write a set's terrains in another order: marks and maps are translated."""
    table = np.arange(256).astype(np.uint8)
    for old, new in numbers.items():
        table[old] = new
    changed = Changed(What.MARKS, tileset=tileset)
    guests = {guest: table[marks] for guest, marks in kit.guests.items()}
    atoms: list[Atom] = [
        SetField(kit, "marks", table[kit.marks], changed),
        SetField(kit, "guests", guests, changed),
    ]
    for map_, layer in layers_of(project, tileset, kit):
        atoms += _layer_atoms(map_, layer, table)
    atoms.append(SetField(kit, "terrains", terrains, changed))
    return Edit(name, tuple(atoms))


def _layer_atoms(map_: Map, layer: GroundLayer, table: NDArray[np.uint8]) -> list[Atom]:
    old: NDArray[Any] = layer.terrain
    new = standing_of(layer.kind_of_set).translated(old, table)
    if (new == old).all():
        return []
    # Told as another knitting: every cell of the layer is to be looked at once more.
    changed = Changed(What.KNITTING, map_, layer)
    return [PatchArray(layer, "terrain", whole(new), new, changed)]


def _recipe_atoms(project: Project, tileset: Tileset, kit: TerrainSet, names: Any) -> list[Atom]:
    """Let rules and recipes follow terrains that have another name, or none any more."""
    atoms: list[Atom] = []
    rules = rules_renamed(kit.rules, names)
    if rules is not kit.rules:
        atoms.append(SetField(kit, "rules", rules, Changed(What.MARKS, tileset=tileset)))
    elsewhere = {t.name for owner in project.tilesets for other in owner.sets if other is not kit
                 for t in other.terrains}  # fmt: skip
    only_here = {old: new for old, new in names.items() if old not in elsewhere}
    lists = [rules_renamed(each, only_here) for each in project.rule_lists]
    if lists != project.rule_lists:
        atoms.append(SetField(project, "rule_lists", lists, Changed(What.RULES)))
    atoms += mixes_following(project, only_here)
    numbers = {id(map_): set[int]() for map_ in project.maps}
    for map_, layer in layers_of(project, tileset, kit):
        numbers[id(map_)].add(layer.number)
    for map_ in project.maps:
        steps: list[Step] = []
        for step in map_.recipe.steps:
            known = numbers[id(map_)]
            new = terrain_renamed(step, known, names)
            if isinstance(new, MixStep):
                new = _mix_step_renamed(new, known, names)
            steps.append(new)
        recipe = Recipe(map_.recipe.seed, tuple(steps))
        if recipe != map_.recipe:
            atoms.append(SetField(map_, "recipe", recipe, Changed(What.RECIPE, map_)))
    return atoms


def _mix_step_renamed(step: MixStep, layers: set[int], names: Any) -> MixStep:
    if step.on not in layers or not step.terrains:
        return step
    renamed = [names.get(name, name) for name in step.terrains]
    return replace(step, terrains=tuple(dict.fromkeys(name for name in renamed if name)))


def free_letter(name: str, taken: list[str]) -> str:
    """Pick a letter of the name that is not taken, else the first free one of the alphabet.

    Examples
    --------
    >>> free_letter("clay", ["C", "L"])
    'A'
    """
    for letter in name.upper() + _LETTERS:
        if (letter.isalnum() or letter in _LETTERS) and letter not in taken:
            return letter
    return "?"


_LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789ΓΔΘΛΞΠΣΦΨΩБДЖЗИЛЦЧШЩЭЮЯ&%$#@+="
