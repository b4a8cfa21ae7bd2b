"""Edits of terrain sets: sets, terrains, marks; everything that uses them follows."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import EditError
from knitground.core.base.filenames import file_stem
from knitground.core.base.window import Box, read, whole
from knitground.core.edit.artcolour import art_colour
from knitground.core.edit.atoms import Atom, PatchArray, SetField
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.edit.maps import mixes_following
from knitground.core.edit.recipes import terrain_renamed
from knitground.core.edit.rules import rules_renamed
from knitground.core.edit.sheets import add_tileset, check_free_name
from knitground.core.knit.making import Made, sheet_of
from knitground.core.model.layers import GroundLayer
from knitground.core.model.limits import MAX_TERRAINS
from knitground.core.model.map import Map
from knitground.core.model.project import Project, free_name
from knitground.core.model.recipe import MixStep, Recipe, Step
from knitground.core.model.slicing import Slicing
from knitground.core.model.standing import standing_of
from knitground.core.model.terrain import (
    ANY,
    NOTHING,
    Marks,
    Terrain,
    TerrainSet,
    no_marks,
)
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Tileset
from knitground.core.slicing.grid import clear_see_through, cut_tile

TERRAIN_COLOURS = (
    "#2f8f9d", "#f2ede1", "#b9822f", "#e3b0b4", "#4b5fa5", "#a3c45a", "#8a4f7d", "#e0b84c",
    "#5b4636", "#9fc7d9", "#c65b3c", "#3f6b57", "#b7a8d6", "#7d7d7d", "#e7a46a", "#2b2a33",
)  # fmt: skip
"""Told apart by eyes that miss red, green or blue: they differ in lightness as well as in hue."""


_GIVEN = frozenset(TERRAIN_COLOURS)


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


# Marks


def paint_marks(
    tileset: Tileset, kit: TerrainSet, slots: Iterable[tuple[int, int, int]], value: int,
    guest: Tileset | None = None,
) -> Edit:  # fmt: skip
    """Mark slots of tiles with one terrain or with “any”, or clear them with 0.

    Parameters
    ----------
    tileset : the one that the set belongs to
    slots : (row, column, slot) of each
    guest : the tileset that the tiles are of, if it is another one
    """
    if not (0 <= value <= len(kit.terrains) or value == ANY):
        raise EditError(f"mark {value} is not one of the {len(kit.terrains)} terrains of the set")
    target, places = guest or tileset, list(slots)
    name = "Clear marks" if value == NOTHING else f"Mark {kit.name_of(value)}"
    for row, col, _ in places:
        if not target.has(row, col):
            raise EditError(
                f"the sheet has no tile in row {row}, column {col}: its grid is "
                f"{target.columns} × {target.rows}"
            )
    if not places:
        return Edit(name, ())
    if guest is None and all(
        row < kit.marks.shape[0] and col < kit.marks.shape[1] for row, col, _ in places
    ):
        return _marks_patch(tileset, kit, places, value, name)
    marks = _room_for(tileset, kit, guest)
    for place in places:
        marks[place] = value
    return marks_edit(tileset, kit, marks, name, guest)


def _marks_patch(
    tileset: Tileset, kit: TerrainSet, places: list[tuple[int, int, int]], value: int, name: str
) -> Edit:
    """Change only the tiles that a dab touches: a sheet may have tens of thousands."""
    rows, cols = [row for row, _, _ in places], [col for _, col, _ in places]
    box = Box(min(rows), min(cols), max(rows) + 1, max(cols) + 1)
    old = read(kit.marks, box)
    new = old.copy()
    for row, col, slot in places:
        new[row - box.top, col - box.left, slot] = value
    if (new == old).all():
        return Edit(name, ())
    return Edit(name, (PatchArray(kit, "marks", box, new, Changed(What.MARKS, tileset=tileset)),))


def _room_for(tileset: Tileset, kit: TerrainSet, guest: Tileset | None = None) -> Marks:
    target = guest or tileset
    there = kit.marks if guest is None else kit.guests.get(guest.name, no_marks())
    high, wide = max(target.rows, there.shape[0]), max(target.columns, there.shape[1])
    return kit.marks_within(high, wide, guest.name if guest else None)


def marks_edit(
    tileset: Tileset, kit: TerrainSet, marks: Marks, name: str, guest: Tileset | None = None
) -> Edit:
    """Give a set other marks, all of them at once; nothing to do if they are the same."""
    there = kit.marks if guest is None else kit.guests.get(guest.name, no_marks())
    if there.shape == marks.shape and (there == marks).all():
        return Edit(name, ())
    changed = Changed(What.MARKS, tileset=tileset)
    if guest is None:
        atom = SetField(kit, "marks", marks, changed)
    else:
        guests = {**kit.guests, guest.name: marks}
        atom = SetField(kit, "guests", guests, changed)
    return Edit(name, (atom,))


def set_marks(
    tileset: Tileset, kit: TerrainSet, places: Sequence[tuple[int, int]], marks: NDArray[np.uint8],
    name: str = "Set marks", guest: Tileset | None = None,
) -> Edit:  # fmt: skip
    """Give tiles all their marks at once.

    Parameters
    ----------
    places : rows and columns of the tiles
    marks : (n, 9), or (n, 8) to leave the middle as it is
    """
    new = _room_for(tileset, kit, guest)
    for (row, col), each in zip(places, marks):
        new[row, col, : len(each)] = each
    return marks_edit(tileset, kit, new, name, guest)


def colours_from_art(tileset: Tileset, kit: TerrainSet) -> Edit:
    """Give terrains that still have the colour they were made with one from their art.

    A terrain takes it from its plain tile, all of whose marks are that terrain, once there is one.
    """
    terrains = list(kit.terrains)
    for number, terrain in enumerate(kit.terrains, 1):
        if terrain.colour not in _GIVEN or tileset.picture is None:
            continue
        marks = kit.marks_within(tileset.rows, tileset.columns)[..., list(kit.kind.slots)]
        plain = np.argwhere((marks == number).all(axis=2))
        if not len(plain):
            continue
        row, col = (int(each) for each in plain[0])
        pixels = clear_see_through(
            cut_tile(tileset.picture, tileset.slicing, row, col).copy(), tileset.slicing
        )
        others = [each.colour for n, each in enumerate(terrains, 1) if n != number]
        colour = art_colour(pixels, others)
        if colour is not None:
            terrains[number - 1] = replace(terrain, colour=colour)
    changed = Changed(What.MARKS, tileset=tileset)
    if tuple(terrains) == kit.terrains:
        return Edit("Colours from the art", ())
    return Edit("Colours from the art", (SetField(kit, "terrains", tuple(terrains), changed),))


def copy_layout(
    tileset: Tileset,
    kit: TerrainSet,
    source: tuple[int, int, int, int],
    target: tuple[int, int],
    terrains: dict[int, int],
) -> Edit:
    """Copy the marks of a block of tiles onto another block, terrains exchanged.

    Parameters
    ----------
    source : first row, first column, rows and columns of the block
    target : first row and column of the other
    terrains : mark there by mark here; others stay as they are

    Raises
    ------
    EditError
        The block would stand beyond the sheet, or a terrain is not of the set.
    """
    row, col, rows, cols = source
    if not tileset.has(target[0] + rows - 1, target[1] + cols - 1):
        raise EditError(
            f"a block of {cols} × {rows} tiles from column {target[1]}, row {target[0]} on does "
            f"not fit the sheet's {tileset.columns} × {tileset.rows}: begin further up or left"
        )
    if any(not 0 <= mark <= len(kit.terrains) for mark in terrains.values()):
        raise EditError(f"the set has {len(kit.terrains)} terrains: choose one of them")
    marks = _room_for(tileset, kit)
    block = marks[row : row + rows, col : col + cols].copy()
    table = np.arange(256).astype(np.uint8)
    for old, new in terrains.items():
        table[old] = new
    marks[target[0] : target[0] + rows, target[1] : target[1] + cols] = table[block]
    return marks_edit(tileset, kit, marks, f"Copy marks of {cols} × {rows} tiles")


def add_made(
    project: Project, owner: Tileset, kit: TerrainSet, made: Sequence[Made]
) -> tuple[Edit, Tileset]:
    """Put tiles that were made on a new sheet of the project, marked as tiles of the set.

    Raises
    ------
    EditError
        There are none.
    """
    if not made:
        raise EditError("no tile was made: allow turning, mirroring or joining, or choose some")
    sheet, marks = sheet_of(made)
    name = free_name(f"{owner.name} made", [each.name for each in project.tilesets])
    height, width = made[0].pixels.shape[:2]
    tileset = Tileset(
        name, f"{file_stem(name)}.png", sheet.shape[1], sheet.shape[0],
        Slicing(width, height), picture=sheet,
    )  # fmt: skip
    changed = Changed(What.MARKS, tileset=owner)
    guests = {**kit.guests, name: marks}
    atoms = (*add_tileset(project, tileset).atoms, SetField(kit, "guests", guests, changed))
    return Edit(f"Make {len(made)} missing tiles", atoms), tileset


# Sets


def add_set(tileset: Tileset, kit: TerrainSet) -> Edit:
    """Add a terrain set to a tileset."""
    check_free_name(kit.name, [each.name for each in tileset.sets], "terrain set")
    changed = Changed(What.MARKS, tileset=tileset)
    atom = SetField(tileset, "sets", [*tileset.sets, kit], changed)
    return Edit(f"Add terrain set “{kit.name}”", (atom,))


def layers_of(project: Project, tileset: Tileset, kit: TerrainSet) -> list[tuple[Map, GroundLayer]]:
    """List the ground layers that are knitted from a set."""
    return [
        (map_, layer)
        for map_ in project.maps
        for layer in map_.layers
        if isinstance(layer, GroundLayer)
        and (layer.tileset, layer.set_name) == (tileset.name, kit.name)
    ]


def rename_set(project: Project, tileset: Tileset, kit: TerrainSet, name: str) -> Edit:
    """Give a set another name; the layers that use it follow."""
    name = name.strip()
    if name == kit.name:
        return Edit("Rename terrain set", ())
    check_free_name(name, [each.name for each in tileset.sets], "terrain set")
    atoms: list[Atom] = [SetField(kit, "name", name, Changed(What.MARKS, tileset=tileset))]
    for map_, layer in layers_of(project, tileset, kit):
        atoms.append(SetField(layer, "set_name", name, Changed(What.KNITTING, map_, layer)))
    return Edit(f"Rename terrain set “{kit.name}”", tuple(atoms))


def delete_set(project: Project, tileset: Tileset, kit: TerrainSet) -> Edit:
    """Delete a set; refused while a layer is knitted from it."""
    for map_, layer in layers_of(project, tileset, kit):
        raise EditError(
            f"layer “{layer.name}” of map “{map_.name}” is knitted from “{kit.name}”: delete the "
            "layer, or choose another set for it, first"
        )
    sets = [each for each in tileset.sets if each is not kit]
    changed = Changed(What.MARKS, tileset=tileset)
    return Edit(f"Delete terrain set “{kit.name}”", (SetField(tileset, "sets", sets, changed),))


# Terrains


def add_terrain(tileset: Tileset, kit: TerrainSet, name: str) -> Edit:
    """Add a terrain to a set, with the next colour and a letter that is free."""
    if len(kit.terrains) >= MAX_TERRAINS:
        raise EditError(f"a set holds at most {MAX_TERRAINS} terrains: start another set")
    check_free_name(name, [each.name for each in kit.terrains], "terrain")
    colour = free_colour(each.colour for each in kit.terrains)
    terrain = Terrain(name, colour, free_letter(name, [each.letter for each in kit.terrains]))
    changed = Changed(What.MARKS, tileset=tileset)
    atom = SetField(kit, "terrains", (*kit.terrains, terrain), changed)
    return Edit(f"Add terrain “{name}”", (atom,))


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
    return Edit(f"Change terrain “{old.name}”", tuple(atoms))


def move_terrain(project: Project, tileset: Tileset, kit: TerrainSet, number: int, to: int) -> Edit:
    """Move a terrain to another place of the list, 1 for the first; marks and maps follow."""
    to = max(1, min(to, len(kit.terrains)))
    order = [n for n in range(1, len(kit.terrains) + 1) if n != number]
    order.insert(to - 1, number)
    if order == sorted(order):
        return Edit("Move terrain", ())
    terrains = tuple(kit.terrains[n - 1] for n in order)
    table = {old: new for new, old in enumerate(order, 1)}
    name = f"Move terrain “{kit.terrains[number - 1].name}”"
    return _renumbered(project, tileset, kit, terrains, table, name)


def merge_terrain(
    project: Project, tileset: Tileset, kit: TerrainSet, number: int, into: int
) -> Edit:
    """Let a terrain become another one, on tiles and on maps."""
    if number == into:
        return Edit("Merge terrains", ())
    old, new = kit.terrains[number - 1], kit.terrains[into - 1]
    name = f"Merge “{old.name}” into “{new.name}”"
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
            f"“{old.name}” is the only terrain of “{kit.name}”, and map “{used[0][0]}” uses it: "
            "add another terrain first"
        )
    names = {old.name: kit.terrains[instead - 1].name if instead else None}
    edit = _without(project, tileset, kit, number, instead, f"Delete terrain “{old.name}”", names)
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


def plain_tile(tileset: Tileset, kit: TerrainSet, mark: int) -> TileRef | None:
    """Give the tile that stands for a terrain: the chosen picture, else its first plain tile."""
    terrain = kit.terrains[mark - 1] if 0 < mark <= len(kit.terrains) else None
    if terrain is None:
        return None
    if terrain.picture is not None and tileset.has(*terrain.picture):
        return TileRef(tileset.name, *terrain.picture)
    marks = kit.marks_within(tileset.rows, tileset.columns)[..., list(kit.kind.slots)]
    counts = (marks == mark).sum(axis=2)
    if not counts.size or counts.max() == 0:
        return None
    row, col = divmod(int(np.argmax(counts)), tileset.columns)
    return TileRef(tileset.name, row, col)
