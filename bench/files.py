"""Saving and opening large projects, against packing, writing and unpacking the same bytes.

`python bench/files.py` prints a table, for maps of 1024² and 4096² cells with eight layers; exits 1
if a limit is broken. What follows a stroke packs the blocks alone that the stroke has changed; all
the rest is hashed, to know that it is as it was. On the smaller map sheets take most of the time. A
shipped picture is held to Pillow saving the same pixels.
"""

from __future__ import annotations

import base64
import os
import sys
import tempfile
import zlib
from pathlib import Path
from typing import TYPE_CHECKING

sys.path.insert(0, str(Path(__file__).parents[1]))

import numpy as np
from bench.run import Row, tell_rows, timed

if TYPE_CHECKING:
    from knitground.core.model.map import Map
    from knitground.core.model.project import Project


def large_project(side: int) -> Project:
    """Make a map of side × side cells: four layers of terrain in patches, four of strewn tiles."""
    from scipy.ndimage import gaussian_filter

    from knitground.core.files.opening import open_project
    from knitground.core.model.map import Map
    from knitground.core.model.project import Project
    from knitground.core.model.tile import TileRef
    from knitground.demo.project import write_demo

    with tempfile.TemporaryDirectory() as place:
        write_demo(Path(place) / "demo")
        project = Project("large", tilesets=open_project(Path(place) / "demo").project.tilesets)
    rng = np.random.default_rng(1)
    map_ = Map("Large", side, side, 16, 16)
    owner = next(each for each in project.tilesets if each.name == "pans")
    kit = owner.sets[0]
    for n in range(4):
        ground = map_.new_ground_layer(f"Ground {n}", owner.name, kit.name, kit.kind)
        map_.layers.append(ground)
        rough = gaussian_filter(rng.random((side // 8 + 1, side // 8 + 1)), 3)
        ranks = rough.ravel().argsort().argsort().reshape(rough.shape)
        patches = 1 + ranks * len(kit.terrains) // ranks.size
        ground.terrain[:] = np.kron(patches, np.ones((8, 8), int))[: side + 1, : side + 1]
    places = [map_.legend.place(TileRef("props", 0, col)) for col in range(6)]
    for n in range(4):
        layer = map_.new_tile_layer(f"Tiles {n}")
        map_.layers.append(layer)
        strewn = rng.random(layer.cells.shape) < 0.05
        layer.cells[strewn] = rng.choice(places, int(strewn.sum()))
    project.maps = [map_]
    return project


def stroke(project: Project, map_: Map, number: int) -> None:
    """Lay a few tiles, each time others."""
    from knitground.core.base.window import Box
    from knitground.core.edit.document import Document
    from knitground.core.edit.laying import plan_cells

    at = Box(100 * number, 100, 100 * number + 3, 103)
    values, mask = np.full((3, 3), 1, np.int32), np.ones((3, 3), np.bool_)
    Document(project).apply(plan_cells(map_, map_.layers[-1], at, values, mask, "Lay").edit)


def rows_of(side: int, folder: Path) -> list[Row]:
    """Measure a map of side × side cells."""
    from knitground.core.files.opening import open_project
    from knitground.core.files.saving import save_project, settle_after_save

    project = large_project(side)
    map_ = project.maps[0]

    def save() -> None:
        settle_after_save(project, save_project(project, folder))

    first = timed(save)
    after = []
    for number in range(1, 4):
        stroke(project, map_, number)
        after.append(timed(save))
    arrays = [each.terrain if hasattr(each, "terrain") else each.cells for each in map_.layers]
    texts: list[bytes] = []

    def pack() -> None:
        for each in arrays:
            texts.append(base64.b64encode(zlib.compress(each.tobytes(), 3)))

    packing = timed(pack)

    def unpack() -> None:
        for text, each in zip(texts, arrays):
            np.frombuffer(zlib.decompress(base64.b64decode(text)), each.dtype)

    unpacking = min(timed(unpack) for _ in range(2))
    whole = b"".join(path.read_bytes() for path in folder.iterdir())

    def write() -> None:
        with (folder / "whole").open("wb") as file:
            file.write(whole)
            file.flush()
            os.fsync(file.fileno())

    writing = min(timed(write) for _ in range(3))
    (folder / "whole").unlink()
    opening = min(timed(lambda: open_project(folder)) for _ in range(3))
    size = f"{side}² × 8"
    said = f"ms; writing the same bytes {1000 * writing:.0f}"
    return [
        Row(f"save {size}, first", "packing", 1000 * first, 1000 * packing, first / packing, 4),
        Row(f"save {size} after a stroke", "packing", 1000 * min(after), 1000 * packing,
            min(after) / packing, 2.5 if side < 4096 else 0.8),
        Row(f"save {size} after a stroke", said, 1000 * min(after), 1, 1000 * min(after), 1500),
        Row(f"open {size}", "unpacking", 1000 * opening, 1000 * unpacking, opening / unpacking, 5),
    ]  # fmt: skip


def picture_row(folder: Path) -> Row:
    """Ship a map of 256² cells of eight layers as a picture of 4096² px."""
    from PIL import Image

    from knitground.core.files.ship.ship import ship

    project = large_project(256)
    ship(project, project.maps, folder / "first", ["png"])  # knits; the packages come in
    spent = min(timed(lambda: ship(project, project.maps, folder / "pictures", ["png"]))
                for _ in range(3))  # fmt: skip
    shipped = max((folder / "pictures").glob("*.png"), key=lambda each: each.stat().st_size)
    with Image.open(shipped) as picture:
        pixels = picture.copy()
    saving = min(timed(lambda: pixels.save(folder / "same.png")) for _ in range(3))
    return Row("ship 4096² px as PNG", "Pillow saving the same pixels", 1000 * spent,
               1000 * saving, spent / saving, 1.6)  # fmt: skip


def main() -> int:
    """Print all rows; returns the exit code."""
    rows = []
    with tempfile.TemporaryDirectory() as place:
        rows.append(picture_row(Path(place)))
    for side in (1024, 4096):
        with tempfile.TemporaryDirectory() as place:
            rows += rows_of(side, Path(place) / "large")
    return tell_rows(rows)


if __name__ == "__main__":
    sys.exit(main())
