"""Edits of tilesets: slicing, marks, weights, terrain sets."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import EditError
from knitground.core.edit.atoms import SetField
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.model.project import Project, free_name
from knitground.core.model.slicing import Area, Slicing
from knitground.core.model.terrain import MAX_TERRAINS, NOTHING, Terrain, TerrainSet
from knitground.core.model.tileset import Picture, Tileset
from knitground.core.slicing.grid import lay_grid

TERRAIN_COLOURS = (
    "#2f8f9d", "#f2ede1", "#b9822f", "#e3b0b4", "#4b5fa5", "#a3c45a", "#8a4f7d", "#e0b84c",
    "#5b4636", "#9fc7d9", "#c65b3c", "#3f6b57", "#b7a8d6", "#7d7d7d", "#e7a46a", "#2b2a33",
)  # fmt: skip
"""Told apart by eyes that miss red, green or blue: they differ in lightness as well as in hue."""


def add_tileset(project: Project, tileset: Tileset) -> Edit:
    """Add a tileset to the project."""
    _check_free_name(tileset.name, [each.name for each in project.tilesets], "tileset")
    new = [*project.tilesets, tileset]
    changed = Changed(What.TILESETS, tileset=tileset)
    return Edit(f"Add sheet “{tileset.name}”", (SetField(project, "tilesets", new, changed),))


def add_region(project: Project, tileset: Tileset, area: Area) -> tuple[Edit, Tileset]:
    """Make a region of a sheet: a tileset of its own on the same picture, cut as the first is."""
    name = free_name(f"{tileset.name} region", [each.name for each in project.tilesets])
    size = (min(tileset.slicing.tile_width, area[2]), min(tileset.slicing.tile_height, area[3]))
    slicing = Slicing(
        *size,
        see_through=tileset.slicing.see_through,
        tolerance=tileset.slicing.tolerance,
        area=area,
    )
    lay_grid(slicing, tileset.width, tileset.height)
    made = replace(tileset, name=name, slicing=slicing, weights={}, sets=[], left_out=frozenset())
    return add_tileset(project, made), made


def remove_tileset(project: Project, tileset: Tileset) -> Edit:
    """Take a sheet, or a region, out of the project; refused while a map uses its tiles."""
    for map_ in project.maps:
        places = [
            n for n, tile in enumerate(map_.legend.tiles) if tile and tile.tileset == tileset.name
        ]
        knitted = any(getattr(layer, "tileset", None) == tileset.name for layer in map_.layers)
        if knitted or any(bool(np.isin(layer.cells, places).any()) for layer in map_.layers):
            raise EditError(
                f"map “{map_.name}” uses tiles of “{tileset.name}”: take them off the map first"
            )
    new = [each for each in project.tilesets if each is not tileset]
    changed = Changed(What.TILESETS, tileset=tileset)
    return Edit(f"Remove “{tileset.name}”", (SetField(project, "tilesets", new, changed),))


def leave_out(tileset: Tileset, places: Iterable[tuple[int, int]], out: bool) -> Edit:
    """Leave tiles out, or take them in again: those left out are not offered and not knitted."""
    chosen = frozenset(at for at in places if tileset.has(*at))
    new = tileset.left_out | chosen if out else tileset.left_out - chosen
    name = "Leave tiles out" if out else "Take tiles in again"
    if new == tileset.left_out:
        return Edit(name, ())
    changed = Changed(What.MARKS, tileset=tileset)
    return Edit(name, (SetField(tileset, "left_out", new, changed),))


def find_sheet(tileset: Tileset, picture: Picture, origin: Path) -> Edit:
    """Give a tileset the picture that was missing; saving copies its file into the project."""
    changed = Changed(What.SLICING, tileset=tileset)
    height, width = picture.shape[:2]
    atoms = (
        SetField(tileset, "origin", origin.absolute(), changed),
        SetField(tileset, "width", width, changed),
        SetField(tileset, "height", height, changed),
        SetField(tileset, "picture", picture, changed),
    )
    return Edit(f"Find sheet of “{tileset.name}”", atoms)


def paint_marks(
    tileset: Tileset, kit: TerrainSet, slots: Iterable[tuple[int, int, int]], value: int
) -> Edit:
    """Mark slots of tiles with one terrain, or clear them with 0.

    Parameters
    ----------
    slots : (row, column, slot) of each
    """
    if not 0 <= value <= len(kit.terrains):
        raise EditError(f"mark {value} is not one of the {len(kit.terrains)} terrains of the set")
    marks = _room_for(tileset, kit)
    for row, col, slot in slots:
        if not tileset.has(row, col):
            raise EditError(
                f"the sheet has no tile in row {row}, column {col}: its grid is "
                f"{tileset.columns} × {tileset.rows}"
            )
        marks[row, col, slot] = value
    name = "Clear marks" if value == NOTHING else f"Mark {kit.name_of(value)}"
    return _marks_edit(tileset, kit, marks, name)


def _room_for(tileset: Tileset, kit: TerrainSet) -> NDArray[np.uint8]:
    high = max(tileset.rows, kit.marks.shape[0])
    wide = max(tileset.columns, kit.marks.shape[1])
    return kit.marks_within(high, wide)


def _marks_edit(tileset: Tileset, kit: TerrainSet, marks: NDArray[np.uint8], name: str) -> Edit:
    if kit.marks.shape == marks.shape and (kit.marks == marks).all():
        return Edit(name, ())
    changed = Changed(What.MARKS, tileset=tileset)
    atom = SetField(kit, "marks", marks, changed, nbytes=2 * marks.nbytes)
    return Edit(name, (atom,))


def set_weight(tileset: Tileset, row: int, col: int, weight: float) -> Edit:
    """Give a tile another weight among its variants; 0 is never."""
    if not 0 <= weight <= 1e6:
        raise EditError(f"weight {weight:g} is out of bounds: give 0 to 1 000 000")
    weights = {**tileset.weights, (row, col): float(weight)}
    if weight == 1:
        del weights[row, col]
    changed = Changed(What.MARKS, tileset=tileset)
    atom = SetField(tileset, "weights", weights, changed)
    return Edit(f"Weight of tile {tileset.number(row, col)}", (atom,))


def add_set(tileset: Tileset, kit: TerrainSet) -> Edit:
    """Add a terrain set to a tileset."""
    _check_free_name(kit.name, [each.name for each in tileset.sets], "terrain set")
    changed = Changed(What.MARKS, tileset=tileset)
    atom = SetField(tileset, "sets", [*tileset.sets, kit], changed)
    return Edit(f"Add terrain set “{kit.name}”", (atom,))


def add_terrain(tileset: Tileset, kit: TerrainSet, name: str) -> Edit:
    """Add a terrain to a set, with the next colour and a letter that is free."""
    if len(kit.terrains) >= MAX_TERRAINS:
        raise EditError(f"a set holds at most {MAX_TERRAINS} terrains: start another set")
    _check_free_name(name, [each.name for each in kit.terrains], "terrain")
    used = {each.colour for each in kit.terrains}
    colour = next(each for each in TERRAIN_COLOURS if each not in used)
    terrain = Terrain(name, colour, free_letter(name, [each.letter for each in kit.terrains]))
    changed = Changed(What.MARKS, tileset=tileset)
    atom = SetField(kit, "terrains", (*kit.terrains, terrain), changed)
    return Edit(f"Add terrain “{name}”", (atom,))


def change_terrain(
    tileset: Tileset, kit: TerrainSet, number: int, *, name: str | None = None,
    colour: str | None = None, letter: str | None = None,
) -> Edit:  # fmt: skip
    """Give a terrain another name, colour #rrggbb or letter."""
    old = kit.terrains[number - 1]
    if name is not None and name != old.name:
        _check_free_name(name, [each.name for each in kit.terrains], "terrain")
    new = replace(
        old,
        name=old.name if name is None else name.strip(),
        colour=old.colour if colour is None else colour,
        letter=old.letter if letter is None else letter[:1].upper(),
    )
    terrains = tuple(new if each is old else each for each in kit.terrains)
    changed = Changed(What.MARKS, tileset=tileset)
    return Edit(f"Change terrain “{old.name}”", (SetField(kit, "terrains", terrains, changed),))


def free_letter(name: str, taken: list[str]) -> str:
    """Pick a letter of the name that is not taken, else the first free one of the alphabet.

    Examples
    --------
    >>> free_letter("clay", ["C", "L"])
    'A'
    """
    for letter in name.upper() + "ABCDEFGHIJKLMNOPQRSTUVWXYZ":
        if letter.isalpha() and letter not in taken:
            return letter
    return "?"


def _check_free_name(name: str, taken: list[str], what: str) -> None:
    if not name.strip():
        raise EditError(f"a {what} needs a name: type one")
    if name in taken:
        raise EditError(f"there is a {what} “{name}” already: give another name")
