"""`knitground ship`: write what a game reads."""

from __future__ import annotations

from pathlib import Path

import click

from knitground.cli.output import as_json, map_called, opened, tell
from knitground.core.files.ship.ship import FORMATS, USUAL_FORMATS, ship


@click.command("ship")
@click.argument("project", type=click.Path(path_type=Path))
@click.option("--map", "name", metavar="NAME", help="One map; all of them by default.")
@click.option("--to", "folder", required=True, type=click.Path(path_type=Path))
@click.option(
    "--format",
    "formats",
    multiple=True,
    type=click.Choice(FORMATS),
    default=USUAL_FORMATS,
    show_default=True,
    help="Can be given more than once.",
)
@click.option("--half", "level", count=True, help="Half the picture's scale; repeat for less.")
@as_json
def ship_command(
    project: Path,
    name: str | None,
    folder: Path,
    formats: tuple[str, ...],
    level: int,
    as_json: bool,
) -> None:
    """Ship maps of PROJECT: PNG of each, JSON with layers, legend and tilesets, SVG of shapes."""
    model = opened(project).project
    maps = model.maps if name is None else [map_called(model, name)]
    files = ship(model, maps, folder, formats, level)
    tell([str(path) for path in files], [str(path) for path in files], as_json)
