"""Reading what was shipped: a map's JSON and the sheets beside it, and nothing else."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ValidationError

from knitground.core.base.errors import FormatError, KnitError, PlaceError
from knitground.core.base.tongue import say
from knitground.core.files.images import read_picture
from knitground.core.files.places import inside
from knitground.core.files.reading import read_file
from knitground.core.files.ship.formats import ChunkFile, ShipFile, ShipFrame, ShipLayer, ShipTile
from knitground.core.model.lattice import Corner, Grid, GridKind
from knitground.core.model.layers import Layer, MarkerLayer, TileLayer, TintLayer
from knitground.core.model.limits import FULL_TINT, MAX_CELLS, MAX_SHEET_PIXELS
from knitground.core.model.map import Map, grid_of
from knitground.core.model.marker import Marker, Shape
from knitground.core.model.project import Project
from knitground.core.model.properties import Property
from knitground.core.model.shapes import ShapeForm, TileShape
from knitground.core.model.slicing import Slicing
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Anchor, Frame, Picture, TileFacts, Tileset
from knitground.core.model.turns import turned_array
from knitground.core.render.pixels import premultiplied, straight
from knitground.core.render.relief import flat_relief
from knitground.core.render.tiles import turned_facing

Shipped = TypeVar("Shipped", bound=BaseModel)
_NAME = "shipped"
_BESIDE = (".cells.json", ".ways.json", ".markers.json")
"""Files that lie beside a map's own."""
_MOST_BYTES = 1 << 30
_STRIP = 4096
"""Pixels across of the sheet on which all pictures of a map are put together."""


@dataclass(frozen=True)
class Loaded:
    """A map as it was shipped: a project that has nothing else, and the files that it lies in."""

    project: Project
    map: Map
    files: tuple[Path, ...]
    ground: frozenset[int] = frozenset()
    """Numbers of the layers that lie flat, as ground: nobody goes behind them."""


def shipped_names(folder: Path) -> dict[str, Path]:
    """Find the maps that were shipped into a folder, by their names.

    Raises
    ------
    PlaceError
        There is none, or the folder can not be read.
    """
    out: dict[str, Path] = {}
    try:
        paths = sorted(folder.glob("*.json"))
    except OSError as error:
        raise PlaceError(
            say("{folder} can not be read ({strerror})", folder=folder, strerror=error.strerror)
        ) from error
    for path in paths:
        if path.name.endswith(_BESIDE):
            continue  # of large maps there are thousands
        with suppress(KnitError, ValueError, RecursionError):
            head = json.loads(read_file(path, _MOST_BYTES))
            if isinstance(head, dict) and head.get("format") == "knitground/ship":
                out[str(head.get("name"))] = path
    if not out:
        raise PlaceError(
            say("no shipped map lies in {folder}: ship one there as JSON", folder=folder)
        )
    return out


def load_shipped(path: Path) -> Loaded:
    """Read a shipped map.

    Raises
    ------
    KnitError
        A file is missing, cut short, of another version, or does not fit the others.
    """
    model = _read_as(ShipFile, path)
    try:
        chunks = _put_together(model, path)
        return _loaded(model, path, chunks)
    except KnitError:
        raise
    except (ValueError, TypeError, OverflowError, IndexError) as error:
        # Numbers that no map can have: whatever they would do, they come from elsewhere.
        raise FormatError(
            say("{name} does not fit itself: {error}", name=path.name, error=error)
        ) from error


def _read_as(kind: type[Shipped], path: Path) -> Shipped:
    try:
        return kind.model_validate_json(read_file(path, _MOST_BYTES))
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(each) for each in first["loc"])
        raise FormatError(
            say(
                "{name} is no map that this program can play: {where}: {first}",
                name=path.name,
                where=where,
                first=first["msg"].lower(),
            )
        ) from error


def _put_together(model: ShipFile, path: Path) -> list[Path]:
    """Put the cells that lie in chunks into the layers; returns the files."""
    files = [inside(path.parent, each.file) for each in model.chunks]
    lines: list[dict[int, list[int]]] = [{} for _ in model.layers]
    for chunk, file in sorted(
        zip(model.chunks, files), key=lambda each: (each[0].row, each[0].column)
    ):
        found = _read_as(ChunkFile, file)
        if found.map != model.name or len(found.layers) != len(model.layers):
            raise FormatError(
                say(
                    "{name} is no part of “{name2}”: ship it anew", name=file.name, name2=model.name
                )
            )
        for rows, layer in zip(lines, found.layers):
            for n, line in enumerate(layer.cells, chunk.row):
                row = rows.setdefault(n, [])
                if len(row) != chunk.column:
                    raise FormatError(
                        say("{name} does not go on where the chunk before it ends", name=file.name)
                    )
                row += line
    for own, rows in zip(model.layers, lines):
        if rows:
            own.cells = [rows[n] for n in sorted(rows)]
    return files


