"""Ship CSV: the cells of each layer of tiles as numbers, and what the numbers are."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence

from knitground.core.base.filenames import file_names
from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import say
from knitground.core.files.ship.json import cells_held, shipped_legend
from knitground.core.files.ship.kinds import ShipFormat, ShipJob
from knitground.core.model.layers import Layer
from knitground.core.model.map import Map


def _layers(job: ShipJob, map_: Map) -> list[tuple[str, Layer]]:
    tiled = [each for each in map_.layers if each.holds_tiles]
    names = file_names([each.name for each in tiled], "")
    return [(f"{job.stem(map_)}-{name}.csv", each) for name, each in zip(names, tiled)]


def _names(job: ShipJob, map_: Map, options: object = None) -> list[str]:
    return [*(name for name, _ in _layers(job, map_)), f"{job.stem(map_)}.legend.csv"]


def _files(
    job: ShipJob, map_: Map, options: object, progress: Progress = no_progress
) -> dict[str, bytes]:
    """Make a file of each layer, and `MAP.legend.csv`: what each number is; 0 is empty."""
    used, numbers = shipped_legend(job.project, map_)
    out = {}
    layers = _layers(job, map_)
    for n, (name, layer) in enumerate(layers):
        progress(n / len(layers))
        out[name] = _table(cells_held(map_, layer, numbers).tolist())
    rows: list[Sequence[object]] = [("number", "tileset", "row", "column", "turn", "name")]
    for number, each in enumerate(used, 1):
        tile, owner = each.tile, job.project.tileset_named(each.tile.tileset)
        name = owner.fact(tile.row, tile.col).name if owner is not None else ""
        rows.append((number, tile.tileset, tile.row, tile.col, tile.turn, name))
    out[f"{job.stem(map_)}.legend.csv"] = _table(rows)
    return out


def _table(rows: Iterable[Sequence[object]]) -> bytes:
    text = io.StringIO()
    csv.writer(text, lineterminator="\n").writerows(rows)
    return text.getvalue().encode()


CSV = ShipFormat(
    "csv",
    say("CSV — cells of each layer of tiles"),
    say("Numbers in rows, and a list of what they are"),
    _names,
    _files,
)
