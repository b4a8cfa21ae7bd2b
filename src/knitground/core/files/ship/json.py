"""Ship JSON: layers, legend and tilesets of a map, and the sheets beside it."""

from __future__ import annotations

from dataclasses import dataclass
from hashlib import blake2b
from typing import Annotated, Any, Literal, NamedTuple

import numpy as np
from annotated_types import Ge, Le
from numpy.typing import NDArray

from knitground.core.base.errors import PlaceError
from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import say
from knitground.core.base.window import Box
from knitground.core.files.images import picture_of, png_bytes, relief_name
from knitground.core.files.jsontext import Written, rows_text, to_text
from knitground.core.files.layer_io import as_counted, terrain_grids, tint_colours
from knitground.core.files.ship.formats import (
    ChunkFile,
    ChunkLayer,
    ShipChunk,
    ShipColour,
    ShipFile,
    ShipFrame,
    ShipLayer,
    ShipMarker,
    ShipShape,
    ShipTerrain,
    ShipTile,
    ShipTileset,
)
from knitground.core.files.ship.kinds import ShipFormat, ShipJob, option
from knitground.core.files.ship.names import used_sheets
from knitground.core.files.ship.packing import Cut, packed
from knitground.core.files.ship.png import shrunk_to
from knitground.core.model.lattice import Lattice
from knitground.core.model.layers import GAP, GroundLayer, Holds, Layer, MarkerLayer
from knitground.core.model.limits import FULL_TINT
from knitground.core.model.map import Map, grid_of
from knitground.core.model.marker import Marker
from knitground.core.model.project import Project
from knitground.core.model.properties import typed_values
from knitground.core.model.standing import standing_of
from knitground.core.model.terrain import TerrainSet
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Picture, Tileset
from knitground.core.render.compose import Size
from knitground.core.render.relief import flat_relief
from knitground.core.render.tiles import overhang
from knitground.core.shapes.geometry import turned_shape
from knitground.core.slicing.grid import clear_see_through

_MOST_CHUNKS = 4096
Numbers = dict[Size, NDArray[np.int32]]
"""By the height and width of a cell: place of the shipped legend by place of the map's."""


@dataclass(frozen=True)
class JsonOptions:
    """What the pictures of tiles lie on."""

    sheets: Literal["as they are", "one"] = option(
        "as they are",
        say("sheets"),
        say("The sheets themselves, or one a map with the tiles it shows alone"),
    )
    border: Annotated[int, Ge(0), Le(64)] = option(
        0, say("border"), say("Of one sheet: pixels round each tile that repeat its outermost ones")
    )
    margin: Annotated[int, Ge(0), Le(256)] = option(
        0, say("margin"), say("Of one sheet: empty pixels round all of its tiles")
    )
    spacing: Annotated[int, Ge(0), Le(256)] = option(
        0, say("spacing"), say("Of one sheet: empty pixels between two tiles")
    )
    chunk: Annotated[int, Ge(0), Le(4096)] = option(
        0,
        say("chunk"),
        say("Cells across and down of the files that cells lie in; 0: all in one file"),
    )
    powers: bool = option(
        False, say("powers of two"), say("Of one sheet: both sides are powers of two")
    )


def _names(job: ShipJob, map_: Map, options: JsonOptions) -> list[str]:
    if options.sheets == "one":
        sheets = [f"{job.stem(map_)}.atlas.png"]
        sheets += [relief_name(each) for each in sheets if job.names.reliefs]
    else:
        sheets = [*job.names.sheets.values(), *job.names.reliefs.values()]
    return [f"{job.stem(map_)}.json", *sheets, *(each.file for each in _chunks(job, map_, options))]


