"""Likely sets: how often a sheet's first offer is a true one, and what is offered without any.

`python bench/sets.py [--harder] [FOLDER]`: the folder has `truth.json` and `marks.json` with the
pictures they name; by default `../shared/art` beside the project. Without it only drawn sheets are
looked at. With `--harder` sheets with clear sets are looked at too as they would be had somebody
else saved them: rows shuffled, twice and half as large, as JPEG, another colour, two sheets on one.
"""

from __future__ import annotations

import io
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

from bench.marks import ART, read_set
from tests.core.test_guess import corner_art, road_art

from knitground.core.knit.labelling import SLOT_ORDERS
from knitground.core.knit.likelysets import SetGuess, find_sets
from knitground.core.model.terrain import SetKind


def agrees(guess: SetGuess, kind: SetKind, truth: dict[tuple[int, int], np.ndarray]) -> bool:
    """Whether an offer is a true set: kind, nine tiles in ten and their marks, up to names."""
    if guess.kind is not kind:
        return False
    order = list(SLOT_ORDERS[kind])
    own = dict(zip(guess.places, guess.marks))
    both = [place for place in truth if place in own]
    if len(both) < 0.9 * len(truth) or len(both) < 0.6 * len(own):
        return False
    mine = np.array([own[place][order] for place in both])
    true = np.array([truth[place][order] for place in both])
    high, top = mine == mine.max(), true == true.max()
    same = float((high == top).all(axis=1).mean())
    turned = float((high != top).all(axis=1).mean()) if kind is not SetKind.RING else 0.0
    return max(same, turned) >= 0.9


def cut(picture: np.ndarray, grid: dict) -> tuple[np.ndarray, list[tuple[int, int]]]:
    """Cut a sheet as its truth says."""
    tiles, places = [], []
    for row in range(grid["rows"]):
        for col in range(grid["columns"]):
            x = grid["margin_x"] + col * (grid["tile_w"] + grid["spacing_x"])
            y = grid["margin_y"] + row * (grid["tile_h"] + grid["spacing_y"])
            tile = picture[y : y + grid["tile_h"], x : x + grid["tile_w"]]
            if tile.shape[:2] == (grid["tile_h"], grid["tile_w"]):
                tiles.append(tile)
                places.append((row, col))
    return np.stack(tiles), places


Sheet = tuple[np.ndarray, list[tuple[int, int]], list]
"""Tiles, their places, and the true sets: kind, and marks by place."""


def _noisy(tile: np.ndarray) -> np.ndarray:
    """Give a tile as a JPEG of fair quality would; what is see-through stays so."""
    file = io.BytesIO()
    Image.fromarray(tile[..., :3]).save(file, "JPEG", quality=85)
    return np.dstack([np.asarray(Image.open(file)), tile[..., 3:]])


