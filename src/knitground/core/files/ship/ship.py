"""Shipping: knit, make every asked-for file, write them together."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from knitground.core.base.errors import PlaceError
from knitground.core.base.filenames import key_of
from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import quoted, say
from knitground.core.files.made import MadeFolder
from knitground.core.files.places import inside
from knitground.core.files.ship.csv import CSV
from knitground.core.files.ship.json import JSON
from knitground.core.files.ship.kinds import Kept, ShipFormat, ShipJob
from knitground.core.files.ship.markers import MARKERS
from knitground.core.files.ship.motion import MOTION
from knitground.core.files.ship.names import ship_names
from knitground.core.files.ship.ora import ORA
from knitground.core.files.ship.png import PNG
from knitground.core.files.ship.svg import SVG
from knitground.core.files.ship.ways import WAYS
from knitground.core.grow.rewriting import rewrite_map
from knitground.core.knit.layer import knit_map
from knitground.core.model.map import Map, gaps_of
from knitground.core.model.profile import Profile, ShipPart
from knitground.core.model.project import Project

FORMATS = {each.key: each for each in (PNG, JSON, CSV, SVG, ORA, MOTION, WAYS, MARKERS)}
"""All formats, in the order in which they are offered."""
USUAL_FORMATS = tuple(key for key, each in FORMATS.items() if each.usual)
Knit = Callable[[Map], object]


@dataclass(frozen=True)
class Shipped:
    """What was shipped.

    Parameters
    ----------
    files : every file, in order of its name
    gaps : cells that are gaps, by map
    fresh : names of those that did not lie there yet, or were different
    left_over : names of those that the same profile shipped before and does not any more
    """

    files: list[Path]
    gaps: dict[str, int] = field(default_factory=dict)
    fresh: tuple[str, ...] = ()
    left_over: tuple[str, ...] = ()


def ship(
    project: Project,
    maps: Sequence[Map],
    folder: Path,
    parts: Sequence[str | ShipPart] = USUAL_FORMATS,
    progress: Progress = no_progress,
    knit: Knit | None = None,
    *,
    overwrite: bool = False,
    profile: str = "",
    drop: bool = False,
    kept: Kept | None = None,
    discard: Callable[[Path], object] = Path.unlink,
) -> Shipped:
    """Write what a game reads.

    `knit` brings a map's cells up to date; by default everything is knitted afresh.
    Nothing is written until all files have been made, and then only those that are different from
    what lies there. Two runs give the same bytes.

    Parameters
    ----------
    parts : formats, by their keys or with options
    profile : in whose name it is written
    drop : whether to take away what it shipped before and does not any more
    kept : of the shipment before, so that only what is different is made
    discard : how a file is taken away: for good, or into the desktop's trash

    Raises
    ------
    PlaceError
        An unknown format or option, no map, a sheet that is missing, or a folder that can not be
        written.
    NotOursError
        Files lie there that were not shipped from here, and are not to be overwritten.
    Cancelled
        From `progress`.
    """
    made = MadeFolder(folder, overwrite=overwrite, maker=profile)
    files, gaps = _make(project, maps, parts, progress, knit, made, kept or Kept())
    fresh = made.different(files)
    if fresh:
        made.write({name: files[name] for name in fresh})
    made.keep(name for name in files if name not in fresh)
    left = made.left_over()
    if drop:
        made.drop(left, discard)
    made.close()
    return Shipped(made.paths, gaps, fresh, () if drop else left)


def check(
    project: Project,
    maps: Sequence[Map],
    folder: Path,
    parts: Sequence[str | ShipPart] = USUAL_FORMATS,
    progress: Progress = no_progress,
    knit: Knit | None = None,
    *,
    profile: str = "",
) -> Shipped:
    """Tell what `ship` would write and leave over, and write nothing."""
    made = MadeFolder(folder, maker=profile)
    files, gaps = _make(project, maps, parts, progress, knit, made, Kept())
    made.keep(files)
    return Shipped([folder / name for name in sorted(files)], gaps, made.different(files),
                   made.left_over())  # fmt: skip


def chosen_parts(parts: Sequence[str | ShipPart]) -> list[tuple[ShipFormat, Any]]:
    """Give the formats of a shipment, each with its options.

    Raises
    ------
    PlaceError
        There is no such format or option, or none at all.
    """
    every = [parts] if isinstance(parts, str | ShipPart) else list(parts)
    asked = [ShipPart(each) if isinstance(each, str) else each for each in every]
    unknown = [each.format for each in asked if each.format not in FORMATS]
    if unknown or not asked:
        which = ", ".join(quoted(each[:40]) for each in unknown) or quoted("")
        raise PlaceError(
            say(
                "format {which} is not known: give some of {words}",
                which=which,
                words=", ".join(FORMATS),
            )
        )
    by_key = {each.format: each for each in asked}
    return [(FORMATS[key], FORMATS[key].chosen(each.options)) for key, each in by_key.items()]


def profile_folder(home: Path, profile: Profile) -> Path:
    """Give the folder of a profile, inside that of its project.

    Raises
    ------
    PlaceError
        It leads out, or a link in it does: a stranger's project writes nowhere else.
    """
    return inside(home, profile.folder)


def maps_of(project: Project, profile: Profile) -> list[Map]:
    """Give the maps of a profile.

    Raises
    ------
    PlaceError
        One of them is not there any more.
    """
    missing = [name for name in profile.maps if project.map_named(name) is None]
    if missing:
        raise PlaceError(
            say(
                "the profile “{name}” ships the map “{missing}”, which is not there: correct "
                "the profile in Ship",
                name=profile.name,
                missing=missing[0],
            )
        )
    return [each for each in project.maps if not profile.maps or each.name in profile.maps]


def _make(
    project: Project, maps: Sequence[Map], parts: Sequence[str | ShipPart], progress: Progress,
    knit: Knit | None, made: MadeFolder, kept: Kept,
) -> tuple[dict[str, bytes], dict[str, int]]:  # fmt: skip
    """Make all files, by their names; and count gaps."""
    chosen = chosen_parts(parts)
    if not maps:
        raise PlaceError(say("there is no map to ship: make one in Draw"))

    def afresh(map_: Map) -> None:
        knit_map(project, map_)
        rewrite_map(project, map_)

    knit = knit or afresh
    job = ShipJob(project, ship_names(project, maps), kept)
    by_name: dict[str, str] = {}
    names: list[str] = []
    for each, options in chosen:
        for map_ in maps:
            for name in dict.fromkeys(each.names(job, map_, options)):
                shared = name in job.names.shared
                who = (
                    say("sheets")
                    if shared
                    else say("{key} of “{name}”", key=each.key, name=map_.name)
                )
                names.append(name)
                other = by_name.setdefault(key_of(name), who)
                if other != who:
                    raise PlaceError(
                        say(
                            "{name} would be written twice, by {other} and by {who}: give "
                            "one of them "
                            "other names",
                            name=name,
                            other=other,
                            who=who,
                        )
                    )
    made.refuse(names)
    files: dict[str, bytes] = {}
    gaps: dict[str, int] = {}
    for place, map_ in enumerate(maps):
        knit(map_)
        gaps[map_.name] = sum(gaps_of(map_).values())
        for number, (each, options) in enumerate(chosen):

            def part(done: float, before: float = place + number / len(chosen)) -> None:
                progress((before + done / len(chosen)) / len(maps))

            files.update(each.files(job, map_, options, part))
    progress(1.0)
    kept.turn()
    return files, {name: count for name, count in gaps.items() if count}
