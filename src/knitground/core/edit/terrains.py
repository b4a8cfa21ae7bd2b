"""Edits of terrain sets: sets, terrains, marks; everything that uses them follows."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import EditError
from knitground.core.base.filenames import file_stem
from knitground.core.base.tongue import say
from knitground.core.base.window import Box, read
from knitground.core.edit.artcolour import art_colour
from knitground.core.edit.atoms import Atom, PatchArray, SetField
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.edit.sheets import add_tileset, check_free_name
from knitground.core.knit.making import Made, sheet_of
from knitground.core.model.layers import GroundLayer
from knitground.core.model.map import Map
from knitground.core.model.project import Project, free_name
from knitground.core.model.slicing import Slicing
from knitground.core.model.terrain import (
    ANY,
    NOTHING,
    Marks,
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
_HIDES, _LOOKED_AT = 0.9, 64
"""Part of what the fullest of so many tiles hides that ground hides too."""


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
        raise EditError(
            say(
                "mark {value} is not one of the {count} terrains of the set",
                value=value,
                count=len(kit.terrains),
            )
        )
    target, places = guest or tileset, list(slots)
    name = say("Clear marks") if value == NOTHING else say("Mark {name}", name=kit.name_of(value))
    for row, col, _ in places:
        if not target.has(row, col):
            raise EditError(
                say(
                    "the sheet has no tile in row {row}, column {col}: its grid is {columns} × "
                    "{rows}",
                    row=row,
                    col=col,
                    columns=target.columns,
                    rows=target.rows,
                )
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
    name: str = say("Set marks"), guest: Tileset | None = None,
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
        return Edit(say("Colours from the art"), ())
    return Edit(say("Colours from the art"), (SetField(kit, "terrains", tuple(terrains), changed),))


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
            say(
                "a block of {cols} × {rows} tiles from column {target}, row {target2} on "
                "does not fit the sheet's {columns} × {rows2}: begin further up or left",
                cols=cols,
                rows=rows,
                target=target[1],
                target2=target[0],
                columns=tileset.columns,
                rows2=tileset.rows,
            )
        )
    if any(not 0 <= mark <= len(kit.terrains) for mark in terrains.values()):
        raise EditError(
            say("the set has {count} terrains: choose one of them", count=len(kit.terrains))
        )
    marks = _room_for(tileset, kit)
    block = marks[row : row + rows, col : col + cols].copy()
    table = np.arange(256).astype(np.uint8)
    for old, new in terrains.items():
        table[old] = new
    marks[target[0] : target[0] + rows, target[1] : target[1] + cols] = table[block]
    return marks_edit(
        tileset, kit, marks, say("Copy marks of {cols} × {rows} tiles", cols=cols, rows=rows)
    )


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
        raise EditError(
            say("no tile was made: allow turning, mirroring or joining, or choose some")
        )
    sheet, marks = sheet_of(made)
    name = free_name(say("{name} made", name=owner.name), [each.name for each in project.tilesets])
    height, width = made[0].pixels.shape[:2]
    tileset = Tileset(
        name, f"{file_stem(name)}.png", sheet.shape[1], sheet.shape[0],
        Slicing(width, height), picture=sheet,
    )  # fmt: skip
    changed = Changed(What.MARKS, tileset=owner)
    guests = {**kit.guests, name: marks}
    atoms = (*add_tileset(project, tileset).atoms, SetField(kit, "guests", guests, changed))
    return Edit(say("Make {count} missing tiles", count=len(made)), atoms), tileset


# Sets


def add_set(tileset: Tileset, kit: TerrainSet) -> Edit:
    """Add a terrain set to a tileset."""
    check_free_name(kit.name, [each.name for each in tileset.sets], say("terrain set"))
    changed = Changed(What.MARKS, tileset=tileset)
    atom = SetField(tileset, "sets", [*tileset.sets, kit], changed)
    return Edit(say("Add terrain set “{name}”", name=kit.name), (atom,))


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
        return Edit(say("Rename terrain set"), ())
    check_free_name(name, [each.name for each in tileset.sets], say("terrain set"))
    atoms: list[Atom] = [SetField(kit, "name", name, Changed(What.MARKS, tileset=tileset))]
    for map_, layer in layers_of(project, tileset, kit):
        atoms.append(SetField(layer, "set_name", name, Changed(What.KNITTING, map_, layer)))
    return Edit(say("Rename terrain set “{name}”", name=kit.name), tuple(atoms))


def delete_set(project: Project, tileset: Tileset, kit: TerrainSet) -> Edit:
    """Delete a set; refused while a layer is knitted from it."""
    for map_, layer in layers_of(project, tileset, kit):
        raise EditError(
            say(
                "layer “{name}” of map “{name2}” is knitted from “{name3}”: delete the "
                "layer, or choose another set for it, first",
                name=layer.name,
                name2=map_.name,
                name3=kit.name,
            )
        )
    sets = [each for each in tileset.sets if each is not kit]
    changed = Changed(What.MARKS, tileset=tileset)
    return Edit(
        say("Delete terrain set “{name}”", name=kit.name),
        (SetField(tileset, "sets", sets, changed),),
    )


# Terrains


def covers_cells(tileset: Tileset, kit: TerrainSet, mark: int) -> bool:
    """Whether a terrain's plain tile hides what lies beneath as well as the set's tiles do.

    A bush that stands alone in its cell is plain, and no ground that a map is begun with.
    """
    plain, picture = plain_tile(tileset, kit, mark), tileset.picture
    if plain is None or picture is None:
        return False
    marked = kit.marks_within(tileset.rows, tileset.columns)[..., list(kit.kind.slots)].any(axis=2)
    some = [(int(row), int(col)) for row, col in np.argwhere(marked)[:_LOOKED_AT]]

    def hidden(at: tuple[int, int]) -> float:
        return float((cut_tile(picture, tileset.slicing, *at)[..., 3] > 0).mean())

    return hidden((plain.row, plain.col)) >= _HIDES * max(map(hidden, some), default=0.0)


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