def _half(tiles: np.ndarray) -> np.ndarray:
    count, high, wide, _ = tiles.shape
    whole = tiles[:, : high // 2 * 2, : wide // 2 * 2]
    halved = whole.reshape(count, high // 2, 2, wide // 2, 2, 4).mean(axis=(2, 4))
    return np.asarray(halved, np.uint8)


def harder(sheet: Sheet, other: Sheet) -> dict[str, Sheet]:
    """Give a sheet in other states, by what was done to it."""
    tiles, places, truths = sheet
    rng = np.random.default_rng(5)
    rows = sorted({row for row, _ in places})
    to = dict(zip(rows, rng.permutation(rows).tolist()))
    shuffled = {at: (to[at[0]], at[1]) for at in places}
    turned = tiles.copy()
    turned[..., :3] = tiles[..., [2, 0, 1]]
    out = {
        "rows shuffled": (tiles, [shuffled[at] for at in places],
                          [(kind, {shuffled[at]: m for at, m in marks.items()})
                           for kind, marks in truths]),
        "twice as large": (tiles.repeat(2, axis=1).repeat(2, axis=2), places, truths),
        "another colour": (turned, places, truths),
        "as a JPEG": (np.stack([_noisy(each) for each in tiles]), places, truths),
    }  # fmt: skip
    if min(tiles.shape[1:3]) >= 32:
        out["half as large"] = (_half(tiles), places, truths)
    if other[0].shape[1:] == tiles.shape[1:]:
        down = 2 + max(row for row, _ in places)
        more = [(row + down, col) for row, col in other[1]]
        out["two on one"] = (np.concatenate([tiles, other[0]]), [*places, *more], truths)
    return out


def look_harder(sheets: dict[str, Sheet]) -> None:
    """Print how many clear sets are offered of sheets in each state."""
    offered: dict[str, list[bool]] = defaultdict(list)
    every = list(sheets.values())
    for sheet in every:
        others = [each for each in every if each is not sheet]
        same = [each for each in others if each[0].shape[1:] == sheet[0].shape[1:]]
        states = harder(sheet, same[0] if same else others[0])
        for name, (tiles, places, truths) in states.items():
            found = find_sets(tiles, places)
            offered[name] += [any(agrees(g, kind, marks) for g in found) for kind, marks in truths]
    for name, hits in offered.items():
        print(f"{name}: {sum(hits)} of {len(hits)} clear sets offered")


def main(folder: Path, *, hard: bool = False) -> int:
    """Print a line a sheet and the sums; returns the exit code."""
    fine = True
    for name, art, kind in (("corners", corner_art(16, 3), SetKind.CORNER),
                            ("roads", road_art(16, 3, overlay=True), SetKind.EDGE)):  # fmt: skip
        tiles, marks, _ = art
        places = [divmod(n, 8) for n in range(len(tiles))]
        found = find_sets(tiles, places)
        wide = np.concatenate([marks, np.zeros((len(marks), 1), np.uint8)], axis=1)
        ok = bool(found) and agrees(found[0], kind, dict(zip(places, wide)))
        fine &= ok
        print(f"drawn {name:28} {found[0].score if found else 0:.2f} {'ok' if ok else 'MISSED'}")
    if not (folder / "truth.json").exists():
        print(f"no real sheets at {folder}: drawn ones only")
        return 0 if fine else 1
    sets = json.loads((folder / "marks.json").read_text())["sets"]
    grids = json.loads((folder / "truth.json").read_text())
    by_file = defaultdict(list)
    for each in sets:
        by_file[each["file"]].append(each)
    clear_sheets: dict[str, Sheet] = {}
    first, offered, clear, clean, none, slowest = [], 0, 0, 0, 0, 0.0
    for grid in grids:
        picture = np.asarray(Image.open(folder / grid["file"]).convert("RGBA"))
        tiles, places = cut(picture, grid)
        begun = perf_counter()
        found = find_sets(tiles, places)
        seconds = perf_counter() - begun
        slowest = max(slowest, seconds)
        truths = []
        for each in by_file.get(grid["file"], ()):
            _, marks, kind = read_set(folder, each, one=True)
            at = [((t["y"] - grid["margin_y"]) // (grid["tile_h"] + grid["spacing_y"]),
                   (t["x"] - grid["margin_x"]) // (grid["tile_w"] + grid["spacing_x"]))
                  for t in each["tiles"]]  # fmt: skip
            truths.append((each, kind, dict(zip(at, marks))))
        strong = [each for each in truths if each[0]["picture_follows_code"] != "weak"]
        top = [f"{g.kind.value} {len(g.places)} {g.score:.2f}" for g in found[:4]]
        if strong:
            clear_sheets[grid["file"]] = (tiles, places, [each[1:] for each in strong])
            hit = bool(found) and any(agrees(found[0], kind, truth) for _, kind, truth in truths)
            first.append(hit)
            for _, kind, truth in strong:
                clear += 1
                offered += any(agrees(g, kind, truth) for g in found)
            word = "ok " if hit else "-- "
            print(f"{word} {grid['file']:40} {len(tiles):5} {seconds:5.2f} s  {top}")
        elif not truths:
            none += 1
            quiet = not found or found[0].score < 0.5
            clean += quiet
            if not quiet:
                print(f"?   {grid['file']:40} {len(tiles):5} {seconds:5.2f} s  {top}")
    print(f"first offer true on {sum(first)} of {len(first)} sheets with clear sets; {offered} of "
          f"{clear} clear sets offered; nothing at 0.5 on {clean} of {none} others; slowest "
          f"{slowest:.1f} s")  # fmt: skip
    if hard:
        look_harder(clear_sheets)
    return 0 if fine else 1


if __name__ == "__main__":
    words = [each for each in sys.argv[1:] if each != "--harder"]
    sys.exit(main(Path(words[0]) if words else ART, hard="--harder" in sys.argv))
