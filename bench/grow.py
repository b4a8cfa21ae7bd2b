"""Benchmarks of growing: steps as ratios against references in the same run, the solver by cases.

`python bench/grow.py` prints a table, `--json` one document; exits 1 if a limit is broken. With
OR-tools installed (it is no part of the program) the solver is compared with its CP-SAT.
"""

from __future__ import annotations

import itertools
import json
import os
import subprocess
import sys
import tempfile
from dataclasses import asdict
from pathlib import Path
from time import perf_counter
from typing import Any

sys.path.insert(0, str(Path(__file__).parents[1]))

from bench.run import Row, ratio, tell_rows, timed

SIDE = 1024


def plainless_rows() -> list[Row]:
    """Grow 100 × 100 with sets that lack plain tiles: drawn ones, and real ones that are there."""
    from tests.maps import small_project

    from knitground.core.edit.likelysets import kit_of_guess, sheet_sets
    from knitground.core.files.images import read_sheet
    from knitground.core.grow.runner import run_recipe
    from knitground.core.model.map import Map
    from knitground.core.model.project import Project
    from knitground.core.model.recipe import NoiseStep, Recipe
    from knitground.core.model.terrain import TerrainSet
    from knitground.core.model.tileset import Tileset
    from knitground.core.slicing.likely import likely_grids

    def spent(project: Project, owner: Tileset, kit: TerrainSet) -> float:
        map_ = Map("m", 100, 100, owner.slicing.tile_height, owner.slicing.tile_width)
        layer = map_.new_ground_layer("g", owner.name, kit.name, kit.kind)
        map_.layers.append(layer)
        shares = tuple((each.name, 1.0) for each in kit.terrains)
        took = []
        for seed in range(1, 4):
            map_.recipe = Recipe(seed, (NoiseStep(layer.number, shares=shares),))
            begun = perf_counter()
            run_recipe(project, map_)
            took.append(perf_counter() - begun)
        return max(took)

    def drawn(*without: int, most: int = 4) -> tuple[Project, Tileset, TerrainSet]:
        project = small_project()[0].project
        owner = project.tilesets[0]
        marks = owner.sets[0].marks.reshape(-1, 9)
        for number in without:
            marks[(marks[:, 1:8:2] == number).sum(axis=1) >= most] = 0
        return project, owner, owner.sets[0]

    whole = spent(*drawn())
    cases = {"one": drawn(1), "two": drawn(1, 3), "three, and what is near": drawn(1, 2, 3, most=3)}
    art = Path(__file__).parents[2] / "shared" / "art" / "sheets"
    for name in ("d_uh_grassbeach", "d_lordsawar_water"):
        path = art / f"{name}.png"
        if path.exists():
            picture, data, _ = read_sheet(path)
            cut, (high, wide) = likely_grids(picture)[0].slicing, picture.shape[:2]
            owner = Tileset(name, path.name, wide, high, cut, picture=picture, data=data)
            guess = sheet_sets(owner)[0]
            owner.sets = [kit_of_guess(owner, guess)]
            cases[name] = (Project("x", None, [owner]), owner, owner.sets[0])
    begun = 1.0  # what the program takes to start and to open a project, in seconds
    return [
        Row(f"100² without a plain tile: {name}", "a whole set", took * 1000, whole * 1000,
            (begun + took) / (begun + whole), 2.0)
        for name, (project, owner, kit) in cases.items()
        for took in [spent(project, owner, kit)]
    ]  # fmt: skip


