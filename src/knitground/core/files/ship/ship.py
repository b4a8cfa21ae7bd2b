"""Shipping: knit, make every asked-for file, write them together."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from knitground.core.base.errors import PlaceError
from knitground.core.base.progress import Progress, no_progress
from knitground.core.files.made import MadeFolder
from knitground.core.files.ship.json import ship_json
from knitground.core.files.ship.names import ShipNames, ship_names
from knitground.core.files.ship.png import ship_png
from knitground.core.files.ship.svg import ship_svg
from knitground.core.grow.rewriting import rewrite_map
from knitground.core.knit.layer import knit_map
from knitground.core.model.map import Map, gaps_of
from knitground.core.model.project import Project

FORMATS = ("png", "json", "svg")
USUAL_FORMATS = ("png", "json")


@dataclass(frozen=True)
class Shipped:
    """What was shipped: every file, in order of its name, and the cells that are gaps by map."""

    files: list[Path]
    gaps: dict[str, int] = field(default_factory=dict)


def ship(
    project: Project,
    maps: Sequence[Map],
    folder: Path,
    formats: Sequence[str] = USUAL_FORMATS,
    level: int = 0,
    progress: Progress = no_progress,
    knit: Callable[[Map], object] | None = None,
    *,
    overwrite: bool = False,
) -> Shipped:
    """Write what a game reads.

    `knit` brings a map's cells up to date; by default everything is knitted afresh.
    Nothing is written until all files have been made. Two runs give the same bytes.

    Raises
    ------
    PlaceError
        An unknown format, no map, a sheet that is missing, or a folder that can not be written.
    NotOursError
        Files lie there that were not shipped from here, and are not to be overwritten.
    Cancelled
        From `progress`.
    """
    formats = [formats] if isinstance(formats, str) else list(formats)
    unknown = [name for name in formats if name not in FORMATS]
    if unknown or not formats:
        which = ", ".join(f"“{each}”" for each in unknown) or "“”"
        raise PlaceError(f"format {which} is not known: give some of {', '.join(FORMATS)}")
    if not maps:
        raise PlaceError("there is no map to ship: make one in Draw")

    def afresh(map_: Map) -> None:
        knit_map(project, map_)
        rewrite_map(project, map_)

    knit = knit or afresh
    names = ship_names(project, maps)
    made = MadeFolder(folder, overwrite=overwrite)
    made.refuse(_all_names(names, maps, formats))
    files: dict[str, bytes] = {}
    gaps: dict[str, int] = {}
    for place, map_ in enumerate(maps):
        knit(map_)
        gaps[map_.name] = sum(gaps_of(map_).values())

        def part(done: float, place: int = place) -> None:
            progress((place + done) / len(maps))

        if "png" in formats:
            files.update(ship_png(project, map_, names, level, part))
        if "json" in formats:
            files.update(ship_json(project, map_, names))
        if "svg" in formats:
            files.update(ship_svg(project, map_, names))
    progress(1.0)
    made.write(files)
    made.close()
    return Shipped(made.paths, {name: count for name, count in gaps.items() if count})


def _all_names(names: ShipNames, maps: Sequence[Map], formats: Sequence[str]) -> list[str]:
    """Name every file that may be written."""
    stems = [names.maps[each.name] for each in maps]
    ends = {"svg": "shapes.svg"}
    out = [f"{stem}.{ends.get(kind, kind)}" for stem in stems for kind in formats]
    return out + (list(names.sheets.values()) if "json" in formats else [])
