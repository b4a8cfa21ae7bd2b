"""`knitground ship`: write what a game reads."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from dataclasses import fields
from pathlib import Path
from shutil import copyfileobj
from tempfile import TemporaryDirectory

import click

from knitground.cli.output import (
    STDIO,
    allowing_gaps,
    as_json,
    dry_run,
    examples,
    map_called,
    opened,
    overwriting,
    progress,
    tell,
    tell_faults,
)
from knitground.core.base.errors import KnitError, PlaceError
from knitground.core.files.ship.ship import (
    FORMATS,
    USUAL_FORMATS,
    Shipped,
    check,
    maps_of,
    profile_folder,
    ship,
)
from knitground.core.files.vault import is_rehearsed
from knitground.core.model.profile import OptionValue, Profile, ShipPart
from knitground.core.model.project import Project

_LOOKS_SECONDS = 0.5


def _options_words() -> str:
    """List the options of all formats."""
    return ", ".join(f"{key}.{one.name}" for key, each in FORMATS.items()
                     for one in fields(each.options))  # fmt: skip


@click.command(
    "ship",
    epilog=examples(
        "ship Harbour --to game",
        "ship Harbour --to game --format png --with png.scale=2 --watch",
        "ship Harbour --map Coast --format png --to - > coast.png",
    ),
)
@click.argument("project", type=click.Path(path_type=Path))
@click.option("--map", "name", metavar="NAME", help="One map; all of them by default.")
@click.option("--to", "folder", type=click.Path(path_type=Path), help="The folder to write into; "
              "by default that of the profile; “-” is stdout, for one file.")  # fmt: skip
@click.option("--profile", metavar="NAME", help="Ship what a profile of the project says.")
@click.option(
    "--format",
    "formats",
    multiple=True,
    type=click.Choice(list(FORMATS)),
    help=f"Can be given more than once. By default {', '.join(USUAL_FORMATS)}.",
)
@click.option("--with", "given", multiple=True, metavar="FORMAT.OPTION=VALUE",
              help=f"Such as png.scale=2. There are {_options_words()}.")  # fmt: skip
@click.option("--half", "level", count=True, help="Half the picture's scale; repeat for less.")
@click.option("--check", "only_check", is_flag=True, help="Write nothing; exit 1 if what lies "
              "there is not what would be written.")  # fmt: skip
@click.option("--drop", is_flag=True, help="Take away what the same profile shipped before and "
              "does not any more.")  # fmt: skip
@click.option("--watch", is_flag=True, help="Go on: ship again whenever the project is saved.")
@overwriting
@allowing_gaps
@dry_run
@as_json
def ship_command(
    project: Path,
    name: str | None,
    folder: Path | None,
    profile: str | None,
    formats: tuple[str, ...],
    given: tuple[str, ...],
    level: int,
    only_check: bool,
    drop: bool,
    watch: bool,
    overwrite: bool,
    allow_gaps: bool,
    as_json: bool,
) -> int:
    """Ship maps of PROJECT: pictures, JSON with sheets, CSV, shapes, ways, markers.

    Only files that are different are written. Exits 1 if cells have no tile; the files are written
    all the same.
    """
    if folder == STDIO:
        if watch or only_check or as_json or is_rehearsed():
            raise click.UsageError("--to - writes the one file to stdout, and nothing else")
        return _pipe(project, name, profile, formats, given, level, allow_gaps=allow_gaps)
    if watch and (only_check or as_json or is_rehearsed()):
        raise click.UsageError(
            "--watch goes on for ever: it has neither --check, --dry-run nor --json"
        )

    def once() -> tuple[Shipped, list[str]]:
        found = opened(project)
        model = found.project
        asked = _profile(model, profile) if profile is not None else Profile("shipped")
        maps = maps_of(model, asked) if name is None else [map_called(model, name)]
        parts = _parts(asked, formats, given, level)
        there = _folder(model, asked, folder, named=profile is not None)
        if only_check:
            return check(model, maps, there, parts, profile=profile or ""), found.warnings
        with progress("Shipping") as told:
            return ship(model, maps, there, parts, told, overwrite=overwrite,
                        profile=profile or "", drop=drop), found.warnings  # fmt: skip

    shipped, warnings = once()
    files = [str(path) for path in shipped.files]
    lines = files
    if only_check:
        lines = [f"{'differs' if one in shipped.fresh else 'left over'}: {one}"
                 for one in (*shipped.fresh, *shipped.left_over)]  # fmt: skip
        lines.append(f"{len(lines)} files are not as they would be shipped")
    else:
        lines = [*files, f"{len(shipped.fresh)} of {len(files)} written"]
        lines += [f"left over (--drop takes it away): {each}" for each in shipped.left_over]
    tell({"files": files, "fresh": shipped.fresh, "left_over": shipped.left_over}, lines, as_json)
    if watch:
        _watch(project, once)
    if only_check and (shipped.fresh or shipped.left_over):
        return 1
    return tell_faults(shipped.gaps, warnings, allowed=allow_gaps)


def _pipe(
    project: Path, name: str | None, profile: str | None, formats: Sequence[str],
    given: Sequence[str], level: int, *, allow_gaps: bool,
) -> int:  # fmt: skip
    """Write the one file that is shipped to stdout; returns the exit code."""
    found = opened(project)
    model = found.project
    asked = _profile(model, profile) if profile is not None else Profile("shipped")
    maps = maps_of(model, asked) if name is None else [map_called(model, name)]
    with TemporaryDirectory() as place:
        shipped = ship(model, maps, Path(place), _parts(asked, formats, given, level))
        if len(shipped.files) != 1:
            raise PlaceError(f"{len(shipped.files)} files would go to stdout, and it takes one: "
                             "give one --map and one --format, such as png")  # fmt: skip
        with click.open_file("-", "wb") as out, shipped.files[0].open("rb") as file:
            copyfileobj(file, out)
    return tell_faults(shipped.gaps, found.warnings, allowed=allow_gaps)


def _profile(model: Project, name: str) -> Profile:
    found = next((each for each in model.profiles if each.name == name), None)
    if found is None:
        names = ", ".join(f"“{each.name}”" for each in model.profiles) or "none"
        raise PlaceError(f"there is no profile “{name[:60]}”: the project has {names}")
    return found


def _folder(model: Project, profile: Profile, folder: Path | None, *, named: bool) -> Path:
    if folder is not None:
        return folder
    if not named or model.folder is None:
        raise click.UsageError("give a folder with --to, or a profile")
    return profile_folder(model.folder, profile)


def _parts(
    profile: Profile, formats: Sequence[str], given: Sequence[str], level: int
) -> list[ShipPart]:
    parts = [ShipPart(each) for each in formats] or list(profile.parts)
    parts = parts or [ShipPart(each) for each in USUAL_FORMATS]
    more: dict[str, dict[str, OptionValue]] = {}
    if level:
        more["png"] = {"scale": f"1/{2 ** min(level, 3)}"}
    for each in given:
        key, equals, value = each.partition("=")
        format_, dot, name = key.partition(".")
        if not equals or not dot:
            raise PlaceError(f"“{each[:60]}” is no option: write it as png.scale=2")
        if format_ not in [part.format for part in parts]:
            raise PlaceError(f"“{each[:60]}” is for a format that is not shipped: it is "
                             f"{', '.join(part.format for part in parts)}")  # fmt: skip
        more.setdefault(format_, {})[name] = _value(value)
    return [ShipPart(each.format, {**each.options, **more.get(each.format, {})}) for each in parts]


def _value(text: str) -> OptionValue:
    if text in ("true", "false"):
        return text == "true"
    return text


def _watch(project: Path, once: Callable[[], tuple[Shipped, list[str]]]) -> None:
    """Ship again whenever a file of the project is another one, until it is stopped."""
    folder = project if project.is_dir() else project.parent

    def state() -> list[tuple[str, int]]:
        return sorted((each.name, each.stat().st_mtime_ns) for each in folder.iterdir()
                      if each.is_file())  # fmt: skip

    before = state()
    click.echo("watching; Ctrl+C ends it", err=True)
    while True:
        try:
            time.sleep(_LOOKS_SECONDS)
            now = state()
            if now == before:
                continue
            before = now
            shipped, _ = once()
            click.echo(f"{len(shipped.fresh)} of {len(shipped.files)} written: "
                       f"{', '.join(shipped.fresh[:8])}")  # fmt: skip
        except KeyboardInterrupt:
            return
        except (KnitError, OSError) as error:  # half-saved, or a mistake that will be mended
            click.echo(f"not shipped: {error}", err=True)
