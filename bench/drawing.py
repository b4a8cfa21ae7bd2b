"""Drawing on a map of 4096 × 4096 cells and 8 layers: frames of real strokes, fills, memory, files.

`python bench/drawing.py` prints a table; exits 1 if a limit is broken. With `proof` behind it the
stage Proof is open meanwhile, and its checks are made beside what is drawn. Frames are what our own
work takes from one move of the pointer to the end of the repaint that it asks for, once warm; told
as ms of a quiet machine (`spent`), with what the clock said behind it.
"""

from __future__ import annotations

import gc
import os
import sys
import tempfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from time import perf_counter
from typing import TYPE_CHECKING

sys.path.insert(0, str(Path(__file__).parents[1]))

from bench.run import Row, Spent, ratio, spent, spent_row, tell_rows, timed

if TYPE_CHECKING:
    from knitground.core.edit.hand import Hand
    from knitground.core.model.map import Map
    from knitground.core.model.project import Project
    from knitground.ui.window import Window


SIDE = 4096
LAYERS = 8


def resident_bytes() -> int:
    """Memory of this process that is in use."""
    for line in Path("/proc/self/status").read_text().splitlines():
        if line.startswith("VmRSS:"):
            return int(line.split()[1]) * 1024
    raise RuntimeError("this system does not tell a process's memory")


