"""`knitground grow`: run a map's recipe and save the map, or write many maps with other seeds."""

from __future__ import annotations

import os
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from contextlib import ExitStack
from dataclasses import replace
from multiprocessing import get_context
from pathlib import Path
from typing import Any

import click

from knitground.cli.output import (
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
from knitground.core.base.errors import GrowError, PlaceError
from knitground.core.edit.document import Document
from knitground.core.edit.maps import lay_grown
from knitground.core.edit.recipes import Over, grow_round, step_title
from knitground.core.files.made import MadeFolder
from knitground.core.files.opening import project_file
from knitground.core.files.saving import save_project
from knitground.core.files.ship.kinds import ShipJob
from knitground.core.files.ship.names import ship_names
from knitground.core.files.ship.ship import FORMATS, USUAL_FORMATS
from knitground.core.grow.plainless import find_plainless
from knitground.core.grow.rewriting import rewrite_map
from knitground.core.grow.runner import run_recipe
from knitground.core.grow.work import Grown
from knitground.core.knit.layer import knit_map
from knitground.core.model.map import Map, gaps_of
from knitground.core.model.project import Project

MOST = 10_000
_OVER_CURE = "--over round, --over own or --over instead"


@click.command(
    "grow",
    epilog=examples(
        "grow Harbour --map Coast --seed 7",
        "grow Harbour --map Coast --count 100 --to coasts",
    ),
)
@click.argument("project", type=click.Path(path_type=Path))
@click.option("--map", "name", required=True, metavar="NAME", help="The map.")
@click.option("--seed", type=int, help="Another seed than the recipe's; it is kept.")
@click.option("--step", type=click.IntRange(1), help="Run only the first so many steps.")
@click.option(
    "--count",
    type=click.IntRange(1, MOST),
    help="Write so many maps with following seeds, as PNG and JSON; nothing is saved.",
)
@click.option("--first", type=int, help="Seed of the first of them; by default the recipe's.")
@click.option("--to", "folder", type=click.Path(path_type=Path), help="Where they are written.")
@click.option(
    "--processes",
    type=click.IntRange(1, 256),
    help="How many work at once; the files are the same for any number.",
)
@click.option(
    "--over",
    type=click.Choice([each.name.lower() for each in Over]),
    help="Where a layer was painted by hand since it was grown: grow on a layer of its own (own), "
    "round what is painted (round), or instead of it (instead).",
)
@overwriting
@allowing_gaps
@dry_run
@as_json
def grow_command(
    project: Path,
    name: str,
    seed: int | None,
    step: int | None,
    count: int | None,
    first: int | None,
    folder: Path | None,
    processes: int | None,
    over: str | None,
    overwrite: bool,
    allow_gaps: bool,
    as_json: bool,
) -> int:
    """Run the recipe of a map of PROJECT and save it; pins stay.

    Exits 1 if cells have no tile, or a sheet is missing; the maps are written all the same.
    """
    found = opened(project)
    way = Over[over.upper()] if over else None
    model = found.project
    map_ = map_called(model, name)
    if count is not None:
        if folder is None:
            raise PlaceError("--count writes maps: say where with --to DIR")
        start = map_.recipe.seed if first is None else first
        seeds = range(start, start + count)
        made = MadeFolder(folder, overwrite=overwrite)
        made.refuse(_names_of_many(model, map_, seeds))
        grow_round(Document(model), map_, map_.recipe, way, _OVER_CURE)
        gaps = _grow_many(project, map_, seeds, made, processes, way)
        files = [str(path) for path in made.paths]
        tell(files, files, as_json)
        return tell_faults(gaps, found.warnings, allowed=allow_gaps)
    recipe = map_.recipe if seed is None else replace(map_.recipe, seed=seed)
    doc = Document(model)
    map_.recipe = recipe = grow_round(doc, map_, recipe, way, _OVER_CURE)
    skipped: list[str] = []
    with progress("Growing") as told:
        grown = run_recipe(model, map_, told, until=step, skipped=skipped)
    if not grown:
        raise GrowError("; ".join(skipped) or "no step of the recipe runs: switch one on")
    doc.apply(lay_grown(map_, grown))
    save_project(model, project_file(project).parent)
    lines = [f"seed {recipe.seed}"]
    for each in grown:
        lines += _lines(map_, each)
    plainless = find_plainless(model, map_, grown)
    for without in plainless:
        click.echo(f"knitground: {without.words}", err=True)
    value = {"seed": recipe.seed, "steps": [_told(map_, each) for each in grown],
            "skipped": skipped,
            "without_plain_tile": [each.name for each in plainless]}  # fmt: skip
    tell(value, [*lines, *skipped], as_json)
    knit_map(model, map_)
    rewrite_map(model, map_)
    return tell_faults(gaps_of(map_), found.warnings, allowed=allow_gaps)


def _told(map_: Map, each: Grown) -> dict[str, Any]:
    return {
        "step": each.step + 1,
        "kind": step_title(map_.recipe.steps[each.step]),
        "layer": each.layer.name,
        "seconds": round(each.seconds, 4),
        "words": each.words,
        "shares": [
            {"terrain": terrain, "asked": round(asked, 6), "laid": round(laid, 6)}
            for terrain, asked, laid in each.shares
        ],
    }


def _lines(map_: Map, each: Grown) -> list[str]:
    title = step_title(map_.recipe.steps[each.step])
    first = f"{each.step + 1} {title} → {each.layer.name}: {each.seconds * 1000:.0f} ms"
    return [
        first + (f" · {each.words}" if each.words else ""),
        *(f"  {terrain}: asked {asked:.1%}, laid {laid:.1%}"
          for terrain, asked, laid in each.shares),
    ]  # fmt: skip


# Many maps


def _names_of_many(model: Project, map_: Map, seeds: range) -> list[str]:
    """Name every file that may be written for so many seeds."""
    maps = [replace(map_, name=_name(map_.name, seed)) for seed in seeds]
    job = ShipJob(model, ship_names(model, maps))
    return [
        name
        for key in USUAL_FORMATS
        for each in maps
        for name in FORMATS[key].names(job, each, FORMATS[key].chosen())
    ]


def _name(name: str, seed: int) -> str:
    return f"{name} {seed}"


def _grow_many(
    project: Path,
    map_: Map,
    seeds: range,
    made: MadeFolder,
    processes: int | None,
    over: Over | None,
) -> dict[str, int]:
    """Grow a map with many seeds, each in its turn by whichever process is free; returns gaps."""
    workers = min(len(seeds), processes or os.cpu_count() or 1)
    jobs = [(project, map_.name, seed, over) for seed in seeds]
    gaps: dict[str, int] = {}
    written: set[str] = set()

    def keep(seed: int, one: tuple[dict[str, bytes], int]) -> None:
        files, count = one
        new = {name: data for name, data in files.items() if name not in written}
        made.write(new)
        written.update(new)
        if count:
            gaps[_name(map_.name, seed)] = count

    try:
        with ExitStack() as stack:
            told = stack.enter_context(progress("Growing"))
            if workers == 1:
                each_of: Iterator[Any] = (grow_one(*job) for job in jobs)
            else:
                spawn = get_context("spawn")
                pool = stack.enter_context(ProcessPoolExecutor(workers, mp_context=spawn))
                each_of = pool.map(grow_one, *zip(*jobs))
            for n, (seed, one) in enumerate(zip(seeds, each_of), 1):
                keep(seed, one)
                told(n / len(seeds))
    finally:
        made.close()
    return gaps


def grow_one(
    project: Path, name: str, seed: int, over: Over | None = None
) -> tuple[dict[str, bytes], int]:
    """Grow a map with one seed; returns its files' names and contents, and how many gaps it has."""
    model = opened(project).project
    map_ = map_called(model, name)
    doc = Document(model)
    map_.recipe = grow_round(doc, map_, replace(map_.recipe, seed=seed), over, _OVER_CURE)
    doc.apply(lay_grown(map_, run_recipe(model, map_, skipped=[])))
    knit_map(model, map_)
    rewrite_map(model, map_)
    map_.name = _name(name, seed)
    job = ShipJob(model, ship_names(model, [map_]))
    files: dict[str, bytes] = {}
    for key in USUAL_FORMATS:
        files |= FORMATS[key].files(job, map_, FORMATS[key].chosen())
    return files, sum(gaps_of(map_).values())