def _chunks(job: ShipJob, map_: Map, options: JsonOptions) -> list[ShipChunk]:
    """List the files that cells lie in beside the map's own, by the rows and columns of chunks."""
    if not options.chunk:
        return []
    side, (high, wide) = options.chunk, map_.lattice.unfolded_shape()
    rows, cols = -(-high // side), -(-wide // side)
    if rows * cols > _MOST_CHUNKS:
        raise PlaceError(
            say(
                "“{name}” would be {rows} files of cells, more than {most_chunks}: take "
                "larger chunks",
                name=map_.name,
                rows=rows * cols,
                most_chunks=_MOST_CHUNKS,
            )
        )
    return [ShipChunk(file=f"{job.stem(map_)}-{row}-{col}.cells.json", row=row * side,
                      column=col * side) for row, col in np.ndindex(rows, cols)]  # fmt: skip


def _files(
    job: ShipJob, map_: Map, options: JsonOptions, progress: Progress = no_progress
) -> dict[str, bytes]:
    """Make the files of a map for a game: `NAME.json` and a PNG of each sheet that it uses.

    The map must be knitted. See-through colours are transparent in the shipped sheets. Gaps are
    shipped as empty cells and counted in `gaps`.
    """
    project, names = job.project, job.names
    used, numbers = shipped_legend(project, map_)
    names_used = {each.tile.tileset for each in used} | _frame_sheets(project, used)
    tilesets = used_sheets(project, names_used)
    model = ShipFile(
        name=map_.name,
        form=map_.grid.kind.value,
        drawn_from=map_.grid.drawn_from.value,
        grid=map_.lattice.counted[::-1],
        cell=(map_.cell_width, map_.cell_height),
        size=map_.lattice.extent,
        screen=map_.screen,
        wrap=map_.wrap,
        background=map_.background,
        properties=typed_values(map_.properties),
        gaps=sum(int((each.cells == GAP).sum()) for each in map_.layers if each.holds_tiles),
        tilesets=[_tileset(each, names.sheets[each.name]) for each in tilesets],
        legend=[_tile(_lattice(map_, each.cell), tilesets, each.tile) for each in used],
        layers=[_layer(map_, layer, numbers) for layer in map_.layers],
        terrain=_terrain(project, map_),
        chunks=_chunks(job, map_, options),
    )
    files: dict[str, bytes] = {}
    if options.sheets == "one":
        files = _on_one_sheet(model, tilesets, options, f"{job.stem(map_)}.atlas.png")
    whole = model.model_dump(mode="json")
    held = [cells_held(map_, layer, numbers) if layer.holds_tiles else np.array(each["cells"])
            for each, layer in zip(whole["layers"], map_.layers)]  # fmt: skip
    for each, cells, layer in zip(whole["layers"], held, map_.layers):
        each["cells"] = [] if _is_parted(layer, model) else _cells_text(job, cells)
    for chunk in model.chunks:
        files[chunk.file] = _chunk_text(job, map_, model, chunk, held, options.chunk).encode()
    for each, grids in zip(whole["terrain"], _terrain_grids(project, map_)):
        each |= {name: _cells_text(job, grid) for name, grid in grids.items()}
    text = to_text(whole)
    if options.sheets != "one":
        files |= {names.sheets[each.name]: png_bytes(_picture(each)) for each in tilesets}
        files |= {names.reliefs[each.name]: png_bytes(each.relief)
                  for each in tilesets if each.relief is not None}  # fmt: skip
    return {f"{names.maps[map_.name]}.json": text.encode(), **files}


def _is_parted(layer: Layer, model: ShipFile) -> bool:
    """Whether the cells of a layer lie in chunks: it has the map's own ones, and has any."""
    return bool(model.chunks) and layer.own_cell is None and layer.holds is not Holds.MARKERS


def _chunk_text(
    job: ShipJob, map_: Map, model: ShipFile, chunk: ShipChunk,
    held: list[NDArray[np.int32]], side: int,
) -> str:  # fmt: skip
    part = np.s_[chunk.row : chunk.row + side, chunk.column : chunk.column + side]
    none = np.zeros((0, 0), np.int32)
    whole = ChunkFile(map=map_.name, row=chunk.row, column=chunk.column, layers=[
        ChunkLayer(name=layer.name, cells=[]) for layer in map_.layers
    ]).model_dump(mode="json")  # fmt: skip
    for each, cells, layer in zip(whole["layers"], held, map_.layers):
        own = cells[part] if _is_parted(layer, model) else none
        each["cells"] = _cells_text(job, np.ascontiguousarray(own))
    return to_text(whole)


def _on_one_sheet(
    model: ShipFile, tilesets: list[Tileset], options: JsonOptions, name: str
) -> dict[str, bytes]:
    """Put what the legend shows on one sheet; the legend then tells where it is there."""
    shown: list[ShipTile | ShipFrame] = []
    for tile in model.legend:
        shown += [tile, *tile.frames]
    cuts = [Cut(each.tileset, each.x, each.y, each.width, each.height) for each in shown]
    sheets = [_picture(each) for each in tilesets]

    def put(pictures: list[Picture]) -> tuple[Picture, dict[Cut, tuple[int, int]]]:
        return packed(pictures, cuts, options.border, margin=options.margin,
                      spacing=options.spacing, powers=options.powers)  # fmt: skip

    picture, places = put(sheets)
    files = {name: png_bytes(picture)}
    relief = None
    if any(each.relief is not None for each in tilesets):
        reliefs = [flat_relief(sheet) if each.relief is None else each.relief
                 for each, sheet in zip(tilesets, sheets)]  # fmt: skip
        relief = relief_name(name)
        files[relief] = png_bytes(put(reliefs)[0])
    numbers = {cut: n for n, cut in enumerate(places)}
    for each, cut in zip(shown, cuts):
        each.tileset, (each.x, each.y) = 0, places[cut]
        if isinstance(each, ShipTile):
            each.tile = numbers[cut]
    model.tilesets = [
        ShipTileset(name=model.name, picture=name, size=picture.shape[1::-1], tile=model.cell,
                    grid=(len(places), 1), begins=(0, 0), pitch=model.cell, see_through=[],
                    relief=relief)
    ]  # fmt: skip
    return files


def shipped_legend(project: Project, map_: Map) -> tuple[list[Used], Numbers]:
    """List the tiles that a shipped map shows, the first is 1, and tell their numbers."""
    used = [each for each in _used_tiles(map_) if project.tileset_named(each.tile.tileset)]
    numbers: Numbers = {}
    for number, each in enumerate(used, 1):
        if each.cell not in numbers:
            numbers[each.cell] = np.zeros(len(map_.legend) + 1, np.int32)
        numbers[each.cell][each.place] = number
    return used, numbers


def _layer(map_: Map, layer: Layer, numbers: Numbers) -> ShipLayer:
    grid = grid_of(map_, layer)
    down, across = layer.shift
    return ShipLayer(
        name=layer.name,
        kind=layer.kind,  # type: ignore[arg-type]
        visible=layer.visible,
        opacity=layer.opacity,
        offset_x=across,
        offset_y=down,
        height=layer.height,
        interleaved=layer.interleaved,
        cell=(grid.cell_width, grid.cell_height),
        **_places(grid.lattice),
        **_HELD[layer.holds](map_, layer, numbers),
    )


def _places(lattice: Lattice) -> dict[str, Any]:
    """Tell where cells lie: where the first begins, and the way to the next row and column."""

    def begins(row: int, col: int) -> tuple[float, float]:
        down, across = lattice.cell_named(row, col)
        corners = lattice.outline(Box(down, across, down + 1, across + 1))
        return min(x for x, _ in corners), min(y for _, y in corners)

    def step(row: int, col: int) -> tuple[tuple[float, float], tuple[float, float]]:
        """Give half of the way to the next cell but one, and how the one between is off it."""
        (x0, y0), (x1, y1), (x2, y2) = begins(0, 0), begins(row, col), begins(2 * row, 2 * col)
        half = (x2 - x0) / 2, (y2 - y0) / 2
        return half, (x1 - x0 - half[0], y1 - y0 - half[1])

    (row_step, odd_row), (column_step, odd_column) = step(1, 0), step(0, 1)
    return {
        "first": begins(0, 0), "row_step": row_step, "column_step": column_step,
        "odd_row": odd_row, "odd_column": odd_column,
    }  # fmt: skip


def cells_held(map_: Map, layer: Layer, numbers: Numbers) -> NDArray[np.int32]:
    """Give the cells of a layer of tiles as numbers of the shipped legend, as people count them."""
    none = np.zeros(len(map_.legend) + 1, np.int32)
    of_cell = numbers.get(_cell(grid_of(map_, layer)), none)
    return as_counted(map_, of_cell[np.maximum(layer.cells, 0)])


def _cells_text(job: ShipJob, cells: NDArray[np.int32]) -> Written:
    print_ = blake2b(repr(cells.shape).encode() + cells.tobytes()).digest()
    return job.kept.once(print_, lambda: rows_text(cells, 4))


def _tiles_held(map_: Map, layer: Layer, numbers: Numbers) -> dict[str, Any]:
    return {"cells": []}  # they are written as they are: there may be millions


def _colours_held(map_: Map, layer: Layer, _numbers: Numbers) -> dict[str, Any]:
    found, places = tint_colours(as_counted(map_, layer.cells))
    colours = [_colour(colour, strength) for colour, strength in found]
    return {"cells": places.tolist(), "colours": colours}


def _markers_held(map_: Map, layer: Layer, numbers: Numbers) -> dict[str, Any]:
    of_map = numbers.get(_cell(map_))
    markers = layer.markers if isinstance(layer, MarkerLayer) else ()
    return {"cells": [], "markers": [_marker(map_, each, of_map) for each in markers]}


_HELD = {
    Holds.TILES: _tiles_held, Holds.COLOURS: _colours_held, Holds.MARKERS: _markers_held,
}  # fmt: skip


def _cell(grid: Map) -> Size:
    return grid.lattice.cell_size


def _colour(colour: str, strength: int) -> ShipColour:
    red, green, blue = bytes.fromhex(colour[1:])
    part = round(strength / FULL_TINT, 4)
    return ShipColour(red=red, green=green, blue=blue, strength=part)


def _marker(map_: Map, marker: Marker, numbers: NDArray[np.int32] | None) -> ShipMarker:
    tile = None
    if marker.tile is not None:
        tile = int(numbers[map_.legend.place(marker.tile)]) if numbers is not None else 0
    return ShipMarker(
        shape=marker.shape.value,
        name=marker.name,
        kind=marker.kind,
        points=list(marker.points),
        turn=marker.turn,
        scale=marker.scale,
        tile=tile,
        properties=typed_values(marker.properties),
    )


class Used(NamedTuple):
    """A tile as it lies on cells of a size: where its picture begins depends on both."""

    other_cell: bool
    cell: Size
    tile: TileRef
    place: int


def _used_tiles(map_: Map) -> list[Used]:
    """List what layers show, in a fixed order: on the map's own cells first, by tile."""
    found: set[Used] = set()
    for layer in map_.layers:
        cell = _cell(grid_of(map_, layer))
        if isinstance(layer, MarkerLayer):
            places = [map_.legend.place(each.tile) for each in layer.markers if each.tile]
        elif layer.holds_tiles:
            places = np.unique(layer.cells).tolist()
        else:
            continue
        for place in places:
            tile = map_.legend.tile(place)
            if tile is not None:
                found.add(Used(cell != _cell(map_), cell, tile, place))
    return sorted(found)


def _tileset(tileset: Tileset, picture: str) -> ShipTileset:
    cut = tileset.slicing
    return ShipTileset(
        name=tileset.name,
        picture=picture,
        size=(tileset.width, tileset.height),
        tile=(cut.tile_width, cut.tile_height),
        grid=(tileset.columns, tileset.rows),
        begins=(0, 0) if cut.pieces else (cut.left(0), cut.top(0)),
        pitch=(cut.pitch_x, cut.pitch_y),
        see_through=list(cut.see_through),
        relief=relief_name(picture) if tileset.relief is not None else None,
    )


def _lattice(map_: Map, cell: Size) -> Lattice:
    return map_.lattice if cell == _cell(map_) else map_.lattice.divided(*cell)


def _tile(lattice: Lattice, tilesets: list[Tileset], tile: TileRef) -> ShipTile:
    number = [each.name for each in tilesets].index(tile.tileset)
    owner = tilesets[number]
    if owner.has(tile.row, tile.col):
        left, top, wide, high = owner.slicing.tile_area(tile.row, tile.col)
        down, across = overhang(owner, tile, lattice)
    else:
        left = top = wide = high = down = across = 0
    fact = owner.fact(tile.row, tile.col)
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
        frames=_frames(tilesets, owner, tile),
        name=fact.name,
        tags=list(fact.tags),
        properties=typed_values(owner.properties_of(tile.row, tile.col)),
        shapes=_shapes(owner, tile),
        apart=fact.apart,
    )


