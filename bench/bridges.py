"""Bridges against the exact optimum: random sets of complete pairs, random strokes.

`python bench/bridges.py [--count N] [--seed S] [--json]`. The optimum is OR-tools' (CP-SAT), which
is needed for this measurement only: `pip install ortools`. Exits 1 if a limit is broken.

A set is a random connected graph of terrains in which each link has its complete pair of tiles, no
tile shows three. A map starts plain; strokes of random size and terrain are painted one after the
other, so that later ones meet what earlier ones left.
"""

from __future__ import annotations

import argparse
import json
import sys
from importlib.util import find_spec
from pathlib import Path
from time import perf_counter
from typing import Any

import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.maps import pair_marks

from knitground.core.chance.draw import VARIANT_SLOTS
from knitground.core.knit.bridge import build_bridges, build_graph
from knitground.core.knit.repair import corner_cells
from knitground.core.knit.table import KnitTable, build_table

SIDE = 24
STROKES = 5
LIMITS = {"without_gap": 0.995, "ratio": 1.05, "median_ms": 2.0, "p95_ms": 100.0}


def random_set(rng: np.random.Generator) -> tuple[KnitTable, int]:
    """Make the table of a set of 3 to 8 terrains: a random tree and up to three more links."""
    count = int(rng.integers(3, 9))
    pairs = {(int(rng.integers(1, n)), n) for n in range(2, count + 1)}
    for _ in range(int(rng.integers(0, 4))):
        a, b = sorted(rng.choice(np.arange(1, count + 1), 2, replace=False).tolist())
        pairs.add((a, b))
    marks = pair_marks(sorted(pairs))
    places = list(range(1, len(marks) + 1))
    return build_table(marks, places, [1.0] * len(marks), count), count


def gaps(table: KnitTable, terrain: np.ndarray) -> int:
    """Count cells without a tile."""
    four = terrain.ravel().astype(np.int64)[corner_cells(*terrain.shape)]
    side = table.base + 1
    codes = table.north[four[:, 0] * side + four[:, 1]]
    codes = codes + table.south[four[:, 2] * side + four[:, 3]]
    return int((table.first[codes] == VARIANT_SLOTS).sum())


def optimum(
    table: KnitTable, terrain: np.ndarray, painted: np.ndarray, value: int, seconds: float = 20
) -> int | None:
    """Find the fewest other vertices that must change; None if none fits or time ran out."""
    from ortools.sat.python import cp_model

    model = cp_model.CpModel()
    rim = np.ones(terrain.shape, bool)
    rim[1:-1, 1:-1] = False
    kinds = table.base - 1
    variables = []
    changes = []
    for place, (old, hit, edge) in enumerate(
        zip(terrain.ravel().tolist(), painted.ravel().tolist(), rim.ravel().tolist())
    ):
        fixed = value if hit else old if edge else None
        if fixed is None:
            made = model.new_int_var(1, kinds, f"v{place}")
            differs = model.new_bool_var(f"d{place}")
            model.add(made == old).only_enforce_if(differs.negated())
            changes.append(differs)
        else:
            made = model.new_int_var(fixed, fixed, f"v{place}")
        variables.append(made)
    allowed = list(table.variants)
    for four in corner_cells(*terrain.shape).tolist():
        model.add_allowed_assignments([variables[place] for place in four], allowed)
    model.minimize(sum(changes))
    solver = cp_model.CpSolver()
    solver.parameters.max_time_in_seconds = seconds
    solver.parameters.num_workers = 2
    status = solver.solve(model)
    return round(solver.objective_value) if status == cp_model.OPTIMAL else None


def measure(count: int, seed: int) -> dict[str, Any]:
    """Paint strokes on random sets and compare."""
    rng = np.random.default_rng(seed)
    ours_total = best_total = with_gap = strokes = proven = impossible = 0
    times = []
    for _ in range(count):
        table, kinds = random_set(rng)
        graph = build_graph(table)
        terrain = np.full((SIDE, SIDE), int(rng.integers(1, kinds + 1)), np.uint8)
        for _ in range(STROKES):
            high, wide = rng.integers(1, 5, 2).tolist()
            top, left = rng.integers(8, 13, 2).tolist()
            painted = np.zeros(terrain.shape, bool)
            painted[top : top + high, left : left + wide] = True
            value = int(rng.integers(1, kinds + 1))
            begun = perf_counter()
            after = build_bridges(table, graph, terrain, painted, value)
            times.append((perf_counter() - begun) * 1000)
            strokes += 1
            best = optimum(table, terrain, painted, value)
            if gaps(table, after):
                with_gap += 1
                impossible += best is None
                break
            if best is not None:
                proven += 1
                ours_total += int(((after != terrain) & ~painted).sum())
                best_total += best
            terrain = after
    return {
        "strokes": strokes,
        "with_gap": with_gap,
        "of_these_without_a_known_answer": impossible,
        "without_gap": 1 - (with_gap - impossible) / strokes,
        "compared": proven,
        "changes": ours_total,
        "optimum": best_total,
        "ratio": ours_total / max(1, best_total),
        "median_ms": float(np.median(times)),
        "p95_ms": float(np.percentile(times, 95)),
        "worst_ms": float(max(times)),
    }


def main() -> int:
    """Measure and print."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--count", type=int, default=40, help="how many sets")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--json", action="store_true")
    asked = parser.parse_args()
    if find_spec("ortools") is None:
        sys.exit("bridges: the best answers come from OR-Tools; type: pip install ortools")
    found = measure(asked.count, asked.seed)
    if asked.json:
        print(json.dumps(found))
    else:
        for name, value in found.items():
            limit = f"   (limit {LIMITS[name]})" if name in LIMITS else ""
            print(f"{name.replace('_', ' '):32} {value:10.4g}{limit}")
    broken = found["without_gap"] < LIMITS["without_gap"] or any(
        found[name] > LIMITS[name] for name in ("ratio", "median_ms", "p95_ms")
    )
    return 1 if broken else 0


if __name__ == "__main__":
    sys.exit(main())
