"""Accuracy of likely grids by class of sheet: `python bench/grids.py [--unseen] [--count N]`.

Even seeds of `tests/sheets.py` are for tuning; --unseen takes the odd ones.
"""

import sys
from pathlib import Path
from time import perf_counter

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.sheets import KINDS, make

from knitground.core.slicing.likely import likely_grids

SURE = 0.35
"""A guess of a lower score is not offered with confidence."""


def same(guess, sheet):
    """Tell whether a guess is the slicing that the sheet was made with."""
    want, have = sheet.truth, guess.slicing
    high, wide = sheet.picture.shape[:2]
    lone_x, lone_y = want.columns_of(wide) == 1, want.rows_of(high) == 1
    across = (have.tile_width, have.margin_x) == (want.tile_width, want.margin_x)
    down = (have.tile_height, have.margin_y) == (want.tile_height, want.margin_y)
    across = across and (lone_x or have.spacing_x == want.spacing_x)
    return across and down and (lone_y or have.spacing_y == want.spacing_y)


def main():
    """Print a line for each class and one for all."""
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


def _short(cut):
    return (
        f"{cut.tile_width}x{cut.tile_height} m{cut.margin_x},{cut.margin_y} "
        f"s{cut.spacing_x},{cut.spacing_y}"
    )


if __name__ == "__main__":
    main()
