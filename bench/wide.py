"""Sheets of thousands of tiles, ragged selections and very many markers in the real window.

`python bench/wide.py` prints a table; exits 1 if a limit is broken. A paint may take 16 ms and an
act 50 ms of the interface's time on a quiet machine (`spent`); the worst of some is told.
"""

from __future__ import annotations

import os
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

sys.path.insert(0, str(Path(__file__).parents[1]))

from bench.run import Row, Spent, spent, spent_row, tell_rows

if TYPE_CHECKING:
    from knitground.core.model.project import Project
    from knitground.ui.window import Window


PAINT, ACT = 16, 50


def big_project() -> Project:
    """Make a sheet of 96 × 96 tiles of 32 px, a set that marks all, and a map of all its tiles."""
    import numpy as np

    from knitground.core.model.map import Map
    from knitground.core.model.project import Project
    from knitground.core.model.slicing import Slicing
    from knitground.core.model.terrain import SetKind, Terrain, TerrainSet
    from knitground.core.model.tile import TileRef
    from knitground.core.model.tileset import Tileset

    rng = np.random.default_rng(1)
    side = 96 * 32
    tones = rng.integers(0, 255, (96, 96, 3), np.uint8)
    picture = np.full((side, side, 4), 255, np.uint8)
    picture[..., :3] = np.repeat(np.repeat(tones, 32, 0), 32, 1)
    sheet = Tileset("wide", "wide.png", side, side, Slicing(32, 32), picture=picture)
    terrains = (Terrain("a", "#336699", "A"), Terrain("b", "#996633", "B"))
    kit = TerrainSet("Ground", SetKind.CORNER, terrains)
    marks = kit.marks_within(96, 96).copy()
    marks[..., list(SetKind.CORNER.slots)] = rng.integers(1, 3, (96, 96, 4))
    kit.marks = marks
    sheet.sets.append(kit)
    map_ = Map("Wide", 512, 512, 32, 32)
    layer = map_.new_tile_layer("all tiles")
    layer.number = 1
    places = [map_.legend.place(TileRef("wide", n // 96, n % 96)) for n in range(96 * 96 - 1)]
    layer.cells[:] = rng.choice(places, (512, 512))
    points = map_.new_marker_layer("places")
    points.number = 2
    map_.layers[:] = [layer, points]
    small = Map("Small", 32, 32, 32, 32)
    ground = small.new_tile_layer("tiles")
    ground.number = 1
    small.layers[:] = [ground]
    return Project(tilesets=[sheet], maps=[small, map_])


def rows_of(window: Window, settle: Callable[[int], None]) -> list[Row]:
    """Measure all."""
    import numpy as np

    from knitground.core.base.window import Box
    from knitground.core.edit.hand import TileInHand
    from knitground.core.edit.markers import add_markers
    from knitground.core.edit.selecting import Selection
    from knitground.core.edit.sheets import set_anchor
    from knitground.core.model.layers import MarkerLayer
    from knitground.core.model.marker import Marker, Shape
    from knitground.core.model.tile import TileRef
    from knitground.ui.mapside import clipboard, copypaste

    session, view = window.session, window.mapside.view
    map_, sheet = session.project.maps[1], session.project.tilesets[0]
    rng = np.random.default_rng(2)
    rows = [spent_row("choose a map of 9216 tiles", [spent(lambda: session.choose_map(map_))], ACT)]

    def paints(count: int = 40) -> list[Spent]:
        times = []
        for _ in range(count):
            times.append(spent(view.repaint))
            settle(1)
        return times

    def until_warm() -> list[Spent]:
        times = [spent(view.repaint)]
        while view.cold and len(times) < 2000:  # each of them is a turn of its own
            times.append(spent(view.repaint))
        return times

    rows.append(spent_row("paint it at 100 %, first", until_warm(), ACT))
    view.fit()
    rows.append(spent_row("paint it whole, first", until_warm(), ACT))
    settle(5)

    def lay(tile: TileRef) -> object:
        session.choose_layer(map_.layers[0])
        session.take(TileInHand(tile, 1))
        clipboard.fill(session)
        return view.repaint()

    session.choice.select(Selection(Box(9, 9, 10, 10), np.ones((1, 1), np.bool_)))
    rows.append(
        spent_row("lay a tile not seen before", [spent(lambda: lay(TileRef("wide", 95, 95)))], ACT)
    )
    times = []
    for n in range(8):
        edit = set_anchor(sheet, 3, 3, (n, 30))
        times.append(spent(lambda edit=edit: session.apply(edit)))
        until_warm()
    rows.append(spent_row("move an anchor", times, ACT))
    strip = window.mapside.strip
    times = [spent(strip._draw_thumbs) for _ in range(3)]  # noqa: SLF001
    rows.append(spent_row("pictures of the layers", times, ACT))
    ragged = rng.random((512, 512)) < 0.5
    session.choice.select(Selection(Box(0, 0, 512, 512), ragged))
    rows.append(spent_row("paint a ragged selection of 512²", paints(10), PAINT))
    session.choice.select(Selection(Box(0, 0, 256, 256), np.ones((256, 256), np.bool_)))
    rows.append(spent_row("copy 256² cells", [spent(lambda: copypaste.copy(session))], ACT))
    session.choice.select(None)
    spots = rng.integers(0, 512 * 32, (16_000, 2)).tolist()
    made = [Marker(n, Shape.POINT, ((float(x), float(y)),), kind="door")
            for n, (x, y) in enumerate(spots, 1)]  # fmt: skip
    points = map_.layers[1]
    assert isinstance(points, MarkerLayer)
    edit, _ = add_markers(map_, points, made)
    session.apply(edit)
    until_warm()
    rows.append(spent_row("paint 16 000 markers", paints(10), PAINT))
    window.show_stage("terrains")
    settle(5)
    terrains: Any = window.stages["terrains"]
    marks = terrains.sheet
    times = []
    for zoom in (0.25, 0.5, 1, 2, 4):
        marks.look(zoom, sheet.width / 2, sheet.height / 2)
        marks.repaint()  # marks that were never drawn at this size
        times.append(spent(marks.repaint))
    rows.append(spent_row("paint a sheet of 9216 marked tiles", times, PAINT))
    return rows


def tiles_rows(window: Window, settle: Callable[[int], None]) -> list[Row]:
    """Choose and change all 9216 tiles in the stage Tiles: the longest turn of the interface."""
    from PySide6.QtWidgets import QApplication

    bench: Any = window.stages["tiles"]
    window.show_stage("tiles")
    settle(10)

    def turns(act: Callable[[int], object]) -> list[Spent]:
        times = []
        for n in range(4):
            times.append(spent(lambda n=n: act(n)))
            times += [spent(QApplication.processEvents) for _ in range(4)]
            settle(3)
        return times[5:]  # the first one makes what all later ones share

    rows = [
        spent_row(
            "choose 9216 tiles", turns(lambda n: bench.choose_by("all" if n % 2 else "")), ACT
        )
    ]
    bench.choose_by("all")
    rows.append(spent_row("weigh 9216 tiles", turns(lambda n: bench.weight.setValue(3 + n)), ACT))
    rows.append(spent_row("leave out 9216 tiles", turns(lambda n: bench.never.click()), ACT))
    return rows


def pans_rows(window: Window, settle: Callable[[int], None]) -> list[Row]:
    """Pan over 4096² cells of animated ground, at four sizes, once they were seen."""
    import numpy as np
    from PySide6.QtWidgets import QApplication

    from knitground.core.edit.maps import add_map
    from knitground.core.files.opening import open_project
    from knitground.core.model.map import Map
    from knitground.demo.project import write_demo
    from knitground.ui.common.zoom import STEPS

    folder = Path(tempfile.mkdtemp()) / "Harl Pans"
    write_demo(folder)
    window.session.doc.mark_saved()
    window.session.open(open_project(folder).project)
    project, view = window.session.project, window.mapside.view
    map_ = Map("Wide", 4096, 4096, 16, 16)
    ground = map_.new_ground_layer("Ground", "pans", "Pans")
    lakes = np.random.default_rng(1).random((257, 257)) < 0.5
    ground.terrain[:] = 1 + np.repeat(np.repeat(lakes, 16, 0), 16, 1)[:4097, :4097]
    map_.layers.append(ground)
    window.session.apply(add_map(project, map_))
    window.session.choose_map(map_)
    window.show_stage("draw")
    view.session.show(playing=True)
    settle(20)
    rows = []
    for zoom in (2, 1, 0.5, 0.25):
        view.camera.step = STEPS.index(zoom)
        times = []
        for turn in range(2):
            view.show_cell(2000, 2000)
            settle(20)
            for _ in range(150):
                view.camera.left += 6 / zoom
                times += [spent(view.repaint)] if turn else []
                QApplication.processEvents()
        rows.append(spent_row(f"pan over 4096², moving, at {zoom:g} : 1", times, PAINT))
    return rows


def demo_rows(window: Window, settle: Callable[[int], None]) -> list[Row]:
    """Shapes of every tile shown on the map, and pins released on a layer that a recipe grows."""
    import numpy as np
    from PySide6.QtWidgets import QApplication

    from knitground.core.base.window import Box
    from knitground.core.edit.desk import Pointer
    from knitground.core.edit.laying import plan_cells
    from knitground.core.edit.shapes import add_shape
    from knitground.core.files.opening import open_project
    from knitground.core.model.shapes import ShapeForm, TileShape
    from knitground.demo.project import write_demo

    folder = Path(tempfile.mkdtemp()) / "Harl Pans"
    write_demo(folder)
    window.session.doc.mark_saved()
    window.session.open(open_project(folder).project)
    session, view, map_ = window.session, window.mapside.view, window.session.map
    window.show_stage("draw")
    settle(5)  # what opening paints of the whole window is not what is measured here
    round_ = TileShape("solid", ShapeForm.ROUND, ((3.0, 3.0), (13.0, 13.0)))
    for sheet in session.project.tilesets:
        tiles = [(row, col) for row in range(sheet.rows) for col in range(sheet.columns)]
        session.apply(add_shape(sheet, tiles, round_))
    view.fit()
    view.session.show(shapes=True)
    times = []
    for turn in range(60):
        view.camera.left += (7, -7)[turn % 20 < 10]
        if turn % 6 == 0:
            assert map_ is not None
            props, box = map_.layers[2], Box(20, turn, 21, turn + 1)
            one, value = np.ones((1, 1), np.bool_), np.full((1, 1), 1, np.int32)
            session.apply(plan_cells(map_, props, box, value, one, "Lay").edit)
        times.append(spent(view.repaint))
        QApplication.processEvents()
    rows = [spent_row("paint with shapes of every tile, first", times[:2], ACT),
            spent_row("paint with shapes of every tile shown", times[2:], PAINT)]  # fmt: skip
    view.session.show(shapes=False)
    session.choose_map(session.project.map_named("Salt coast"))
    coast = session.map
    assert coast is not None
    layer = coast.layers[4]
    session.choose_layer(layer)
    settle(20)
    box, many = Box(8, 8, 40, 72), np.ones((32, 64), np.bool_)
    values = np.ones((32, 64), np.int32)
    session.apply(plan_cells(coast, layer, box, values, many, "Lay").edit)
    session.choose_tool("erase")
    settle(5)
    times = []
    for n in range(60):
        view.pointer = Pointer((10 + n) * 16.0 + 8, 20 * 16.0 + 8)
        times.append(spent(view.repaint))
        settle(1)
    assert view.plan is not None
    rows.append(spent_row("show what grows under one of 2048 pins", times, PAINT))
    return rows


def main() -> int:
    """Run all; returns the exit code."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from knitground.ui.common.garbage import set_aside
    from knitground.ui.tour import make_window
    from knitground.ui.touracts import settle

    window = make_window(Path(tempfile.mkdtemp()))
    window.shell.resize(1280, 800)
    window.session.open(big_project())
    window.show_stage("draw")
    window._idle.stop()  # noqa: SLF001 - knitting in idle moments is measured by nobody's frame
    settle(5)
    set_aside()  # as the program does once a project is open
    rows = [*rows_of(window, settle), *tiles_rows(window, settle), *pans_rows(window, settle),
            *demo_rows(window, settle)]  # fmt: skip
    window.session.doc.mark_saved()
    window.shell.close()
    return tell_rows(rows)


if __name__ == "__main__":
    sys.exit(main())
