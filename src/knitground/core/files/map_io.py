"""Maps to and from their file models."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import FormatError
from knitground.core.files import cells as cell_files
from knitground.core.files.formats import (
    CellsFile,
    ColourFile,
    GroundLayerFile,
    GrownLayerFile,
    LayerFile,
    MapFile,
    MarkerFile,
    MarkerLayerFile,
    MixStepFile,
    NoiseStepFile,
    PackedFile,
    PinFile,
    RecipeFile,
    RewriteStepFile,
    ShareFile,
    TileFile,
    TileLayerFile,
    TintLayerFile,
    UnknownStepFile,
)
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
from knitground.core.model.recipe import MixStep, NoiseStep, Recipe, RewriteStep, Step, UnknownStep
from knitground.core.model.terrain import SetKind
from knitground.core.model.tile import TileRef

_LISTED_PINS = 65_536
_COUNTED_AT_A_TIME = 1 << 18
"""Cells that are looked at together: as many as the processor's memory holds."""


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
        properties=list(map_.properties),
        screen=map_.screen,
        recipe=recipe_to_file(map_.recipe),
        layers=[_layer_to_file(map_, layer) for layer in map_.layers],
    )


def recipe_to_file(recipe: Recipe) -> RecipeFile:
    """Make the file model of a recipe."""
    return RecipeFile(seed=recipe.seed, steps=[_step_to_file(step) for step in recipe.steps])


def _step_to_file(step: Step) -> Any:
    common = {
        "name": step.name, "active": step.active, "salt": step.salt, "where": list(step.where),
    }  # fmt: skip
    if isinstance(step, UnknownStep):
        return UnknownStepFile(**(json.loads(step.raw) | {"active": step.active}))
    if isinstance(step, RewriteStep):
        return RewriteStepFile(
            layer=step.layer, rules=step.rules, source=step.source, passes=step.passes,
            copies=step.copies, **common,  # type: ignore[arg-type]
        )  # fmt: skip
    if isinstance(step, MixStep):
        return MixStepFile(
            layer=step.layer, mix=step.mix, density=step.density, on=step.on,
            terrains=list(step.terrains), place=step.place,  # type: ignore[arg-type]
            **common,  # type: ignore[arg-type]
        )  # fmt: skip
    if isinstance(step, NoiseStep):
        return NoiseStepFile(
            layer=step.layer, scale=step.scale, octaves=step.octaves, form=step.form,
            stretch=step.stretch, turn=step.turn,
            shares=[ShareFile(terrain=name, share=share) for name, share in step.shares],
            **common,  # type: ignore[arg-type]
        )  # fmt: skip
    return step


def _step_from_file(file: Any) -> Step:
    if isinstance(file, UnknownStepFile):
        raw = json.dumps(file.model_dump(mode="json"), sort_keys=True)
        return UnknownStep(file.layer, file.step, raw, name=file.name, active=file.active)
    if not isinstance(file, NoiseStepFile | MixStepFile | RewriteStepFile):
        step: Step = file
        return step
    common: dict[str, Any] = {
        "name": file.name, "active": file.active, "salt": file.salt, "where": tuple(file.where),
    }  # fmt: skip
    if isinstance(file, RewriteStepFile):
        return RewriteStep(file.layer, file.rules, file.source, file.passes, file.copies, **common)
    if isinstance(file, MixStepFile):
        return MixStep(
            file.layer, file.mix, file.density, file.on, tuple(file.terrains), file.place, **common
        )
    shares = tuple((each.terrain, each.share) for each in file.shares)
    return NoiseStep(
        file.layer, file.scale, file.octaves, shares, file.form, file.stretch, file.turn, **common
    )


def recipe_from_file(file: RecipeFile) -> Recipe:
    """Make a recipe of its file model.

    Raises
    ------
    FormatError
        An area that was kept with a step can not be unpacked.
    """
    steps = tuple(_step_from_file(each) for each in file.steps)
    for step in steps:
        for each in step.where:
            if each.area is not None:
                each.area.mask(1, 1)
    return Recipe(file.seed, steps)