def step_rows() -> list[Row]:
    """Measure steps on 1024 × 1024 cells."""
    import numpy as np
    from scipy.ndimage import distance_transform_edt, gaussian_filter
    from tests.maps import pair_marks

    from knitground.core.grow.ground import Noise, noise_ground
    from knitground.core.grow.noise import noise_field
    from knitground.core.grow.regions import regions
    from knitground.core.grow.route import join_places
    from knitground.core.grow.scatter import Strewn, scatter
    from knitground.core.grow.shares import cut_shares, exact_counts
    from knitground.core.grow.smooth import majority
    from knitground.core.knit.bridge import build_graph
    from knitground.core.knit.table import build_table
    from knitground.core.model.recipe import ScatterStep

    rng = np.random.default_rng(1)
    field = rng.random((SIDE, SIDE))
    counts = exact_counts([0.35, 0.4, 0.25], SIDE * SIDE)
    marks = pair_marks([(1, 2), (2, 3), (4, 2)], copies=3)
    graph = build_graph(build_table(marks, list(range(1, len(marks) + 1)), [1.0] * len(marks), 4))
    parts = {1: 0.35, 2: 0.4, 3: 0.25}

    def smooth() -> object:
        return gaussian_filter(field, 8, mode="wrap")

    ground = noise_ground(graph, parts, (SIDE, SIDE), True, Noise(16, 4, 1))
    free = np.ones((SIDE, SIDE), bool)
    stamps = [
        Strewn(np.ones((2, 2), np.int32), 1.0, "square"),
        Strewn(np.ones((3, 2), np.int32), 1.0, "tall"),
        Strewn(np.ones((1, 2), np.int32), 1.0, "wide"),
        Strewn(np.ones((1, 1), np.int32), 1.0, "one"),
    ]  # fmt: skip
    step = ScatterStep(0, "m", 0.1, 1)
    mask = ground == 2

    def strew() -> object:
        return scatter(stamps, mask, ~free, step, 5, wrap=True)

    costs = (8 + (noise_field(SIDE, SIDE, 20, 4, 3) * 6).clip(-6, 30)).astype(np.int32)

    def lead() -> object:
        return join_places(costs, [(10, 10), (1000, 990)], wrap=False)

    twelve = [(97 * n % SIDE, 411 * n % SIDE) for n in range(12)]

    def join() -> object:
        return join_places(costs, twelve, wrap=True)

    spent = sorted(timed(strew) for _ in range(3))[1]
    field_of = noise_field(SIDE, SIDE, 16, 4, 1)
    inside = np.abs(np.diff(field_of, axis=0)).mean()
    across = np.abs(field_of[0] - field_of[-1]).mean()
    return [
        ratio("noise + shares", "gaussian_filter(8, wrap)",
              lambda: cut_shares(noise_field(SIDE, SIDE, 16, 4, 1), counts), smooth, 1.5),
        ratio("noise ground, borders parted", "gaussian_filter(8, wrap)",
              lambda: noise_ground(graph, parts, (SIDE, SIDE), True, Noise(16, 4, 1)), smooth,
              4, 5),
        ratio("a route across", "distance_transform_edt", lead,
              lambda: distance_transform_edt(mask), 4, 5),
        ratio("ways between 12 places", "distance_transform_edt", join,
              lambda: distance_transform_edt(mask), 10, 3),
        ratio("regions", "gaussian_filter(8, wrap)",
              lambda: regions((SIDE, SIDE), 24, 0.5, 1, wrap=True), smooth, 10, 3),
        ratio("a pass of smoothing", "gaussian_filter(8, wrap)",
              lambda: majority(ground, free, wrap=True, keeps=True), smooth, 30, 3),
        Row("scatter of 4 props, seconds", "1.5 s", spent * 1000, 1500.0, spent / 1.5, 1.0),
        Row("noise: step over the border / inside", "1.05", across, inside, across / inside, 1.05),
    ]  # fmt: skip


def recipe_rows() -> list[Row]:
    """Run six steps of the demo's basin on larger maps: all of them, and after a slider's move."""
    from dataclasses import replace

    from knitground.core.files.opening import open_project
    from knitground.core.grow.runner import Kept, run_recipe
    from knitground.core.model.layers import GroundLayer
    from knitground.core.model.map import Map
    from knitground.core.model.recipe import Recipe, SmoothStep
    from knitground.demo.project import write_demo

    with tempfile.TemporaryDirectory() as folder:
        write_demo(Path(folder))
        project = open_project(Path(folder)).project
    basin = next(each for each in project.maps if each.name == "North basin")
    steps = basin.recipe.steps[:6]
    calm = steps[1]
    assert isinstance(calm, SmoothStep)

    def grown(side: int) -> tuple[float, float]:
        map_ = Map("large", side, side, basin.cell_height, basin.cell_width, wrap=True)
        for each in basin.layers:
            made = (
                map_.new_ground_layer(each.name, each.tileset, each.set_name, each.kind_of_set)
                if isinstance(each, GroundLayer) else map_.new_grown_layer(each.name)
            )  # fmt: skip
            made.number = each.number
            map_.layers.append(made)
        map_.recipe = Recipe(7, steps)
        kept = Kept()
        whole = timed(lambda: run_recipe(project, map_, kept=kept))
        slid = []
        for size in (3, 5, 8):  # the second step's slider: all after it are made anew
            slider = replace(calm, least=size)
            map_.recipe = Recipe(7, (steps[0], slider, *steps[2:]))
            slid.append(timed(lambda: run_recipe(project, map_, kept=kept)))
        return 1000 * whole, 1000 * sorted(slid)[1]

    grown(64)  # what is looked up once a process
    (_, slid), (whole, _) = grown(256), grown(1024)
    return [
        Row("six steps, 256², after a slider", "ms, 60 asked", slid, 1, slid, 200),
        Row("six steps, 1024²", "ms, 1000 asked", whole, 1, whole, 3000),
    ]


def many_row() -> Row:
    """Grow a map with many seeds by the command line, on all processors and on one."""
    from knitground.demo.project import write_demo

    with tempfile.TemporaryDirectory() as folder:
        write_demo(Path(folder) / "demo")

        def grow(count: int, processes: int) -> float:
            to = f"{folder}/{processes} {count}"
            run = [sys.executable, "-m", "knitground", "grow", f"{folder}/demo", "--quiet",
                   "--map", "Salt coast", "--count", str(count), "--processes", str(processes),
                   "--allow-gaps", "--to", to]  # fmt: skip
            return timed(lambda: subprocess.run(run, check=True, capture_output=True))

        number = os.cpu_count() or 1
        one, many = grow(40, 1) - grow(1, 1), grow(40, number) - grow(2, number)
    return Row(f"40 seeds on {number} processes", "one process, a share each", 1000 * many,
               1000 * one / number, many * number / one, 1.4)  # fmt: skip


