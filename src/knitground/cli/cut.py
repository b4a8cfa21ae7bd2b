"""`knitground cut`: tiles of a sheet as PNG files."""

from __future__ import annotations

import re
from pathlib import Path

import click

from knitground.cli.output import as_json, tell
from knitground.core.base.errors import SlicingError
from knitground.core.files.atomic import write_all
from knitground.core.files.images import png_bytes, read_picture
from knitground.core.files.places import file_stem
from knitground.core.model.slicing import Colour, Slicing
from knitground.core.slicing.grid import cut, lay_grid


def pair(text: str, what: str) -> tuple[int, int]:
    """Read “16x24”, “16,24” or “16”, which is both."""
    found = re.fullmatch(r"\s*(-?\d+)(?:\s*[x×,]\s*(-?\d+))?\s*", text)
    if not found:
        raise SlicingError(f"{what} “{text}” is not a number or a pair: give 16 or 16x24")
    return int(found[1]), int(found[2] or found[1])


def hex_colour(text: str) -> Colour:
    """Read a colour #rrggbb."""
    if not re.fullmatch(r"#?[0-9a-fA-F]{6}", text):
        raise SlicingError(f"colour “{text}” is not of the form #rrggbb")
    red, green, blue = bytes.fromhex(text.lstrip("#"))
    return red, green, blue


@click.command("cut")
@click.argument("sheet", type=click.Path(path_type=Path))
@click.option("--tile", required=True, metavar="WxH", help="Tile size in pixels.")
@click.option("--margin", default="0", metavar="N|X,Y", help="Pixels round the tiles.")
@click.option("--spacing", default="0", metavar="N|X,Y", help="Pixels between tiles.")
@click.option("--start", default="0", metavar="N|X,Y", help="Where the grid starts.")
@click.option("--see-through", multiple=True, metavar="#RRGGBB", help="Colour made transparent.")
@click.option("--tolerance", default=0, show_default=True, help="How near to that colour.")
@click.option("--to", "folder", required=True, type=click.Path(path_type=Path))
@as_json
def cut_command(
    sheet: Path,
    tile: str,
    margin: str,
    spacing: str,
    start: str,
    see_through: tuple[str, ...],
    tolerance: int,
    folder: Path,
    as_json: bool,
) -> None:
    """Cut SHEET into tiles and write each as a PNG."""
    slicing = Slicing(
        *pair(tile, "tile"),
        *pair(margin, "margin"),
        *pair(spacing, "spacing"),
        *pair(start, "start"),
        tuple(hex_colour(each) for each in see_through),
        tolerance,
    )
    picture = read_picture(sheet)
    grid = lay_grid(slicing, picture.shape[1], picture.shape[0])
    stem = file_stem(sheet.stem)
    files = {
        folder / f"{stem}-r{place // grid.columns:03}-c{place % grid.columns:03}.png": png_bytes(
            one
        )
        for place, one in enumerate(cut(picture, grid))
    }
    write_all(files)
    lines = [
        f"{grid.columns} × {grid.rows} = {grid.count} tiles in {folder}",
        f"left over: {grid.leftover_x} px right, {grid.leftover_y} px below",
    ]
    tell([str(path) for path in files], lines, as_json)