def _layer_to_file(map_: Map, layer: Layer) -> LayerFile:
    common: dict[str, Any] = {
        "name": layer.name,
        "number": layer.number,
        "visible": layer.visible,
        "locked": layer.locked,
        "opacity": layer.opacity,
        "offset": layer.offset,
        "height": layer.height,
    }
    if isinstance(layer, MarkerLayer):
        return MarkerLayerFile.model_construct(
            **common, kind="markers", markers=[marker_to_file(each) for each in layer.markers]
        )
    if isinstance(layer, TintLayer):
        colours, small = tint_colours(layer.cells)
        files = [ColourFile(colour=colour, strength=strength) for colour, strength in colours]
        return TintLayerFile.model_construct(
            **common, kind="tint", colours=files, cells=cell_files.to_file(small)
        )
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
    common |= {"legend": legend, "cells": cell_files.to_file(small)}
    if isinstance(layer, GrownLayer):
        return GrownLayerFile.model_construct(**common, kind="grown", pins=_pins(map_, layer)[1])
    cell = layer.cell if isinstance(layer, TileLayer) else None
    laid = list(layer.laid) if isinstance(layer, TileLayer) else []
    return TileLayerFile.model_construct(**common, kind="tiles", cell=cell, laid=laid)


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
        asked = "3 or more" if wanted is None else str(wanted)
        raise FormatError(
            f"{what}: marker {file.number} is a {file.shape} of {count} points: give {asked}"
        )
    if (tile is not None) != (shape is Shape.PICTURE):
        raise FormatError(
            f"{what}: marker {file.number} is a {file.shape}: only a "
            "picture has a tile, and it needs one"
        )
    return Marker(
        file.number, shape, tuple(file.points), file.name, file.kind, tuple(file.properties),
        file.turn, file.scale,
        TileRef(tile.tileset, tile.row, tile.col, tile.turn) if tile else None,
    )  # fmt: skip


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
    # Counting is ten times faster than sorting, and places are small numbers.
    counts = np.zeros(len(legend) + 1, np.int64)
    for part in np.array_split(cells.ravel(), max(1, cells.size // _COUNTED_AT_A_TIME)):
        counts += np.bincount(np.clip(part, 0, len(legend)), minlength=len(legend) + 1)
    used = np.flatnonzero(counts)
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


def _pins(map_: Map, layer: PinnedLayer) -> tuple[list[TileFile], PinFile | PackedFile]:
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
    map_.properties = tuple(file.properties)
    map_.recipe = recipe_from_file(file.recipe)
    numbers = [layer.number for layer in file.layers]
    if len(set(numbers)) != len(numbers):
        raise FormatError(f"{name}: two layers have the same number: give each its own")
    map_.layers = [_layer_from_file(map_, layer, name) for layer in file.layers]
    return map_


def _layer_from_file(map_: Map, file: LayerFile, name: str) -> Layer:
    what = f"{name}: layer “{file.name}”"
    size = (map_.height, map_.width)
    common: dict[str, Any] = {
        "name": file.name, "number": file.number, "visible": file.visible, "locked": file.locked,
        "opacity": file.opacity, "offset": file.offset, "height": file.height,
    }  # fmt: skip
    if isinstance(file, MarkerLayerFile):
        numbers = [each.number for each in file.markers]
        if len(set(numbers)) != len(numbers):
            raise FormatError(f"{what}: two markers have the same number: give each its own")
        markers = tuple(marker_from_file(each, what) for each in file.markers)
        return MarkerLayer(**common, cells=np.zeros(size, np.int32), markers=markers)
    if isinstance(file, TintLayerFile):
        colours = np.array(
            [0, *(each.strength << 24 | int(each.colour[1:], 16) for each in file.colours)],
            np.int32,
        )
        small = cell_files.from_file(file.cells, *size, 0, len(file.colours), what)
        return TintLayer(**common, cells=colours[small])
    places = np.zeros(len(file.legend) + 1, np.int32)
    for n, tile in enumerate(file.legend, 1):
        places[n] = map_.legend.place(TileRef(tile.tileset, tile.row, tile.col, tile.turn))
    if isinstance(file, TileLayerFile):
        if file.cell is not None:
            area = map_.height * map_.tile_height * map_.width * map_.tile_width
            if area > MAX_CELLS * file.cell[0] * file.cell[1]:
                raise FormatError(
                    f"{what}: cells of {file.cell[1]} × {file.cell[0]} px would be more than "
                    f"{MAX_CELLS}, the most a layer may have"
                )
        blank = map_.new_tile_layer(file.name, file.cell)
        high, wide = blank.cells.shape
        small = cell_files.from_file(file.cells, high, wide, 0, len(file.legend), what)
        for each in file.laid:
            each.area.mask(1, 1)
        return TileLayer(**common, cells=places[small], cell=blank.cell, laid=tuple(file.laid))
    cells, pinned = _pins_from_file(map_, file, places, what)
    if isinstance(file, GrownLayerFile):
        small = cell_files.from_file(file.cells, *size, 0, len(file.legend), what)
        return GrownLayer(**common, cells=places[small], pinned=pinned)
    return GroundLayer(
        **common,
        cells=cells,
        tileset=file.tileset,
        set_name=file.set,
        seed=file.seed,
        kind_of_set=SetKind(file.set_kind),
        terrain=_terrain_from_file(map_, file, what),
        pinned=pinned,
    )


def _pins_from_file(
    map_: Map, file: GroundLayerFile | GrownLayerFile, places: NDArray[np.int32], what: str
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
