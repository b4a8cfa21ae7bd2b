"""`knitground diff`: what is different between two projects."""

from __future__ import annotations

from pathlib import Path
from tempfile import TemporaryDirectory

import click
import numpy as np

from knitground.cli.output import as_json, dry_run, opened, overwriting, tell
from knitground.core.base.filenames import file_names
from knitground.core.compare.differences import Difference, differences
from knitground.core.compare.pictures import drawn_small, marked, side_by_side
from knitground.core.edit.document import Document
from knitground.core.files.images import png_bytes
from knitground.core.files.made import MadeFolder
from knitground.core.files.revision import write_revision


@click.command("diff")
@click.argument("before", type=click.Path(path_type=Path))
@click.argument("now", type=click.Path(path_type=Path), required=False)
@click.option(
    "--revision", metavar="REV",
    help="Compare BEFORE as it was in a revision of the git repository that it lies in with NOW, "
    "or with itself.",
)  # fmt: skip
@click.option(
    "--pictures", type=click.Path(path_type=Path), metavar="DIR",
    help="Write each map that is different, before and now side by side, what is different marked.",
)  # fmt: skip
@overwriting
@dry_run
@as_json
def diff_command(
    before: Path,
    now: Path | None,
    revision: str | None,
    pictures: Path | None,
    overwrite: bool,
    as_json: bool,
) -> int:
    """Tell what is different in the project NOW, against BEFORE; exits 1 if anything is."""
    if now is None and revision is None:
        raise click.UsageError("give a second project, or --revision")
    with TemporaryDirectory(prefix="knitground-") as room:
        folder = before if before.is_dir() else before.parent
        old = before if revision is None else write_revision(folder, revision, Path(room))
        docs = Document(opened(old).project), Document(opened(now or before).project)
    found = differences(*docs)
    lines = [f"{each.part} “{each.name}”: {each.words}" for each in found]
    lines = [f"{line} ({each.count})" if each.tiles else line
             for line, each in zip(lines, found)]  # fmt: skip
    lines.append(f"{len(found)} difference{'' if len(found) == 1 else 's'}")
    if pictures is not None:
        lines += [f"wrote {path}" for path in _write(docs, found, pictures, overwrite)]
    tell([_as_dict(each) for each in found], lines, as_json)
    return 1 if found else 0


def _as_dict(each: Difference) -> dict[str, object]:
    return {
        "part": each.part, "name": each.name, "words": each.words, "layer": each.layer or None,
        "count": each.count,
        "cells": np.argwhere(each.cells).tolist()[:4096] if each.cells is not None else [],
        "tiles": [[tile.tileset, tile.row, tile.col] for tile in each.tiles],
    }  # fmt: skip


def _write(
    docs: tuple[Document, Document], found: list[Difference], folder: Path, overwrite: bool
) -> list[Path]:
    names = list(dict.fromkeys(each.name for each in found if each.part == "map"))
    files: dict[str, bytes] = {}
    for name, file in zip(names, file_names(names, ".png")):
        masks = [each.cells for each in found if each.name == name and each.cells is not None]
        parts = []
        for doc in docs:
            map_ = doc.project.map_named(name)
            if map_ is None:
                continue
            picture = drawn_small(doc, map_)
            fitting = [each for each in masks if each.shape == (map_.height, map_.width)]
            parts.append(marked(picture, map_, np.logical_or.reduce(fitting)) if fitting
                         else picture)  # fmt: skip
        if parts:
            files[file] = png_bytes(parts[0] if len(parts) == 1 else side_by_side(*parts))
    if not files:
        return []
    made = MadeFolder(folder, overwrite=overwrite)
    made.refuse(files)
    made.write(files)
    made.close()
    return made.paths
