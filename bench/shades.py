"""Likely sets of opaque art in shades of one colour: how faint a border may be and still be read.

    python bench/shades.py

Draws corner sets of two grounds that differ by their lightness alone, with grain of so many levels,
with and without a darker rim, three of each. A row tells how many are offered at 0.5 and more with
all marks right, and how many sheets without any set are offered one (there should be none).
"""

from __future__ import annotations

from itertools import product

import numpy as np
from scipy.ndimage import gaussian_filter

from knitground.core.knit.likelysets import SetGuess, find_sets

CORNERS = [7, 1, 5, 3]
_GROUND = np.array([206.0, 178.0, 122.0])


def shaded(
    size: int, seed: int, shade: float, grain: float, *, rim: bool
) -> tuple[np.ndarray, np.ndarray]:
    """Draw the 16 tiles of a corner set, (16, size, size, 4), and their marks, (16, 4) of 1 and 2.

    Parameters
    ----------
    shade : how light the second ground is, of the first
    grain : levels by which pixels differ
    """
    rng = np.random.default_rng(seed)
    y, x = (np.indices((size, size)) + 0.5) / size
    tiles, marks = [], list(product((1, 2), repeat=4))

    def ground(light: float) -> np.ndarray:
        return np.clip(_GROUND * light + rng.normal(0, grain, (size, size, 1)), 0, 255)

    for nw, ne, sw, se in marks:
        level = (nw * (1 - x) + ne * x) * (1 - y) + (sw * (1 - x) + se * x) * y - 1
        over = level + gaussian_filter(rng.normal(0, 1, (size, size)), 1.5) * 0.25 > 0.5
        rgb = np.where(over[..., None], ground(shade), ground(1.0))
        if rim:
            inner = over.copy()
            for axis in (0, 1):
                inner &= np.roll(over, 1, axis) & np.roll(over, -1, axis)
            rgb = np.where((over & ~inner)[..., None], _GROUND * shade * 0.8, rgb)
        tiles.append(np.concatenate([rgb, np.full((size, size, 1), 255)], -1).astype(np.uint8))
    return np.stack(tiles), np.array(marks)


def unrelated(size: int, seed: int) -> np.ndarray:
    """Draw 32 tiles of one ground each, a little lighter or darker, that belong to no set."""
    rng = np.random.default_rng(seed)
    light = rng.uniform(0.85, 1.15, (32, 1, 1, 1))
    rgb = np.clip(_GROUND * light + rng.normal(0, 8, (32, size, size, 1)), 0, 255)
    return np.concatenate([rgb, np.full((32, size, size, 1), 255)], -1).astype(np.uint8)


def guessed(tiles: np.ndarray) -> SetGuess | None:
    """Give the first offer for tiles that lie in rows of eight."""
    found = find_sets(tiles, [(n // 8, n % 8) for n in range(len(tiles))])
    return found[0] if found else None


def is_right(guess: SetGuess | None, marks: np.ndarray) -> bool:
    """Whether a set is offered at 0.5 and more, with the true marks, whatever they are called."""
    if guess is None or guess.score < 0.5:
        return False
    got = np.array([[each[slot] for slot in CORNERS] for each in guess.marks])
    true = np.array([marks[row * 8 + col] for row, col in guess.places])
    return np.array_equal(got, true) or np.array_equal(got, 3 - true)


def main() -> int:
    """Print a row for each shade and grain; returns 1 if a sheet without a set is offered one."""
    for size, shade, grain in product((16, 32), (0.7, 0.8, 0.88, 0.93), (4, 12)):
        told = []
        for rim in (False, True):
            right = [is_right(guessed(tiles), marks) for tiles, marks in
                     (shaded(size, seed, shade, grain, rim=rim) for seed in (1, 2, 3))]  # fmt: skip
            told.append(f"{sum(right)} of {len(right)}")
        print(f"{size} px, {shade:.2f} as light, grain {grain:2}: {told[0]}, with a rim {told[1]}")
    wrong = 0
    for seed in range(20):
        guess = guessed(unrelated(16, seed))
        wrong += guess is not None and guess.score >= 0.5
    print(f"sheets of unrelated tiles that are offered a set: {wrong} of 20")
    return int(wrong > 0)


if __name__ == "__main__":
    raise SystemExit(main())