def _shapes(owner: Tileset, tile: TileRef) -> list[ShipShape]:
    if not owner.has(tile.row, tile.col):
        return []
    _, _, wide, high = owner.slicing.tile_area(tile.row, tile.col)
    turned = [
        turned_shape(each, tile.turn, wide, high) for each in owner.fact(tile.row, tile.col).shapes
    ]
    return [
        ShipShape(kind=each.kind, form=each.form.value, points=list(each.corners))
        for each in turned
    ]


def _frames(tilesets: list[Tileset], owner: Tileset, tile: TileRef) -> list[ShipFrame]:
    numbers = {each.name: n for n, each in enumerate(tilesets)}
    out = []
    for each in owner.fact(tile.row, tile.col).frames:
        number = numbers.get(each.tileset or owner.name)
        if number is not None and tilesets[number].has(each.row, each.col):
            left, top, wide, high = tilesets[number].slicing.tile_area(each.row, each.col)
            out.append(
                ShipFrame(tileset=number, x=left, y=top, width=wide, height=high, ms=each.ms)
            )
    return out


def _frame_sheets(project: Project, used: list[Used]) -> set[str]:
    """Name the tilesets that the tiles move through, beside their own."""
    out = set()
    for each in used:
        owner = project.tileset_named(each.tile.tileset)
        frames = owner.fact(each.tile.row, each.tile.col).frames if owner else ()
        out |= {frame.tileset for frame in frames if frame.tileset}
    return {name for name in out if project.tileset_named(name)}


