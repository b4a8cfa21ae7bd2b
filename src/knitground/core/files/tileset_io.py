"""Tilesets to and from their file models."""

from __future__ import annotations

import numpy as np

from knitground.core.base.errors import FormatError, SlicingError
from knitground.core.files.formats import (
    SlicingFile,
    TerrainFile,
    TerrainSetFile,
    TileMarksFile,
    TilesetFile,
    TileWeightFile,
)
from knitground.core.model.slicing import Slicing
from knitground.core.model.terrain import SetKind, Terrain, TerrainSet
from knitground.core.model.tileset import Tileset
from knitground.core.slicing.grid import lay_grid


def tileset_to_file(tileset: Tileset) -> TilesetFile:
    """Make the file model of a tileset."""
    slicing = {name: getattr(tileset.slicing, name) for name in SlicingFile.model_fields}
    weights = [
        TileWeightFile(row=row, col=col, weight=weight)
        for (row, col), weight in sorted(tileset.weights.items())
    ]
    return TilesetFile(
        name=tileset.name,
        sheet=tileset.sheet,
        width=tileset.width,
        height=tileset.height,
        slicing=SlicingFile(**slicing),
        weights=weights,
        left_out=sorted(tileset.left_out),
        sets=[_set_to_file(kit) for kit in tileset.sets],
    )


def _set_to_file(kit: TerrainSet) -> TerrainSetFile:
    rows, cols = np.nonzero(kit.marks.any(axis=2))
    marks = [
        TileMarksFile(row=int(row), col=int(col), marks=kit.marks[row, col].tolist())
        for row, col in zip(rows, cols)
    ]
    terrains = [
        TerrainFile(name=each.name, colour=each.colour, letter=each.letter) for each in kit.terrains
    ]
    return TerrainSetFile(name=kit.name, kind="corner", terrains=terrains, marks=marks)


def tileset_from_file(file: TilesetFile, name: str) -> Tileset:
    """Make a tileset of its file model; its picture is not read yet.

    Raises
    ------
    FormatError
        The slicing does not cut the sheet, or marks name a terrain that is not in the set.
    """
    numbers = file.slicing.model_dump()
    numbers["see_through"] = tuple(tuple(colour) for colour in file.slicing.see_through)
    numbers["area"] = file.slicing.area
    slicing = Slicing(**numbers)
    try:
        lay_grid(slicing, file.width, file.height)
    except SlicingError as error:
        raise FormatError(f"{name}: {error}") from error
    tileset = Tileset(file.name, file.sheet, file.width, file.height, slicing)
    tileset.weights = {(each.row, each.col): each.weight for each in file.weights}
    tileset.left_out = frozenset(file.left_out)
    tileset.sets = [_set_from_file(kit, name) for kit in file.sets]
    return tileset


def _set_from_file(file: TerrainSetFile, name: str) -> TerrainSet:
    high = max((each.row for each in file.marks), default=-1) + 1
    wide = max((each.col for each in file.marks), default=-1) + 1
    if high * wide > 16_777_216:
        raise FormatError(f"{name}: marks stand as far out as row {high - 1}, column {wide - 1}")
    marks = np.zeros((high, wide, 8), np.uint8)
    for each in file.marks:
        if max(each.marks) > len(file.terrains):
            raise FormatError(
                f"{name}: set “{file.name}” marks a tile with terrain {max(each.marks)}, "
                f"but has only {len(file.terrains)}"
            )
        marks[each.row, each.col] = each.marks
    terrains = tuple(Terrain(each.name, each.colour, each.letter) for each in file.terrains)
    return TerrainSet(file.name, SetKind(file.kind), terrains, marks)
