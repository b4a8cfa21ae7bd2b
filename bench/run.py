"""Benchmarks as ratios against a stated reference in the same run.

Reference and ours are run in turn, and medians compared, so that a busy machine slows both.
`python bench/run.py` prints a table, `--json` one document; exits 1 if a limit is broken.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
from collections.abc import Callable
from dataclasses import asdict, dataclass
from pathlib import Path
from statistics import median
from time import perf_counter, thread_time
from typing import Any, NamedTuple

import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1]))

ROUNDS = 15


@dataclass
class Row:
    """One measurement: ours over the reference, or ours in ms where the limit is absolute."""

    name: str
    against: str
    ours_ms: float
    reference_ms: float
    value: float
    limit: float

    @property
    def passed(self) -> bool:
        """Whether it is within its limit."""
        return self.value <= self.limit


def tell_rows(rows: list[Row]) -> int:
    """Print a table of times with absolute limits; returns the exit code."""
    for row in rows:
        mark = "ok" if row.passed else "BROKEN"
        print(f"{row.name:38}{row.value:9.2f} of {row.limit:g}  {mark:7} {row.against}")
    return 0 if all(row.passed for row in rows) else 1


def timed(work: Callable[[], object]) -> float:
    """Seconds of one run."""
    begun = perf_counter()
    work()
    return perf_counter() - begun


QUIET_PACE_MS = 0.8
"""What `pace_ms` gives on the machine that the limits of frames are for, with nothing beside it."""


def pace_ms() -> float:
    """Time a fixed piece of work like a frame's: Python, NumPy on little, NumPy on much.

    What is told in ms is measured against it, see `spent`.
    """
    few = np.arange(100, dtype=np.int32).reshape(10, 10)
    table, much = np.arange(200, dtype=np.int32), np.arange(1 << 16, dtype=np.uint32)
    begun, total = thread_time(), 0
    for n in range(4000):
        total += n * n % 7
    for _ in range(60):
        np.take(table, few + 1).any(axis=1)
    for _ in range(4):
        _ = much >> np.uint32(3) & np.uint32(255)
    return (thread_time() - begun) * 1000


class Spent(NamedTuple):
    """What something took: by the clock, and of our own work on the quiet machine, in ms."""

    quiet: float
    clock: float


def spent(work: Callable[[], object]) -> Spent:
    """Time one run, and the pace of this machine before and after it.

    What others do on the machine meanwhile is not our own work: the processor's time counts.
    """
    from knitground.ui.common.pulse import begin_pulse

    paces = [pace_ms() for _ in range(3)]
    begin_pulse()  # the paces are no part of it
    begun = thread_time()
    took = timed(work) * 1000
    own = (thread_time() - begun) * 1000
    paces += [pace_ms() for _ in range(3)]
    return Spent(own * QUIET_PACE_MS / median(paces), took)


def spent_row(name: str, times: list[Spent], limit: float, part: float = 1.0) -> Row:
    """Make a row of the longest time, or of one that a part of them does not exceed."""
    at = min(len(times) - 1, int(part * len(times)))
    quiet, clock = (sorted(column)[at] for column in zip(*times))
    return Row(name, f"ms; {clock:.1f} by the clock", clock, 1, quiet, limit)


def ratio(
    name: str,
    against: str,
    ours: Callable[[], object],
    reference: Callable[[], object],
    limit: float,
    rounds: int = ROUNDS,
) -> Row:
    """Measure ours and the reference in turn."""
    ours()
    reference()
    pairs = [(timed(ours), timed(reference)) for _ in range(rounds)]
    one, two = (median(column) * 1000 for column in zip(*pairs))
    return Row(name, against, one, two, one / two, limit)


def core_rows() -> list[Row]:
    """Knitting, chance and noise."""
    import numpy as np
    from scipy.ndimage import gaussian_filter
    from tests.maps import pair_marks

    from knitground.core.chance.draw import MIX_SLOTS, draw_cells, slot_table
    from knitground.core.grow.ground import Noise, noise_ground
    from knitground.core.grow.noise import noise_field
    from knitground.core.grow.shares import cut_shares, exact_counts
    from knitground.core.knit.bridge import build_graph
    from knitground.core.knit.knit import knit
    from knitground.core.knit.table import build_table

    rng = np.random.default_rng(1)
    side, rows = 1024, []
    marks = pair_marks([(1, 2), (2, 3), (4, 2)], copies=3)
    table = build_table(marks, list(range(1, len(marks) + 1)), [1.0] * len(marks), 4)
    graph = build_graph(table)
    parts = {1: 0.35, 2: 0.4, 3: 0.25}
    terrain = noise_ground(graph, parts, (side + 1, side + 1), False, Noise(16, 4, 1))
    at = np.arange(side)
    entries = rng.integers(0, 1000, 65_536).astype(np.int32)
    places = rng.integers(0, 65_536, (side, side)).astype(np.uint16)
    rows.append(
        ratio(
            "knit 1024 × 1024", "np.take of as many cells",
            lambda: knit(table, terrain, at, at, 1, 1), lambda: np.take(entries, places), 6,
        )
    )  # fmt: skip
    weights = rng.random(16) + 0.1
    slots = slot_table(np.arange(16), weights.tolist(), MIX_SLOTS)
    thousand = np.arange(1000)
    rows.append(
        ratio(
            "mix of 16 over 1 M cells", "Generator.choice",
            lambda: draw_cells(slots, thousand, thousand, 1, 1),
            lambda: rng.choice(16, 1_000_000, p=weights / weights.sum()), 0.25,
        )
    )  # fmt: skip
    field = rng.random((side, side))
    counts = exact_counts([0.35, 0.4, 0.25], side * side)

    def smooth() -> object:
        return gaussian_filter(field, 8, mode="wrap")

    rows.append(
        ratio(
            "noise + shares 1024 × 1024", "gaussian_filter(8, wrap)",
            lambda: cut_shares(noise_field(side, side, 16, 4, 1), counts), smooth, 3,
        )
    )  # fmt: skip
    rows.append(
        ratio(
            "the whole step, borders parted", "gaussian_filter(8, wrap)",
            lambda: noise_ground(graph, parts, (side, side), True, Noise(16, 4, 1)), smooth, 7, 5,
        )
    )  # fmt: skip
    return rows


def kind_rows() -> list[Row]:
    """Knitting edge and ring sets and 64 terrains; guessing marks; a mark changed."""
    import numpy as np
    from tests.core.test_guess import corner_art
    from tests.core.test_kinds import edge_marks, ring_marks
    from tests.maps import pair_marks, small_project

    from knitground.core.base.window import Box
    from knitground.core.edit.terrains import paint_marks
    from knitground.core.knit.guess import guess_marks
    from knitground.core.knit.knit import knit
    from knitground.core.knit.table import build_table
    from knitground.core.model.terrain import SetKind

    rng = np.random.default_rng(2)
    side, at, rows = 1024, np.arange(1024), []
    entries = rng.integers(0, 1000, 65_536).astype(np.int32)
    places = rng.integers(0, 65_536, (side, side)).astype(np.uint16)

    def patches(count: int) -> np.ndarray:
        blocks = rng.integers(0, count + 1, (65, 65))
        return np.kron(blocks, np.ones((16, 16), int))[: side + 1, : side + 1].astype(np.uint8)

    many = pair_marks([(n, n + 1) for n in range(1, 64)])
    cases = {
        "edge set": (edge_marks(2), SetKind.EDGE, patches(2).astype(np.uint16), 2),
        "ring set": (ring_marks(2), SetKind.RING, np.pad(patches(2), 1, mode="edge"), 2),
        "64 terrains": (many, SetKind.CORNER, patches(64), 64),
    }
    for name, (marks, kind, ground, count) in cases.items():
        table = build_table(marks, list(range(1, len(marks) + 1)), [1.0] * len(marks), count, kind)
        rows.append(
            ratio(
                f"knit 1024 × 1024, {name}", "np.take of as many cells",
                lambda table=table, ground=ground: knit(table, ground, at, at, 1, 1),
                lambda: np.take(entries, places), 6,
            )
        )  # fmt: skip
    tiles, true, known = corner_art(16, 1, 8)
    given = np.full_like(true, 255)
    given[known] = true[known]
    rows.append(absolute("marks of 128 tiles guessed", "ms, 1000 asked",
                         lambda: guess_marks(tiles, SetKind.CORNER, given), 1000))  # fmt: skip
    doc, map_, ground, _ = small_project((side, side), copies=70)
    tileset = doc.project.tilesets[0]
    ground.terrain[:] = patches(2) + 1
    turn = [1]

    def mark() -> None:
        turn[0] = 3 - turn[0]
        doc.apply(paint_marks(tileset, tileset.sets[0], [(0, 1, 1)], turn[0]))
        doc.cells(map_, ground, Box(0, 0, 64, 96))

    rows.append(absolute("a mark of 2176 tiles, 1024² map", "ms, 100 asked", mark, 100))
    return rows


def absolute(name: str, against: str, ours: Callable[[], object], limit_ms: float) -> Row:
    """Measure ours against a limit in milliseconds."""
    ours()
    ms = median(timed(ours) for _ in range(7)) * 1000
    return Row(name, against, ms, 0.0, ms, limit_ms)


def dab_row() -> Row:
    """A dab of 3 × 3 on a large map against one on a small map."""
    import numpy as np
    from tests.maps import small_project

    from knitground.core.base.window import Box
    from knitground.core.edit.laying import plan_terrain

    mask = np.ones((3, 3), bool)

    def dabs(side: int) -> Callable[[], object]:
        doc, map_, ground, _ = small_project((side, side))
        doc.knitter.ensure(map_, ground, Box(0, 0, 64, 64))

        def work() -> None:
            for n in range(40):
                box = Box(8 + n, 20, 11 + n, 23)
                plan = plan_terrain(doc, map_, ground, box, mask, 1 + n % 3, "Paint")
                doc.apply(plan.edit)

        return work

    return ratio("a dab on 4096²", "a dab on 64²", dabs(4096), dabs(64), 1.3)


def window_rows() -> list[Row]:
    """Painting of the real window, offscreen."""
    from knitground.core.base.window import Box
    from knitground.core.edit.changed import Changed, What
    from knitground.core.edit.maps import add_map
    from knitground.core.model.map import Map
    from knitground.demo.project import write_demo
    from knitground.ui.common.zoom import STEPS
    from knitground.ui.tour import make_window
    from knitground.ui.touracts import settle

    folder = Path(tempfile.mkdtemp())
    write_demo(folder / "demo")
    window = make_window(folder / "memory")
    window.files.open_project(folder / "demo")
    settle()
    map_ = Map("Bench", 1024, 1024, 16, 16)
    for name in "ab":
        ground = map_.new_ground_layer(name, "pans", "Pans")
        ground.terrain[:] = 2
        map_.layers.append(ground)
        map_.layers.append(map_.new_tile_layer(name))
    window.session.doc.apply(add_map(window.session.project, map_))
    window.session.choose_map(map_)
    window.show_stage("draw")
    window.shell.resize(1280, 800)
    settle()
    view = window.mapside.view
    view.zoom_to(STEPS.index(1))
    view.show_cell(512, 512)
    settle()
    box = Box(512, 512, 513, 513)

    def one_cell() -> None:
        view.follow(Changed(What.CELLS, map_, map_.layers[1], box))
        view.repaint(view.screen_rect(map_.lattice.bounds(box)))

    def median_ms() -> float:
        times = []
        for _ in range(60):
            one_cell()
            times.append(view.paint_ms)
        return median(times)

    shown = median_ms()
    view.cell_cursor = view.pointer = None
    bare = median_ms()
    rows = [
        Row("paint after one cell, 4 layers", "ms", bare, 1, bare, 2),
        Row("the same with a ghost and its label", "ms", shown, 1, shown, 4),
    ]
    if "--profile" in sys.argv:
        import cProfile

        with cProfile.Profile() as profile:
            for _ in range(100):
                one_cell()
        profile.print_stats("tottime")
    view.camera.step = 0
    view.camera.fit(1024 * 16, 1024 * 16, 1100, 1100)
    view.camera.centre(8192, 8192, view.width(), view.height())
    for _ in range(60):
        view.repaint()

    times = []
    for _ in range(60):
        view.pan(3, 1)
        view.repaint()
        times.append(view.paint_ms)
    times.sort()
    rows.append(Row("pan with 1024² cells in view, warm", "ms", times[57], 1, times[57], 16))
    window.session.doc.mark_saved()
    window.shell.close()
    return rows


_EMPTY = """
import os
from PySide6.QtWidgets import QApplication, QMainWindow
app = QApplication([])
class W(QMainWindow):
    def paintEvent(self, e):
        os._exit(0)
