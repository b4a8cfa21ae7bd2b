"""`knitground grow`: run a map's recipe and save the map."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import click

from knitground.cli.output import as_json, map_called, opened, tell
from knitground.core.edit.document import Document
from knitground.core.edit.maps import lay_grown
from knitground.core.files.opening import project_file
from knitground.core.files.saving import save_project
from knitground.core.grow.runner import run_recipe


@click.command("grow")
@click.argument("project", type=click.Path(path_type=Path))
@click.option("--map", "name", required=True, metavar="NAME", help="The map.")
@click.option("--seed", type=int, help="Another seed than the recipe's; it is kept.")
@as_json
def grow_command(project: Path, name: str, seed: int | None, as_json: bool) -> None:
    """Run the recipe of a map of PROJECT and save it; pins stay."""
    model = opened(project).project
    map_ = map_called(model, name)
    recipe = map_.recipe if seed is None else replace(map_.recipe, seed=seed)
    map_.recipe = recipe
    grown = run_recipe(model, map_)
    Document(model).apply(lay_grown(map_, grown))
    save_project(model, project_file(project).parent)
    steps = [
        {
            "layer": each.layer.name,
            "seconds": round(each.seconds, 4),
            "shares": [
                {"terrain": terrain, "asked": round(asked, 6), "laid": round(laid, 6)}
                for terrain, asked, laid in each.shares
            ],
        }
        for each in grown
    ]
    lines = [f"seed {recipe.seed}"]
    for each in grown:
        lines.append(f"{each.layer.name}: {each.seconds * 1000:.0f} ms")
        lines += [
            f"  {terrain}: asked {asked:.1%}, laid {laid:.1%}"
            for terrain, asked, laid in each.shares
        ]
    tell({"seed": recipe.seed, "steps": steps}, lines, as_json)
