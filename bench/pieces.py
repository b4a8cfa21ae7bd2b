"""Which piece fits here: how often the tile that was there is among the first three.

`python bench/pieces.py [FOLDER]`: the folder has `marks.json` (sets of tiles with their codes) and
the pictures it names; by default `../shared/art` beside the project. A map is knitted of each set
as somebody would paint it, one cell after another is taken out, and a piece is asked for. A hit is
the tile that was there, or one of the same marks. Sheets are judged by how well pictures follow
their code (`strong`: a person can read it off the border), sets of one package together. Exits 1 if
a least figure is missed.
"""

from __future__ import annotations

import json
import os
import sys
from collections import defaultdict
from pathlib import Path

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # as in the program

import numpy as np
from scipy.ndimage import gaussian_filter

sys.path.insert(0, str(Path(__file__).parents[1]))

from bench.marks import ART, read_set

from knitground.core.edit.document import Document
from knitground.core.edit.piecehere import Fitting
from knitground.core.model.lattice import DIAMOND, SQUARE
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.slicing import Slicing
from knitground.core.model.terrain import SetKind, Terrain, TerrainSet
from knitground.core.model.tileset import Tileset
from knitground.core.slicing.base import find_base

LEAST = {"strong": 0.95, "medium": 0.8}
_SIDE, _CELLS = 24, 120


def map_of(each: dict, folder: Path) -> tuple[Document, Map, Tileset, np.ndarray]:
    """Knit a map of a set, its terrains in patches."""
    tiles, marks, kind = read_set(folder, each, False)
    keep = [n for n, tile in enumerate(each["tiles"]) if not tile.get("lone")]
    tiles, marks = tiles[keep], marks[keep]
    tiles[(tiles[..., :3] == (255, 0, 255)).all(axis=-1)] = 0  # saved so by a few games
    count, high, wide, _ = tiles.shape
    sheet = np.ascontiguousarray(tiles.transpose(1, 0, 2, 3).reshape(high, count * wide, 4))
    owner = Tileset("art", "art.png", count * wide, high, Slicing(wide, high), picture=sheet)
    grid, cell = SQUARE, (high, wide)
    if each["projection"] != "square":
        base = find_base(sheet, owner.slicing)
        grid, cell = DIAMOND, (base.height, base.width) if base else (wide // 2, wide)
    names = ("one", "two")[: int(marks.max())]
    terrains = tuple(Terrain(name, "#808080", name[0]) for name in names)
    kit = TerrainSet("Set", kind, terrains, marks[None])
    owner.sets.append(kit)
    map_ = Map("Map", _SIDE, _SIDE, *cell, grid=grid)
    layer = map_.new_ground_layer("Ground", "art", "Set", kind)
    rng = np.random.default_rng(7)
    if kind is SetKind.EDGE:
        side = layer.terrain.shape
        layer.terrain[:] = rng.choice(np.array([0, 1, 256, 257], layer.terrain.dtype), side,
                                      p=[0.3, 0.2, 0.2, 0.3])  # fmt: skip
    else:
        noise = gaussian_filter(rng.random(layer.terrain.shape), 1.4, mode="wrap")
        low = 0 if len(terrains) == 1 else 1
        layer.terrain[:] = np.where(noise > np.median(noise), low + 1, low)
    map_.layers.append(layer)
    doc = Document(Project("P", tilesets=[owner], maps=[map_]))
    doc.ensure_all(map_)
    return doc, map_, owner, marks


def hits(each: dict, folder: Path) -> tuple[int, int]:
    """Take cells out; returns how often the piece was among the first three, and how many were."""
    doc, map_, owner, marks = map_of(each, folder)
    layer = map_.layers[0]
    fitting = Fitting(doc, map_, layer, owner)
    every = np.argwhere(layer.cells > 0)
    slots = list(SetKind(each["kind"]).slots)
    right = count = 0
    for row, col in np.random.default_rng(5).permutation(every)[:_CELLS].tolist():
        near = layer.cells[max(0, row - 1) : row + 2, max(0, col - 1) : col + 2]
        if (near < 0).any():
            continue  # nobody leaves gaps
        tile = map_.legend.tile(int(layer.cells[row, col]))
        assert tile is not None
        own = marks[tile.col][slots]
        offers = fitting.on((row, col), 3)
        if offers:
            count += 1
            right += any((marks[one.tile.col][slots] == own).all() for one in offers)
    return right, count


def main(folder: Path) -> int:
    """Print the table; returns the exit code."""
    if not (folder / "marks.json").exists():
        print(f"no real sheets at {folder}")
        return 0
    by: dict = defaultdict(lambda: defaultdict(list))
    for each in json.loads((folder / "marks.json").read_text())["sets"]:
        right, count = hits(each, folder)
        if count:
            follows = each["picture_follows_code"]
            by[follows][each["source_package"]].append(right / count)
            print(f"{follows:8} {each['kind']:7} {each['id']:32} {right:4} of {count}")
    fine = True
    for follows, packages in by.items():
        mean = float(np.mean([np.mean(each) for each in packages.values()]))
        fine &= mean >= LEAST.get(follows, 0)
        print(f"{follows}: {mean:.3f} by package, {len(packages)} packages")
    return 0 if fine else 1


if __name__ == "__main__":
    sys.exit(main(Path(sys.argv[1]) if len(sys.argv) > 1 else ART))
