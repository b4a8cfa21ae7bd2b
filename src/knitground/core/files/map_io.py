"""Maps to and from their file models."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import FormatError
from knitground.core.files import cells as cell_files
from knitground.core.files.formats import (
    CellsFile,
    GroundLayerFile,
    MapFile,
    NoiseStepFile,
    PackedFile,
    PinFile,
    RecipeFile,
    ShareFile,
    TileFile,
    TileLayerFile,
)
from knitground.core.model.layers import GroundLayer, Layer, TileLayer
from knitground.core.model.map import MAX_CELLS, Legend, Map
from knitground.core.model.recipe import NoiseStep, Recipe
from knitground.core.model.terrain import MAX_TERRAINS, SetKind
from knitground.core.model.tileset import TileRef

_LISTED_PINS = 65_536


def map_to_file(map_: Map) -> MapFile:
    """Make the file model of a map. Knitted cells are not stored: they follow from the rest."""
    return MapFile(
        name=map_.name,
        height=map_.height,
        width=map_.width,
        tile_height=map_.tile_height,
        tile_width=map_.tile_width,
        wrap=map_.wrap,
        background=map_.background,
        screen=map_.screen,
        recipe=recipe_to_file(map_.recipe),
        layers=[_layer_to_file(map_, layer) for layer in map_.layers],
    )


def recipe_to_file(recipe: Recipe) -> RecipeFile:
    """Make the file model of a recipe."""
    steps = [
        NoiseStepFile(
            layer=step.layer,
            scale=step.scale,
            octaves=step.octaves,
            shares=[ShareFile(terrain=name, share=share) for name, share in step.shares],
        )
        for step in recipe.steps
    ]
    return RecipeFile(seed=recipe.seed, steps=steps)


def _layer_to_file(map_: Map, layer: Layer) -> TileLayerFile | GroundLayerFile:
    common: dict[str, Any] = {
        "name": layer.name,
        "number": layer.number,
        "visible": layer.visible,
        "locked": layer.locked,
        "opacity": layer.opacity,
    }
    if isinstance(layer, GroundLayer):
        legend, pins = _pins(map_, layer)
        return GroundLayerFile.model_construct(
            **common,
            kind="ground",
            legend=legend,
            tileset=layer.tileset,
            set=layer.set_name,
            seed=layer.seed,
            set_kind=layer.kind_of_set.value,
            **_terrain_to_file(layer),
            pins=pins,
        )
    legend, small = own_legend(map_.legend, layer.cells)
    return TileLayerFile.model_construct(
        **common, kind="tiles", legend=legend, cells=cell_files.to_file(small)
    )


def _terrain_to_file(layer: GroundLayer) -> dict[str, Any]:
    terrain = layer.terrain
    if layer.kind_of_set is SetKind.RING:
        return {"terrain": cell_files.to_file(np.ascontiguousarray(terrain[:-1, :-1]))}
    if layer.kind_of_set is SetKind.CORNER:
        return {"terrain": cell_files.to_file(terrain)}
    north, west = (terrain & 255).astype(np.uint8), (terrain >> 8).astype(np.uint8)
    return {
        "terrain": cell_files.to_file(np.ascontiguousarray(north[:, :-1])),
        "west": cell_files.to_file(np.ascontiguousarray(west[:-1])),
    }


def _terrain_from_file(map_: Map, file: GroundLayerFile, what: str) -> NDArray[Any]:
    """Read terrain as a layer holds it: (height + 1, width + 1) whatever the kind of set."""
    high, wide = map_.height, map_.width
    kind = SetKind(file.set_kind)

    def read_grid(cells: CellsFile, height: int, width: int, name: str) -> NDArray[np.int32]:
        return cell_files.from_file(cells, height, width, 0, MAX_TERRAINS, f"{what}, {name}")

    out = np.zeros((high + 1, wide + 1), kind.dtype)
    if kind is SetKind.CORNER:
        out[:] = read_grid(file.terrain, high + 1, wide + 1, "terrain")
        return out
    if kind is SetKind.RING:
        out[:-1, :-1] = read_grid(file.terrain, high, wide, "terrain")
    else:
        if file.west is None:
            raise FormatError(f"{what}: an edge set's terrain needs “west” too, and it is missing")
        out[:, :-1] = read_grid(file.terrain, high + 1, wide, "terrain")
        out[:-1] |= (read_grid(file.west, high, wide + 1, "west") << 8).astype(np.uint16)
    if map_.wrap:
        out[-1], out[:, -1] = out[0], out[:, 0]
    return out


def own_legend(
    legend: Legend, cells: NDArray[np.int32]
) -> tuple[list[TileFile], NDArray[np.int32]]:
    """Make a layer's own small legend, in the order of the tiles' names and places."""
    used = np.unique(cells)
    tiles = {int(place): tile for place in used if (tile := legend.tile(int(place))) is not None}
    order = sorted(tiles, key=lambda place: tiles[place])
    translate = np.zeros(max(1, len(legend)), np.int32)
    translate[order] = np.arange(1, len(order) + 1)
    small = translate[np.clip(cells, 0, len(translate) - 1)]
    files = [
        TileFile(tileset=t.tileset, row=t.row, col=t.col, turn=t.turn)
        for t in (tiles[place] for place in order)
    ]
    return files, small


def _pins(map_: Map, layer: GroundLayer) -> tuple[list[TileFile], PinFile | PackedFile]:
    rows, cols = np.nonzero(layer.pinned)
    legend, small = own_legend(map_.legend, layer.cells[rows, cols][None])
    if rows.size <= _LISTED_PINS:
        pins = [(int(r), int(c), int(p)) for r, c, p in zip(rows, cols, small[0])]
        return legend, PinFile.model_construct(pins=pins)
    grid = np.full(layer.pinned.shape, -1, np.int32)
    grid[rows, cols] = small[0]
    return legend, cell_files.packed(grid)


def map_from_file(file: MapFile, name: str) -> Map:
    """Make a map of its file model.

    Raises
    ------
    FormatError
        The map is too large, or cells stand outside the legend or the map.
    """
    if file.height * file.width > MAX_CELLS:
        raise FormatError(
            f"{name}: {file.width} × {file.height} cells are more than {MAX_CELLS} "
            "(4096 × 4096), the most a map may have"
        )
    map_ = Map(file.name, file.height, file.width, file.tile_height, file.tile_width, file.wrap)
    map_.background, map_.screen = file.background, file.screen
    steps = tuple(
        NoiseStep(s.layer, s.scale, s.octaves, tuple((e.terrain, e.share) for e in s.shares))
        for s in file.recipe.steps
    )
    map_.recipe = Recipe(file.recipe.seed, steps)
    numbers = [layer.number for layer in file.layers]
    if len(set(numbers)) != len(numbers):
        raise FormatError(f"{name}: two layers have the same number: give each its own")
    map_.layers = [_layer_from_file(map_, layer, name) for layer in file.layers]
    return map_


def _layer_from_file(map_: Map, file: TileLayerFile | GroundLayerFile, name: str) -> Layer:
    what = f"{name}: layer “{file.name}”"
    places = np.zeros(len(file.legend) + 1, np.int32)
    for n, tile in enumerate(file.legend, 1):
        places[n] = map_.legend.place(TileRef(tile.tileset, tile.row, tile.col, tile.turn))
    size = (map_.height, map_.width)
    if isinstance(file, TileLayerFile):
        small = cell_files.from_file(file.cells, *size, 0, len(file.legend), what)
        return TileLayer(
            file.name, file.number, file.visible, file.locked, places[small], opacity=file.opacity
        )
    terrain = _terrain_from_file(map_, file, what)
    cells, pinned = _pins_from_file(map_, file, places, what)
    return GroundLayer(
        file.name,
        file.number,
        file.visible,
        file.locked,
        cells,
        file.tileset,
        file.set,
        file.seed,
        SetKind(file.set_kind),
        terrain,
        pinned,
        opacity=file.opacity,
    )


def _pins_from_file(
    map_: Map, file: GroundLayerFile, places: NDArray[np.int32], what: str
) -> tuple[NDArray[np.int32], NDArray[np.bool_]]:
    size = (map_.height, map_.width)
    count = len(places) - 1
    cells, pinned = np.zeros(size, np.int32), np.zeros(size, np.bool_)
    if isinstance(file.pins, PackedFile):
        grid = cell_files.from_file(file.pins, *size, -1, count, f"{what}, pins")
        pinned = grid >= 0
        cells[pinned] = places[grid[pinned]]
        return cells, pinned
    for row, col, place in file.pins.pins:
        if not (0 <= row < size[0] and 0 <= col < size[1] and 0 <= place <= count):
            raise FormatError(
                f"{what}: pin {[row, col, place]} is outside the map's {size[1]} × {size[0]} "
                f"cells or the legend's {count} tiles"
            )
        cells[row, col] = places[place]
        pinned[row, col] = True
    return cells, pinned
