"""Bases: how often the diamond that pictures stand on is measured within a pixel.

`python bench/bases.py [FOLDER]`: real sheets of the folder that are said to be isometric
(`truth.json`; by default `../shared/art` beside the project), and square sets turned into diamonds
of many sizes, with walls of many heights on them.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path

import numpy as np
from PIL import Image

sys.path.insert(0, str(Path(__file__).parents[1]))

from bench.marks import ART
from tests.core.test_guess import corner_art, isometric, road_art

from knitground.core.model.slicing import Slicing
from knitground.core.slicing.base import find_base

_SIDES = (8, 12, 16, 24, 32, 48)
_WALLS = (0, 5, 16, 33)


def sheet_of(tiles: np.ndarray, wall: int) -> np.ndarray:
    """Lay tiles side by side; every third has a wall of so many pixels standing on it."""
    count, high, wide, _ = tiles.shape
    out = np.zeros((high + wall, count * wide, 4), np.uint8)
    for n, tile in enumerate(tiles):
        for up in range(wall + 1 if n % 3 == 0 else 1):
            part = out[wall - up : wall - up + high, n * wide : (n + 1) * wide]
            part[tile[..., 3] > 0] = tile[tile[..., 3] > 0]
    return out


def drawn() -> tuple[int, int]:
    """Print what is missed of drawn sheets; returns how many are right, and how many there are."""
    right = count = 0
    for side in _SIDES:
        for name, tiles in (("ground", corner_art(side, 1)[0]),
                            ("ways", road_art(side, 1, overlay=True)[0])):  # fmt: skip
            flat = isometric(tiles)
            seen = np.argwhere(flat[..., 3].any(axis=0))
            wide = int(np.ptp(seen[:, 1])) + 1
            for wall in _WALLS:
                picture = sheet_of(flat, wall)
                found = find_base(picture, Slicing(flat.shape[2], picture.shape[0]))
                count += 1
                ok = found is not None and abs(found.width - flat.shape[2]) <= 1
                ok = ok and found is not None and abs(found.height - flat.shape[2] / 2) <= 1
                right += ok
                if not ok:
                    what = (found.width, found.height) if found else None
                    print(f"missed: {name}, side {side}, wall {wall}, seen {wide}: {what}")
    return right, count


def main(folder: Path) -> int:
    """Print what is found on each sheet, and the sums."""
    right, count = drawn()
    print(f"drawn sheets: {right} of {count} within a pixel")
    if not (folder / "truth.json").exists():
        print(f"no real sheets at {folder}: drawn ones only")
        return 0
    good = false = others = 0
    real = 0
    for each in json.loads((folder / "truth.json").read_text()):
        picture = np.asarray(Image.open(folder / each["file"]).convert("RGBA")).copy()
        if "magenta" in each["notes"]:
            picture[(picture[..., :3] == (255, 0, 255)).all(axis=2)] = 0
        found = find_base(picture, Slicing(
            each["tile_w"], each["tile_h"], each["margin_x"], each["margin_y"], each["spacing_x"],
            each["spacing_y"],
        ))  # fmt: skip
        if "isometric" in each["notes"]:
            real += 1
            ok = found is not None and abs(found.width - each["tile_w"]) <= 1
            ok = ok and found is not None and abs(found.height - each["tile_w"] / 2) <= 1
            good += ok
            print(f"{'ok ' if ok else '-- '} {each['file']}: {found}")
        else:
            others += 1
            if found is not None and found.is_sure:
                false += 1
                print(f"?   {each['file']}: {found}")
    print(f"real isometric sheets: {good} of {real}; {false} of {others} others told as such")
    return 0


if __name__ == "__main__":
    sys.exit(main(Path(sys.argv[1]) if len(sys.argv) > 1 else ART))
