"""Edits of tilesets: slicing, marks, weights, terrain sets."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from functools import partial
from pathlib import PurePath

import numpy as np

from knitground.core.base.errors import EditError
from knitground.core.base.filenames import file_stem, key_of
from knitground.core.base.tongue import say
from knitground.core.edit.atoms import Atom, SetField
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.model.facts import Change, with_facts
from knitground.core.model.layers import MarkerLayer
from knitground.core.model.limits import sheet_words
from knitground.core.model.project import Project, free_name
from knitground.core.model.slicing import Area, Slicing
from knitground.core.model.tileset import Anchor, At, Picture, SheetFile, TileFacts, Tileset
from knitground.core.shapes.geometry import scaled_shape
from knitground.core.slicing.grid import lay_grid


def add_tileset(project: Project, tileset: Tileset) -> Edit:
    """Add a tileset to the project."""
    check_free_name(tileset.name, [each.name for each in project.tilesets], "tileset")
    tileset.sheet = free_sheet(project, tileset.sheet, tileset.picture)
    new = [*project.tilesets, tileset]
    changed = Changed(What.TILESETS, tileset=tileset)
    return Edit(
        say("Add sheet “{name}”", name=tileset.name), (SetField(project, "tilesets", new, changed),)
    )


def add_region(project: Project, tileset: Tileset, area: Area) -> tuple[Edit, Tileset]:
    """Make a region of a sheet: a tileset of its own on the same picture, cut as the first is."""
    name = free_name(
        say("{name} region", name=tileset.name), [each.name for each in project.tilesets]
    )
    size = (min(tileset.slicing.tile_width, area[2]), min(tileset.slicing.tile_height, area[3]))
    slicing = Slicing(
        *size,
        see_through=tileset.slicing.see_through,
        tolerance=tileset.slicing.tolerance,
        area=area,
    )
    lay_grid(slicing, tileset.width, tileset.height)
    made = replace(tileset, name=name, slicing=slicing, facts={}, sets=[], order=())
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
                say(
                    "map “{name}” uses tiles of “{name2}”: take them off the map first",
                    name=map_.name,
                    name2=tileset.name,
                )
            )
    for owner in project.tilesets:
        shown = any(f.tileset == tileset.name for fact in owner.facts.values() for f in fact.frames)
        if shown and owner is not tileset:
            raise EditError(
                say(
                    "tiles of “{name}” move through “{name2}”: let them stand still first",
                    name=owner.name,
                    name2=tileset.name,
                )
            )
    new = [each for each in project.tilesets if each is not tileset]
    changed = Changed(What.TILESETS, tileset=tileset)
    return Edit(
        say("Remove “{name}”", name=tileset.name), (SetField(project, "tilesets", new, changed),)
    )


def change_facts(
    tileset: Tileset, places: Iterable[At], change: Change, what: What, name: str
) -> Edit:
    """Change what is known of tiles; nothing to do if nothing is different.

    Parameters
    ----------
    change : gives a tile's new facts from its old ones
    what : MARKS if other tiles may be knitted then, LOOKS if only pictures change, ORDER if neither
    """
    chosen = frozenset(places)
    new = with_facts(tileset.facts, chosen, change)
    if new == tileset.facts:
        return Edit(name, ())
    changed = Changed(what, tileset=tileset, tiles=chosen)
    return Edit(name, (SetField(tileset, "facts", new, changed),))


def leave_out(tileset: Tileset, places: Iterable[tuple[int, int]], out: bool) -> Edit:
    """Leave tiles out, or take them in again: those left out are not offered and not knitted."""
    high, wide = tileset.rows, tileset.columns
    chosen = [at for at in places if 0 <= at[0] < high and 0 <= at[1] < wide]
    name = say("Leave tiles out") if out else say("Take tiles in again")
    change = partial(replace, left_out=out)
    return change_facts(tileset, chosen, change, What.MARKS, name)


def set_anchor(tileset: Tileset, row: int, col: int, anchor: Anchor | None) -> Edit:
    """Say which pixel of a tile stands on its cell's lower middle; None: its lower left corner."""
    if not tileset.has(row, col):
        raise EditError(
            say(
                "“{name}” has no tile in row {row}, column {col}",
                name=tileset.name,
                row=row,
                col=col,
            )
        )
    if anchor is not None:
        _, _, wide, high = tileset.slicing.tile_area(row, col)
        anchor = (min(max(anchor[0], -wide), 2 * wide), min(max(anchor[1], 0), 2 * high))
    name = say("Anchor of tile {number}", number=tileset.number(row, col))
    change = partial(replace, anchor=anchor)
    return change_facts(tileset, [(row, col)], change, What.LOOKS, name)


