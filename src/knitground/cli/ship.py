"""`knitground ship`: write what a game reads."""

from __future__ import annotations

from pathlib import Path

import click

from knitground.cli.output import (
    allowing_gaps,
    as_json,
    map_called,
    opened,
    overwriting,
    tell,
    tell_faults,
)
from knitground.core.files.ship.ship import FORMATS, USUAL_FORMATS, ship


@click.command("ship")
@click.argument("project", type=click.Path(path_type=Path))
@click.option("--map", "name", metavar="NAME", help="One map; all of them by default.")
@click.option("--to", "folder", required=True, type=click.Path(path_type=Path))
@click.option(
    "--format",
    "formats",
    multiple=True,
    type=click.Choice(list(FORMATS)),
    default=USUAL_FORMATS,
    show_default=True,
    help="Can be given more than once.",
)
@click.option("--half", "level", count=True, help="Half the picture's scale; repeat for less.")
@overwriting
@allowing_gaps
@as_json
def ship_command(
    project: Path,
    name: str | None,
    folder: Path,
    formats: tuple[str, ...],
    level: int,
    overwrite: bool,
    allow_gaps: bool,
    as_json: bool,
) -> int:
    """Ship maps of PROJECT: PNG of each, JSON with layers, legend and tilesets, SVG of shapes.

    Exits 1 if cells have no tile; the files are written all the same.
    """
    found = opened(project)
    model = found.project
    maps = model.maps if name is None else [map_called(model, name)]
    shipped = ship(model, maps, folder, formats, level, overwrite=overwrite)
    files = [str(path) for path in shipped.files]
    tell(files, files, as_json)
    return tell_faults(shipped.gaps, found.warnings, allowed=allow_gaps)
