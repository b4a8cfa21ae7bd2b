"""Layers to and from their file models: one format for each kind, in one registry."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import FormatError
from knitground.core.base.tongue import say
from knitground.core.files import cells as cell_files
from knitground.core.files.formats import TileFile
from knitground.core.files.mapformats import (
    CellsFile,
    ColourFile,
    GroundLayerFile,
    GrownLayerFile,
    LayerFile,
    MarkerFile,
    MarkerLayerFile,
    PackedFile,
    PinFile,
    TileLayerFile,
    TintLayerFile,
)
from knitground.core.files.packing import Blocks
from knitground.core.model.layers import (
    Cells,
    GroundLayer,
    GrownLayer,
    Layer,
    MarkerLayer,
    PinnedLayer,
    TileLayer,
    TintLayer,
)
from knitground.core.model.limits import MAX_CELLS, MAX_TERRAINS
from knitground.core.model.map import Legend, Map
from knitground.core.model.marker import Marker, Shape
from knitground.core.model.standing import standing_of
from knitground.core.model.terrain import SetKind
from knitground.core.model.tile import TileRef

_LISTED_PINS = 65_536
_COUNTED_AT_A_TIME = 1 << 18
"""Cells that are looked at together: as many as the processor's memory holds."""


@dataclass(frozen=True)
class LayerFormat:
    """How a kind of layer is written and read.

    Parameters
    ----------
    layer, file : its class, and its file model's
    write : (map, layer) → the fields of the file model that this kind has beside the common ones
    read : (map, file model, what it is called in errors) → the fields of the layer likewise
    """

    layer: type[Layer]
    file: type[Any]
    write: Callable[[Map, Any], dict[str, Any]]
    read: Callable[[Map, Any, str], dict[str, Any]]


_COMMON = ("name", "number", "visible", "locked", "opacity", "offset", "height", "interleaved")


def layer_to_file(map_: Map, layer: Layer) -> LayerFile:
    """Make the file model of a layer. What is knitted is not stored: it follows from the rest."""
    form = next(each for each in FORMATS if each.layer is type(layer))
    common = {name: getattr(layer, name) for name in _COMMON}
    made: LayerFile = form.file.model_construct(
        **common, kind=layer.kind, **form.write(map_, layer)
    )
    return made


def layer_from_file(map_: Map, file: LayerFile, name: str) -> Layer:
    """Make a layer of its file model; `name` is the map file's, for errors.

    Raises
    ------
    FormatError
        Cells, pins or markers stand outside the legend or the map.
    """
    form = next(each for each in FORMATS if each.file is type(file))
    common = {name: getattr(file, name) for name in _COMMON}
    return form.layer(
        **common,
        **form.read(map_, file, say("{name}: layer “{name2}”", name=name, name2=file.name)),
    )


# Tiles


def _write_tiles(map_: Map, layer: TileLayer) -> dict[str, Any]:
    return {**_drawn(map_, layer), "cell": layer.cell, "laid": list(layer.laid)}


def _read_tiles(map_: Map, file: TileLayerFile, what: str) -> dict[str, Any]:
    if file.cell is not None and map_.lattice.slanted:
        raise FormatError(
            say("{what}: on a map of diamonds a layer has the map's cells, not its own", what=what)
        )
    if file.cell is not None:
        own = map_.lattice.divided(*file.cell)
        if own.rows * own.columns > MAX_CELLS:
            raise FormatError(
                say(
                    "{what}: cells of {cell} × {cell2} px would be more than {max_cells}, the "
                    "most a layer may have",
                    what=what,
                    cell=file.cell[1],
                    cell2=file.cell[0],
                    max_cells=MAX_CELLS,
                )
            )
    blank = map_.new_tile_layer(file.name, file.cell)
    size = map_.lattice.counted if blank.cell is None else blank.cells.shape
    cells = _cells(map_, file, _places(map_, file.legend), size, what)
    for each in file.laid:
        each.area.mask(1, 1)
    return {"cells": cells, "cell": blank.cell, "laid": tuple(file.laid)}


def _drawn(map_: Map, layer: Layer) -> dict[str, Any]:
    cells = as_counted(map_, layer.cells)
    if cells.size <= cell_files.ROWS_LIMIT:
        legend, small = own_legend(map_.legend, cells)
        return {"legend": legend, "cells": cell_files.to_file(small)}
    blocks = Blocks(cells)
    known = map_.legend.tiles  # it may grow while this goes on beside the window
    legend, table = _small_legend(known, blocks.used(len(known) - 1))
    return {"legend": legend, "cells": blocks.packed(table)}


