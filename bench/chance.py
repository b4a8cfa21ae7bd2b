"""Benchmarks of chance: how mixes fall, as ratios against references in the same run.

`python bench/chance.py` prints a table, `--json` one document; exits 1 if a limit is broken.
"""

from __future__ import annotations

import json
import os
import sys
from dataclasses import asdict
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).parents[1]))

from bench.run import Row, ratio, tell_rows, timed

SIDE = 1024


def rows() -> list[Row]:
    """Measure a million cells of each way."""
    import numpy as np

    from knitground.core.chance.fall import fall_cells, repetition
    from knitground.core.model.mix import Fall, FallWay

    weights = tuple(np.linspace(1, 3, 16).tolist())
    at, mask = np.arange(SIDE), np.ones((SIDE, SIDE), bool)
    rng = np.random.default_rng(1)
    part = np.array(weights) / sum(weights)

    def lay(way: FallWay, dealt: Any = None) -> Any:
        return fall_cells(weights, Fall(way), at, at, 1, 1, None, dealt)

    apart = lay(FallWay.APART)
    pairs = int((apart[1:] == apart[:-1]).sum() + (apart[:, 1:] == apart[:, :-1]).sum())
    laid = np.bincount(apart.ravel(), minlength=16) / apart.size
    spent = sorted(timed(lambda: lay(FallWay.APART)) for _ in range(5))[2]
    plain = fall_cells(weights, Fall(), np.arange(256), np.arange(256), 1, 1)
    return [
        ratio("16 tiles, each by itself, 1 M cells", "Generator.choice", lambda: lay(FallWay.ALONE),
              lambda: rng.choice(16, SIDE * SIDE, p=part), 0.25, 5),
        ratio("dealt exactly among 1 M cells", "rng.permutation", lambda: lay(FallWay.DEALT, mask),
              lambda: rng.permutation(SIDE * SIDE), 5, 5),
        Row("never side by side, s a million", "-", spent * 1000, 0, spent, 1),
        Row("touching pairs", "-", 0, 0, pairs, 0),
        Row("shares off, points", "-", 0, 0, float(np.abs(laid - part).max() * 100), 2),
        Row("repetition on 256²", "-", 0, 0, repetition(plain)[0], 0.01),
    ]  # fmt: skip


def main() -> int:
    """Measure all rows."""
    found = rows()
    if "--json" in sys.argv:
        print(json.dumps([asdict(row) for row in found]))
        return 0 if all(row.passed for row in found) else 1
    return tell_rows(found)


if __name__ == "__main__":
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    sys.exit(main())
