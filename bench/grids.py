"""Accuracy of likely grids: `python bench/grids.py [FOLDER] [--unseen] [--count N] [--misses]`.

Drawn sheets by class: even seeds of `tests/sheets.py` are for tuning, --unseen takes the odd ones.
Real ones if there is a folder of them (`truth.json`, `nogrid.json`; by default `../shared/art`
beside the project): the weights were fitted on all of those, so their figures are too good; what
`tools/fit_grids.py` prints of packages left out is what to expect.
"""

import json
import os
import sys
from pathlib import Path
from time import perf_counter

sys.path.insert(0, str(Path(__file__).parents[1]))

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # as in the program

import numpy as np
from PIL import Image
from tests.sheets import KINDS, make

from knitground.core.slicing.likely import likely_grids

SURE = 0.5
"""A guess of a lower score is not offered with confidence."""
ART = Path(__file__).parents[2] / "shared" / "art"


def same(guess, sheet):
    """Tell whether a guess is the slicing that the sheet was made with."""
    want, have = sheet.truth, guess.slicing
    high, wide = sheet.picture.shape[:2]
    lone_x, lone_y = want.columns_of(wide) == 1, want.rows_of(high) == 1
    across = (have.tile_width, have.margin_x) == (want.tile_width, want.margin_x)
    down = (have.tile_height, have.margin_y) == (want.tile_height, want.margin_y)
    across = across and (lone_x or have.spacing_x == want.spacing_x)
    return across and down and (lone_y or have.spacing_y == want.spacing_y)


def real(folder):
    """Print a line for the real sheets, and one for the pictures without a grid."""
    truths = json.loads((folder / "truth.json").read_text())
    first = third = sure = right = 0
    took = []
    for each in truths:
        picture = np.asarray(Image.open(folder / each["file"]).convert("RGBA"))
        begun = perf_counter()
        guesses = likely_grids(picture)
        took.append(perf_counter() - begun)
        keys = ("tile_w", "tile_h", "margin_x", "margin_y", "spacing_x", "spacing_y")
        want = tuple(each[key] for key in keys)
        hits = [_numbers(guess.slicing) == want for guess in guesses[:3]]
        first, third = first + (hits[:1] == [True]), third + any(hits)
        if guesses and guesses[0].score >= 0.9:
            sure, right = sure + 1, right + hits[0]
        if "--misses" in sys.argv and hits[:1] != [True]:
            print("  ", each["file"], want, [(g.words(), g.score) for g in guesses[:3]])
    print(f"| real ({len(truths)}) | {first / len(truths):.0%} | {third / len(truths):.0%} "
          f"| {max(took):.2f} s |")  # fmt: skip
    print(f"| real, offers ≥ 0.9 that are right | {right} of {sure} | | |")
    without = json.loads((folder / "nogrid.json").read_text())
    offered = 0
    for each in without:
        guesses = likely_grids(np.asarray(Image.open(folder / each["file"]).convert("RGBA")))
        offered += bool(guesses) and guesses[0].score >= SURE
    print(f"| real without a grid, nothing ≥ {SURE} | {len(without) - offered} of {len(without)} |")


def _numbers(cut):
    return (cut.tile_width, cut.tile_height, cut.margin_x, cut.margin_y, cut.spacing_x,
            cut.spacing_y)  # fmt: skip


def main():
    """Print a line for each class and one for all."""
    folder = next((Path(a) for a in sys.argv[1:] if (Path(a) / "truth.json").exists()), ART)
    count = int(sys.argv[sys.argv.index("--count") + 1]) if "--count" in sys.argv else 30
    odd = 1 if "--unseen" in sys.argv else 0
    kinds = [
        k for k in KINDS if "--kind" not in sys.argv or k == sys.argv[sys.argv.index("--kind") + 1]
    ]
    print(f"| {'class':12} | best right | within three | slowest |\n|---|---|---|---|")
    firsts, thirds, total = 0, 0, 0
    for kind in kinds:
        first = third = 0
        slowest = 0.0
        for n in range(count):
            sheet = make(kind, 2 * n + odd)
            begun = perf_counter()
            guesses = likely_grids(sheet.picture)
            slowest = max(slowest, perf_counter() - begun)
            if sheet.truth is None:
                right = not guesses or guesses[0].score < SURE
                first, third = first + right, third + right
            else:
                hits = [same(guess, sheet) for guess in guesses[:3]]
                first, third = first + (hits[:1] == [True]), third + any(hits)
                if "--misses" in sys.argv and hits[:1] != [True]:
                    print(
                        f"   {2 * n + odd}: {sheet.picture.shape[:2]} "
                        f"wants {_short(sheet.truth)}, has "
                        + " | ".join(f"{_short(g.slicing)} {g.score}" for g in guesses[:3])
                    )
        if kind != "no grid":
            firsts, thirds, total = firsts + first, thirds + third, total + count
        print(f"| {kind:12} | {first / count:.0%} | {third / count:.0%} | {slowest:.2f} s |")
    if total:
        print(f"| {'all':12} | {firsts / total:.0%} | {thirds / total:.0%} | |")
    if (folder / "truth.json").exists():
        real(folder)
    else:
        print(f"no real sheets in {folder}")


def _short(cut):
    return (
        f"{cut.tile_width}x{cut.tile_height} m{cut.margin_x},{cut.margin_y} "
        f"s{cut.spacing_x},{cut.spacing_y}"
    )


if __name__ == "__main__":
    main()