def _grounds(project: Project, map_: Map) -> list[tuple[GroundLayer, TerrainSet]]:
    out = []
    for layer in map_.layers:
        if isinstance(layer, GroundLayer):
            found = project.set_of(layer.tileset, layer.set_name)
            if found is not None:
                out.append((layer, found[1]))
    return out


def _terrain(project: Project, map_: Map) -> list[ShipTerrain]:
    return [
        ShipTerrain(layer=layer.name, names=[each.name for each in kit.terrains],
                    kind=layer.kind_of_set.value,
                    **{name: [] for name in standing_of(layer.kind_of_set).names})
        for layer, kit in _grounds(project, map_)
    ]  # fmt: skip


def _terrain_grids(project: Project, map_: Map) -> list[dict[str, NDArray[np.int32]]]:
    """Give the terrain of layers where their kind of set has it."""
    return [
        dict(zip(standing_of(layer.kind_of_set).names, terrain_grids(map_, layer)))
        for layer, _ in _grounds(project, map_)
    ]


def _picture(tileset: Tileset) -> Picture:
    if tileset.picture is None:
        raise PlaceError(
            say(
                "the sheet of “{name}”, {sheet}, is missing or can not be read, so it can "
                "not be shipped: put it right, or find another one in Slice",
                name=tileset.name,
                sheet=tileset.sheet,
            )
        )
    return clear_see_through(tileset.picture.copy(), tileset.slicing)


def _sample(job: ShipJob, map_: Map, options: JsonOptions, side: int) -> Picture:
    """Give the sheet that comes out; of several the first."""
    files = _files(job, map_, options)
    name = next((each for each in files if each.endswith(".atlas.png")), None)
    name = name or next(each for each in files if each in job.names.sheets.values())
    return shrunk_to(picture_of(files[name], name), side)


JSON = ShipFormat(
    "json", say("JSON — layers, legend, tilesets, and sheets"),
    say("All that a game needs to draw the map and to know what lies where"), _names, _files,
    usual=True, options=JsonOptions, sample=_sample,
)  # fmt: skip
