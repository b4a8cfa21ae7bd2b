"""`knitground marks`, `coverage` and `sets`: what tiles show, what a terrain set lacks."""

from __future__ import annotations

from pathlib import Path

import click

from knitground.cli.cut import pair
from knitground.cli.output import (
    as_json,
    dry_run,
    examples,
    opened_tileset,
    progress,
    sheet_from,
    tell,
)
from knitground.core.base.errors import PlaceError
from knitground.core.edit.document import Document
from knitground.core.edit.likelysets import guess_words, kit_of_guess, sheet_sets
from knitground.core.edit.terrains import set_marks
from knitground.core.files.saving import save_project, save_tileset
from knitground.core.knit.bridge import build_graph
from knitground.core.knit.coverage import Combination, cover
from knitground.core.knit.guessing import guess_sheet
from knitground.core.knit.layer import set_table
from knitground.core.knit.missing import key_words
from knitground.core.model.project import Project
from knitground.core.model.slicing import Slicing
from knitground.core.model.terrain import TerrainSet
from knitground.core.model.tileset import Tileset
from knitground.core.slicing.likely import likely_grids

_tileset = click.argument("tileset", type=click.Path(path_type=Path))
_set = click.option("--set", "name", required=True, metavar="NAME", help="The terrain set.")


def found_set(path: Path, name: str) -> tuple[Project, Tileset, TerrainSet]:
    """Open a tileset and find a terrain set of it."""
    project, tileset = opened_tileset(path)
    kit = tileset.set_named(name)
    if kit is None:
        names = ", ".join(f"“{each.name}”" for each in tileset.sets) or "none"
        raise PlaceError(f"there is no terrain set “{name}”; {path.name} has: {names}")
    return project, tileset, kit


@click.command("marks")
@_tileset
@_set
@click.option("--save", is_flag=True, help="Give the tiles these marks and save the project.")
@dry_run
@as_json
def marks_command(tileset: Path, name: str, save: bool, as_json: bool) -> int:
    """Guess the marks of tiles of TILESET (a NAME.tiles.json) that have none.

    Tiles that are marked are the examples. Exits 1 if nothing could be guessed.
    """
    project, owner, kit = found_set(tileset, name)
    guessed = guess_sheet(owner, kit, None)
    if isinstance(guessed, str):
        tell([], [guessed], as_json)
        return 1
    value = []
    lines = []
    for (row, col), marks, sure in zip(guessed.places, guessed.marks, guessed.sure.tolist()):
        shown = {slot.name: kit.name_of(int(marks[slot])) for slot in kit.kind.slots if marks[slot]}
        number = owner.number(row, col)
        value.append({"tile": number, "marks": shown, "confidence": round(sure, 4)})
        words = ", ".join(f"{slot} {terrain}" for slot, terrain in shown.items()) or "nothing"
        lines.append(f"tile {number}: {words} ({sure:.0%})")
    if save:
        doc = Document(project)
        doc.apply(set_marks(owner, kit, guessed.places, guessed.marks, "Guess marks"))
        if project.folder is not None:
            save_project(project, project.folder)
        else:
            save_tileset(owner, tileset)
    tell(value, lines, as_json)
    return 0


