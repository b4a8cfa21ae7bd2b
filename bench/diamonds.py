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

import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1]))

from bench.run import Row, ratio, tell_rows

from knitground.core.base.window import Box, read
from knitground.core.files.images import png_bytes
from knitground.core.model.lattice import GridKind, Rect
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.tile import TileRef
from knitground.core.render.atlas import Atlas
from knitground.core.render.stack import draw, stack_of
from knitground.demo.yard import yard_sheet, yard_tileset

SIDE, LAYERS, PIECE = 1024, 4, 256


def maps() -> tuple[Project, Map, Map]:
    """Make a map of diamonds and one of squares: floor, and walls and roofs here and there."""
    folder = Path(tempfile.mkdtemp())
    (folder / "yard.png").write_bytes(png_bytes(yard_sheet()))
    project = Project("Bench", folder, [yard_tileset(folder)])
    rng = np.random.default_rng(1)
    floor, tall = [(0, n) for n in range(12)], [(r, c) for r in range(2, 9) for c in range(12)]
    made = []
    for grid, size in ((GridKind.DIAMOND, (32, 64)), (GridKind.SQUARE, (64, 64))):
        map_ = Map(grid.value, SIDE, SIDE, *size, grid=grid)
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
    from knitground.ui.mapside.canvas.zoom import STEPS
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
    window.session.doc.mark_saved()
    return [
        Row("paint after one cell, in the window", "the same on squares", one, two, one / two, 4),
        Row("the same", "ms", one, 1, one, 16),
    ]


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
              drawing(project, diamonds, cell[0]), drawing(project, squares, cell[1]), 4),
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
