"""What every verb shares: how it prints, and how it finds a map."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import click

from knitground.core.base.errors import PlaceError
from knitground.core.files.opening import Opened, open_project
from knitground.core.model.map import Map
from knitground.core.model.project import Project

as_json = click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")


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


def map_called(project: Project, name: str) -> Map:
    """Find a map by its name, or say which there are."""
    found = project.map_named(name)
    if found is None:
        names = ", ".join(f"“{each.name}”" for each in project.maps) or "none"
        raise PlaceError(f"there is no map “{name}”; the project has: {names}")
    return found