def large_map(project: Project, side: int) -> Map:
    """Make a map with layers of each kind, all of them with content."""
    import numpy as np

    from knitground.core.model.map import Map
    from knitground.core.model.terrain import SetKind
    from knitground.core.model.tile import TileRef

    rng = np.random.default_rng(1)
    map_ = Map("Large", side, side, 16, 16)
    ground = map_.new_ground_layer("ground", "pans", "Pans")
    ground.terrain[:] = 2
    for row, col in rng.integers(0, side - 40, (side // 4, 2)):
        ground.terrain[row : row + 24, col : col + 30] = 1 + (row + col) % 2
    paths = map_.new_ground_layer("paths", "works", "Causeways", SetKind.EDGE)
    paths.terrain[64::128] = 1 << 8
    dykes = map_.new_ground_layer("dykes", "works", "Dykes", SetKind.RING)
    dykes.terrain[:-1:96, :-1] = 1
    grown = map_.new_grown_layer("grown")
    tint = map_.new_tint_layer("tint")
    layers = [ground, paths, dykes, grown, map_.new_tile_layer("a"), map_.new_tile_layer("b"),
              map_.new_tile_layer("c"), tint]  # fmt: skip
    for n, layer in enumerate(layers, 1):
        layer.number = n
    for n, layer in enumerate(layers[3:7]):
        place = map_.legend.place(TileRef("props", 0, n))
        layer.cells[:] = np.where(rng.random((side, side), np.float32) < 0.05, place, 0)
    tint.cells[::3] = 60 << 24 | 0x5A5F9E
    map_.layers = layers
    return map_


def frame_rows(window: Window, settle: Callable[[], None]) -> list[Row]:
    """Strokes, panning and zooming in the real window: the 50th, 95th and the worst frame."""
    from PySide6.QtCore import QEvent, QPointF, Qt
    from PySide6.QtGui import QMouseEvent
    from PySide6.QtWidgets import QApplication

    from knitground.core.edit.hand import TerrainInHand, TileInHand, TintInHand
    from knitground.core.model.tile import TileRef
    from knitground.ui.common.pulse import begin_pulse
    from knitground.ui.common.zoom import STEPS

    session, view = window.session, window.mapside.view
    map_ = session.map
    assert map_ is not None
    none, left = Qt.KeyboardModifier.NoModifier, Qt.MouseButton.LeftButton

    def send(kind: QEvent.Type, x: float, y: float, held: Qt.MouseButton) -> None:
        at = QPointF(x, y)
        button = left if kind is not QEvent.Type.MouseMove else Qt.MouseButton.NoButton
        event = QMouseEvent(kind, at, QPointF(view.mapToGlobal(at.toPoint())), button, held, none)
        QApplication.sendEvent(view, event)

    def frames(work: Callable[[int], None], count: int) -> list[Spent]:
        times = []
        for n in range(count):

            def frame(n: int = n) -> None:
                work(n)
                view.repaint()

            times.append(spent(frame))
        QApplication.processEvents()
        return times

    def stroke(name: str, hand: Hand | None, layer: int, tool: str, size: int) -> list[Row]:
        session.choose_layer(map_.layers[layer])
        session.take(hand)
        session.choose_tool(tool)
        session.set_size(size)
        settle()
        times: list[Spent] = []
        for turn in range(4):
            y = 120 + 90 * turn
            send(QEvent.Type.MouseMove, 60, y, Qt.MouseButton.NoButton)
            view.repaint()
            send(QEvent.Type.MouseButtonPress, 60, y, left)
            view.repaint()
            found = frames(
                lambda n, y=y: send(QEvent.Type.MouseMove, 60 + 11 * n, y + n % 9, left), 60
            )
            send(QEvent.Type.MouseButtonRelease, 700, y, Qt.MouseButton.NoButton)
            view.repaint()
            times += found if turn else []  # the first stroke warms up
        return told(name, times)

    def warm() -> None:
        view.repaint()
        while view.cold:
            begin_pulse()
            view.repaint()

    def told(name: str, times: list[Spent]) -> list[Row]:
        parts = (("50th", 0.5), ("95th", 0.95), ("worst", 1.0))
        return [spent_row(f"{name}, {word} frame", times, 16, part) for word, part in parts]

    view.zoom_to(STEPS.index(1))
    view.show_cell(SIDE // 2, SIDE // 2)
    settle()
    rows = stroke("paint terrain, 4 vertices", TerrainInHand("pans", "Pans", 1, "brine"), 0,
                  "paint", 4)  # fmt: skip
    rows += stroke("paint tiles, 3 × 3", TileInHand(TileRef("props", 0, 4), 4), 4, "paint", 3)
    rows += stroke("draw a path", TerrainInHand("works", "Causeways", 1, "planks"), 1, "paint", 1)
    rows += stroke("paint a soft tint, 9 × 9", TintInHand("#2e3566", 90), 7, "paint", 9)
    rows += stroke("erase tiles, 3 × 3", None, 4, "erase", 3)
    for zoom, name in ((STEPS.index(1), "100 %"), (2, "6 % or less")):
        view.zoom_to(zoom)
        warm()
        for _ in range(2):  # there and back: what comes into view is warm the second time
            frames(lambda n: view.pan(-4, -2), 60)
            times = frames(lambda n: view.pan(4, 2), 60)
        rows += told(f"pan at {name}", times)
    for step in (1, -1) * 4:
        view.zoom_by(step)
        warm()
    times = []
    for step in (1, -1) * 4:
        times += frames(lambda n, step=step: view.zoom_by(step), 1)
        times += frames(lambda n: None, 20)
    return rows + told("zoom", times)


def fill_rows() -> list[Row]:
    """Fill of a million cells, and its undo, against labelling the same mask."""
    import numpy as np
    from scipy.ndimage import label
    from tests.maps import small_project

    from knitground.core.edit.flood import flood
    from knitground.core.edit.laying import plan_cells

    doc, map_, _, tiles = small_project((1024, 1024))
    rng = np.random.default_rng(3)
    tiles.cells[:] = np.where(rng.random((1024, 1024)) < 0.05, 1, 0)
    mask = tiles.cells == 0
    start = tuple(int(v) for v in np.argwhere(mask)[len(np.argwhere(mask)) // 2])

    def fill() -> None:
        region = flood(tiles.cells, start[0], start[1])
        values = np.full(region.mask.shape, 2, np.int32)
        doc.apply(plan_cells(map_, tiles, region.box, values, region.mask, "Fill").edit)

    def fill_and_undo() -> None:
        fill()
        doc.undo()

    fill()

    def undo_and_redo() -> None:
        doc.undo()
        doc.redo()

    undo = ratio("undo and redo of it", "ndimage.label of the mask", undo_and_redo,
                 lambda: label(mask), 4, 7)  # fmt: skip
    doc.undo()
    whole = ratio("fill of 1 M cells, and undo", "ndimage.label of the mask", fill_and_undo,
                  lambda: label(mask), 4, 7)  # fmt: skip
    return [whole, undo]


def memory_row(project: Project) -> tuple[Row, Map]:
    """Resident memory of a map with all its layers, knitted throughout, by cell and layer."""
    from knitground.core.edit.knitter import Knitter

    gc.collect()
    before = resident_bytes()
    map_ = large_map(project, SIDE)
    Knitter(project).ensure_all(map_)
    gc.collect()
    value = (resident_bytes() - before) / (SIDE * SIDE * LAYERS)
    return Row("memory, a cell and layer", "bytes, 6 asked", value, 1, value, 6), map_


def file_rows(project: Project, folder: Path) -> list[Row]:
    """Saving and opening the project with the large map."""
    from knitground.core.files.opening import open_project
    from knitground.core.files.saving import save_project

    save = timed(lambda: save_project(project, folder)) * 1000
    begun = perf_counter()
    opened = open_project(folder).project
    read = (perf_counter() - begun) * 1000
    assert opened.maps[-1].height == SIDE
    return [
        Row("save 4096² × 8 layers", "ms, 5000 asked", save, 1, save, 5000),
        Row("open 4096² × 8 layers", "ms, 5000 asked", read, 1, read, 5000),
    ]


def view_rows(window: Window, folder: Path) -> list[Row]:
    """Open a project of the large map alone in the window: seen, read, and drawn."""
    from PySide6.QtCore import QEventLoop, QTimer
    from PySide6.QtWidgets import QApplication

    from knitground.ui.common.pulse import begin_pulse

    def turn() -> None:
        loop = QEventLoop()
        QTimer.singleShot(4, loop.quit)
        loop.exec()  # as the program waits: what else is called holds the thread that reads up

    window.show_stage("draw")
    view, before, curtain = window.mapside.view, window.session.project, window.files.curtain
    assert curtain is not None
    begun, first = perf_counter(), 0.0
    window.files.open_project(folder)
    while window.session.project is before:
        turn()
        if not first and curtain.isVisible():
            curtain.grab()
            first = perf_counter() - begun
    read = perf_counter() - begun
    assert window.session.map is not None
    assert window.session.map.height == SIDE
    QApplication.processEvents()
    begin_pulse()
    view.grab()
    while view.cold:
        QApplication.processEvents()
        begin_pulse()
        view.grab()
    seen = (perf_counter() - begun) * 1000
    return [
        Row(
            "opened: what is in view is seen", "ms, 500 asked", first * 1000, 1, first * 1000, 1500
        ),
        Row("all of it is read", "ms, 2000 asked", read * 1000, 1, read * 1000, 5000),
        Row("and drawn by the window itself", "ms", seen, 1, seen, 6000),
    ]


def main() -> int:
    """Run all; returns the exit code."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from knitground.core.edit.maps import add_map
    from knitground.core.files.saving import save_project
    from knitground.demo.project import write_demo
    from knitground.ui.common.garbage import set_aside
    from knitground.ui.tour import make_window
    from knitground.ui.touracts import settle

    folder = Path(tempfile.mkdtemp())
    write_demo(folder / "demo")
    window = make_window(folder / "memory")
    window.files.open_project(folder / "demo")
    settle()
    window.shell.resize(1280, 800)
    project = window.session.project
    used = resident_bytes() / 1e6
    rows = [Row("the demo open in the window", "MB, 200 asked", used, 1, used, 350)]
    memory, map_ = memory_row(project)
    rows += [*fill_rows(), memory]
    window.session.doc.apply(add_map(project, map_))
    window.session.choose_map(map_)
    window.show_stage("proof" if "proof" in sys.argv[1:] else "draw")
    window._idle.stop()  # noqa: SLF001 - knitting in idle moments is measured by nobody's frame
    settle(3)
    set_aside()  # as the program does once a project is open
    rows += frame_rows(window, lambda: settle(3))
    rows += file_rows(project, folder / "saved")
    window.session.doc.mark_saved()
    save_project(replace(project, maps=[map_]), folder / "alone")
    rows += view_rows(window, folder / "alone")
    window.shell.close()
    return tell_rows(rows)


if __name__ == "__main__":
    sys.exit(main())