def _loaded(model: ShipFile, path: Path, chunks: Sequence[Path]) -> Loaded:
    files = [path, *(inside(path.parent, each.picture) for each in model.tilesets)]
    sheets = [read_picture(each) for each in files[1:]]
    files += chunks
    map_ = _empty(model, path.name)
    reliefs = []
    for each, sheet in zip(model.tilesets, sheets):
        if each.relief is not None:
            files.append(inside(path.parent, each.relief))
        reliefs.append(_relief(files[-1], sheet) if each.relief is not None else flat_relief(sheet))
    owner = _one_sheet(model, sheets, reliefs, map_, path.name)
    map_.layers = [_layer(map_, n, each, len(model.legend), path.name)
                   for n, each in enumerate(model.layers, 1)]  # fmt: skip
    ground = frozenset(n for n, each in enumerate(model.layers, 1) if each.kind == "ground")
    return Loaded(Project(model.name, None, [owner], [], [map_]), map_, tuple(files), ground)


def _empty(model: ShipFile, name: str) -> Map:
    columns, rows = model.grid
    wide, high = model.cell
    if not (0 < rows * columns <= MAX_CELLS and 0 < wide <= 16_384 and 0 < high <= 16_384):
        raise FormatError(
            say(
                "{name}: {columns} × {rows} cells of {wide} × {high} px is no map",
                name=name,
                columns=columns,
                rows=rows,
                wide=wide,
                high=high,
            )
        )
    kind = GridKind(model.form)
    ways = [each.odd_row[0] for each in model.layers] + [0.0]
    downs = [each.odd_column[1] for each in model.layers] + [0.0]
    odd = ways[0] or downs[0]
    grid = Grid.of(kind, rows, columns, by_columns=bool(downs[0]), first=odd < 0,
                   drawn_from=Corner(model.drawn_from))  # fmt: skip
    lattice = grid.lattice(rows, columns, high, wide, model.wrap)
    return Map(model.name, lattice.rows, lattice.columns, high, wide, model.wrap, grid=grid,
               background=model.background, screen=model.screen,
               properties=_properties(model.properties))  # fmt: skip


def _properties(said: Mapping[str, object]) -> tuple[Property, ...]:
    return tuple(Property(name, str(value)) for name, value in said.items())


def _relief(path: Path, sheet: Picture) -> Picture:
    found = read_picture(path)
    if found.shape != sheet.shape:
        raise FormatError(
            say(
                "{name} is {shape} × {shape2} px, its sheet {shape3} × {shape4}: ship both anew",
                name=path.name,
                shape=found.shape[1],
                shape2=found.shape[0],
                shape3=sheet.shape[1],
                shape4=sheet.shape[0],
            )
        )
    return found


def _one_sheet(
    model: ShipFile, sheets: Sequence[Picture], reliefs: Sequence[Picture], map_: Map, name: str
) -> Tileset:
    """Put all pictures of the legend, turned as they are shown, on one sheet of loose pieces."""
    own = _cells_of_places(model)
    cuts: list[Picture] = []
    cut_reliefs: list[Picture] = []
    anchors: list[Anchor] = []
    frames: list[list[tuple[int, int]]] = []
    for n, tile in enumerate(model.legend, 1):
        cuts.append(_cut(sheets, tile, tile.turn, name))
        cut_reliefs.append(_turned_relief(reliefs, tile, tile.turn, name))
        cell = own.get(n)
        lattice = map_.lattice if cell is None else map_.lattice.divided(*cell)
        down, across = lattice.anchored()
        anchors.append((across - tile.offset_x, down - tile.offset_y))
        frames.append([])
    for n, tile in enumerate(model.legend):
        for frame in tile.frames:
            frames[n].append((len(cuts), frame.ms))
            cuts.append(_cut(sheets, frame, tile.turn, name))
            cut_reliefs.append(_turned_relief(reliefs, frame, tile.turn, name))
    areas, x, y, line = [], 0, 0, 0
    for cut in cuts:
        high, wide = cut.shape[:2]
        if x + wide > _STRIP and x:
            x, y, line = 0, y + line, 0
        areas.append((x, y, max(1, wide), max(1, high)))
        x, line = x + wide, max(line, high)
    height = max(1, y + line)
    width = max([1, *(left + wide for left, _, wide, _ in areas)])
    if height * width > MAX_SHEET_PIXELS:
        raise FormatError(
            say(
                "{name}: its tiles have more than {max_sheet_pixels} pixels together",
                name=name,
                max_sheet_pixels=MAX_SHEET_PIXELS,
            )
        )
    picture = np.zeros((height, width, 4), np.uint8)
    relief = flat_relief(picture) if any(each.relief for each in model.tilesets) else None
    for cut, facing, (left, top, _, _) in zip(cuts, cut_reliefs, areas):
        there = np.s_[top : top + cut.shape[0], left : left + cut.shape[1]]
        picture[there] = cut
        if relief is not None:
            relief[there] = facing
    facts = {
        (0, n): TileFacts(
            name=tile.name, anchor=anchors[n], apart=tile.apart,
            frames=tuple(Frame(0, place, ms) for place, ms in frames[n]),
            shapes=tuple(TileShape(each.kind, ShapeForm(each.form), tuple(each.points))
                         for each in tile.shapes),
        )
        for n, tile in enumerate(model.legend)
    }  # fmt: skip
    for n in range(len(model.legend)):
        for place, _ in frames[n]:
            facts[0, place] = TileFacts(anchor=anchors[n])
    for tile in model.legend:
        sides = max(1, tile.width, tile.height)
        if any(not -1 <= value <= sides + 1 for shape in tile.shapes for point in shape.points
               for value in point):  # fmt: skip
            raise FormatError(
                say(
                    "{name}: a shape reaches out of its tile of {width} × {height} px",
                    name=name,
                    width=tile.width,
                    height=tile.height,
                )
            )
    wide, high = model.cell
    return Tileset(_NAME, f"{_NAME}.png", width, height,
                   Slicing(wide, high, pieces=tuple(areas)), facts, picture=picture,
                   relief=relief)  # fmt: skip


