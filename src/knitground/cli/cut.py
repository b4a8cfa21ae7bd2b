"""`knitground cut`: tiles of a sheet as PNG files."""

from __future__ import annotations

import re
from dataclasses import replace
from pathlib import Path

import click
import numpy as np
from numpy.typing import NDArray

from knitground.cli.output import STDIO, as_json, dry_run, examples, overwriting, picture_from, tell
from knitground.core.base.errors import SlicingError
from knitground.core.base.filenames import file_stem
from knitground.core.files.images import png_bytes
from knitground.core.files.jsontext import model_bytes
from knitground.core.files.made import write_made
from knitground.core.files.tileset_io import tileset_to_file
from knitground.core.model.slicing import Colour, Slicing
from knitground.core.model.tileset import Picture, Tileset
from knitground.core.slicing.grid import cut, lay_grid
from knitground.core.slicing.likely import likely_grids
from knitground.core.slicing.relay import relay


def pair(text: str, what: str) -> tuple[int, int]:
    """Read “16x24”, “16,24” or “16”, which is both."""
    found = re.fullmatch(r"\s*(-?\d+)(?:\s*[x×,]\s*(-?\d+))?\s*", text)
    if not found:
        raise SlicingError(f"{what} “{text}” is not a number or a pair: give 16 or 16x24")
    if max(len(each) for each in found.groups() if each) > 9:
        raise SlicingError(f"{what} “{text[:12]}…” is out of bounds: give at most 16384")
    return int(found[1]), int(found[2] or found[1])


def hex_colour(text: str) -> Colour:
    """Read a colour #rrggbb."""
    if not re.fullmatch(r"#?[0-9a-fA-F]{6}", text):
        raise SlicingError(f"colour “{text}” is not of the form #rrggbb")
    red, green, blue = bytes.fromhex(text.lstrip("#"))
    return red, green, blue


@click.command(
    "cut",
    epilog=examples(
        "cut sheet.png --to tiles",
        "cut sheet.png --tile 16 --spacing 2 --relay --extrude 1 --to .",
        "curl -s URL | knitground cut - --tile 32 --to tiles",
    ),
)
@click.argument("sheet", type=click.Path(path_type=Path))
@click.option("--tile", metavar="WxH", help="Tile size in pixels; without it the likeliest grid.")
@click.option("--margin", default="0", metavar="N|X,Y", help="Pixels round the tiles.")
@click.option("--spacing", default="0", metavar="N|X,Y", help="Pixels between tiles.")
@click.option("--start", default="0", metavar="N|X,Y", help="Where the grid starts.")
@click.option("--see-through", multiple=True, metavar="#RRGGBB", help="Colour made transparent.")
@click.option("--tolerance", default=0, show_default=True, help="How near to that colour.")
@click.option("--relay", "relaid", is_flag=True, help="Write one sheet laid out anew instead.")
@click.option("--new-margin", default=0, show_default=True, help="With --relay: pixels round.")
@click.option("--new-spacing", default=0, show_default=True, help="With --relay: pixels between.")
@click.option("--columns", default=0, help="With --relay: tiles side by side; as before if 0.")
@click.option("--extrude", default=0, show_default=True, help="With --relay: borders repeated.")
@click.option("--to", "folder", required=True, type=click.Path(path_type=Path))
@overwriting
@dry_run
@as_json
def cut_command(
    sheet: Path,
    tile: str | None,
    margin: str,
    spacing: str,
    start: str,
    see_through: tuple[str, ...],
    tolerance: int,
    relaid: bool,
    new_margin: int,
    new_spacing: int,
    columns: int,
    extrude: int,
    folder: Path,
    overwrite: bool,
    as_json: bool,
) -> None:
    """Cut SHEET (“-”: stdin) into tiles and write each as a PNG; with --relay, lay it out anew.

    A re-laid sheet comes with a tileset file that holds its slicing.
    """
    picture = picture_from(sheet)
    clear = tuple(hex_colour(each) for each in see_through)
    if tile is None:
        slicing = replace(_likeliest(picture, sheet.name), see_through=clear, tolerance=tolerance)
    else:
        slicing = Slicing(
            *pair(tile, "tile"), *pair(margin, "margin"), *pair(spacing, "spacing"),
            *pair(start, "start"), clear, tolerance,
        )  # fmt: skip
    grid = lay_grid(slicing, picture.shape[1], picture.shape[0])
    name = "sheet" if sheet == STDIO else sheet.stem
    stem = file_stem(name)
    if relaid:
        numbers = {"margin": new_margin, "spacing": new_spacing, "extrude": extrude}
        made, new = relay(picture, grid, columns=columns or grid.columns, **numbers)
        files = _relaid_files(name, made, new)
        lines = [f"{grid.count} tiles laid out anew: {made.shape[1]} × {made.shape[0]} px"]
    else:
        files = _tile_files(stem, cut(picture, grid), grid.columns)
        lines = [
            f"{grid.columns} × {grid.rows} = {grid.count} tiles in {folder}",
            f"left over: {grid.leftover_x} px right, {grid.leftover_y} px below",
        ]
    sources = [] if sheet == STDIO else [sheet]
    write_made(folder, files, sources=sources, overwrite=overwrite, durable=False)
    tell([str(folder / name) for name in files], lines, as_json)


def _likeliest(picture: Picture, name: str) -> Slicing:
    found = likely_grids(picture, 1)
    if not found:
        raise SlicingError(f"{name} has no likely grid: give its tile size with --tile WxH")
    return found[0].slicing


def _relaid_files(name: str, made: Picture, slicing: Slicing) -> dict[str, bytes]:
    stem = file_stem(name)
    height, width = made.shape[:2]
    tileset = Tileset(name, f"{stem}.png", width, height, slicing)
    return {
        f"{stem}.png": png_bytes(made),
        f"{stem}.tiles.json": model_bytes(tileset_to_file(tileset)),
    }


def _tile_files(stem: str, tiles: NDArray[np.uint8], columns: int) -> dict[str, bytes]:
    return {
        f"{stem}-r{place // columns:03}-c{place % columns:03}.png": png_bytes(one)
        for place, one in enumerate(tiles)
    }
