"""Guessed marks: how many slots are right, on real sheets if they are there, on drawn ones always.

`python bench/marks.py [FOLDER]`: the folder has `marks.json` (sets of tiles with their codes) and
the pictures it names; by default `../shared/art` beside the project. Exits 1 if a least figure is
missed. One plain tile of each terrain is known, or the one there is; all else is to be found.
"""

from __future__ import annotations

import json
import os
import sys
from collections import defaultdict
from pathlib import Path
from time import perf_counter

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # as in the program

import numpy as np
from PIL import Image

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.core.test_guess import corner_art, isometric, road_art

from knitground.core.knit.guess import guess_marks, least_sure
from knitground.core.model.terrain import SetKind, Slot

ART = Path(__file__).parents[2] / "shared" / "art"
LEAST = {"strong": (0.97, 0.01), "medium": (0.85, 1.0), "drawn": (0.97, 0.01)}
"""Part of the slots that is right, and part that is wrong outside the least sure tenth."""


def read_set(folder: Path, each: dict, one: bool) -> tuple[np.ndarray, np.ndarray, SetKind]:
    """Cut the tiles of a set and give their marks: (n, h, w, 4) and (n, 9).

    Of a corner set both values are terrains if both have a plain tile; else one is nothing.
    """
    kind = SetKind(each["kind"])
    picture = np.asarray(Image.open(folder / each["file"]).convert("RGBA"))
    tiles, marks = [], []
    plain = (
        {tuple(set(t["corners"].values())) for t in each["tiles"] if not t.get("lone")}
        if kind is SetKind.CORNER
        else set()
    )
    both = {(0,), (1,)} <= plain
    of = "corners" if kind is SetKind.CORNER else "sides"
    every = {tuple(set(t[of].values())) for t in each["tiles"] if not t.get("lone")}
    swap = kind is not SetKind.RING and (1,) not in every  # then 0 is the terrain, 1 is nothing
    for tile in each["tiles"]:
        x, y = tile["x"], tile["y"]
        tiles.append(picture[y : y + each["tile_h"], x : x + each["tile_w"]])
        row = np.zeros(9, np.uint8)
        more = 1 if both and not one else 0
        for name, value in {**tile.get("sides", {}), **tile.get("corners", {})}.items():
            row[Slot[name]] = (1 - value if swap else value) + more
        if kind is SetKind.RING:
            row[Slot.MIDDLE] = 1
            for corner in (Slot.NE, Slot.SE, Slot.SW, Slot.NW):
                if not (row[corner - 1] and row[(corner + 1) % 8]):
                    row[corner] = 0
        marks.append(row)
    return np.stack(tiles), np.stack(marks), kind


def examples_of(marks: np.ndarray, kind: SetKind, lone: list[bool], only: int | None) -> list[int]:
    """Choose one plain tile of each terrain."""
    slots = [slot for slot in kind.slots if slot != Slot.MIDDLE]
    found: dict[int, int] = {}
    for n, row in enumerate(marks):
        values = set(row[slots].tolist())
        if len(values) == 1 and not lone[n]:
            found.setdefault(values.pop(), n)
    if only is not None:
        found = {value: n for value, n in found.items() if value == only} or found
    return sorted(found.values())


def judge(tiles: np.ndarray, marks: np.ndarray, kind: SetKind, known: list[int]) -> tuple:
    """Guess and compare; returns right, wrong outside the least sure tenth, slots, seconds."""
    given = np.full_like(marks, 255)
    given[known] = marks[known]
    begun = perf_counter()
    found, sure = guess_marks(tiles, kind, given)
    seconds = perf_counter() - begun
    slots = [slot for slot in kind.slots if slot != Slot.MIDDLE]
    asked = np.ones(len(marks), bool)
    asked[known] = False
    right = found[:, slots] == marks[:, slots]
    outside = asked.copy()
    outside[least_sure(sure[:, slots], asked)] = False
    return right[asked].mean(), 1 - right[outside].mean(), right[asked].size, seconds


def real(folder: Path, one: bool) -> tuple[dict, list]:
    """Judge all sets that have an example, by how well pictures follow the code."""
    by: dict = defaultdict(lambda: defaultdict(list))
    lines = []
    for each in json.loads((folder / "marks.json").read_text())["sets"]:
        tiles, marks, kind = read_set(folder, each, one)
        lone = [bool(tile.get("lone")) for tile in each["tiles"]]
        known = examples_of(marks, kind, lone, 1 if one else None)
        if not known or len(known) == len(marks):
            continue
        right, wrong, count, seconds = judge(tiles, marks, kind, known)
        by[each["picture_follows_code"]][each["source_package"]].append((right, wrong))
        lines.append((each["picture_follows_code"], each["id"], kind.value, len(known), right,
                      wrong, count, seconds))  # fmt: skip
    return by, lines


def drawn() -> list[tuple[str, float, float]]:
    """Judge sets that are drawn here."""
    out = []
    for size in (8, 16, 32):
        got = []
        for seed in range(4):
            tiles, marks, _ = corner_art(size, seed)
            got.append(judge(tiles, marks, SetKind.CORNER, [0, 15])[:2])
        out.append((f"drawn corners of {size} px", *np.mean(got, axis=0)))
        if size > 8:
            got = []
            for seed in range(4):
                tiles, marks, known = corner_art(size, seed)
                got.append(judge(isometric(tiles), marks, SetKind.CORNER, known)[:2])
            out.append((f"drawn diamonds of {size} px", *np.mean(got, axis=0)))
    for overlay in (True, False):
        got = []
        for seed in range(3):
            tiles, marks = road_art(16, seed, overlay)[:2]
            got.append(judge(tiles, marks, SetKind.EDGE, [15])[:2])
        out.append((f"drawn roads, {'overlay' if overlay else 'opaque'}", *np.mean(got, axis=0)))
    return out


def main(folder: Path) -> int:
    """Print the tables; returns the exit code."""
    fine = True
    for name, right, wrong in drawn():
        least, most = LEAST["drawn"]
        ok = right >= least - (0.03 if "8 px" in name else 0) and wrong <= most
        fine &= ok
        print(f"{name:34} {right:7.1%} {wrong:7.1%}  {'ok' if ok else 'MISSED'}")
    if not (folder / "marks.json").exists():
        print(f"no real sheets at {folder}: drawn ones only")
        return 0 if fine else 1
    for one in (False, True):
        by, lines = real(folder, one)
        print("one example" if one else "an example of each terrain that has one")
        for grade, name, kind, known, right, wrong, count, seconds in lines:
            print(f"  {grade:7} {name:32} {kind:7} {known} {right:7.1%} {wrong:7.1%} {count:5} "
                  f"{seconds * 1000:6.0f} ms")  # fmt: skip
        for grade in ("strong", "medium", "weak"):
            packages = [np.mean(each, axis=0) for each in by[grade].values()]
            right, wrong = np.mean(packages, axis=0)
            bounds = LEAST.get(grade)
            ok = bounds is None or one or (right >= bounds[0] and wrong <= bounds[1])
            fine &= ok
            print(f"{grade:34} {right:7.1%} {wrong:7.1%}  {'ok' if ok else 'MISSED'}")
    return 0 if fine else 1


if __name__ == "__main__":
    sys.exit(main(Path(sys.argv[1]) if len(sys.argv) > 1 else ART))
