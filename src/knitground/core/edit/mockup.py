"""A map, and its tileset, from a finished mock-up: one step."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import EditError
from knitground.core.base.filenames import file_stem
from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import say
from knitground.core.edit.atoms import Atom
from knitground.core.edit.document import Edit
from knitground.core.edit.likelysets import kit_of_guess
from knitground.core.edit.maps import add_map
from knitground.core.edit.sheets import add_tileset
from knitground.core.knit.laidsets import KNITTED_FROM, LaidSet, laid_sets
from knitground.core.model.lattice import Grid, GridKind, Lattice
from knitground.core.model.layers import GroundLayer, TileLayer
from knitground.core.model.limits import MAX_WEIGHT
from knitground.core.model.map import Map
from knitground.core.model.patch import turn_tile
from knitground.core.model.project import Project, free_name
from knitground.core.model.slicing import Slicing
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import PLAIN, Tileset
from knitground.core.slicing.mockup import Mockup, sheet_columns, sheet_of


def mockup_grid(mockup: Mockup) -> Grid:
    """Give the grid of the map that a mock-up shows."""
    kind = GridKind.STAGGERED if mockup.grid.diamonds else GridKind.SQUARE
    return Grid.of(kind, *mockup.tile_of_cell.shape)


def mockup_lattice(mockup: Mockup) -> Lattice:
    """Give where the cells of the map lie that a mock-up shows."""
    (rows, columns), grid = mockup.tile_of_cell.shape, mockup.grid
    return mockup_grid(mockup).lattice(rows, columns, grid.tile_height, grid.tile_width)


def mockup_sets(mockup: Mockup, progress: Progress = no_progress) -> list[LaidSet]:
    """Find the terrain sets among a mock-up's tiles, for the sheet that they become.

    What they say of cells is for the array that the map is kept in.
    """
    lattice = mockup_lattice(mockup)
    return laid_sets(
        mockup.tiles, np.asarray(lattice.folded(mockup.tile_of_cell)),
        sheet_columns(len(mockup.tiles)), progress, lattice.exists,
    )  # fmt: skip


def map_from_mockup(
    project: Project,
    name: str,
    mockup: Mockup,
    known: Mapping[int, TileRef] | None = None,
    *,
    rest: bool = True,
    sets: Sequence[LaidSet] = (),
) -> tuple[Edit, Map, Tileset | None]:
    """Add the map that a mock-up shows; tiles that are not known become a new sheet.

    Parameters
    ----------
    known : tiles that the project has already, by the mock-up's numbers (`lay_with`)
    rest : whether the others become a sheet; else their cells stay empty
    sets : sets of its tiles, for a map whose tiles all become a new sheet; the first one makes the
        map's layer, knitted, with pins where a tile is not what the terrain asks for, if most of
        the picture follows from it

    Returns
    -------
    the edit, the map, and the new tileset if there is one

    Raises
    ------
    EditError
        There is nothing to lay.
    """
    known = dict(known or {})
    count = len(mockup.tiles)
    strange = [n for n in range(1, count + 1) if n not in known]
    atoms: list[Atom] = []
    made: Tileset | None = None
    if rest and strange:
        made = _tileset(project, name, mockup, strange)
        atoms += add_tileset(project, made).atoms
        for place, number in enumerate(strange):
            known[number] = TileRef(made.name, *divmod(place, made.columns))
    if not known:
        raise EditError(
            say("no tile of the picture is known, and none is to be added: nothing to lay")
        )
    lattice = mockup_lattice(mockup)
    map_ = Map(
        free_name(name, [each.name for each in project.maps]), lattice.rows, lattice.columns,
        lattice.high, lattice.wide, grid=mockup_grid(mockup),
    )  # fmt: skip
    layer: TileLayer | GroundLayer = map_.new_tile_layer(say("Tiles"))
    if made is not None and sets and len(strange) == count:
        ground = _with_sets(map_, made, mockup, sets)
        layer = ground if sets[0].share >= KNITTED_FROM else layer
    laid = map_.lattice.folded(_laid_cells(map_, mockup, known))
    layer.cells[:] = laid
    map_.layers.append(layer)
    if isinstance(layer, GroundLayer):
        layer.pinned[:] = ~sets[0].knitted & (laid > 0)
    edit = add_map(project, map_)
    return (
        Edit(say("Map “{name}” from a picture", name=map_.name), (*atoms, *edit.atoms)),
        map_,
        made,
    )


def _laid_cells(map_: Map, mockup: Mockup, known: Mapping[int, TileRef]) -> NDArray[np.int32]:
    """The cells of a mock-up as places of the map's legend; 0 where the tile is not known."""
    places = np.zeros((len(mockup.tiles) + 1, 8), np.int32)
    pairs = mockup.tile_of_cell.astype(np.int64) * 8 + mockup.turn_of_cell
    for pair in np.unique(pairs).tolist():
        number, turn = divmod(pair, 8)
        tile = known.get(number)
        if tile is not None:
            places[number, turn] = map_.legend.place(turn_tile(tile, turn))
    return places[mockup.tile_of_cell, mockup.turn_of_cell]


def _with_sets(map_: Map, tileset: Tileset, mockup: Mockup, sets: Sequence[LaidSet]) -> GroundLayer:
    """Mark a new sheet, weigh its tiles as often as they lie, and make a layer of its first set."""
    for each in sets:
        tileset.sets.append(kit_of_guess(tileset, each.guess))
    first = sets[0]
    counts = np.bincount(mockup.tile_of_cell.ravel(), minlength=len(mockup.tiles) + 1)
    of_set = [row * first.columns + col + 1 for row, col in first.guess.places]
    usual = max(1.0, float(np.median(counts[of_set])))
    facts = {}
    for at, number in zip(first.guess.places, of_set):
        weight = round(min(max(float(counts[number]) / usual, 0.05), MAX_WEIGHT), 2)
        weight = 0.0 if number in first.apart else weight
        if weight != 1.0:
            facts[at] = replace(PLAIN, weight=weight)
    tileset.facts = facts
    kit = tileset.sets[0]
    layer = map_.new_ground_layer(say("Ground"), tileset.name, kit.name, kit.kind)
    layer.terrain[:] = first.terrain
    return layer


def _tileset(project: Project, name: str, mockup: Mockup, numbers: list[int]) -> Tileset:
    picture = sheet_of(mockup.tiles[np.array(numbers) - 1])
    free = free_name(name, [each.name for each in project.tilesets])
    grid = mockup.grid
    height, width = picture.shape[:2]
    return Tileset(
        free, f"{file_stem(free)}.png", width, height, Slicing(grid.tile_width, grid.tile_height),
        picture=picture,
    )  # fmt: skip