def _cells_of_places(model: ShipFile) -> dict[int, tuple[int, int]]:
    """Tell for which numbers of the legend a layer has cells of its own: their height and width."""
    out: dict[int, tuple[int, int]] = {}
    for layer in model.layers:
        if tuple(layer.cell) != tuple(model.cell) and layer.kind != "tint":
            out |= dict.fromkeys({n for line in layer.cells for n in line}, layer.cell[::-1])
    return out


def _cut(sheets: Sequence[Picture], at: ShipTile | ShipFrame, turn: int, name: str) -> Picture:
    if not 0 <= at.tileset < len(sheets):
        raise FormatError(
            say(
                "{name} names sheet {tileset}, and has {count}",
                name=name,
                tileset=at.tileset,
                count=len(sheets),
            )
        )
    sheet = sheets[at.tileset]
    part = sheet[at.y : at.y + at.height, at.x : at.x + at.width]
    if min(at.x, at.y) < 0 or part.shape[:2] != (at.height, at.width):
        raise FormatError(
            say(
                "{name} shows {width} × {height} px at {x}, {y} of a sheet of {shape} × "
                "{shape2} px",
                name=name,
                width=at.width,
                height=at.height,
                x=at.x,
                y=at.y,
                shape=sheet.shape[1],
                shape2=sheet.shape[0],
            )
        )
    return np.ascontiguousarray(turned_array(part, turn))


def _turned_relief(
    reliefs: Sequence[Picture], at: ShipTile | ShipFrame, turn: int, name: str
) -> Picture:
    return straight(turned_facing(premultiplied(_cut(reliefs, at, 0, name)), turn))


def _layer(map_: Map, number: int, model: ShipLayer, legend: int, name: str) -> Layer:
    made: Layer
    if model.kind == "markers":
        made = MarkerLayer(model.name, number)
        made.markers = tuple(
            Marker(n, Shape(each.shape), tuple(each.points), each.name, each.kind,
                   _properties(each.properties),
                   each.turn, each.scale,
                   TileRef(_NAME, 0, each.tile - 1) if each.tile else None)
            for n, each in enumerate(model.markers, 1)
        )  # fmt: skip
        made.cells = np.zeros((map_.height, map_.width), np.int32)
    else:
        own = model.cell[::-1] if model.cell[::-1] != map_.lattice.cell_size else None
        made = TintLayer(model.name, number) if model.kind == "tint" else TileLayer(
            model.name, number, cell=own)  # fmt: skip
        values = _values(map_, model, legend, name)
        grid = grid_of(map_, made)
        counted = grid.lattice.unfolded_shape() if own is None else (grid.height, grid.width)
        cells = np.array(model.cells, np.int64).reshape(-1, counted[1])
        if cells.shape != tuple(counted):
            raise FormatError(
                say(
                    "{name}: “{name2}” has {shape} rows of cells, and the map {counted}",
                    name=name,
                    name2=model.name,
                    shape=cells.shape[0],
                    counted=counted[0],
                )
            )
        if cells.size and not 0 <= cells.min() <= cells.max() < len(values):
            raise FormatError(
                say(
                    "{name}: “{name2}” names {number}, and there are {count}",
                    name=name,
                    name2=model.name,
                    number=cells.max(),
                    count=len(values) - 1,
                )
            )
        laid = values[cells]
        made.cells = map_.lattice.folded(laid) if own is None else laid
    made.visible, made.opacity, made.interleaved = model.visible, model.opacity, model.interleaved
    made.height = model.height
    made.offset = (model.offset_x, model.offset_y + model.height)
    return made


def _values(map_: Map, model: ShipLayer, legend: int, name: str) -> NDArray[np.int32]:
    """Give what each number in a layer's cells is in memory."""
    if model.kind != "tint":
        places = [map_.legend.place(TileRef(_NAME, 0, n)) for n in range(legend)]
        return np.array([0, *places], np.int32)
    colours = [
        round(each.strength * FULL_TINT) << 24 | each.red << 16 | each.green << 8 | each.blue
        for each in model.colours
    ]
    if any(not 0 <= each < 1 << 32 for each in colours):
        raise FormatError(
            say("{name}: “{name2}” has a colour that is none", name=name, name2=model.name)
        )
    return np.array([0, *colours], np.uint32).view(np.int32)
