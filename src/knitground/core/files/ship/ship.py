"""Shipping: knit, make every asked-for file, write them together."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from knitground.core.base.errors import PlaceError
from knitground.core.base.progress import Progress, no_progress
from knitground.core.files.made import MadeFolder
from knitground.core.files.ship.json import JSON
from knitground.core.files.ship.kinds import ShipJob
from knitground.core.files.ship.names import ship_names
from knitground.core.files.ship.png import PNG
from knitground.core.files.ship.svg import SVG
from knitground.core.grow.rewriting import rewrite_map
from knitground.core.knit.layer import knit_map
from knitground.core.model.map import Map, gaps_of
from knitground.core.model.project import Project

FORMATS = {each.key: each for each in (PNG, JSON, SVG)}
"""All formats, in the order in which they are offered."""
USUAL_FORMATS = tuple(key for key, each in FORMATS.items() if each.usual)


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
    job = ShipJob(project, ship_names(project, maps), level)
    chosen = [FORMATS[key] for key in dict.fromkeys(formats)]
    made = MadeFolder(folder, overwrite=overwrite)
    made.refuse(name for each in chosen for map_ in maps for name in each.names(job, map_))
    files: dict[str, bytes] = {}
    gaps: dict[str, int] = {}
    for place, map_ in enumerate(maps):
        knit(map_)
        gaps[map_.name] = sum(gaps_of(map_).values())

        for number, each in enumerate(chosen):

            def part(done: float, before: float = place + number / len(chosen)) -> None:
                progress((before + done / len(chosen)) / len(maps))

            files.update(each.files(job, map_, part))
    progress(1.0)
    made.write(files)
    made.close()
    return Shipped(made.paths, {name: count for name, count in gaps.items() if count})