def as_counted(map_: Map, cells: NDArray[Any]) -> NDArray[Any]:
    """Give cells of a map by rows and columns as people count them; other arrays as they are."""
    fits = cells.shape == (map_.height, map_.width)
    return map_.lattice.unfolded(cells) if fits else cells


def _places(map_: Map, legend: list[TileFile]) -> NDArray[np.int32]:
    """Give the places that a layer's own small legend has in the map's."""
    places = np.zeros(len(legend) + 1, np.int32)
    for n, tile in enumerate(legend, 1):
        places[n] = map_.legend.place(TileRef(tile.tileset, tile.row, tile.col, tile.turn))
    return places


def _cells(
    map_: Map,
    file: TileLayerFile | GrownLayerFile,
    places: NDArray[np.int32],
    size: tuple[int, ...],
    what: str,
) -> Cells:
    found = cell_files.from_file(file.cells, size[0], size[1], 0, len(file.legend), what, places)
    return map_.lattice.folded(found) if size == map_.lattice.counted else found


# Grown


def _write_grown(map_: Map, layer: GrownLayer) -> dict[str, Any]:
    return {**_drawn(map_, layer), "pins": _pins(map_, layer)[1]}


def _read_grown(map_: Map, file: GrownLayerFile, what: str) -> dict[str, Any]:
    places = _places(map_, file.legend)
    _, pinned = _pins_from_file(map_, file, places, what)
    cells = _cells(map_, file, places, map_.lattice.counted, what)
    return {"cells": cells, "pinned": pinned}


# Tints and markers


def _write_tint(map_: Map, layer: TintLayer) -> dict[str, Any]:
    colours, small = tint_colours(as_counted(map_, layer.cells))
    files = [ColourFile(colour=colour, strength=strength) for colour, strength in colours]
    return {"colours": files, "cells": cell_files.to_file(small)}


def _read_tint(map_: Map, file: TintLayerFile, what: str) -> dict[str, Any]:
    colours = [each.strength << 24 | int(each.colour[1:], 16) for each in file.colours]
    table = np.array([0, *colours], np.int32)
    cells = cell_files.from_file(
        file.cells, *map_.lattice.counted, 0, len(file.colours), what, table
    )
    return {"cells": map_.lattice.folded(cells)}


def _write_markers(_map: Map, layer: MarkerLayer) -> dict[str, Any]:
    return {"markers": [marker_to_file(each) for each in layer.markers]}


def _read_markers(map_: Map, file: MarkerLayerFile, what: str) -> dict[str, Any]:
    numbers = [each.number for each in file.markers]
    if len(set(numbers)) != len(numbers):
        raise FormatError(
            say("{what}: two markers have the same number: give each its own", what=what)
        )
    markers = tuple(marker_from_file(each, what) for each in file.markers)
    return {"cells": np.zeros((map_.height, map_.width), np.int32), "markers": markers}