@click.command(
    "coverage",
    epilog=examples(
        "coverage Harbour/pans.tiles.json --set Pans",
    ),
)
@_tileset
@_set
@as_json
def coverage_command(tileset: Path, name: str, as_json: bool) -> int:
    """Tell which combinations of marks TILESET has, and which a map may ask for in vain.

    Exits 1 if any is missing.
    """
    project, owner, kit = found_set(tileset, name)
    table, map_ = set_table(project, owner, kit)
    graph = build_graph(table)
    found = cover(table, kit, graph)

    def facts(each: Combination) -> dict[str, object]:
        tiles = [map_.legend.tile(place) for place, _ in (*each.variants, *each.inner)]
        owners = {t.name: t for t in project.tilesets}
        return {
            "shows": key_words(kit, each.key),
            "terrains": [kit.name_of(mark) for mark in each.terrains],
            "tiles": [
                {"tileset": t.tileset, "tile": owners[t.tileset].number(t.row, t.col)}
                for t in tiles
                if t is not None
            ],
        }

    bridges = [
        {"between": [kit.name_of(a), kit.name_of(b)], "by": [kit.name_of(t) for t in way]}
        for a, b, way in found.bridges
    ]
    value = {
        "wanted": len(found.pairs),
        "had": found.had,
        "missing": [facts(each) for each in found.missing],
        "doubled": [facts(each) for each in found.doubled],
        "beyond": {"wanted": len(found.beyond), "had": sum(c.had for c in found.beyond)},
        "bridges": bridges,
    }
    lines = [f"{found.had} of {len(found.pairs)} combinations have a tile"]
    lines += [f"missing: {key_words(kit, each.key)}" for each in found.missing]
    lines += [
        f"{kit.name_of(a)} and {kit.name_of(b)} are bridged by "
        f"{' → '.join(kit.name_of(t) for t in way) or 'nothing: gaps'}"
        for a, b, way in found.bridges
    ]
    tell(value, lines, as_json)
    return 1 if found.missing else 0


@click.command(
    "sets",
    epilog=examples(
        "sets sheet.png",
        "sets sheet.png --tile 16 --spacing 1 --least 0.8",
    ),
)
@click.argument("sheet", type=click.Path(path_type=Path))
@click.option(
    "--tile", metavar="WxH", help="Tile size of a picture; without it the likeliest grid."
)
@click.option("--margin", default="0", metavar="N|X,Y", help="With --tile: pixels round.")
@click.option("--spacing", default="0", metavar="N|X,Y", help="With --tile: pixels between.")
@click.option(
    "--least", default=0.5, show_default=True, type=click.FloatRange(0, 1),
    help="Sets that are less sure are not told.",
)  # fmt: skip
@as_json
def sets_command(
    sheet: Path, tile: str | None, margin: str, spacing: str, least: float, as_json: bool
) -> int:
    """Find likely terrain sets among the tiles of SHEET, a picture (“-”: stdin) or a *.tiles.json.

    Exits 1 if there is none.
    """
    owner = _sliced(sheet, tile, margin, spacing)
    with progress("Looking for sets") as told:
        found = [each for each in sheet_sets(owner, told) if each.score >= least]
    value, lines = [], []
    for guess in found:
        kit = kit_of_guess(owner, guess)
        tiles = [owner.number(row, col) for row, col in guess.places]
        names = [each.name for each in kit.terrains]
        value.append({
            "kind": guess.kind.value, "terrains": names, "tiles": tiles, "score": guess.score,
            "combinations": guess.combinations,
            "marks": [
                {slot.name: kit.name_of(int(marks[slot])) for slot in kit.kind.slots if marks[slot]}
                for marks in guess.marks
            ],
        })  # fmt: skip
        lines.append(f"{guess.score:.2f}  {guess_words(guess)}: {', '.join(names)}")
    tell(value, lines or ["no likely set"], as_json)
    return 0 if found else 1


def _sliced(path: Path, tile: str | None, margin: str, spacing: str) -> Tileset:
    """Open a tileset, or cut a picture as told or as is likeliest.

    Raises
    ------
    PlaceError
        The picture has no likely grid.
    """
    if path.name.endswith(".tiles.json"):
        return opened_tileset(path)[1]
    picture, data = sheet_from(path)
    height, width = picture.shape[:2]
    if tile is not None:
        slicing = Slicing(
            *pair(tile, "tile size"), *pair(margin, "margin"), *pair(spacing, "spacing")
        )
    else:
        guesses = likely_grids(picture)
        if not guesses:
            raise PlaceError(f"{path.name} has no likely grid: give its tile size with --tile WxH")
        slicing = guesses[0].slicing
    return Tileset(path.stem, path.name, width, height, slicing, picture=picture, data=data)
