"""A new sheet with a whole terrain set, made from two plain tiles and an outline: one step."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from knitground.core.base.errors import EditError
from knitground.core.base.filenames import file_stem
from knitground.core.base.tongue import say
from knitground.core.edit.artcolour import art_colour
from knitground.core.edit.document import Edit
from knitground.core.edit.likelysets import colour_word
from knitground.core.edit.sheets import add_tileset
from knitground.core.edit.terrainlist import free_colour, free_letter
from knitground.core.knit.layer import marked_tiles
from knitground.core.knit.making import Made, Tiles, sheet_of
from knitground.core.knit.setmaking import BorrowedShape, SetPlan, borrow_shape, check_sheet
from knitground.core.model.project import Project, free_name
from knitground.core.model.slicing import Slicing
from knitground.core.model.terrain import ANY, NOTHING, SetKind, Terrain, TerrainSet
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Picture, Tileset
from knitground.core.slicing.grid import cut_tile

COLUMNS = 8


def tile_picture(project: Project, tile: TileRef) -> Tiles:
    """Give the picture of a tile (h, w, 4).

    Raises
    ------
    EditError
        Its sheet is missing, or it lies beyond it.
    """
    owner = project.tileset_named(tile.tileset)
    if owner is None or owner.picture is None:
        raise EditError(
            say("the sheet of “{tileset}” is missing: find it in Slice first", tileset=tile.tileset)
        )
    if not owner.has(tile.row, tile.col):
        raise EditError(
            say(
                "“{tileset}” has no tile in column {col}, row {row}: choose another",
                tileset=tile.tileset,
                col=tile.col,
                row=tile.row,
            )
        )
    return cut_tile(owner.picture, owner.slicing, tile.row, tile.col)


def texture_tile(picture: Picture, high: int, wide: int) -> Tiles:
    """Cut a tile from the upper left of a texture; a smaller texture is laid side by side."""
    rows, cols = -(-high // picture.shape[0]), -(-wide // picture.shape[1])
    return np.ascontiguousarray(np.tile(picture, (rows, cols, 1))[:high, :wide])


def terrain_of(project: Project, tile: TileRef) -> Terrain | None:
    """The terrain that a tile shows plainly, of any set of its sheet."""
    owner = project.tileset_named(tile.tileset)
    if owner is None or not owner.has(tile.row, tile.col):
        return None
    for kit in owner.sets:
        marks = kit.marks_within(owner.rows, owner.columns)[tile.row, tile.col]
        own: set[int] = set(marks[[int(slot) for slot in kit.kind.slots]].tolist())
        if len(own) == 1 and not own & {NOTHING, ANY}:
            return kit.terrains[own.pop() - 1]
    return None


def plain_tiles(owner: Tileset, kit: TerrainSet) -> list[TileRef]:
    """Give a plain tile of each terrain of a set that has one on its own sheet, in their order."""
    marks = kit.marks_within(owner.rows, owner.columns)
    slots = [int(slot) for slot in kit.kind.slots]
    out = []
    for number, terrain in enumerate(kit.terrains):
        plain = np.argwhere((marks[:, :, slots] == number + 1).all(axis=2))
        if terrain.picture is not None:
            out.append(TileRef(owner.name, *terrain.picture))
        elif len(plain):
            out.append(TileRef(owner.name, *(int(each) for each in plain[0])))
    return out


def lendable(project: Project, kind: SetKind) -> list[tuple[Tileset, TerrainSet]]:
    """Sets of a kind whose outline may be borrowed: those that have marks."""
    return [
        (owner, kit)
        for owner in project.tilesets
        for kit in owner.sets
        if kit.kind is kind and owner.picture is not None and kit.marks.any()
    ]


def shape_of(project: Project, owner: Tileset, kit: TerrainSet) -> BorrowedShape:
    """Read the outline of a set.

    Raises
    ------
    EditError
        No tile of it shows how two terrains meet, or their pixels do not tell them apart.
    """
    marks, refs = marked_tiles(project, owner, kit)
    size = (owner.slicing.tile_height, owner.slicing.tile_width)
    kept, pictures = [], []
    for n, tile in enumerate(refs):
        home = project.tileset_named(tile.tileset)
        if home is None or home.picture is None:
            continue
        picture = cut_tile(home.picture, home.slicing, tile.row, tile.col)
        if picture.shape[:2] == size:
            kept.append(n)
            pictures.append(picture)
    found = borrow_shape(kit.kind, np.stack(pictures), marks[kept]) if pictures else None
    if found is None:
        raise EditError(
            say(
                "no tile of “{name}” shows how its terrains meet, or their colours do not "
                "tell them apart: borrow from another set, or take an outline of our own",
                name=kit.name,
            )
        )
    return found


def set_terrains(
    plan: SetPlan, known: Sequence[Terrain | None], names: Sequence[str] = ()
) -> tuple[Terrain, ...]:
    """The terrains of a set to be made, named as wanted, else as known, else by their colour."""
    tiles = [plan.first]
    if plan.second is not None and plan.kind is SetKind.CORNER:
        tiles.append(plan.second)
    out: list[Terrain] = []
    for n, pixels in enumerate(tiles):
        own = known[n] if n < len(known) else None
        wanted = names[n].strip() if n < len(names) else ""
        name = wanted or (own.name if own else "") or colour_word(pixels)
        name = free_name(name, [each.name for each in out])
        taken = [each.colour for each in out]
        colour = own.colour if own and own.colour not in taken else art_colour(pixels, taken)
        letter = free_letter(name, [each.letter for each in out])
        out.append(Terrain(name, colour or free_colour(taken), letter, (0, n)))
    return tuple(out)


def made_tileset(
    project: Project, name: str, plan: SetPlan, made: Sequence[Made], terrains: tuple[Terrain, ...]
) -> Tileset:
    """The sheet of a set that was made, sliced and marked; it is not added yet.

    Raises
    ------
    EditError
        It would be too large.
    """
    check_sheet(list(made), COLUMNS)
    sheet, marks = sheet_of(made, COLUMNS)
    high, wide = made[0].pixels.shape[:2]
    kit = TerrainSet(", ".join(each.name for each in terrains), plan.kind, terrains, marks)
    name = name.strip() or ", ".join(each.name for each in terrains)
    free = free_name(name, [each.name for each in project.tilesets])
    return Tileset(
        free, f"{file_stem(free)}.png", sheet.shape[1], sheet.shape[0], Slicing(wide, high),
        sets=[kit], picture=sheet,
    )  # fmt: skip


def add_made_set(project: Project, tileset: Tileset) -> Edit:
    """Add the sheet of a set that was made."""
    atoms = add_tileset(project, tileset).atoms
    return Edit(
        say("Make set “{name}” of {count} tiles", name=tileset.sets[0].name, count=tileset.count),
        atoms,
    )