w = W(); w.resize(1280, 800); w.show(); app.exec()
"""
_OURS = """
import os
from knitground.ui.start import make_app
from knitground.ui.shell import Shell
app = make_app()
shell = Shell()
shell.painted.connect(lambda: os._exit(0))
shell.show(); app.exec()
"""


def typing_row() -> Row:
    """Typing a number in Slice on a 4096 × 4096 sheet: lines, swatch and facts line follow."""
    import numpy as np

    from knitground.core.files.images import png_bytes
    from knitground.ui.tour import make_window
    from knitground.ui.touracts import settle

    folder = Path(tempfile.mkdtemp())
    part = np.random.default_rng(1).integers(0, 255, (256, 256, 4), np.uint8)
    part[..., 3] = 255
    (folder / "large.png").write_bytes(png_bytes(np.tile(part, (16, 16, 1))))
    window = make_window(folder / "memory")
    window.sheets.add_sheets([folder / "large.png"])
    settle()
    stage: Any = window.stages["slice"]
    times = []
    for n in range(30):
        begun = perf_counter()
        stage.numbers.boxes["tile_width"].setValue(20 + n)
        stage.sheet.repaint()
        stage.swatch.repaint()
        times.append((perf_counter() - begun) * 1000)
    window.session.doc.mark_saved()
    window.shell.close()
    settle()
    worst = max(times)
    return Row("typing on a 4096² sheet, worst", "ms", worst, 1, worst, 50)


def start_row() -> Row:
    """Start to first paint, as whole processes."""

    def process(code: str) -> Callable[[], object]:
        return lambda: subprocess.run([sys.executable, "-c", code], check=True)

    return ratio(
        "start to first paint", "an empty QMainWindow", process(_OURS), process(_EMPTY), 2, 7
    )


def main() -> int:
    """Run all; returns the exit code."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    rows = [*core_rows(), *kind_rows(), dab_row(), start_row(), *window_rows(), typing_row()]
    if "--json" in sys.argv:
        print(json.dumps([{**asdict(row), "passed": row.passed} for row in rows]))
    else:
        print(f"{'':34}{'ours':>10}{'reference':>12}{'':3}{'value':>8}{'limit':>8}")
        for row in rows:
            mark = "ok" if row.passed else "BROKEN"
            print(
                f"{row.name:34}{row.ours_ms:8.2f}ms{row.reference_ms:10.2f}ms   "
                f"{row.value:8.2f}{row.limit:8.2f}  {mark:7} of {row.against}"
            )
    return 0 if all(row.passed for row in rows) else 1


if __name__ == "__main__":
    sys.exit(main())
