"""The verbs `new` and `list`: a project begun from sheets, and what a project holds."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from knitground.cli.cut import pair
from knitground.cli.output import as_json, dry_run, examples, opened, tell, tell_faults
from knitground.core.base.errors import PlaceError
from knitground.core.edit.document import Document
from knitground.core.edit.likelysets import add_likely_set, sheet_sets
from knitground.core.edit.maps import add_map, lay_grown
from knitground.core.edit.sheets import add_tileset
from knitground.core.edit.starters import starter_recipe, starters, take_starter
from knitground.core.files.newsheets import new_tileset
from knitground.core.files.places import PROJECT_NAME
from knitground.core.files.saving import save_project
from knitground.core.grow.runner import run_recipe
from knitground.core.knit.layer import knit_map
from knitground.core.model.map import Map
from knitground.core.model.project import Project, free_name
from knitground.core.model.slicing import Slicing
from knitground.core.model.tileset import Tileset
from knitground.core.slicing.likely import likely_grids

_SURE = 0.8


@click.command(
    "new",
    epilog=examples(
        "new Harbour pans.png props.png --sets --map 64x48",
        "new Harbour sheet.png --tile 32 --margin 1 --spacing 2",
    ),
)
@click.argument("folder", type=click.Path(path_type=Path, file_okay=False))
@click.argument("sheets", nargs=-1, required=True, metavar="SHEET...",
                type=click.Path(path_type=Path))  # fmt: skip
@click.option("--tile", metavar="WxH", help="Tile size; without it each sheet's likeliest grid.")
@click.option("--margin", default="0", metavar="N|X,Y", help="With --tile: pixels round.")
@click.option("--spacing", default="0", metavar="N|X,Y", help="With --tile: pixels between.")
@click.option("--sets", "with_sets", is_flag=True, help="Make the sets that are surer than 80 %.")
@click.option("--map", "size", metavar="WxH", help="Add a square map; with --sets it "
              "grows by the first recipe that the sets allow.")  # fmt: skip
@click.option("--seed", default=1, show_default=True, help="Of that recipe.")
@dry_run
@as_json
def new_command(
    folder: Path, sheets: tuple[Path, ...], tile: str | None, margin: str, spacing: str,
    with_sets: bool, size: str | None, seed: int, as_json: bool,
) -> int:  # fmt: skip
    """Begin a project in FOLDER with pictures as its sheets.

    Nothing is written unless all of it can be; a folder with a project in it is refused.
    """
    if (folder / PROJECT_NAME).exists():
        raise PlaceError(f"{folder} holds a project already: name another folder, or open that one")
    project = Project(folder.absolute().name)
    doc, asked = Document(project), _asked_slicing(tile, margin, spacing)
    for path in sheets:
        taken = [each.name for each in project.tilesets]
        tileset = new_tileset(path, free_name(path.stem, taken), project.sheets_room)
        doc.apply(add_tileset(project, tileset))
        _cut(tileset, asked)
        if with_sets:
            for guess in sheet_sets(tileset):
                if guess.score > _SURE:
                    doc.apply(add_likely_set(tileset, guess))
    if size is not None:
        _add_map(doc, size, seed)
    save_project(project, folder)
    tell(facts_of(project), lines_of(project), as_json)
    return 0


def _asked_slicing(tile: str | None, margin: str, spacing: str) -> Slicing | None:
    if tile is None:
        return None
    (wide, high), (across, down) = pair(tile, "--tile"), pair(spacing, "--spacing")
    left, top = pair(margin, "--margin")
    return Slicing(wide, high, left, top, across, down)


def _cut(tileset: Tileset, asked: Slicing | None) -> None:
    """Cut a sheet on which nothing hangs yet."""
    if asked is not None:
        tileset.slicing = asked
    elif tileset.picture is not None:
        found = likely_grids(tileset.picture, 1)
        if found:
            tileset.slicing = found[0].slicing


def _add_map(doc: Document, size: str, seed: int) -> None:
    project = doc.project
    wide, high = pair(size, "--map")
    cut = project.tilesets[0].slicing
    map_ = Map("Map", high, wide, cut.tile_height, cut.tile_width)
    doc.apply(add_map(project, map_))
    offered = starters(project, map_)
    if not offered:
        return
    doc.apply(take_starter(map_, offered[0], seed))
    grown = run_recipe(project, map_, skipped=[])
    doc.apply(lay_grown(map_, grown, starter_recipe(map_, offered[0], seed)))
    knit_map(project, map_)


@click.command("list")
@click.argument("project", type=click.Path(path_type=Path))
@as_json
def list_command(project: Path, as_json: bool) -> int:
    """Tell what PROJECT holds: sheets with their sets, maps with their layers, mixes, profiles."""
    found = opened(project)
    tell(facts_of(found.project), lines_of(found.project), as_json)
    return tell_faults({}, found.warnings, allowed=False)


def facts_of(project: Project) -> dict[str, Any]:
    """Give what a project holds as plain values; sizes are across and down."""
    return {
        "name": project.name,
        "sheets": [
            {
                "name": each.name,
                "file": each.sheet,
                "size": [each.width, each.height],
                "tile": [each.slicing.tile_width, each.slicing.tile_height],
                "margin": [each.slicing.margin_x, each.slicing.margin_y],
                "spacing": [each.slicing.spacing_x, each.slicing.spacing_y],
                "tiles": each.count,
                "sets": [
                    {"name": kit.name, "kind": kit.kind.value,
                     "terrains": [terrain.name for terrain in kit.terrains]}
                    for kit in each.sets
                ],
            }
            for each in project.tilesets
        ],
        "maps": [
            {
                "name": each.name,
                "size": [each.width, each.height],
                "form": each.grid.kind.value,
                "layers": [{"name": layer.name, "kind": layer.kind} for layer in each.layers],
                "seed": each.recipe.seed,
                "steps": len(each.recipe.steps),
            }
            for each in project.maps
        ],
        "mixes": [each.name for each in project.mixes],
        "profiles": [each.name for each in project.profiles],
    }  # fmt: skip


def lines_of(project: Project) -> list[str]:
    """Give what a project holds, for people."""
    lines = []
    for each in project.tilesets:
        cut = each.slicing
        lines.append(f"sheet {each.name}: {each.sheet}, {each.count} tiles of "
                     f"{cut.tile_width} × {cut.tile_height} px")  # fmt: skip
        for kit in each.sets:
            terrains = ", ".join(terrain.name for terrain in kit.terrains)
            lines.append(f"  {kit.kind.value} set {kit.name}: {terrains}")
    for map_ in project.maps:
        steps = len(map_.recipe.steps)
        grows = f", a recipe of {steps} steps with seed {map_.recipe.seed}" if steps else ""
        lines.append(f"map {map_.name}: {map_.width} × {map_.height} cells{grows}")
        lines += [f"  {layer.kind} {layer.name}" for layer in map_.layers]
    lines += [f"mix {each.name}" for each in project.mixes]
    lines += [f"profile {each.name}" for each in project.profiles]
    return lines
