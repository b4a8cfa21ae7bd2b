"""Benchmark of light: 32 lamps on a view of 1280 × 800 pixels, once warm, with walls and without.

`python bench/light.py` prints a table; exits 1 if a limit is broken.
"""

from __future__ import annotations

import os
import sys
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1]))

from bench.run import Row, ratio, tell_rows, timed

from knitground.core.model.lattice import Rect
from knitground.core.render.pixels import over
from knitground.core.shapes.light import DUSK, Lamp, Light, lit

WIDE, HIGH, LAMPS = 1280, 800, 32


def rows() -> list[Row]:
    """Measure the field at the steps of the window and of Play, what is lit, and what is anew."""
    rng = np.random.default_rng(1)
    places = zip(rng.integers(0, WIDE, LAMPS).tolist(), rng.integers(0, HIGH, LAMPS).tolist())
    lamps = [Lamp(x, y, 96, flicker=0.3, number=n) for n, (x, y) in enumerate(places)]
    walls = rng.random((HIGH, WIDE)) < 0.002
    whole = np.zeros((HIGH + 800, WIDE + 800), np.bool_)
    whole[400:-400, 400:-400] = walls

    def blocked(x: int, y: int, wide: int, high: int) -> np.ndarray:
        return whole[y + 400 : y + 400 + high, x + 400 : x + 400 + wide]

    view = Rect(0, 0, WIDE, HIGH)
    pixels = rng.integers(0, 2**32, (HIGH, WIDE), np.uint32)
    out = []
    for words, step in (("as the window has it", 2), ("as Play has it", 1)):
        light = Light(blocked, step)
        light.field(lamps, DUSK, view)
        took = sorted(timed(lambda n=n, light=light: light.field(lamps, DUSK, view, 16 * n))
                      for n in range(40))[20] * 1000  # fmt: skip
        out.append(Row(f"a frame of 32 lamps, {words}", "ms, 16 asked", took, 1, took, 16))
    field = Light(blocked, 2).field(lamps, DUSK, view)
    out.append(ratio("1280 × 800 pixels lit", "as many laid over others",
                     lambda: lit(pixels, field, 2), lambda: over(pixels, pixels), 3))  # fmt: skip
    took = timed(lambda: Light(blocked, 2).field(lamps, DUSK, view)) * 1000
    out.append(Row("all that 32 lamps reach, anew", "ms, 300 asked", took, 1, took, 300))
    return out


if __name__ == "__main__":
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    sys.exit(tell_rows(rows()))
