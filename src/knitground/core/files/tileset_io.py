"""Tilesets to and from their file models."""

from __future__ import annotations

import numpy as np

from knitground.core.base.errors import FormatError, SlicingError
from knitground.core.base.tongue import say
from knitground.core.files.formats import (
    PlacedFacts,
    TerrainSetFile,
    TileMarksFile,
    TilesetFile,
)
from knitground.core.model.terrain import (
    ANY,
    SLOTS,
    Marks,
    SetKind,
    TerrainSet,
    no_marks,
)
from knitground.core.model.tileset import PLAIN, Prints, Tileset
from knitground.core.slicing.grid import lay_grid
from knitground.core.slicing.prints import prints_of


def tileset_to_file(tileset: Tileset) -> TilesetFile:
    """Make the file model of a tileset."""
    return TilesetFile(
        name=tileset.name,
        sheet=tileset.sheet,
        width=tileset.width,
        height=tileset.height,
        slicing=tileset.slicing,
        facts=[
            PlacedFacts(row=row, col=col, **vars(fact))
            for (row, col), fact in sorted(tileset.facts.items())
        ],
        order=list(tileset.order),
        defaults=list(tileset.defaults),
        sets=[_set_to_file(kit) for kit in tileset.sets],
        prints=_prints_to_file(tileset),
    )


def _prints_to_file(tileset: Tileset) -> list[str]:
    """Give what the tiles look like; if nobody knows, what they looked like before."""
    if tileset.picture is not None:
        return list(prints_of(tileset.picture, tileset.slicing).rows)
    known = tileset.prints
    return list(known.rows) if known is not None and known.slicing == tileset.slicing else []


def _set_to_file(kit: TerrainSet) -> TerrainSetFile:
    marks = _marks_to_file(kit, kit.marks, None)
    for name, guest in sorted(kit.guests.items()):
        marks += _marks_to_file(kit, guest, name)
    return TerrainSetFile(
        name=kit.name, kind=kit.kind.value, terrains=list(kit.terrains), marks=marks,
        rules=kit.rules,
    )  # fmt: skip


def _marks_to_file(kit: TerrainSet, marks: Marks, tileset: str | None) -> list[TileMarksFile]:
    used = _slots_of(kit.kind)
    rows, cols = np.nonzero(marks.any(axis=2))
    return [
        TileMarksFile(row=int(r), col=int(c), tileset=tileset, marks=marks[r, c, :used].tolist())
        for r, c in zip(rows, cols)
    ]


def _slots_of(kind: SetKind) -> int:
    """How many marks a tile of such a set has in a file: the middle is a ring set's alone."""
    return SLOTS if kind is SetKind.RING else SLOTS - 1


def tileset_from_file(file: TilesetFile, name: str) -> Tileset:
    """Make a tileset of its file model; its picture is not read yet.

    Raises
    ------
    FormatError
        The slicing does not cut the sheet, or marks name a terrain that is not in the set.
    """
    slicing = file.slicing
    try:
        lay_grid(slicing, file.width, file.height)
    except SlicingError as error:
        raise FormatError(f"{name}: {error}") from error
    tileset = Tileset(file.name, file.sheet, file.width, file.height, slicing)
    placed = {each.at: each.facts for each in file.facts}
    tileset.facts = {at: fact for at, fact in placed.items() if fact != PLAIN}
    tileset.order = tuple(file.order)
    tileset.defaults = tuple(file.defaults)
    tileset.sets = [_set_from_file(kit, name) for kit in file.sets]
    tileset.prints = Prints(slicing, tuple(file.prints)) if file.prints else None
    names = [kit.name for kit in tileset.sets]
    twice = next((each for each in names if names.count(each) > 1), None)
    if twice is not None:
        raise FormatError(
            say("{name}: two terrain sets are called “{twice}”: rename one", name=name, twice=twice)
        )
    return tileset


def _set_from_file(file: TerrainSetFile, name: str) -> TerrainSet:
    made = TerrainSet(file.name, SetKind(file.kind), tuple(file.terrains))
    guests = {each.tileset for each in file.marks if each.tileset is not None}
    made.marks = _marks_from_file(file, name, None)
    made.guests = {guest: _marks_from_file(file, name, guest) for guest in sorted(guests)}
    made.rules = file.rules
    return made


def _marks_from_file(file: TerrainSetFile, name: str, tileset: str | None) -> Marks:
    own = [each for each in file.marks if each.tileset == tileset]
    high = max((each.row for each in own), default=-1) + 1
    wide = max((each.col for each in own), default=-1) + 1
    if high * wide > 16_777_216:
        raise FormatError(
            say(
                "{name}: marks stand as far out as row {high}, column {wide}",
                name=name,
                high=high - 1,
                wide=wide - 1,
            )
        )
    marks = no_marks(high, wide)
    for each in own:
        highest = max((mark for mark in each.marks if mark != ANY), default=0)
        if highest > len(file.terrains):
            raise FormatError(
                say(
                    "{name}: set “{name2}” marks a tile with terrain {highest}, but has only "
                    "{count}",
                    name=name,
                    name2=file.name,
                    highest=highest,
                    count=len(file.terrains),
                )
            )
        kept = _slots_of(SetKind(file.kind))
        if any(each.marks[kept:]):
            raise FormatError(
                say(
                    "{name}: set “{name2}” is a {kind} set and marks the middle of a tile: row "
                    "{row}, column {col}: give it {kept} marks",
                    name=name,
                    name2=file.name,
                    kind=file.kind,
                    row=each.row,
                    col=each.col,
                    kept=kept,
                )
            )
        marks[each.row, each.col, : len(each.marks)] = each.marks
    return marks