def stand_on_base(tileset: Tileset, height: int, below: int) -> Edit:
    """Let all tiles that have no anchor stand on the middle of a base of that height.

    Parameters
    ----------
    below : pixels of the tiles below the base's lowest corner
    """
    cut = tileset.slicing
    down = cut.tile_height - below - height // 2
    anchor = (cut.tile_width // 2, min(max(down, 0), 2 * cut.tile_height))
    tiles = [
        at for at in np.ndindex(tileset.rows, tileset.columns)
        if tileset.fact(*at).anchor is None
    ]  # fmt: skip
    change = partial(replace, anchor=anchor)
    name = say("Anchors of “{name}” on its base", name=tileset.name)
    return change_facts(tileset, tiles, change, What.LOOKS, name)


def find_sheet(project: Project, tileset: Tileset, sheet: SheetFile) -> Edit:
    """Give a tileset the picture that was missing; saving copies its file into the project."""
    atoms = sheet_atoms(project, tileset, sheet)
    return Edit(say("Find sheet of “{name}”", name=tileset.name), tuple(atoms))


def sheet_atoms(project: Project, tileset: Tileset, sheet: SheetFile) -> list[Atom]:
    """Give a tileset another file's picture, and a file name that no other picture has."""
    name = free_sheet(project, sheet.path.name, sheet.picture)
    changed = Changed(What.SLICING, tileset=tileset)
    return [
        SetField(tileset, "sheet", name, changed),
        SetField(tileset, "origin", sheet.path, changed),
        *picture_atoms(tileset, sheet.picture, sheet.data),
    ]


def picture_atoms(tileset: Tileset, picture: Picture, data: bytes | None) -> list[Atom]:
    """Give a tileset other pixels; `data` is the file they were read from, None if made here."""
    changed = Changed(What.SLICING, tileset=tileset)
    height, width = picture.shape[:2]
    return [
        SetField(tileset, "width", width, changed),
        SetField(tileset, "height", height, changed),
        SetField(tileset, "data", data, changed),
        SetField(tileset, "picture", picture, changed),
    ]


def set_relief(
    project: Project, tileset: Tileset, relief: Picture | None, data: bytes | None = None
) -> Edit:
    """Give a sheet a relief, or none: all tilesets that are cut from it.

    Parameters
    ----------
    data : the file that it was read from; None if it was made here

    Raises
    ------
    EditError
        It is not as large as the sheet.
    """
    atoms: list[Atom] = []
    for each in project.tilesets:
        if each is not tileset and each.sheet != tileset.sheet:
            continue
        if relief is not None and (relief.shape[1], relief.shape[0]) != (each.width, each.height):
            raise EditError(
                say(
                    "the relief is {shape} × {shape2} px, the sheet of “{name}” {width} × "
                    "{height}: give it one of the sheet's size",
                    shape=relief.shape[1],
                    shape2=relief.shape[0],
                    name=each.name,
                    width=each.width,
                    height=each.height,
                )
            )
        changed = Changed(What.LOOKS, tileset=each)
        atoms += [SetField(each, "relief", relief, changed),
                  SetField(each, "relief_data", data, changed)]  # fmt: skip
    name = (
        say("Relief of “{name}”", name=tileset.name)
        if relief is not None
        else say("No relief of “{name}”", name=tileset.name)
    )
    return Edit(name, tuple(atoms))


def free_sheet(
    project: Project, wanted: str, picture: Picture | None, also: Iterable[str] = ()
) -> str:
    """Give a sheet a file name inside the project's folder that no other picture has.

    Parameters
    ----------
    also : file names that are taken too
    """
    path = PurePath(wanted)
    if picture is None or any(
        each.picture is picture and each.sheet == wanted for each in project.tilesets
    ):
        return wanted
    stem, suffix = file_stem(path.stem), path.suffix.lower() or ".png"
    taken = {key_of(each.sheet) for each in project.tilesets} | {key_of(each) for each in also}
    name, number = f"{stem}{suffix}", 2
    while key_of(name) in taken:
        name, number = f"{stem}-{number}{suffix}", number + 1
    return name


def set_inner(tileset: Tileset, row: int, col: int, inner: bool) -> Edit:
    """Keep a tile for cells whose eight neighbours ask for the same, or let it go anywhere."""
    name = say(
        "Tile {number} {words}",
        number=tileset.number(row, col),
        words=say("only inside") if inner else say("anywhere"),
    )
    change = partial(replace, inner=inner)
    return change_facts(tileset, [(row, col)], change, What.MARKS, name)


def set_weight(tileset: Tileset, row: int, col: int, weight: float) -> Edit:
    """Give a tile another weight among its variants; 0 is never."""
    name = say("Weight of tile {number}", number=tileset.number(row, col))
    change = partial(replace, weight=float(weight))
    return change_facts(tileset, [(row, col)], change, What.MARKS, name)


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
    return Edit(say("Move tile {number} in the order", number=tileset.number(*moved)), (atom,))


def name_tile(tileset: Tileset, row: int, col: int, label: str) -> Edit:
    """Name a tile, or take its name away."""
    name = say("Name tile {number}", number=tileset.number(row, col))
    change = partial(replace, name=label.strip())
    return change_facts(tileset, [(row, col)], change, What.ORDER, name)


def tag_tiles(tileset: Tileset, places: Iterable[tuple[int, int]], tags: Iterable[str]) -> Edit:
    """Give tiles these tags and no others."""
    places = list(places)
    words = tuple(dict.fromkeys(word.strip() for word in tags if word.strip()))
    return change_facts(tileset, places, partial(replace, tags=words), What.ORDER, say("Tag tiles"))


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
        why = say("has no picture") if tileset.picture is None else say("holds loose pieces")
        raise EditError(
            say(
                "“{name}” {why} and can not be scaled: cut it by a grid first",
                name=tileset.name,
                why=why,
            )
        )
    rows, columns = tileset.rows, tileset.columns
    why = sheet_words(columns * width, rows * height)
    if why:
        raise EditError(
            say(
                "{columns} × {rows} tiles of {width} × {height} px: {why}; cut the sheet "
                "into regions first",
                columns=columns,
                rows=rows,
                width=width,
                height=height,
                why=why,
            )
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
    across, down = width / cut.tile_width, height / cut.tile_height

    def scaled(fact: TileFacts) -> TileFacts:
        shapes = tuple(scaled_shape(each, across, down) for each in fact.shapes)
        return replace(fact, anchor=None, shapes=shapes)

    made = replace(
        tileset, name=name, sheet=f"{file_stem(name)}.png", width=columns * width,
        height=rows * height,
        slicing=slicing, picture=picture, origin=None, data=None,
        facts=with_facts(tileset.facts, tileset.facts, scaled),
        sets=[replace(kit, marks=kit.marks.copy(), guests={}) for kit in tileset.sets],
    )  # fmt: skip
    edit = add_tileset(project, made)
    return Edit(
        say("Scale “{name}” to {width} × {height}", name=tileset.name, width=width, height=height),
        edit.atoms,
    ), made


def check_free_name(name: str, taken: list[str], what: str) -> None:
    """Refuse a name that is empty or taken."""
    if not name.strip():
        raise EditError(say("a {what} needs a name: type one", what=what))
    if name in taken:
        raise EditError(
            say("there is a {what} “{name}” already: give another name", what=what, name=name)
        )
