"""Sheets, their tiles and their terrain sets."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.api.checks import (
    Pair,
    Told,
    check_kind,
    name_of,
    names_of,
    number,
    numbers_in,
    one_of,
    pair,
    path_of,
    progress_of,
    short,
    text,
    whole,
)
from knitground.core.base.errors import EditError
from knitground.core.edit.changed import What
from knitground.core.edit.document import Document, Edit
from knitground.core.edit.hand import TerrainInHand, TileInHand
from knitground.core.edit.likelysets import add_likely_set, sheet_sets, still_likely
from knitground.core.edit.reslice import reskin, use_slicing
from knitground.core.edit.rulehome import RuleHome
from knitground.core.edit.rules import add_rule, merge_rules
from knitground.core.edit.sheets import change_facts, leave_out
from knitground.core.edit.terrainlist import add_terrain
from knitground.core.edit.terrains import (
    add_made,
    add_set,
    colours_from_art,
    paint_marks,
    set_marks,
)
from knitground.core.edit.tiles import (
    add_tag,
    name_tiles,
    put_property,
    remove_property,
    remove_tag,
    set_weights,
)
from knitground.core.files.images import read_sheet
from knitground.core.files.rulesfile import read_rules, write_rules
from knitground.core.knit.bridge import build_graph
from knitground.core.knit.coverage import Coverage, cover
from knitground.core.knit.guessing import guess_sheet
from knitground.core.knit.layer import set_table
from knitground.core.knit.likelysets import SetGuess
from knitground.core.knit.makeable import makeable
from knitground.core.model.limits import MAX_SIDE_PX, MAX_WEIGHT
from knitground.core.model.project import Project
from knitground.core.model.properties import Property, PropertyKind
from knitground.core.model.rules import NeighbourRule, RuleList
from knitground.core.model.slicing import Slicing
from knitground.core.model.terrain import ANY, SLOTS, SetKind, Slot, TerrainSet
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import At, Picture, TileFacts, Tileset
from knitground.core.slicing.grid import cut_tile
from knitground.core.slicing.likely import GridGuess, likely_grids
from knitground.core.slicing.pieces import find_pieces

Tiles = At | TileInHand | TileRef | Iterable[At | TileInHand | TileRef]
"""One tile or several: (row, column), or what `tile` gives."""


class SheetDoor:
    """A sheet with its slicing, what is known of its tiles, and its terrain sets."""

    def __init__(self, doc: Document, tileset: Tileset) -> None:
        self.doc = doc
        self.tileset = tileset

    def __repr__(self) -> str:
        rows, columns = self.grid
        return f"<sheet “{self.name}”: {rows} × {columns} tiles, {len(self.sets)} sets>"

    @property
    def name(self) -> str:
        """Its name."""
        return self.tileset.name

    @property
    def size(self) -> Pair:
        """Height and width of its picture, in pixels."""
        return self.tileset.height, self.tileset.width

    @property
    def grid(self) -> Pair:
        """Rows and columns of tiles."""
        return self.tileset.rows, self.tileset.columns

    @property
    def slicing(self) -> Slicing:
        """How it is cut; all numbers in pixels."""
        return self.tileset.slicing

    def picture(self) -> Picture:
        """Give its picture: (height, width, 4) uint8, straight RGBA; a copy."""
        return self._picture().copy()

    @property
    def sets(self) -> list[SetDoor]:
        """Its terrain sets."""
        return [SetDoor(self.doc, self.tileset, each) for each in self.tileset.sets]

    def set(self, name: str) -> SetDoor:
        """Find a terrain set by its name."""
        found = self.tileset.set_named(name) if isinstance(name, str) else None
        if found is None:
            known = ", ".join(f"“{each.name}”" for each in self.sets) or "none"
            raise EditError(f"“{self.name}” has no terrain set {short(name)}: it has {known}")
        return SetDoor(self.doc, self.tileset, found)

    # How it is cut

    def likely_grids(self, most: int = 5) -> list[GridGuess]:
        """List the likeliest ways to cut it, the best first; each has `slicing` and `score`."""
        return likely_grids(self._picture(), whole(most, "the number of grids", 1, 50))

    def slice(self, slicing: Slicing | GridGuess) -> None:
        """Cut it anew; marks, facts and cells follow the same pixels where they can."""
        check_kind(slicing, (Slicing, GridGuess), "a slicing", "Slicing(16, 16)")
        cut = slicing.slicing if isinstance(slicing, GridGuess) else slicing
        self._do(use_slicing(self.doc.project, self.tileset, cut)[0])

    def slice_pieces(self, gap: int = 1) -> None:
        """Cut it into separate pieces, by their outline, whatever their sizes.

        Parameters
        ----------
        gap : see-through pixels inside a piece that do not part it
        """
        picture = self._picture()
        pieces = find_pieces(picture, self.slicing, whole(gap, "the gap", 0, 64))
        if not pieces:
            raise EditError(f"nothing of “{self.name}” stands apart: it has no see-through pixels")
        self.slice(replace(self.slicing, pieces=pieces))

    def repaint(self, path: str | Path) -> None:
        """Give it another picture of the same arrangement; marks, facts and maps stay."""
        sheet = read_sheet(path_of(path), self.doc.project.sheets_room)
        self._do(reskin(self.doc.project, self.tileset, sheet))

    # Tiles

    def has(self, row: int, col: int) -> None:
        """See to it that there is a tile.

        Raises
        ------
        EditError
            There is none.
        """
        at = pair((row, col), "the place of a tile", least=-MAX_SIDE_PX, most=MAX_SIDE_PX)
        if not self.tileset.has(*at):
            raise EditError(f"“{self.name}” has no tile in row {row}, column {col}")

    def tile(self, row: int, col: int, turn: int = 0) -> TileInHand:
        """Take a tile in hand, to paint with it.

        Parameters
        ----------
        turn : quarter turns clockwise, + 4 mirrored left to right first
        """
        self.has(row, col)
        if type(turn) is not int or not 0 <= turn <= 7:
            raise EditError(f"turn {short(turn)} is not known: give 0 to 7")
        return TileInHand(TileRef(self.name, row, col, turn), self.tileset.number(row, col))

    def tile_picture(self, row: int, col: int) -> Picture:
        """Give a tile's picture: (height, width, 4) uint8, straight RGBA."""
        self.has(row, col)
        return cut_tile(self._picture(), self.slicing, row, col).copy()

    def facts(self, row: int, col: int) -> TileFacts:
        """Tell what is known of a tile: weight, name, tags, properties, frames and shapes."""
        self.has(row, col)
        return self.tileset.fact(row, col)

    def set_weight(self, tiles: Tiles, weight: float) -> None:
        """Give tiles a weight among their variants; 0 is never."""
        wanted = number(weight, "the weight", 0, MAX_WEIGHT)
        self._do(set_weights(self.tileset, self._places(tiles), wanted))

    def set_name(self, tiles: Tiles, name: str) -> None:
        """Name a tile; several get a number each."""
        self._do(name_tiles(self.tileset, self._places(tiles), text(name, "the name")))

    def tag(self, tiles: Tiles, tag: str) -> None:
        """Give tiles a tag."""
        self._do(add_tag(self.tileset, self._places(tiles), name_of(tag, "tag")))

    def untag(self, tiles: Tiles, tag: str) -> None:
        """Take a tag from tiles."""
        self._do(remove_tag(self.tileset, self._places(tiles), name_of(tag, "tag")))

    def leave_out(self, tiles: Tiles, out: bool = True) -> None:
        """Neither offer nor knit tiles; or, with False, do again."""
        self._do(leave_out(self.tileset, self._places(tiles), bool(out)))

    def only_inside(self, tiles: Tiles, on: bool = True) -> None:
        """Knit tiles only where all eight neighbours ask for the same; or, with False, anywhere."""

        def change(fact: TileFacts) -> TileFacts:
            return replace(fact, inner=bool(on))

        places = self._places(tiles)
        self._do(change_facts(self.tileset, places, change, What.MARKS, "Only inside"))

    def set_property(self, tiles: Tiles, name: str, value: str | float | bool | None) -> None:
        """Say something of tiles that a game should know; None takes it away."""
        places = self._places(tiles)
        if value is None:
            self._do(remove_property(self.tileset, places, name_of(name, "property")))
            return
        self._do(put_property(self.tileset, places, property_of(name, value)))

    # Terrain sets

    def likely_sets(self, progress: Told | None = None) -> list[SetGuess]:
        """Find sets of terrain among the tiles that no set has, the surest first.

        Each has `kind`, `score` (0 to 1), `places` and `marks`; `make_set` takes one. It may take
        some seconds.
        """
        return sheet_sets(self.tileset, progress_of(progress))

    def make_set(self, guess: SetGuess) -> SetDoor:
        """Make the terrain set that was found by `likely_sets`."""
        check_kind(guess, (SetGuess,), "a set that was found", "sheet.likely_sets()[0]")
        if not still_likely(self.tileset, guess):
            raise EditError("that set was found for tiles that are cut or marked otherwise now: "
                            "look for sets again")  # fmt: skip
        self._do(add_likely_set(self.tileset, guess))
        return self.sets[-1]

    def add_set(self, kind: str, terrains: Sequence[str], name: str | None = None) -> SetDoor:
        """Add a terrain set of kind corner, edge or ring; `mark` says what its tiles show."""
        what = SetKind(one_of(kind, [each.value for each in SetKind], "kind of set"))
        names = names_of(terrains, "terrain")
        kit = TerrainSet(name_of(name or ", ".join(names), "set"), what)
        with self.doc.stroke(f"Add {kind} set “{kit.name}”"):
            self._do(add_set(self.tileset, kit))
            for each in names:
                self._do(add_terrain(self.tileset, kit, each))
        return SetDoor(self.doc, self.tileset, kit)

    def _do(self, edit: Edit) -> None:
        self.doc.apply(edit)

    def _picture(self) -> Picture:
        if self.tileset.picture is None:
            raise EditError(f"the picture of “{self.name}”, {self.tileset.sheet}, is missing")
        return self.tileset.picture

    def _places(self, tiles: Tiles) -> list[At]:
        """List the places of tiles that are there."""
        several = [tiles] if _is_tile(tiles) else tiles
        if isinstance(several, str | bytes) or not isinstance(several, Iterable):
            raise EditError(f"{short(tiles)} are no tiles: give (row, column), or a list of them")
        out = []
        for each in several:
            ref = each.tile if isinstance(each, TileInHand) else each
            if isinstance(ref, TileRef):
                if ref.tileset != self.name:
                    raise EditError(f"{short(ref.tileset)} is another sheet than “{self.name}”")
                ref = (ref.row, ref.col)
            at = pair(ref, "the place of a tile", least=-MAX_SIDE_PX, most=MAX_SIDE_PX)
            self.has(*at)
            out.append(at)
        if not out:
            raise EditError("no tile is named: give at least one")
        return out


