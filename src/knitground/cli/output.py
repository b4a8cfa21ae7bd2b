"""What every verb shares: how it prints, and how it finds a map."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import click

from knitground.core.base.errors import PlaceError
from knitground.core.files.opening import Opened, open_project, open_tileset
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.tileset import Tileset

as_json = click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")


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
    else:
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
