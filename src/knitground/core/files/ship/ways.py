"""Ship ways: where one can walk, as rectangles and what lies beside what; JSON and GraphML."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Annotated, Literal, NamedTuple
from xml.sax.saxutils import escape

import numpy as np
from annotated_types import MaxLen
from numpy.typing import NDArray

from knitground.core.base.errors import PlaceError
from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import say
from knitground.core.files.jsontext import to_text
from knitground.core.files.layer_io import as_counted
from knitground.core.files.ship.formats import ShipBeside, ShipDoor, ShipPlace, WaysFile
from knitground.core.files.ship.kinds import ShipFormat, ShipJob, option
from knitground.core.model.layers import MarkerLayer
from knitground.core.model.map import Map
from knitground.core.model.properties import typed_values
from knitground.core.shapes.blocked import blocked_cells

_MOST = 1 << 20


@dataclass(frozen=True)
class WaysOptions:
    """What the ways are made of."""

    form: Literal["both", "json", "graphml"] = option("both", say("as"))
    of: Literal["rectangles", "cells"] = option(
        "rectangles",
        say("made of"),
        say("Cells of one cost are put together, or each is a place of its own"),
    )
    cost: Annotated[str, MaxLen(200)] = option(
        "cost",
        say("cost by"),
        say("The property of tiles that says what a step there costs; 1 without it"),
    )


class Place(NamedTuple):
    """A rectangle of cells on which one can walk, and what a step there costs."""

    row: int
    column: int
    rows: int
    columns: int
    cost: float


def costs_of(job: ShipJob, map_: Map, name: str) -> NDArray[np.float64]:
    """Tell what a step on each cell costs: that of the foremost tile that says so; 0 is no way.

    Cells without any tile are no way, nor those that something solid covers.
    """
    out = np.ones((map_.height, map_.width))
    there = np.zeros(out.shape, np.bool_)
    for layer in map_.layers:
        if not layer.holds_tiles or not layer.visible or layer.own_cell is not None:
            continue
        there |= layer.cells > 0
        for place in np.unique(layer.cells[layer.cells > 0]).tolist():
            tile = map_.legend.tile(place)
            owner = job.project.tileset_named(tile.tileset) if tile is not None else None
            if owner is None or tile is None:
                continue
            said = typed_values(owner.properties_of(tile.row, tile.col)).get(name)
            if isinstance(said, int | float) and not isinstance(said, bool) and said > 0:
                out[layer.cells == place] = float(said)
    blocked = blocked_cells(job.project, map_, lambda layer: layer.cells)
    out[~there] = 0
    if blocked is not None:
        out[blocked] = 0
    return np.asarray(as_counted(map_, out))


def rectangles(costs: NDArray[np.float64], *, merged: bool = True) -> list[Place]:
    """Part cells of one cost into rectangles: from each free cell right, then down, row by row."""
    left, out = costs > 0, []
    for row, col in zip(*(each.tolist() for each in np.nonzero(costs > 0))):
        if not left[row, col]:
            continue
        cost, wide, high = costs[row, col], 1, 1
        if merged:
            alike = left[row, col:] & (costs[row, col:] == cost)
            wide = int(len(alike) if alike.all() else alike.argmin())
            while row + high < len(costs):
                line = np.s_[row + high, col : col + wide]
                if not (left[line] & (costs[line] == cost)).all():
                    break
                high += 1
        left[row : row + high, col : col + wide] = False
        out.append(Place(row, col, high, wide, float(cost)))
    return out


def borders(map_: Map, places: list[Place], shape: tuple[int, int]) -> list[tuple[int, int, int]]:
    """List which places lie beside which over sides of cells, and over how many."""
    at = np.full(shape, -1, np.int64)
    for n, each in enumerate(places):
        at[each.row : each.row + each.rows, each.column : each.column + each.columns] = n
    pairs = []
    for one, other in _beside(map_, at):
        here = (one >= 0) & (other >= 0) & (one != other)
        pairs.append(np.sort(np.stack([one[here], other[here]], axis=1), axis=1))
    found, counts = np.unique(np.concatenate(pairs), axis=0, return_counts=True)
    return [(int(a), int(b), int(count)) for (a, b), count in zip(found.tolist(), counts.tolist())]


def _beside(
    map_: Map, at: NDArray[np.int64]
) -> Iterator[tuple[NDArray[np.int64], NDArray[np.int64]]]:
    """Give cells and those across a side of them, each pair once."""
    if map_.lattice.exists is not None:  # staggered: by where they are in the array of diamonds
        at = np.asarray(map_.lattice.folded(at + 1)) - 1
    for step in ((1, 0), (0, 1)):
        yield at, map_.lattice.beside(at + 1, *step) - 1


def _doors(map_: Map, places: list[Place]) -> list[ShipDoor]:
    out: list[ShipDoor] = []
    for layer in map_.layers:
        for each in layer.markers if isinstance(layer, MarkerLayer) else ():
            if not each.leads_to:
                continue
            cell = map_.lattice.cell_at(*each.middle)
            if not map_.lattice.holds(*cell):
                continue
            row, col = map_.lattice.name_of(*cell)
            n = next((n for n, p in enumerate(places) if p.row <= row < p.row + p.rows
                      and p.column <= col < p.column + p.columns), None)  # fmt: skip
            if n is not None:
                out.append(ShipDoor(place=n, name=each.name, map=each.leads_to))
    return out


def _names(job: ShipJob, map_: Map, options: WaysOptions) -> list[str]:
    kinds = ("json", "graphml") if options.form == "both" else (options.form,)
    return [f"{job.stem(map_)}.ways.{each}" for each in kinds]


def _files(
    job: ShipJob, map_: Map, options: WaysOptions, progress: Progress = no_progress
) -> dict[str, bytes]:
    """Make `MAP.ways.json` and `MAP.ways.graphml`: places, which lie beside which, and doors."""
    costs = costs_of(job, map_, options.cost)
    progress(0.2)
    if options.of == "cells" and (costs > 0).sum() > _MOST:
        raise PlaceError(say("“{name}” has more than {most} cells to walk on: put them together in "
"rectangles", name=map_.name, most=_MOST))  # fmt: skip
    places = rectangles(costs, merged=options.of == "rectangles")
    progress(0.6)
    beside, doors = borders(map_, places, costs.shape), _doors(map_, places)
    whole = WaysFile(
        map=map_.name,
        places=[ShipPlace(**each._asdict()) for each in places],
        beside=[ShipBeside(places=(a, b), sides=count) for a, b, count in beside],
        doors=doors,
    )
    made = {"json": lambda: to_text(whole.model_dump(mode="json")).encode(),
            "graphml": lambda: _graphml(map_, places, beside, doors)}  # fmt: skip
    return {name: made[name.rpartition(".")[2]]() for name in _names(job, map_, options)}


def _graphml(
    map_: Map, places: list[Place], beside: list[tuple[int, int, int]],
    doors: list[ShipDoor],
) -> bytes:  # fmt: skip
    keys = [("row", "int"), ("column", "int"), ("rows", "int"), ("columns", "int"),
            ("cost", "double"), ("door", "string"), ("to", "string")]  # fmt: skip
    lines = ["<?xml version='1.0' encoding='UTF-8'?>",
             '<graphml xmlns="http://graphml.graphdrawing.org/xmlns">']  # fmt: skip
    lines += [f'<key id="{name}" for="node" attr.name="{name}" attr.type="{kind}"/>'
              for name, kind in keys]  # fmt: skip
    lines.append('<key id="sides" for="edge" attr.name="sides" attr.type="int"/>')
    lines.append('<graph edgedefault="undirected">')
    led = {each.place: each for each in doors}
    for n, each in enumerate(places):
        values = {**each._asdict(), "cost": f"{each.cost:g}"}
        if n in led:
            values |= {"door": escape(led[n].name), "to": escape(led[n].map)}
        data = "".join(f'<data key="{key}">{value}</data>' for key, value in values.items())
        lines.append(f'<node id="n{n}">{data}</node>')
    lines += [f'<edge source="n{a}" target="n{b}"><data key="sides">{count}</data></edge>'
              for a, b, count in beside]  # fmt: skip
    return "\n".join([*lines, "</graph>", "</graphml>", ""]).encode()


WAYS = ShipFormat(
    "ways",
    say("Ways — where one can walk"),
    say("Places, neighbours, costs and doors, for finding ways"),
    _names,
    _files,
    options=WaysOptions,
)