class SetDoor:
    """A terrain set: what the tiles of a sheet show at their sides and corners."""

    def __init__(self, doc: Document, tileset: Tileset, kit: TerrainSet) -> None:
        self.doc = doc
        self.tileset = tileset
        self.kit = kit

    def __repr__(self) -> str:
        return f"<{self.kind} set “{self.name}”: {', '.join(self.terrains)}>"

    @property
    def name(self) -> str:
        """Its name."""
        return self.kit.name

    @property
    def kind(self) -> str:
        """Corner, edge or ring."""
        return self.kit.kind.value

    @property
    def terrains(self) -> list[str]:
        """Names of its terrains; the n-th is n + 1 in `marks` and in a layer's terrain."""
        return [each.name for each in self.kit.terrains]

    @property
    def sheet(self) -> SheetDoor:
        """The sheet that it belongs to."""
        return SheetDoor(self.doc, self.tileset)

    @property
    def marks(self) -> NDArray[np.uint8]:
        """What tiles show: (rows, columns, 9) of the slots N NE E SE S SW W NW and the middle.

        0 is nothing, n the n-th terrain, 254 anything; a copy.
        """
        return self.kit.marks_within(self.tileset.rows, self.tileset.columns).copy()

    def terrain(self, name: str) -> TerrainInHand:
        """Take a terrain in hand, to paint with it; “nothing” too."""
        return TerrainInHand(self.tileset.name, self.name, self._mark(name), name)

    def _mark(self, name: str) -> int:
        if name == "any":
            return ANY
        mark = self.kit.number_of(name)
        if not mark and name != "nothing":
            known = ", ".join(self.terrains)
            raise EditError(f"“{self.name}” has no terrain “{name}”: it has {known}")
        return mark

    def mark(self, row: int, col: int, shows: str | Mapping[str, str]) -> None:
        """Say what a tile shows: one terrain everywhere, or a terrain by slot (“NW”, “E”, …)."""
        kind = self.kit.kind
        self.sheet.has(row, col)
        slots = {each.name: shows for each in kind.slots} if isinstance(shows, str) else shows
        if not isinstance(slots, Mapping):
            raise EditError(f"{short(shows)} is no terrain: give a name, or names by slot")
        strange = {str(each) for each in slots} - {each.name for each in kind.slots}
        if strange:
            usual = ", ".join(each.name for each in kind.slots)
            raise EditError(
                f"a set of kind {kind.value} has no slot {min(strange)}: it has {usual}"
            )
        with self.doc.stroke(f"Mark tile {self.tileset.number(row, col)}"):
            for slot, name in slots.items():
                dab = [(row, col, int(Slot[str(slot)]))]
                self.doc.apply(paint_marks(self.tileset, self.kit, dab, self._mark(str(name))))
            self.doc.apply(colours_from_art(self.tileset, self.kit))

    def set_marks(self, marks: Any) -> None:
        """Say what all tiles show: (rows, columns, 9) as `marks` gives it."""
        rows, columns = self.tileset.rows, self.tileset.columns
        try:
            flat = np.asarray(marks).reshape(rows * columns, SLOTS)
        except (ValueError, TypeError, AttributeError) as error:
            raise EditError(
                f"the marks are {short(marks)}: give ({rows}, {columns}, {SLOTS}) numbers"
            ) from error
        most = len(self.kit.terrains)
        found = numbers_in(flat, "the marks", flat.shape, 0, ANY)
        strange = found[(found > most) & (found != ANY)]
        if strange.size:
            raise EditError(f"the marks name terrain {strange[0]}: “{self.name}” has {most}")
        slots = [int(each) for each in self.kit.kind.slots]
        kept = np.zeros_like(found, np.uint8)
        kept[:, slots] = found[:, slots]
        places = [divmod(n, columns) for n in range(rows * columns)]
        self.doc.apply(set_marks(self.tileset, self.kit, places, kept, "Marks from numbers"))

    def guess(self) -> int:
        """Guess the marks of all tiles that have none from those marked; returns how many."""
        found = guess_sheet(self.tileset, self.kit, None)
        if isinstance(found, str):
            raise EditError(found)
        self.doc.apply(set_marks(self.tileset, self.kit, found.places, found.marks, "Guess marks"))
        return len(found.places)

    def coverage(self) -> Coverage:
        """Tell which combinations of marks a map asks for, and which have no tile (`missing`)."""
        table, _ = set_table(self._project, self.tileset, self.kit)
        return cover(table, self.kit, build_graph(table))

    def make_missing(
        self, *, turn: bool = False, mirror: bool = True, join: bool = True
    ) -> SheetDoor:
        """Make tiles that are missing from those that are there, on a new sheet, with their marks.

        Parameters
        ----------
        turn, mirror, join : what the art allows: turned tiles, mirrored ones, joined quarters
        """
        able = makeable(self._project, self.tileset, self.kit)
        made = able.made(turn=bool(turn), mirror=bool(mirror), join=bool(join))
        edit, sheet = add_made(self._project, self.tileset, self.kit, made)
        self.doc.apply(edit)
        return SheetDoor(self.doc, sheet)

    # Rules

    @property
    def rules(self) -> RuleList:
        """Its rules, in order; the first that fits a cell takes it."""
        return self.kit.rules

    def add_rule(self, rule: NeighbourRule) -> None:
        """Add a rule behind the others (`knitground.core.model.rules`)."""
        check_kind(rule, (NeighbourRule,), "a neighbour rule", "NeighbourRule(1, stencil, result)")
        self.doc.apply(add_rule(self._home, rule))

    def read_rules(self, path: str | Path) -> None:
        """Add the rules of a `*.rules.json` behind the others."""
        self.doc.apply(merge_rules(self._home, read_rules(path_of(path))))

    def write_rules(self, path: str | Path) -> None:
        """Write its rules as a `*.rules.json`, for other projects."""
        write_rules(path_of(path), self.kit.rules)

    @property
    def _project(self) -> Project:
        return self.doc.project

    @property
    def _home(self) -> RuleHome:
        return RuleHome(self._project, self.tileset, self.kit)


def _is_tile(value: object) -> bool:
    if isinstance(value, TileInHand | TileRef):
        return True
    return isinstance(value, tuple) and len(value) == 2 and not isinstance(value[0], tuple)


_KINDS: tuple[tuple[type, PropertyKind, Callable[[Any], str]], ...] = (
    (bool, PropertyKind.YES_NO, lambda value: "yes" if value else "no"),
    (int, PropertyKind.WHOLE, str),
    (float, PropertyKind.NUMBER, repr),
    (str, PropertyKind.TEXT, str),
)


def property_of(name: str, value: object) -> Property:
    """Make a property of a value; its kind follows from the value's."""
    for kind, called, write in _KINDS:
        if isinstance(value, kind):
            return Property(name_of(name, "property"), write(value), called)
    raise EditError(f"property {short(name)} is {short(value)}: give a text, number, True or False")
