"""`knitground relief`: which way the pixels of a sheet face, made from its art."""

from __future__ import annotations

from pathlib import Path

import click

from knitground.cli.output import as_json, dry_run, opened_tileset, overwriting, tell
from knitground.core.base.errors import PlaceError
from knitground.core.files.images import png_bytes, relief_name
from knitground.core.files.places import inside
from knitground.core.files.vault import write_together
from knitground.core.render.relief import By, made_relief


@click.command("relief")
@click.argument("tileset", type=click.Path(path_type=Path))
@click.option("--by", type=click.Choice([each.value for each in By]), default=By.BOTH.value,
              show_default=True, help="What of the art tells how high a pixel lies.")  # fmt: skip
@click.option("--strength", default=1.0, show_default=True, type=click.FloatRange(-4, 4),
              help="How steep it is; less than 0 goes inwards.")  # fmt: skip
@click.option("--round", "round_px", default=4, show_default=True, type=click.IntRange(1, 64),
              help="By the outline: pixels from there to where it lies flat.")  # fmt: skip
@overwriting
@dry_run
@as_json
def relief_command(
    tileset: Path, by: str, strength: float, round_px: int, overwrite: bool, as_json: bool
) -> int:
    """Write the relief of the sheet of TILESET, a NAME.tiles.json, beside the sheet."""
    _, owner = opened_tileset(tileset)
    if owner.picture is None:
        raise PlaceError(f"the sheet of “{owner.name}”, {owner.sheet}, is missing: put it right")
    name = relief_name(owner.sheet)
    path = inside(tileset.parent, name)
    if path.exists() and not overwrite:
        raise PlaceError(f"{path} is there already: give --overwrite to make it anew")
    made = made_relief(owner.picture, owner.slicing, By(by), strength, round_px)
    write_together(tileset.parent, {name: png_bytes(made)}, keep_previous=True)
    tell({"file": str(path), "width": owner.width, "height": owner.height}, [str(path)], as_json)
    return 0
