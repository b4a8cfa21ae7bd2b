"""Edits of tilesets: slicing, marks, weights, terrain sets."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from knitground.core.base.errors import EditError
from knitground.core.edit.atoms import SetField
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.model.layers import MarkerLayer
from knitground.core.model.project import Project, free_name
from knitground.core.model.slicing import Area, Slicing
from knitground.core.model.tileset import Anchor, Frame, Picture, Tileset
from knitground.core.slicing.grid import MAX_SIDE_PX, lay_grid


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
        laid = any(
            bool(np.isin(layer.cells, places).any()) for layer in map_.layers if layer.holds_tiles
        )
        pictures = any(
            each.tile is not None and each.tile.tileset == tileset.name
            for layer in map_.layers
            if isinstance(layer, MarkerLayer)
            for each in layer.markers
        )
        if knitted or laid or pictures:
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


def move_in_order(
    tileset: Tileset, offered: Sequence[tuple[int, int]], moved: tuple[int, int],
    before: tuple[int, int],
) -> Edit:  # fmt: skip
    """Offer a tile where another one stands, that one and all after it further on.

    `offered` lists the tiles as they are offered now; it becomes the tileset's own order.
    """
    order = [each for each in offered if each != moved]
    at = order.index(before) if before in order else len(order)
    # Dragged forward, it comes after the one it is let go on: there is no other way to the end.
    further = list(offered).index(before) > list(offered).index(moved)
    order.insert(at + further, moved)
    rest = [each for each in tileset.order if each not in set(order)]
    changed = Changed(What.ORDER, tileset=tileset)
    atom = SetField(tileset, "order", (*order, *rest), changed)
    return Edit(f"Move tile {tileset.number(*moved)} in the order", (atom,))


def name_tile(tileset: Tileset, row: int, col: int, label: str) -> Edit:
    """Name a tile, or take its name away."""
    label = label.strip()
    if len(label) > 200:
        raise EditError(f"“{label[:20]}…” is too long for a name: give at most 200 letters")
    labels = {at: each for at, each in tileset.labels.items() if at != (row, col)}
    if label:
        labels[row, col] = label
    changed = Changed(What.ORDER, tileset=tileset)
    name = f"Name tile {tileset.number(row, col)}"
    return Edit(name, (SetField(tileset, "labels", labels, changed),))


def tag_tiles(tileset: Tileset, places: Iterable[tuple[int, int]], tags: Iterable[str]) -> Edit:
    """Give tiles these tags and no others."""
    words = tuple(dict.fromkeys(word.strip() for word in tags if word.strip()))
    if any(len(word) > 200 for word in words) or len(words) > 64:
        raise EditError("a tile has at most 64 tags of at most 200 letters: give fewer")
    new = {at: each for at, each in tileset.tags.items() if at not in set(places)}
    if words:
        new |= dict.fromkeys(places, words)
    changed = Changed(What.ORDER, tileset=tileset)
    return Edit("Tag tiles", (SetField(tileset, "tags", new, changed),))


def scaled_tileset(
    project: Project, tileset: Tileset, height: int, width: int
) -> tuple[Edit, Tileset]:
    """Add a copy of a sheet with its tiles scaled to another size, pixels kept hard.

    Tiles keep their row and column, and with them weights, names, tags, terrain sets and frames.

    Raises
    ------
    EditError
        The sheet is missing, holds loose pieces, or would be too large.
    """
    if tileset.picture is None or tileset.slicing.pieces:
        why = "has no picture" if tileset.picture is None else "holds loose pieces"
        raise EditError(f"“{tileset.name}” {why} and can not be scaled: cut it by a grid first")
    rows, columns = tileset.rows, tileset.columns
    if rows * height > MAX_SIDE_PX or columns * width > MAX_SIDE_PX:
        raise EditError(
            f"{columns} × {rows} tiles of {width} × {height} px are more than {MAX_SIDE_PX} px a "
            "side: cut the sheet into regions first"
        )
    cut = tileset.slicing
    ys = np.arange(height) * cut.tile_height // height
    xs = np.arange(width) * cut.tile_width // width
    all_ys = ((cut.top(0) + np.arange(rows) * cut.pitch_y)[:, None] + ys).ravel()
    all_xs = ((cut.left(0) + np.arange(columns) * cut.pitch_x)[:, None] + xs).ravel()
    picture = np.ascontiguousarray(tileset.picture[all_ys][:, all_xs])
    taken = [each.name for each in project.tilesets]
    name = free_name(f"{tileset.name} {width}x{height}", taken)
    slicing = Slicing(width, height, see_through=cut.see_through, tolerance=cut.tolerance)
    made = replace(
        tileset, name=name, sheet=f"{name}.png", width=columns * width, height=rows * height,
        slicing=slicing, picture=picture, origin=None, unsaved=True, anchors={},
        sets=[replace(kit, marks=kit.marks.copy(), guests={}) for kit in tileset.sets],
    )  # fmt: skip
    edit = add_tileset(project, made)
    return Edit(f"Scale “{tileset.name}” to {width} × {height}", edit.atoms), made


def check_free_name(name: str, taken: list[str], what: str) -> None:
    """Refuse a name that is empty or taken."""
    if not name.strip():
        raise EditError(f"a {what} needs a name: type one")
    if name in taken:
        raise EditError(f"there is a {what} “{name}” already: give another name")
