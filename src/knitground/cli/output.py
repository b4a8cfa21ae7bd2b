"""What every verb shares: how it prints, and how it finds a map."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any, TypeVar

import click

from knitground.core.base.errors import PictureError, PlaceError
from knitground.core.base.progress import Progress, no_progress
from knitground.core.files.images import MAX_PICTURE_BYTES, picture_of, read_picture, read_sheet
from knitground.core.files.opening import Opened, open_project, open_tileset
from knitground.core.files.vault import rehearsed
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.tileset import Picture, Tileset

_QUIET = "knitground.quiet"
_STEPS = 1000
STDIO = Path("-")
"""Named in place of a file: what comes in, or goes out, by a pipe."""
_Verb = TypeVar("_Verb", bound=Callable[..., Any])


def as_json(verb: _Verb) -> _Verb:
    """Let a verb print JSON for machines, or nothing where nothing is wrong."""
    quiet = click.option(
        "--quiet", "-q", is_flag=True, expose_value=False,
        help="Print no words for people and no progress; what is wrong is told all the same.",
        callback=lambda ctx, _, on: ctx.meta.update({_QUIET: on}),
    )  # fmt: skip
    option = click.option("--json", "as_json", is_flag=True, help="Print one JSON document, of "
                          "what is wrong too: {\"error\": {\"kind\", \"words\"}}.")  # fmt: skip
    return option(quiet(verb))


def examples(*lines: str) -> str:
    """Write examples for the end of a verb's help, each on a line of its own."""
    return "\b\nExamples:\n" + "\n".join(f"  knitground {each}" for each in lines)


def _is_quiet() -> bool:
    return bool(click.get_current_context().meta.get(_QUIET))


@contextmanager
def progress(words: str) -> Iterator[Progress]:
    """Show on stderr how far long work is, where somebody looks at it."""
    if _is_quiet() or not sys.stderr.isatty():
        yield no_progress
        return
    with click.progressbar(length=_STEPS, label=words, file=sys.stderr) as bar:
        yield lambda part: bar.update(round(part * _STEPS) - bar.pos)


def picture_from(path: Path) -> Picture:
    """Read the picture of a file, or of what a pipe brings where the path is “-”.

    Raises
    ------
    PictureError
        As `read_picture`.
    """
    return picture_of(_piped(), "what came in") if path == STDIO else read_picture(path)


def sheet_from(path: Path) -> tuple[Picture, bytes]:
    """Read a picture and its file, of a pipe where the path is “-”."""
    if path == STDIO:
        data = _piped()
        return picture_of(data, "what came in"), data
    picture, data, _ = read_sheet(path)
    return picture, data


def _piped() -> bytes:
    data = sys.stdin.buffer.read(MAX_PICTURE_BYTES + 1)
    if len(data) > MAX_PICTURE_BYTES:
        raise PictureError(f"what came in has more than {MAX_PICTURE_BYTES >> 20} MB: send less")
    return data


def _rehearse(ctx: click.Context, _: click.Parameter, on: bool) -> None:
    if on:
        told = ctx.with_resource(rehearsed())
        ctx.call_on_close(lambda: _tell_rehearsed(told))


def _tell_rehearsed(told: list[Path]) -> None:
    for path in told:
        click.echo(f"knitground: would write {path}", err=True)
    if not told:
        click.echo("knitground: would write nothing", err=True)


dry_run = click.option(
    "--dry-run", is_flag=True, expose_value=False, callback=_rehearse,
    help="Write nothing; say on stderr which files would be different.",
)  # fmt: skip
overwriting = click.option(
    "--overwrite", is_flag=True, help="Also over files there that were not made here."
)
allowing_gaps = click.option(
    "--allow-gaps", is_flag=True, help="Exit 0 though cells have no tile or sheets are missing."
)


def tell_faults(gaps: Mapping[str, int], warnings: Sequence[str], *, allowed: bool) -> int:
    """Say on stderr which maps or layers have gaps; returns the exit code.

    Parameters
    ----------
    gaps : cells that no tile fits, by what has them
    warnings : what was wrong with the project's files, told already
    """
    for name, count in gaps.items():
        cells = "1 cell has" if count == 1 else f"{count} cells have"
        click.echo(f"knitground: “{name}”: {cells} no tile that fits", err=True)
    return 1 if (gaps or warnings) and not allowed else 0


def tell(value: Any, lines: Sequence[str], as_json: bool) -> None:
    """Print a JSON document, or lines for people."""
    if as_json:
        click.echo(json.dumps(value, ensure_ascii=False))
    elif not _is_quiet():
        for line in lines:
            click.echo(line)


def opened(path: Path) -> Opened:
    """Open a project; what could not be found goes to stderr."""
    found = open_project(path)
    for warning in found.warnings:
        click.echo(f"knitground: {warning}", err=True)
    return found


def opened_tileset(path: Path) -> tuple[Project, Tileset]:
    """Open a tileset, with its project if one lies beside it; warnings go to stderr."""
    found, tileset = open_tileset(path)
    for warning in found.warnings:
        click.echo(f"knitground: {warning}", err=True)
    return found.project, tileset


def map_called(project: Project, name: str) -> Map:
    """Find a map by its name, or say which there are."""
    found = project.map_named(name)
    if found is None:
        names = ", ".join(f"“{each.name}”" for each in project.maps) or "none"
        raise PlaceError(f"there is no map “{name}”; the project has: {names}")
    return found
