"""Shipping: knit, make every asked-for file, write them together."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from knitground.core.base.errors import PlaceError
from knitground.core.base.progress import Progress, no_progress
from knitground.core.files.ship.json import ship_json
from knitground.core.files.ship.names import ShipNames, refuse_project_files, ship_names
from knitground.core.files.ship.png import ship_png
from knitground.core.files.ship.svg import ship_svg
from knitground.core.files.vault import write_together
from knitground.core.grow.rewriting import rewrite_map
from knitground.core.knit.layer import knit_map
from knitground.core.model.map import Map
from knitground.core.model.project import Project

FORMATS = ("png", "json", "svg")
USUAL_FORMATS = ("png", "json")


def ship(
    project: Project,
    maps: Sequence[Map],
    folder: Path,
    formats: Sequence[str] = USUAL_FORMATS,
    level: int = 0,
    progress: Progress = no_progress,
    knit: Callable[[Map], object] | None = None,
) -> list[Path]:
    """Write what a game reads; returns every file, in order of its name.

    `knit` brings a map's cells up to date; by default everything is knitted afresh.
    Nothing is written until all files have been made. Two runs give the same bytes.

    Raises
    ------
    PlaceError
        An unknown format, no map, a sheet that is missing, or a folder that can not be written.
    Cancelled
        From `progress`.
    """
    unknown = [name for name in formats if name not in FORMATS]
    if unknown or not formats:
        raise PlaceError(f"format {unknown or 'none'} is not known: give one of {list(FORMATS)}")
    if not maps:
        raise PlaceError("there is no map to ship: make one in Draw")

    def afresh(map_: Map) -> None:
        knit_map(project, map_)
        rewrite_map(project, map_)

    knit = knit or afresh
    names = ship_names(project, maps)
    refuse_project_files(folder, _all_names(names, maps, formats))
    files: dict[str, bytes] = {}
    for place, map_ in enumerate(maps):
        knit(map_)

        def part(done: float, place: int = place) -> None:
            progress((place + done) / len(maps))

        if "png" in formats:
            files.update(ship_png(project, map_, names, level, part))
        if "json" in formats:
            files.update(ship_json(project, map_, names))
        if "svg" in formats:
            files.update(ship_svg(project, map_, names))
    progress(1.0)
    write_together(folder, files)
    return sorted(folder / name for name in files)


def _all_names(names: ShipNames, maps: Sequence[Map], formats: Sequence[str]) -> list[str]:
    """Name every file that may be written."""
    stems = [names.maps[each.name] for each in maps]
    ends = {"svg": "shapes.svg"}
    out = [f"{stem}.{ends.get(kind, kind)}" for stem in stems for kind in formats]
    return out + (list(names.sheets.values()) if "json" in formats else [])
