"""Benchmarks of Proof and Walk: all checks of a large map, figures that wander, frames of one.

`python bench/proof.py` prints a table; exits 1 if a limit is broken.
"""

from __future__ import annotations

import os
import sys
import tempfile
from pathlib import Path
from typing import TYPE_CHECKING

sys.path.insert(0, str(Path(__file__).parents[1]))

from bench.run import Row, ratio, spent, spent_row, tell_rows, timed

if TYPE_CHECKING:
    from knitground.core.model.map import Map
    from knitground.core.model.project import Project


def busy_map(project: Project, side: int) -> Map:
    """Make a map of eight layers: ground of three terrains, things with shapes, spawn points."""
    import numpy as np
    from scipy.ndimage import gaussian_filter

    from knitground.core.model.map import Map
    from knitground.core.model.marker import Marker, Shape
    from knitground.core.model.tile import TileRef

    rng = np.random.default_rng(1)
    map_ = Map("Busy", side, side, 16, 16)
    for n in range(3):
        ground = map_.new_ground_layer(f"ground {n}", "pans", "Pans")
        field = gaussian_filter(rng.normal(size=ground.terrain.shape), 6)
        ground.terrain[:] = 1 + np.digitize(field, np.quantile(field, [0.4, 0.7]))
        map_.layers.append(ground)
    for n in range(4):
        things = map_.new_tile_layer(f"things {n}")
        places = [map_.legend.place(TileRef("props", *at)) for at in np.ndindex(3, 6)]
        mask = rng.random((side, side)) < 0.15
        things.cells[mask] = rng.choice(places, int(mask.sum()))
        map_.layers.append(things)
    markers = map_.new_marker_layer("places")
    markers.markers = tuple(
        Marker(n, Shape.POINT, (map_.lattice.middle(*rng.integers(0, side, 2).tolist()),),
               f"start {n}", "spawn point") for n in range(1, 200)
    )  # fmt: skip
    map_.layers.append(markers)
    return map_


def rows(folder: Path) -> list[Row]:
    """Measure 1024² × 8 layers, and 256² of them with a thousand figures."""
    from scipy.ndimage import maximum_filter1d

    from knitground.core.edit.document import Document
    from knitground.core.files.opening import open_project
    from knitground.core.proof.proof import CHECKS, run_check
    from knitground.core.walk.figure import Figure
    from knitground.core.walk.solids import Solids
    from knitground.core.walk.wander import wander
    from knitground.demo.project import write_demo

    write_demo(folder / "demo")
    project = open_project(folder / "demo").project
    large, small = busy_map(project, 1024), busy_map(project, 256)
    project.maps = [large, small]
    doc = Document(project)
    doc.ensure_all(large)
    whole = sum(timed(lambda check=check: run_check(doc, check, large if check.of_map else None))
                for check in CHECKS.values())  # fmt: skip
    solids = Solids(doc, small, side=1024)
    figure, room = Figure(10, 19, 96.0), (0, 0, solids.wide, solids.high)
    mask = solids.seen(*room).view("uint8")
    wandering = ratio(
        "1000 figures, ten seconds, 256²", "the mask grown by a figure, twice",
        lambda: wander(solids, figure, room),
        lambda: [maximum_filter1d(mask, 10, axis=axis) for axis in (0, 1) * 2], 3, 3,
    )  # fmt: skip
    return [
        Row("all checks, 1024² × 8 layers", "s, 10 asked", whole * 1000, 1, whole, 10),
        wandering,
        *walk_rows(folder, large),
    ]


def walk_rows(folder: Path, map_: Map) -> list[Row]:
    """Walk in the real window: a tick, what hides the figure, animations, and the whole repaint."""
    from PySide6.QtCore import QEvent, Qt
    from PySide6.QtGui import QKeyEvent
    from PySide6.QtWidgets import QApplication

    from knitground.core.edit.maps import add_map
    from knitground.ui.common.garbage import set_aside
    from knitground.ui.tour import make_window
    from knitground.ui.touracts import settle

    window = make_window(folder / "memory")
    window.files.open_project(folder / "demo")
    settle()
    window.shell.resize(1280, 800)
    window.session.doc.apply(add_map(window.session.project, map_))
    window.session.choose_map(map_)
    window.show_stage("draw")
    settle(3)
    walking = window.mapside.walking
    walking.start((8000, 8000))
    walking._clock.stop()  # noqa: SLF001 - each frame goes on by one tick, whatever the clock says
    settle(3)
    set_aside()
    view = window.mapside.view

    def hold(kind: QEvent.Type, key: Qt.Key) -> None:
        QApplication.sendEvent(view, QKeyEvent(kind, key, Qt.KeyboardModifier.NoModifier))

    def frame() -> None:
        walking.go_on()
        QApplication.processEvents()  # animations, what is composed in idle moments
        view.repaint()

    ways = ((Qt.Key.Key_Right,), (Qt.Key.Key_Right, Qt.Key.Key_Down), (Qt.Key.Key_Down,))
    times = []
    for n in range(12):
        for key in ways[n % 3]:
            hold(QEvent.Type.KeyPress, key)
        found = [spent(frame) for _ in range(60)]
        for key in ways[n % 3]:
            hold(QEvent.Type.KeyRelease, key)
        times += found if n > 1 else []  # the first ones warm up
    begun = 8000, 8000
    assert (walking.at.x, walking.at.y) > begun, "it did not get anywhere"
    walking.stop()
    window.session.doc.mark_saved()
    window.shell.close()
    return [spent_row(f"a frame of Walk, 1024² × 8 layers, {word}", times, 16, part)
            for word, part in (("50th", 0.5), ("95th", 0.95), ("worst", 1.0))]  # fmt: skip


def main() -> int:
    """Measure all rows."""
    with tempfile.TemporaryDirectory() as name:
        return tell_rows(rows(Path(name)))


if __name__ == "__main__":
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    sys.exit(main())
