"""Maps of diamonds against square maps of the same pictures, as ratios in the same run.

`python bench/diamonds.py` prints a table; exits 1 if a limit is broken.
"""

from __future__ import annotations

import os
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from statistics import median
from typing import TYPE_CHECKING

import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1]))

from bench.run import Row, Spent, ratio, spent, spent_row, tell_rows

from knitground.core.base.window import Box, read
from knitground.core.edit.layers import add_layer
from knitground.core.files.images import png_bytes
from knitground.core.model.lattice import DIAMOND, SQUARE, Rect
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.tile import TileRef
from knitground.core.render.atlas import Atlas
from knitground.core.render.stack import draw, stack_of
from knitground.demo.yard import yard_sheet, yard_tileset

if TYPE_CHECKING:
    from knitground.ui.window import Window

SIDE, LAYERS, PIECE = 1024, 4, 256


def maps() -> tuple[Project, Map, Map]:
    """Make a map of diamonds and one of squares: floor, and walls and roofs here and there."""
    folder = Path(tempfile.mkdtemp())
    (folder / "yard.png").write_bytes(png_bytes(yard_sheet()))
    project = Project("Bench", folder, [yard_tileset(folder)])
    rng = np.random.default_rng(1)
    floor, tall = [(0, n) for n in range(12)], [(r, c) for r in range(2, 9) for c in range(12)]
    made = []
    for grid, size in ((DIAMOND, (32, 64)), (SQUARE, (64, 64))):
        map_ = Map(grid.kind.value, SIDE, SIDE, *size, grid=grid)
        for n in range(LAYERS):
            layer = map_.new_tile_layer(str(n))
            places = [map_.legend.place(TileRef("yard", *at)) for at in (tall if n else floor)]
            layer.cells[:] = rng.choice(places, layer.cells.shape)
            if n:
                layer.cells[rng.random(layer.cells.shape) > 0.15] = 0
            map_.layers.append(layer)
        made.append(map_)
    project.maps = made
    return project, made[0], made[1]


def drawing(project: Project, map_: Map, rect: Rect) -> Callable[[], object]:
    """Give what composes a rectangle in the middle of a map, its pictures drawn before."""
    atlas = Atlas(project, map_)
    atlas.fill(0)
    wide, high = map_.lattice.extent
    there = rect.moved(wide // 2, high // 2)
    return lambda: draw(
        atlas, stack_of(map_, atlas, there, 0, lambda layer, box: read(layer.cells, box))
    )


def window_rows(project: Project) -> list[Row]:
    """Paint after one cell in the real window, diamonds and squares of 1024 × 1024 × 4 in turn."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from knitground.core.edit.changed import Changed, What
    from knitground.ui.common.zoom import STEPS
    from knitground.ui.tour import make_window
    from knitground.ui.touracts import settle

    window = make_window(Path(tempfile.mkdtemp()))
    window.session.open(project)
    window.show_stage("draw")
    window.shell.resize(1280, 800)
    view, found = window.mapside.view, []
    for _ in range(2):
        for map_ in project.maps:
            window.session.choose_map(map_)
            view.zoom_to(STEPS.index(1))
            view.show_cell(SIDE // 2, SIDE // 2)
            settle()
            box, times = Box(SIDE // 2, SIDE // 2, SIDE // 2 + 1, SIDE // 2 + 1), []
            assert view.store is not None
            for _ in range(60):
                view.follow(Changed(What.CELLS, map_, map_.layers[1], box))
                view.repaint(view.screen_rect(view.store.shown(box)))
                times.append(view.paint_ms)
            found.append(median(times))
    one, two = (found[0] + found[2]) / 2, (found[1] + found[3]) / 2
    rows = [
        Row("paint after one cell, in the window", "the same on squares", one, two, one / two, 4),
        *stroke_rows(window, project.maps[0]),
    ]
    window.session.doc.mark_saved()
    return rows


def stroke_rows(window: Window, map_: Map) -> list[Row]:
    """Strokes of a wall and of terrain on diamonds, once warm: the 95th and the worst frame."""
    from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
    from PySide6.QtGui import QMouseEvent
    from PySide6.QtWidgets import QApplication

    from knitground.core.edit.hand import TerrainInHand, TileInHand
    from knitground.ui.touracts import settle

    session, view = window.session, window.mapside.view
    ground = map_.new_ground_layer("Ground", "yard", "Floor")
    ground.terrain[:] = 1
    session.choose_map(map_)
    session.apply(add_layer(map_, ground, 0))
    view.show_cell(SIDE // 2, SIDE // 2)
    settle()
    none, left = Qt.KeyboardModifier.NoModifier, Qt.MouseButton.LeftButton

    def send(kind: QEvent.Type, x: float, y: float, held: Qt.MouseButton) -> None:
        at = QPointF(x, y)
        button = left if kind is not QEvent.Type.MouseMove else Qt.MouseButton.NoButton
        there = QPointF(view.mapToGlobal(QPoint(int(x), int(y))))
        QApplication.sendEvent(view, QMouseEvent(kind, at, there, button, held, none))

    rows = []
    for name, hand, layer in (
        ("a stroke of walls", TileInHand(TileRef("yard", 3, 1), 37), map_.layers[1]),
        ("a stroke of terrain", TerrainInHand("yard", "Floor", 2, "planks"), ground),
    ):
        session.choose_layer(layer)
        session.take(hand)
        session.choose_tool("paint")
        session.set_size(3)
        settle()
        times: list[Spent] = []
        for turn in range(4):
            y = 120 + 90 * turn
            send(QEvent.Type.MouseMove, 60, y, Qt.MouseButton.NoButton)
            send(QEvent.Type.MouseButtonPress, 60, y, left)
            view.repaint()
            for n in range(60):

                def frame(n: int = n, y: int = y) -> None:
                    send(QEvent.Type.MouseMove, 60 + 11 * n, y + n % 9, left)
                    view.repaint()

                took = spent(frame)
                times += [took] if turn else []  # the first stroke warms up
            send(QEvent.Type.MouseButtonRelease, 700, y, Qt.MouseButton.NoButton)
            QApplication.processEvents()
        rows += [spent_row(f"{name}, {word} frame", times, 16, part)
                 for word, part in (("95th", 0.95), ("worst", 1.0))]  # fmt: skip
    return rows


def main() -> int:
    """Measure all rows; returns the exit code."""
    project, diamonds, squares = maps()
    piece = Rect(0, 0, PIECE, PIECE)
    cell = [each.lattice.bounds(Box(0, 0, 1, 1)).grown(each.lattice.rise, 0, 0, 0)
            for each in (diamonds, squares)]  # fmt: skip
    cell = [Rect(0, 0, each.width, each.height) for each in cell]
    square = drawing(project, squares, piece)
    rows: list[Row] = [
        ratio("a piece of 256 × 256 px", "the same on squares",
              drawing(project, diamonds, piece), square, 4),
        ratio("what one cell changes", "the same on squares",
              drawing(project, diamonds, cell[0]), drawing(project, squares, cell[1]), 5),
    ]  # fmt: skip
    for layer in diamonds.layers:
        layer.interleaved = True
    rows.append(
        ratio("a piece of 4 layers sorted by depth", "not sorted, on squares",
              drawing(project, diamonds, piece), square, 6)
    )  # fmt: skip
    rows += window_rows(project)
    return tell_rows(rows)


if __name__ == "__main__":
    sys.exit(main())
