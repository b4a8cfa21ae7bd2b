"""Ship JSON: layers, legend and tilesets of a map, and the sheets beside it."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import PlaceError
from knitground.core.files.images import png_bytes
from knitground.core.files.jsontext import to_text
from knitground.core.files.map_io import tint_colours
from knitground.core.files.places import file_names, file_stem
from knitground.core.files.ship.formats import (
    ShipColour,
    ShipFile,
    ShipFrame,
    ShipLayer,
    ShipMarker,
    ShipTerrain,
    ShipTile,
    ShipTileset,
)
from knitground.core.model.layers import (
    FULL_TINT,
    GAP,
    GroundLayer,
    Layer,
    MarkerLayer,
    TintLayer,
)
from knitground.core.model.map import Map, grid_of
from knitground.core.model.marker import Marker
from knitground.core.model.project import Project
from knitground.core.model.terrain import SetKind
from knitground.core.model.tileset import TileRef, Tileset
from knitground.core.render.tiles import overhang
from knitground.core.slicing.grid import clear_see_through


def ship_json(project: Project, map_: Map, folder: Path) -> dict[Path, bytes]:
    """Make the files of a map for a game: `NAME.json` and a PNG of each sheet that it uses.

    The map must be knitted. See-through colours are transparent in the shipped sheets. Gaps are
    shipped as empty cells and counted in `gaps`.
    """
    used = _used_tiles(map_)  # before the legend is measured: free pictures may be new to it
    tilesets = [
        each for each in project.tilesets if any(tile.tileset == each.name for _, tile in used)
    ]
    known = [(place, tile) for place, tile in used if project.tileset_named(tile.tileset)]
    translate = np.zeros(len(map_.legend) + 1, np.int32)
    for number, (place, _) in enumerate(known, 1):
        translate[place] = number
    images = file_names([each.name for each in tilesets], ".png")
    model = ShipFile(
        name=map_.name,
        width=map_.width,
        height=map_.height,
        tile_width=map_.tile_width,
        tile_height=map_.tile_height,
        wrap=map_.wrap,
        background=map_.background,
        gaps=sum(int((each.cells == GAP).sum()) for each in map_.layers if each.holds_tiles),
        tilesets=[_tileset(each, image) for each, image in zip(tilesets, images)],
        legend=[_tile(map_, tilesets, tile) for _, tile in known],
        layers=[_layer(map_, layer, translate) for layer in map_.layers],
        terrain=_terrain(project, map_),
    )
    files = {
        folder / f"{file_stem(map_.name)}.json": to_text(model.model_dump(mode="json")).encode()
    }
    for tileset, image in zip(tilesets, images):
        files[folder / image] = _sheet(tileset)
    return files


def _layer(map_: Map, layer: Layer, translate: NDArray[np.int32]) -> ShipLayer:
    grid = grid_of(map_, layer)
    down, across = layer.shift
    cells, colours, markers = [], [], []
    if isinstance(layer, TintLayer):
        found, numbers = tint_colours(layer.cells)
        cells = numbers.tolist()
        colours = [_colour(colour, strength) for colour, strength in found]
    elif isinstance(layer, MarkerLayer):
        markers = [_marker(map_, each, translate) for each in layer.markers]
    else:
        cells = translate[np.maximum(layer.cells, 0)].tolist()
    return ShipLayer(
        name=layer.name,
        kind=layer.kind,  # type: ignore[arg-type]
        visible=layer.visible,
        opacity=layer.opacity,
        offset_x=across,
        offset_y=down,
        height=layer.height,
        cell_width=grid.tile_width,
        cell_height=grid.tile_height,
        cells=cells,
        colours=colours,
        markers=markers,
    )


def _colour(colour: str, strength: int) -> ShipColour:
    red, green, blue = bytes.fromhex(colour[1:])
    part = round(strength / FULL_TINT, 4)
    return ShipColour(red=red, green=green, blue=blue, strength=part)


def _marker(map_: Map, marker: Marker, translate: NDArray[np.int32]) -> ShipMarker:
    tile = int(translate[map_.legend.place(marker.tile)]) if marker.tile else None
    return ShipMarker(
        shape=marker.shape.value,
        name=marker.name,
        kind=marker.kind,
        points=list(marker.points),
        turn=marker.turn,
        scale=marker.scale,
        tile=tile,
        properties=dict(marker.properties),
    )


def _used_tiles(map_: Map) -> list[tuple[int, TileRef]]:
    places: set[int] = set()
    for layer in map_.layers:
        if isinstance(layer, MarkerLayer):
            places.update(map_.legend.place(each.tile) for each in layer.markers if each.tile)
        elif layer.holds_tiles:
            places.update(np.unique(layer.cells).tolist())
    found = [(p, tile) for p in places if (tile := map_.legend.tile(p)) is not None]
    return sorted(found, key=lambda pair: pair[1])


def _tileset(tileset: Tileset, image: str) -> ShipTileset:
    cut = tileset.slicing
    return ShipTileset(
        name=tileset.name,
        image=image,
        image_width=tileset.width,
        image_height=tileset.height,
        tile_width=cut.tile_width,
        tile_height=cut.tile_height,
        columns=tileset.columns,
        rows=tileset.rows,
        first_x=0 if cut.pieces else cut.left(0),
        first_y=0 if cut.pieces else cut.top(0),
        pitch_x=cut.pitch_x,
        pitch_y=cut.pitch_y,
        see_through=list(cut.see_through),
    )


def _tile(map_: Map, tilesets: list[Tileset], tile: TileRef) -> ShipTile:
    number = [each.name for each in tilesets].index(tile.tileset)
    owner = tilesets[number]
    if owner.has(tile.row, tile.col):
        left, top, wide, high = owner.slicing.tile_area(tile.row, tile.col)
        down, across = overhang(owner, tile, map_.tile_height, map_.tile_width)
    else:
        left = top = wide = high = down = across = 0
    return ShipTile(
        tileset=number,
        tile=owner.number(tile.row, tile.col),
        x=left,
        y=top,
        width=wide,
        height=high,
        offset_x=across,
        offset_y=down,
        turn=tile.turn,
        frames=_frames(owner, tile),
    )


def _frames(owner: Tileset, tile: TileRef) -> list[ShipFrame]:
    out = []
    for each in owner.frames.get((tile.row, tile.col), ()):
        if owner.has(each.row, each.col):
            left, top, wide, high = owner.slicing.tile_area(each.row, each.col)
            out.append(ShipFrame(x=left, y=top, width=wide, height=high, ms=each.ms))
    return out


def _terrain(project: Project, map_: Map) -> list[ShipTerrain]:
    out = []
    for layer in map_.layers:
        found = (
            project.set_of(layer.tileset, layer.set_name)
            if isinstance(layer, GroundLayer)
            else None
        )
        if isinstance(layer, GroundLayer) and found:
            names = [each.name for each in found[1].terrains]
            out.append(ShipTerrain(layer=layer.name, names=names, **_grids(layer)))
    return out


def _grids(layer: GroundLayer) -> dict[str, Any]:
    """Give a layer's terrain where its kind of set has it."""
    terrain = layer.terrain
    if layer.kind_of_set is SetKind.CORNER:
        return {"kind": "corner", "vertices": terrain.tolist()}
    if layer.kind_of_set is SetKind.RING:
        return {"kind": "ring", "cells": terrain[:-1, :-1].tolist()}
    north, west = terrain & 255, terrain >> 8
    return {"kind": "edge", "north": north[:, :-1].tolist(), "west": west[:-1].tolist()}


def _sheet(tileset: Tileset) -> bytes:
    if tileset.picture is None:
        raise PlaceError(
            f"the sheet of “{tileset.name}” is missing, so it can not be shipped: find it first"
        )
    return png_bytes(clear_see_through(tileset.picture.copy(), tileset.slicing))
