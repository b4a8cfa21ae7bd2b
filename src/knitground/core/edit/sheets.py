"""Edits of tilesets: slicing, marks, weights, terrain sets."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path

import numpy as np

from knitground.core.base.errors import EditError
from knitground.core.edit.atoms import SetField
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.model.project import Project, free_name
from knitground.core.model.slicing import Area, Slicing
from knitground.core.model.tileset import Anchor, Frame, Picture, Tileset
from knitground.core.slicing.grid import lay_grid


def add_tileset(project: Project, tileset: Tileset) -> Edit:
    """Add a tileset to the project."""
    check_free_name(tileset.name, [each.name for each in project.tilesets], "tileset")
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
    made = replace(tileset, name=name, slicing=slicing, weights={}, sets=[], left_out=frozenset(),
                   anchors={}, labels={}, frames={})  # fmt: skip
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


def set_anchor(tileset: Tileset, row: int, col: int, anchor: Anchor | None) -> Edit:
    """Say which pixel of a tile stands on its cell's lower middle; None: its lower left corner."""
    if not tileset.has(row, col):
        raise EditError(f"“{tileset.name}” has no tile in row {row}, column {col}")
    anchors = {at: each for at, each in tileset.anchors.items() if at != (row, col)}
    if anchor is not None:
        _, _, wide, high = tileset.slicing.tile_area(row, col)
        anchors[row, col] = (min(max(anchor[0], -wide), 2 * wide), min(max(anchor[1], 0), 2 * high))
    changed = Changed(What.SLICING, tileset=tileset)
    atom = SetField(tileset, "anchors", anchors, changed)
    return Edit(f"Anchor of tile {tileset.number(row, col)}", (atom,))


def set_frames(tileset: Tileset, row: int, col: int, frames: tuple[Frame, ...]) -> Edit:
    """Let a tile show others in turn; none: it stands still."""
    for each in ((row, col, 1), *frames):
        if not tileset.has(each[0], each[1]):
            raise EditError(f"“{tileset.name}” has no tile in row {each[0]}, column {each[1]}")
        if not 1 <= each[2] <= 600_000:
            raise EditError(f"{each[2]} ms is out of bounds: give 1 to 600 000")
    new = {at: shown for at, shown in tileset.frames.items() if at != (row, col)}
    if frames:
        new[row, col] = frames
    changed = Changed(What.SLICING, tileset=tileset)
    name = f"Animation of tile {tileset.number(row, col)}"
    return Edit(name, (SetField(tileset, "frames", new, changed),))


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


def set_inner(tileset: Tileset, row: int, col: int, inner: bool) -> Edit:
    """Keep a tile for cells whose eight neighbours ask for the same, or let it go anywhere."""
    new = tileset.inner | {(row, col)} if inner else tileset.inner - {(row, col)}
    changed = Changed(What.MARKS, tileset=tileset)
    name = f"Tile {tileset.number(row, col)} {'only inside' if inner else 'anywhere'}"
    return Edit(name, (SetField(tileset, "inner", new, changed),))


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


def check_free_name(name: str, taken: list[str], what: str) -> None:
    """Refuse a name that is empty or taken."""
    if not name.strip():
        raise EditError(f"a {what} needs a name: type one")
    if name in taken:
        raise EditError(f"there is a {what} “{name}” already: give another name")
