"""`knitground knit`: knit a map again and report gaps."""

from __future__ import annotations

from pathlib import Path

import click

from knitground.cli.output import as_json, map_called, opened, tell
from knitground.core.knit.layer import knit_map, layer_table
from knitground.core.knit.missing import missing_combinations
from knitground.core.model.layers import GroundLayer


@click.command("knit")
@click.argument("project", type=click.Path(path_type=Path))
@click.option("--map", "name", required=True, metavar="NAME", help="The map.")
@as_json
@click.pass_context
def knit_command(context: click.Context, project: Path, name: str, as_json: bool) -> int:
    """Knit a map of PROJECT and report gaps; exits 1 if there are any.

    Cells are worked out from terrain whenever a project is opened, so nothing is written.
    """
    model = opened(project).project
    map_ = map_called(model, name)
    gaps = knit_map(model, map_)
    grounds = [layer for layer in map_.layers if isinstance(layer, GroundLayer)]
    missing: list[tuple[str, tuple[str, ...], int]] = []
    for layer in grounds:
        found = model.set_of(layer.tileset, layer.set_name)
        if found:
            table = layer_table(model, map_, layer)
            for names, cells in missing_combinations(table, found[1], layer.terrain):
                missing.append((layer.name, names, cells))
    cells = map_.height * map_.width * len(grounds)
    value = {
        "cells": cells,
        "gaps": gaps,
        "bridged": 0,
        "missing": [{"layer": a, "corners": list(b), "cells": c} for a, b, c in missing],
    }
    lines = [f"{cells} cells knitted, {gaps} gaps"]
    lines += [
        f"missing on {layer}: NW NE SW SE = {', '.join(names)} ({count} cells)"
        for layer, names, count in missing
    ]
    tell(value, lines, as_json)
    return 1 if gaps else 0