def tint_colours(cells: Cells) -> tuple[list[tuple[str, int]], NDArray[np.int32]]:
    """Give the colours of a tint and their strengths, and the cells as numbers of them from 1."""
    flat = cells.ravel()
    parts = np.array_split(flat, max(1, flat.size // _COUNTED_AT_A_TIME))
    values = np.unique(np.concatenate([np.zeros(1, np.int32), *(np.unique(p) for p in parts)]))
    numbers = np.concatenate([np.searchsorted(values, part).astype(np.int32) for part in parts])
    places = numbers.reshape(cells.shape)
    colours = [(f"#{each & 0xFFFFFF:06x}", each >> 24) for each in values.tolist() if each]
    return colours, places


def marker_to_file(marker: Marker) -> MarkerFile:
    """Make the file model of a marker."""
    tile = marker.tile
    return MarkerFile(
        number=marker.number,
        shape=marker.shape.value,
        points=list(marker.points),
        name=marker.name,
        kind=marker.kind,
        properties=list(marker.properties),
        turn=marker.turn,
        scale=marker.scale,
        tile=TileFile(tileset=tile.tileset, row=tile.row, col=tile.col, turn=tile.turn)
        if tile
        else None,
    )


def marker_from_file(file: MarkerFile, what: str) -> Marker:
    """Make a marker of its file model; `what` names it in errors."""
    tile = file.tile
    shape, count = Shape(file.shape), len(file.points)
    wanted = {Shape.POINT: 1, Shape.PICTURE: 1, Shape.BOX: 2}.get(shape)
    if (wanted is not None and count != wanted) or (shape is Shape.POLYGON and count < 3):
        asked = say("3 or more") if wanted is None else str(wanted)
        raise FormatError(
            say(
                "{what}: marker {number} is a {shape} of {count} points: give {asked}",
                what=what,
                number=file.number,
                shape=file.shape,
                count=count,
                asked=asked,
            )
        )
    if (tile is not None) != (shape is Shape.PICTURE):
        raise FormatError(
            say(
                "{what}: marker {number} is a {shape}: only a picture has a tile, and it needs one",
                what=what,
                number=file.number,
                shape=file.shape,
            )
        )
    return Marker(
        file.number, shape, tuple(file.points), file.name, file.kind, tuple(file.properties),
        file.turn, file.scale,
        TileRef(tile.tileset, tile.row, tile.col, tile.turn) if tile else None,
    )  # fmt: skip


# Ground


def _write_ground(map_: Map, layer: GroundLayer) -> dict[str, Any]:
    legend, pins = _pins(map_, layer)
    return {
        "legend": legend,
        "tileset": layer.tileset,
        "set": layer.set_name,
        "seed": layer.seed,
        "set_kind": layer.kind_of_set.value,
        **_terrain_to_file(map_, layer),
        "painted": cell_files.packed(map_.lattice.unfolded(layer.painted.view(np.uint8)))
        if layer.painted.any()
        else None,
        "pins": pins,
    }


def _read_ground(map_: Map, file: GroundLayerFile, what: str) -> dict[str, Any]:
    cells, pinned = _pins_from_file(map_, file, _places(map_, file.legend), what)
    terrain = _terrain_from_file(map_, file, what)
    painted = np.zeros(terrain.shape, np.bool_)
    if file.painted is not None:
        shape = map_.lattice.unfolded_shape(1)
        painted |= map_.lattice.folded(_painted_from_file(file.painted, shape, what))
    return {
        "cells": cells,
        "tileset": file.tileset,
        "set_name": file.set,
        "seed": file.seed,
        "kind_of_set": SetKind(file.set_kind),
        "terrain": terrain,
        "painted": painted,
        "pinned": pinned,
    }


_GRIDS = ("terrain", "west")
"""What files call the grids of terrain, in the order in which it is parted."""


def terrain_grids(map_: Map, layer: GroundLayer) -> list[NDArray[Any]]:
    """Part a layer's terrain into grids, by rows and columns as people count them.

    On a staggered map each has the places of all corners of cells, whatever stands there.
    """
    grids = standing_of(layer.kind_of_set).grids(layer.terrain)
    if map_.lattice.exists is None:
        return [np.ascontiguousarray(each) for each in grids]
    high, wide = map_.height + 1, map_.width + 1
    padded = (np.pad(each, ((0, high - each.shape[0]), (0, wide - each.shape[1])))
              for each in grids)  # fmt: skip
    return [map_.lattice.unfolded(each) for each in padded]


def _terrain_to_file(map_: Map, layer: GroundLayer) -> dict[str, Any]:
    grids = terrain_grids(map_, layer)
    return {name: cell_files.to_file(grid) for name, grid in zip(_GRIDS, grids)}


def _terrain_from_file(map_: Map, file: GroundLayerFile, what: str) -> NDArray[Any]:
    """Read terrain as a layer holds it: (height + 1, width + 1) whatever the kind of set."""
    kind = SetKind(file.set_kind)
    standing = standing_of(kind)
    shapes = standing.shapes(map_.height, map_.width)
    grids = {}
    for name, own in zip(_GRIDS, standing.names):
        cells: CellsFile | None = getattr(file, name)
        if cells is None:
            raise FormatError(
                say(
                    "{what}: an edge set's terrain needs “{name}” too, and it is missing",
                    what=what,
                    name=name,
                )
            )
        folds = map_.lattice.exists is not None
        shape = map_.lattice.unfolded_shape(1) if folds else shapes[own]
        grids[name] = cell_files.from_file(
            cells, *shape, 0, MAX_TERRAINS, f"{what}, {name}", kept=np.uint8
        )
    return terrain_from_grids(map_, kind, grids)


def terrain_from_grids(map_: Map, kind: SetKind, grids: Mapping[str, NDArray[Any]]) -> NDArray[Any]:
    """Make terrain as a layer holds it of the grids that `terrain_grids` gives, by name."""
    standing = standing_of(kind)
    shapes = standing.shapes(map_.height, map_.width)
    out = {}
    for name, own in zip(_GRIDS, standing.names):
        (high, wide), grid = shapes[own], grids[name]
        folds = map_.lattice.exists is not None
        out[own] = map_.lattice.folded(grid)[:high, :wide] if folds else grid
    return standing.from_grids(out, map_.lattice)


def _painted_from_file(file: PackedFile, shape: tuple[int, int], what: str) -> NDArray[np.bool_]:
    return (
        cell_files.from_file(
            file, shape[0], shape[1], 0, 1, say("{what}, painted", what=what), kept=np.uint8
        )
        > 0
    )


def own_legend(
    legend: Legend, cells: NDArray[np.int32]
) -> tuple[list[TileFile], NDArray[np.int32]]:
    """Make a layer's own small legend, in the order of the tiles' names and places."""
    known = legend.tiles  # it may grow while this goes on beside the window
    # Counting is ten times faster than sorting, and places are small numbers.
    counts = np.zeros(len(known) + 1, np.int64)
    for part in np.array_split(cells.ravel(), max(1, cells.size // _COUNTED_AT_A_TIME)):
        counts += np.bincount(np.clip(part, 0, len(known)), minlength=len(known) + 1)
    used = np.flatnonzero(counts[:-1]).tolist()
    files, table = _small_legend(known, used)
    return files, table[np.clip(cells, 0, len(table) - 1)]


def _small_legend(
    known: Sequence[TileRef | None], used: Iterable[int]
) -> tuple[list[TileFile], NDArray[np.int32]]:
    """Give the files of the tiles at some places, in order, and what each place is among them."""
    tiles = {place: tile for place in used if (tile := known[place]) is not None}
    order = sorted(tiles, key=lambda place: tiles[place])
    table = np.zeros(len(known), np.int32)
    table[order] = np.arange(1, len(order) + 1)
    files = [
        TileFile(tileset=t.tileset, row=t.row, col=t.col, turn=t.turn)
        for t in (tiles[place] for place in order)
    ]
    return files, table


def _pins(map_: Map, layer: PinnedLayer) -> tuple[list[TileFile], PinFile | PackedFile]:
    none = np.zeros(0, np.intp)
    rows, cols = np.nonzero(layer.pinned) if layer.pinned.any() else (none, none)
    legend, small = own_legend(map_.legend, layer.cells[rows, cols][None])
    if rows.size <= _LISTED_PINS:
        names = (map_.lattice.name_of(int(r), int(c)) for r, c in zip(rows, cols))
        pins = [(*at, int(p)) for at, p in zip(names, small[0])]
        pins = pins if map_.lattice.exists is None else sorted(pins)
        return legend, PinFile.model_construct(pins=pins)
    grid = np.full(layer.pinned.shape, -1, np.int32)
    grid[rows, cols] = small[0]
    return legend, cell_files.packed(as_counted(map_, grid))


def _pins_from_file(
    map_: Map, file: GroundLayerFile | GrownLayerFile, places: NDArray[np.int32], what: str
) -> tuple[NDArray[np.int32], NDArray[np.bool_]]:
    size = map_.lattice.counted
    count = len(places) - 1
    cells = np.zeros((map_.height, map_.width), np.int32)
    pinned = np.zeros(cells.shape, np.bool_)
    if isinstance(file.pins, PackedFile):
        found = cell_files.from_file(file.pins, *size, -1, count, say("{what}, pins", what=what))
        grid = map_.lattice.folded(found + 1) - 1  # what does not exist is no pin
        pinned = grid >= 0
        cells[pinned] = places[grid[pinned]]
        return cells, pinned
    for row, col, place in file.pins.pins:
        if not (0 <= row < size[0] and 0 <= col < size[1] and 0 <= place <= count):
            raise FormatError(
                say(
                    "{what}: pin {pin} is outside the map's {size} × {size2} cells or the "
                    "legend's {count} tiles",
                    what=what,
                    pin=[row, col, place],
                    size=size[1],
                    size2=size[0],
                    count=count,
                )
            )
        at = map_.lattice.cell_named(row, col)
        cells[at] = places[place]
        pinned[at] = True
    return cells, pinned


FORMATS = (
    LayerFormat(TileLayer, TileLayerFile, _write_tiles, _read_tiles),
    LayerFormat(GrownLayer, GrownLayerFile, _write_grown, _read_grown),
    LayerFormat(TintLayer, TintLayerFile, _write_tint, _read_tint),
    LayerFormat(MarkerLayer, MarkerLayerFile, _write_markers, _read_markers),
    LayerFormat(GroundLayer, GroundLayerFile, _write_ground, _read_ground),
)
