"""`knitground grids`: likely grids of a sheet."""

from __future__ import annotations

from pathlib import Path

import click

from knitground.cli.output import as_json, examples, picture_from, tell
from knitground.core.slicing.areas import areas_words, likely_areas
from knitground.core.slicing.likely import GridGuess, likely_grids


def guess_facts(guess: GridGuess) -> dict[str, object]:
    """Give a guess as plain values."""
    cut = guess.slicing
    return {
        "tile_width": cut.tile_width,
        "tile_height": cut.tile_height,
        "margin_x": cut.margin_x,
        "margin_y": cut.margin_y,
        "spacing_x": cut.spacing_x,
        "spacing_y": cut.spacing_y,
        "columns": guess.columns,
        "rows": guess.rows,
        "score": guess.score,
        "reasons": list(guess.reasons),
    }


@click.command(
    "grids",
    epilog=examples(
        "grids sheet.png",
        "grids sheet.png --top 3 --json",
    ),
)
@click.argument("sheet", type=click.Path(path_type=Path))
@click.option("--top", default=5, show_default=True, type=click.IntRange(1, 20))
@click.option("--areas", is_flag=True, help="Also look for areas that have grids of their own.")
@as_json
def grids_command(sheet: Path, top: int, areas: bool, as_json: bool) -> None:
    """Guess how SHEET (“-”: stdin) is cut, best guess first, with what the pixels show.

    With --areas, JSON is an object of "guesses" and "areas".
    """
    picture = picture_from(sheet)
    guesses = likely_grids(picture, top)
    lines = [f"{each.score:4.0%}  {each.words()}: {', '.join(each.reasons)}" for each in guesses]
    facts: object = [guess_facts(each) for each in guesses]
    if areas:
        parts = likely_areas(picture, guesses)
        lines += [f"      area {areas_words([each])}" for each in parts]
        facts = {
            "guesses": facts,
            "areas": [
                {"area": list(each.area), "guess": guess_facts(each.guess) if each.guess else None}
                for each in parts
            ],
        }
    tell(facts, lines or ["nothing regular found"], as_json)
