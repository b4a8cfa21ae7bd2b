"""Edits of shapes: drawn, copied, turned, traced, made from terrain; and of their kinds."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from knitground.core.base.errors import EditError
from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import say, say_many
from knitground.core.edit.atoms import Atom, SetField
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.edit.tiles import Places, count_words
from knitground.core.model.facts import with_facts
from knitground.core.model.project import Project
from knitground.core.model.shapes import ShapeForm, ShapeKind, ShapeKinds, Shapes, TileShape
from knitground.core.model.terrain import TerrainSet
from knitground.core.model.tileset import PLAIN, At, TileFacts, Tileset
from knitground.core.model.turns import is_mirrored, lies_across
from knitground.core.shapes.geometry import checked_shape, turned_shape
from knitground.core.shapes.terrain import shapes_on_tile
from knitground.core.shapes.trace import trace
from knitground.core.slicing.grid import cut_tile

_OPAQUE = 128
"""Alpha from which a pixel is part of what a tile shows."""


def size_of(tileset: Tileset, at: At) -> tuple[int, int]:
    """Height and width of a tile in pixels."""
    _, _, wide, high = tileset.slicing.tile_area(*at)
    return high, wide


def add_shape(tileset: Tileset, places: Places, shape: TileShape) -> Edit:
    """Give tiles a shape more.

    Raises
    ------
    EditError
        It crosses itself, has no area, or reaches too far from one of the tiles.
    """

    def change(at: At, own: Shapes) -> Shapes:
        high, wide = size_of(tileset, at)
        return (*own, checked_shape(shape, wide, high))

    return _change(
        tileset,
        places,
        change,
        say("Draw “{kind}” on {count_words}", kind=shape.kind, count_words=count_words(places)),
    )


def put_shape(tileset: Tileset, at: At, number: int, shape: TileShape) -> Edit:
    """Put a shape in the place of the n-th of a tile.

    Raises
    ------
    EditError
        As for `add_shape`; or the tile has no such shape.
    """
    own = tileset.fact(*at).shapes
    if not 0 <= number < len(own):
        raise EditError(
            say(
                "tile {number} has no shape {number2}: choose another",
                number=tileset.number(*at),
                number2=number + 1,
            )
        )
    high, wide = size_of(tileset, at)
    new = checked_shape(shape, wide, high)
    shapes = (*own[:number], new, *own[number + 1 :])
    return _change(tileset, [at], lambda *_: shapes, say("Change “{kind}”", kind=shape.kind))


def remove_shape(tileset: Tileset, at: At, number: int) -> Edit:
    """Take the n-th shape of a tile away."""
    own = tileset.fact(*at).shapes
    shapes = (*own[:number], *own[number + 1 :])
    return _change(tileset, [at], lambda *_: shapes, say("Take a shape away"))


def clear_shapes(tileset: Tileset, places: Places, kind: str = "") -> Edit:
    """Take all shapes of tiles away, or all of a kind."""
    name = say("Take shapes from {count_words}", count_words=count_words(places))
    return _change(tileset, places, lambda _, own: _without(own, kind) if kind else (), name)


def copy_shapes(tileset: Tileset, source: At, places: Places) -> Edit:
    """Give tiles the shapes of one of them, in place of their own."""
    shapes = tileset.fact(*source).shapes
    name = say("Copy shapes to {count_words}", count_words=count_words(places))

    def change(at: At, own: Shapes) -> Shapes:
        high, wide = size_of(tileset, at)
        return own if at == source else tuple(checked_shape(each, wide, high) for each in shapes)

    return _change(tileset, places, change, name)


def turn_shapes(tileset: Tileset, places: Places, turn: int) -> Edit:
    """Mirror or turn the shapes of tiles where they are.

    Raises
    ------
    EditError
        Quarter turns of tiles that are not square: their shapes would not fit them.
    """

    def change(at: At, own: Shapes) -> Shapes:
        high, wide = size_of(tileset, at)
        if lies_across(turn) and high != wide and own:
            raise EditError(
                say(
                    "shapes of a tile of {wide} × {high} px can not be turned by a quarter: turn "
                    "them by a half, or mirror them",
                    wide=wide,
                    high=high,
                )
            )
        return tuple(turned_shape(each, turn, wide, high) for each in own)

    words = say("Mirror") if is_mirrored(turn) else say("Turn")
    return _change(
        tileset,
        places,
        change,
        say("{words} shapes of {count_words}", words=words, count_words=count_words(places)),
    )


class Outlined(NamedTuple):
    """Tiles with the shapes of their outlines, and what those leave out, in pixels."""

    shapes: dict[At, Shapes]
    corners: int
    lost: float
    added: float
    empty: int


def outline_tiles(
    tileset: Tileset,
    places: Places,
    kind: str,
    *,
    tolerance: float = 0.0,
    most: int = 0,
    progress: Progress = no_progress,
) -> Outlined:
    """Trace what tiles show: polygons of a kind, beside their shapes of other kinds.

    Parameters
    ----------
    tolerance : pixels by which the outline may be off
    most : corners of each outline; 0 is as many as the tolerance leaves

    Raises
    ------
    EditError
        The sheet is missing, or a bound is none.
    Cancelled
        From `progress`.
    """
    if tileset.picture is None:
        raise EditError(say("the sheet of “{name}” is missing: find it first", name=tileset.name))
    if not 0 <= tolerance <= 64 or not (most == 0 or 3 <= most <= 256):
        raise EditError(say("an outline keeps to 0 to 64 px, and has 3 to 256 corners"))
    out: dict[At, Shapes] = {}
    corners, lost, added, empty = 0, 0.0, 0.0, 0
    for n, at in enumerate(sorted(places)):
        seen = cut_tile(tileset.picture, tileset.slicing, *at)[..., 3] >= _OPAQUE
        found = trace(seen, tolerance, most)
        traced = tuple(
            TileShape(kind, ShapeForm.POLYGON, tuple(each)) for each in found.outlines[:32]
        )
        empty += not traced
        corners += sum(len(each.corners) for each in traced)
        lost, added = lost + found.lost, added + found.added
        out[at] = (*_without(tileset.fact(*at).shapes, kind), *traced)
        if n % 64 == 0:
            progress(n / len(places))
    return Outlined(out, corners, round(lost, 1), round(added, 1), empty)


def use_outlines(tileset: Tileset, found: Outlined) -> Edit:
    """Give tiles the shapes that were traced."""
    name = say("Outline of {count_words}", count_words=count_words(found.shapes))
    return _change(tileset, found.shapes, lambda at, _: found.shapes[at], name)


def shapes_from_terrain(
    project: Project,
    owner: Tileset,
    kit: TerrainSet,
    terrain: int,
    kind: str,
    *,
    whole: bool = False,
    px: float = 0.0,
) -> Edit:
    """Give all tiles of a set the shape of what they show of a terrain, in one act.

    Shapes of the kind that they had are replaced, those of other kinds stay.

    Raises
    ------
    EditError
        No tile of the set shows the terrain.
    """
    atoms: list[Atom] = []
    count = 0
    for tileset in project.tilesets:
        if tileset is not owner and tileset.name not in kit.guests:
            continue
        guest = None if tileset is owner else tileset.name
        marks = kit.marks_within(tileset.rows, tileset.columns, guest)
        facts = dict(tileset.facts)
        for row, col in np.argwhere((marks == terrain).any(axis=2)).tolist():
            own = marks[row, col].tolist()
            made = shapes_on_tile(
                tileset, (row, col), kit.kind, own, terrain, kind, whole=whole, px=px
            )
            if made:
                fact = tileset.fact(row, col)
                shapes = (*_without(fact.shapes, kind), *made)
                facts[row, col] = replace(fact, shapes=shapes)
                count += 1
        if facts != tileset.facts:
            atoms.append(SetField(tileset, "facts", facts, Changed(What.SHAPES, tileset=tileset)))
    if not count:
        raise EditError(
            say(
                "no tile of “{name}” shows “{name2}”: mark some in Terrains first",
                name=kit.name,
                name2=kit.name_of(terrain),
            )
        )
    what = say_many(
        "“{kind}” for “{name}”: {count} tile",
        "“{kind}” for “{name}”: {count} tiles",
        count,
        kind=kind,
        name=kit.name_of(terrain),
    )
    return Edit(what, tuple(atoms))


def _without(own: Shapes, kind: str) -> Shapes:
    return tuple(each for each in own if each.kind != kind)


def _change(
    tileset: Tileset, places: Places, change: Callable[[At, Shapes], Shapes], name: str
) -> Edit:
    new = dict(tileset.facts)
    for at in places:
        if not tileset.has(*at):
            raise EditError(
                say(
                    "“{name}” has no tile in row {at}, column {at2}",
                    name=tileset.name,
                    at=at[0],
                    at2=at[1],
                )
            )
        fact = tileset.fact(*at)
        new[at] = replace(fact, shapes=change(at, fact.shapes))
        if new[at] == PLAIN:
            del new[at]
    if new == tileset.facts:
        return Edit(name, ())
    told = Changed(What.SHAPES, tileset=tileset, tiles=frozenset(places))
    return Edit(name, (SetField(tileset, "facts", new, told),))


# Kinds


def add_kind(project: Project, name: str, letter: str = "", colour: str = "#6B6672") -> Edit:
    """Add a kind of area."""
    word = name.strip()
    if not word:
        raise EditError(say("a kind needs a name: type one"))
    names = [each.name for each in project.shape_kinds]
    if word in names:
        raise EditError(say("there is a kind “{word}” already: give another name", word=word))
    new = ShapeKind(word, letter or _free_letter(project.shape_kinds, word), colour)
    return _set_kinds(project, (*project.shape_kinds, new), say("Add kind “{word}”", word=word))


def change_kind(project: Project, old: str, new: ShapeKind) -> Edit:
    """Rename a kind, or give it another letter or colour; shapes follow its name."""
    names = [each.name for each in project.shape_kinds]
    if old not in names:
        raise EditError(say("there is no kind “{old}”: add it first", old=old))
    if not new.name.strip():
        raise EditError(say("a kind needs a name: type one"))
    if new.name != old and new.name in names:
        raise EditError(say("there is a kind “{name}” already: give another name", name=new.name))
    kinds = tuple(new if each.name == old else each for each in project.shape_kinds)
    edit = _set_kinds(project, kinds, say("Change kind “{old}”", old=old))

    def renamed(fact: TileFacts) -> TileFacts:
        shapes = (replace(s, kind=new.name) if s.kind == old else s for s in fact.shapes)
        return replace(fact, shapes=tuple(shapes))

    return Edit(edit.name, (*edit.atoms, *_on_tiles(project, old, renamed)))


def remove_kind(project: Project, name: str) -> Edit:
    """Take a kind away, and all shapes of it."""
    kinds = tuple(each for each in project.shape_kinds if each.name != name)
    edit = _set_kinds(project, kinds, say("Remove kind “{name}”", name=name))

    def without(fact: TileFacts) -> TileFacts:
        return replace(fact, shapes=_without(fact.shapes, name))

    return Edit(edit.name, (*edit.atoms, *_on_tiles(project, name, without)))


def kind_uses(project: Project, name: str) -> int:
    """Count the tiles that have a shape of a kind."""
    return sum(len(_having(tileset, name)) for tileset in project.tilesets)


def _having(tileset: Tileset, kind: str) -> list[At]:
    return [
        at for at, fact in tileset.facts.items() if any(each.kind == kind for each in fact.shapes)
    ]


def _on_tiles(project: Project, kind: str, change: Callable[[TileFacts], TileFacts]) -> list[Atom]:
    atoms: list[Atom] = []
    for tileset in project.tilesets:
        places = _having(tileset, kind)
        if places:
            facts = with_facts(tileset.facts, places, change)
            told = Changed(What.SHAPES, tileset=tileset, tiles=frozenset(places))
            atoms.append(SetField(tileset, "facts", facts, told))
    return atoms


def _set_kinds(project: Project, kinds: ShapeKinds, name: str) -> Edit:
    return Edit(name, (SetField(project, "shape_kinds", kinds, Changed(What.SHAPES)),))


def _free_letter(kinds: ShapeKinds, name: str) -> str:
    taken = {each.letter for each in kinds}
    letters = [each.upper() for each in name if each.isalnum() and len(each.upper()) == 1]
    found = next((each for each in letters if each not in taken), None)
    every = "ABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789"
    return found or next((each for each in every if each not in taken), "?")