def cases() -> list[tuple[str, Any, tuple[int, int], bool, float]]:
    """Make solving cases: sets of sides with many and few tiles, free and with cells given."""
    import numpy as np

    from knitground.core.grow.joins import Joins
    from knitground.core.model.tile import TileRef

    out = []
    for kinds, kept, seed in itertools.product((2, 3, 4), (1.0, 0.5, 0.3), range(6)):
        rng = np.random.default_rng(seed * 100 + kinds)
        codes = np.array([c for c in itertools.product(range(kinds), repeat=4)
                          if rng.random() < kept])  # fmt: skip
        if len(codes) < 4:
            continue
        tiles = [TileRef("t", 0, n) for n in range(len(codes))]
        joins = Joins(tiles, np.ones(len(codes)), codes[:, None, 1] == codes[None, :, 3],
                      codes[:, None, 2] == codes[None, :, 0],
                      np.stack([codes[:, n] == 0 for n in range(4)]))  # fmt: skip
        name = f"{kinds} kinds, {kept:.0%} of tiles"
        out.append((name, joins, (32, 32), True, 0.0))
        out.append((name, joins, (64, 64), True, 0.0))
        out.append((name + ", 3 % given", joins, (32, 32), True, 0.03))
    return out


def solve_rows() -> list[Row]:
    """Count solved cases at 32 × 32 and 64 × 64; each is checked by itself."""
    import numpy as np

    from knitground.core.grow.solver import Solver, wrong_joins

    rows = []
    tally: dict[str, list[tuple[bool, bool, float]]] = {}
    for _, joins, size, wrap, part in cases():
        given = np.full(size, -1, np.int32)
        area = np.ones(size, bool)
        if part:
            base = Solver(joins, area, given, wrap=wrap, seed=99, seconds=30).solve()
            chosen = np.random.default_rng(5).random(size) < part
            given[chosen] = base.cells[chosen]
            if base.holes:
                continue
        begun = perf_counter()
        found = Solver(joins, area, given, wrap=wrap, seed=3, seconds=30).solve()
        spent = perf_counter() - begun
        if wrong_joins(joins, found.cells, wrap=wrap):
            raise SystemExit("a solved map does not join")
        key = f"solve {size[0]} × {size[1]}" + (", cells given" if part else "")
        tally.setdefault(key, []).append((not found.holes, found.proven, spent))
    for key, results in sorted(tally.items()):
        fine = sum(done or proven for done, proven, _ in results) / len(results)
        middle = sorted(spent for *_, spent in results)[len(results) // 2]
        rows.append(
            Row(f"{key}: unsolved of {len(results)}", "1 %", middle * 1000, 0.0, (1 - fine) / 0.01,
                3.0 if "64" in key else 1.0)
        )  # fmt: skip
    return rows


def rival_rows() -> list[Row]:
    """Compare with CP-SAT on wrapping maps of 32 × 32, where it is installed."""
    try:
        from ortools.sat.python import cp_model
    except ImportError:
        return []
    import numpy as np

    from knitground.core.grow.solver import Solver

    ours, theirs, mine, known = 0.0, 0.0, 0, 0
    for _, joins, size, wrap, part in cases():
        if size != (32, 32) or part or known + mine > 60:
            continue
        begun = perf_counter()
        found = Solver(joins, np.ones(size, bool), np.full(size, -1, np.int32), wrap=wrap,
                       seconds=20).solve()  # fmt: skip
        ours += perf_counter() - begun
        mine += not found.holes
        model = cp_model.CpModel()
        count = len(joins.tiles)
        cells = [[model.new_int_var(0, count - 1, "") for _ in range(32)] for _ in range(32)]
        right = [tuple(p) for p in np.argwhere(joins.right).tolist()]
        down = [tuple(p) for p in np.argwhere(joins.down).tolist()]
        for row, col in itertools.product(range(32), repeat=2):
            model.add_allowed_assignments([cells[row][col], cells[row][(col + 1) % 32]], right)
            model.add_allowed_assignments([cells[row][col], cells[(row + 1) % 32][col]], down)
        solver = cp_model.CpSolver()
        solver.parameters.max_time_in_seconds = 20
        solver.parameters.num_workers = 1
        begun = perf_counter()
        status = solver.solve(model)
        theirs += perf_counter() - begun
        known += status in (cp_model.OPTIMAL, cp_model.FEASIBLE)
    name = f"solve 32 × 32, {mine} solved against {known}"
    return [Row(name, "CP-SAT", ours * 1000, theirs * 1000, ours / theirs, 0.2)]


def main() -> int:
    """Print the rows; 1 if one is over its limit."""
    rows = [
        *plainless_rows(),
        *step_rows(),
        *recipe_rows(),
        many_row(),
        *solve_rows(),
        *rival_rows(),
    ]
    if "--json" in sys.argv:
        sys.stdout.write(json.dumps([asdict(each) for each in rows]) + "\n")
    else:
        tell_rows(rows)
    return int(not all(each.passed for each in rows))


if __name__ == "__main__":
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    sys.exit(main())
