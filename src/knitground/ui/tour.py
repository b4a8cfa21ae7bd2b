"""A tour of the stages on the demo project: for the headless example and for screenshots."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QDialog, QWidget

from knitground.core.base.errors import PlaceError
from knitground.core.base.window import Box
from knitground.core.edit.laying import plan_cells
from knitground.core.edit.sheets import add_tileset
from knitground.core.files.ship.png import map_picture
from knitground.core.files.ship.ship import ship
from knitground.core.knit.outline import OutlineShape
from knitground.core.model.layers import GroundLayer
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Tileset
from knitground.demo.project import write_demo
from knitground.ui.common.tasks import wait_for_jobs
from knitground.ui.common.zoom import STEPS
from knitground.ui.mapside.mockupdialog import MockupDialog
from knitground.ui.play.window import PlayView, PlayWindow
from knitground.ui.project.memory import Memory
from knitground.ui.shell import Shell
from knitground.ui.stages.draw.bench import TABS, DrawBench
from knitground.ui.stages.grow.bench import GrowBench
from knitground.ui.stages.proof.bench import ProofBench
from knitground.ui.stages.ship.bench import ShipBench
from knitground.ui.stages.slice.bench import SliceBench
from knitground.ui.stages.terrains.bench import TABS as TERRAIN_TABS
from knitground.ui.stages.terrains.bench import TerrainsBench
from knitground.ui.stages.terrains.setdialog import SetDialog
from knitground.ui.stages.tiles.bench import TABS as TILE_TABS
from knitground.ui.stages.tiles.bench import TilesBench
from knitground.ui.start import make_app
from knitground.ui.touracts import hover, layer_named, settle, tour_rewrite, tour_rules, tour_teach
from knitground.ui.window import Window


def run_tour(folder: Path) -> tuple[list[Path], list[str]]:
    """Write the demo into a folder, grow, ship and take pictures; returns files and a report."""
    project, shipped, pictures = folder / "Harl Pans", folder / "shipped", folder / "pictures"
    files = write_demo(project)
    window = make_window(folder / ".memory")
    window.files.open_project(project)
    settle()
    lines = [f"demo project: {project}"]
    for map_ in window.session.project.maps:
        window.session.choose_map(map_)
        window.session.doc.ensure_all(map_)
        lines.append(f"{map_.name}: knitted, {_gaps(window)} gaps")
    # The harbour's quay was painted after its recipe had run; the basin is the recipe's alone.
    window.show_stage("grow")
    grow = window.stage_of(GrowBench)
    grow.roll()
    settle()
    laid = ", ".join(f"{name} {part[1]:.1%}" for name, part in grow.laid.items())
    title, gaps = grow.title.text(), _gaps(window)
    lines.append(f"{title}: grown with another seed, {laid}; {gaps} gaps")
    window.session.undo()
    window.stage_of(ShipBench).folder.setText(str(shipped))
    window.stage_of(ShipBench).ship_now()
    settle()
    files += sorted(shipped.iterdir())
    files += take_pictures(window, pictures)
    window.session.doc.mark_saved()
    window.shell.close()
    lines.append(f"shipped: {shipped}")
    lines.append(f"pictures of the window: {pictures}")
    return files, lines


def make_window(memory: Path) -> Window:
    """Open a window that shares no memory with the person's own."""
    make_app().setCursorFlashTime(0)  # pictures do not ask whether the caret is shown just then
    shell = Shell()
    window = Window(shell, Memory(memory))
    window.first.put_away()
    window.stage_of(GrowBench).show_times = False
    window.stage_of(ProofBench).prover.by_itself = False  # pictures are the same at any speed
    window.session.show(playing=False)
    shell.show()
    settle()
    return window


def _gaps(window: Window) -> int:
    return sum(
        window.session.doc.knitter.gaps(layer)[0]
        for layer in (window.session.map.layers if window.session.map else [])
        if isinstance(layer, GroundLayer)
    )


_UNDONE = {"3-likely": 1, "6-grow": 1, "7-proof": 2, "8-play": 2}
"""Steps that were only there to be looked at, by scene."""


def take_pictures(window: Window, folder: Path) -> list[Path]:
    """Take a PNG of each stage at 1280 × 800."""
    folder.mkdir(parents=True, exist_ok=True)
    scenes: list[tuple[str, Callable[[Window], None]]] = [
        ("1-slice", _slice), ("2-tiles", _tiles), ("2-shapes", _shapes),
        ("3-terrains", _terrains),
        ("3-coverage", _coverage), ("3-likely", _likely), ("3-make", _make),
        ("4-rules", tour_rules),
        ("4-teach", tour_teach), ("4-rewrite", tour_rewrite), ("5-draw", _draw),
        ("5-markers", _markers), ("5-picture", _picture),
        ("6-grow", _grow), ("5-diamonds", _diamonds), ("7-walk", _walk),
        ("7-proof", _proof), ("8-ship", _ship), ("8-play", _play),
    ]  # fmt: skip
    files = []
    window.shell.resize(1280, 800)
    for name, scene in scenes:
        window.session.choose_map(window.session.project.maps[0])
        window.notices.hide()
        scene(window)
        settle()
        kinds: dict[str, type[QDialog]] = {"5-picture": MockupDialog, "3-make": SetDialog}
        shown: QWidget | None = window.shell.findChild(kinds[name]) if name in kinds else None
        if name == "8-play":
            shown = _played(window)
        files.append(snap(shown or window.shell, folder / f"{name}.png"))
        if isinstance(shown, SetDialog):
            shown.reject()
            shown.setParent(None)
        for _ in range(_UNDONE.get(name, 0)):
            window.session.undo()  # what was only there to be looked at
            settle()
    return files


def snap(widget: QWidget, path: Path) -> Path:
    """Save a picture of a window."""
    if not widget.grab().save(str(path), "PNG"):
        raise PlaceError(f"{path} can not be written: choose another folder")
    return path


def _slice(window: Window) -> None:
    window.show_stage("slice")
    window.session.choose_tileset(window.session.project.tilesets[0])
    settle()
    sheet = window.stage_of(SliceBench).sheet
    sheet.fit()
    hover(sheet, sheet.tile_rect(2, 4).center().toPoint())


def _tiles(window: Window) -> None:
    window.show_stage("tiles")
    pans = window.session.project.tilesets[0]
    window.session.choose_tileset(pans)
    settle()
    bench = window.stage_of(TilesBench)
    bench.big.play(False)
    bench.sheet.fit()
    bench.sheet.choose([(0, 0), (0, 1), (0, 2)])
    settle()
    hover(bench.sheet, bench.sheet.tile_rect(0, 2).center().toPoint())


def _terrains(window: Window) -> None:
    window.session.show(shapes=False)
    window.show_stage("terrains")
    pans = window.session.project.tilesets[0]
    window.stage_of(TerrainsBench).choose_set(pans, pans.sets[0])
    window.stage_of(TerrainsBench).tabs.setCurrentIndex(TERRAIN_TABS.index("Variants"))
    settle()
    sheet = window.stage_of(TerrainsBench).sheet
    window.stage_of(TerrainsBench).choose(1)
    sheet.look(4, 60, 44)
    sheet.chosen = (0, 4)
    sheet.tile_chosen.emit(0, 4)
    window.mapside.view.fit()
    at = sheet.tile_rect(1, 4)
    hover(sheet, QPoint(int(at.left() + at.width() * 0.25), int(at.top() + at.height() * 0.75)))


def _coverage(window: Window) -> None:
    window.stage_of(TerrainsBench).tabs.setCurrentIndex(TERRAIN_TABS.index("Coverage"))
    settle()


def _likely(window: Window) -> None:
    works, session = window.session.project.tilesets[2], window.session
    new = Tileset("found sheet", "found.png", works.width, works.height, works.slicing,
                  picture=works.picture)  # fmt: skip
    session.apply(add_tileset(session.project, new))
    session.choose_tileset(new)
    bench = window.stage_of(TerrainsBench)
    bench.refresh()
    for _ in range(200):
        settle(2)
        if bench.likely.offers:
            break
    bench.sheet.fit()


def _make(window: Window) -> None:
    window.session.choose_tileset(window.session.project.tilesets[0])
    settle()
    bench = window.stage_of(TerrainsBench)
    dialog = SetDialog(window.session, bench.kit, window.shell)
    dialog.show()
    dialog.ask_for(0)
    dialog.take(TileRef("pans", 0, 8))
    dialog.ask_for(1)
    dialog.take(TileRef("pans", 1, 0))
    dialog.shape.setCurrentIndex(dialog.shape.values.index(OutlineShape.TUFTS))
    dialog.rough.setValue(80)
    dialog.variants.setValue(2)
    dialog.resize(1280, 800)
    for _ in range(200):
        settle(2)
        if dialog.found is not None and not dialog.busy:
            break


def _draw(window: Window) -> None:
    window.show_stage("draw")
    window.stage_of(DrawBench).tabs.setCurrentIndex(TABS.index("Terrains"))
    window.session.choose_tool("paint")
    window.stage.digit(1)
    window.session.set_size(4)
    settle()
    view = window.mapside.view
    view.zoom_to(STEPS.index(2))
    view.show_cell(31, 56)
    hover(view, view.screen_at(28, 57))


def _markers(window: Window) -> None:
    layer_named(window, "Places")
    window.session.choose_tool("select")
    window.session.choose_markers([3])
    view = window.mapside.view
    view.zoom_to(STEPS.index(1))
    view.show_cell(34, 47)
    settle()
    hover(view, view.screen_at(40, 49))


def _picture(window: Window) -> None:
    project = window.session.project
    pans = project.maps[0]
    window.session.doc.ensure_all(pans)
    window.mapside.view.leaveEvent(None)
    shown = [layer.visible for layer in pans.layers]
    for layer in pans.layers:
        layer.visible = layer.name in ("Pans", "Props")
    picture = map_picture(project, pans)[4:, 6:]
    for layer, on in zip(pans.layers, shown):
        layer.visible = on
    window.mapside.maps.map_from_picture(picture, "mock-up")
    settle()
    dialog = window.shell.findChild(MockupDialog)
    if dialog is not None:
        dialog.resize(1280, 800)
        for _ in range(200):
            settle(2)
            if dialog.found is not None and dialog.found.sets:
                break
    settle()


def _grow(window: Window) -> None:
    dialog = window.shell.findChild(MockupDialog)
    if dialog is not None:
        dialog.reject()
        dialog.setParent(None)
    window.show_stage("grow")
    layer_named(window, "Pans")
    window.stage.digit(1)
    window.stage_of(GrowBench).run_new()
    settle()
    window.mapside.view.fit()
    window.mapside.view.leaveEvent(None)


def _shapes(window: Window) -> None:
    session = window.session
    session.choose_tileset(session.project.tileset_named("works"))
    bench = window.stage_of(TilesBench)
    bench.sheet.choose([(3, 3)])
    bench.tabs.setCurrentIndex(TILE_TABS.index("Shapes"))
    view = window.mapside.view
    view.session.show(shapes=True)
    view.zoom_to(STEPS.index(1))
    view.camera.centre(41 * 16, 31 * 16, view.width(), view.height())
    bench.shapes.modes.buttons()[0].click()
    settle(40)
    view.repaint()
    settle()


def _diamonds(window: Window) -> None:
    session = window.session
    yard = session.project.tileset_named("yard")
    window.show_stage("draw")
    window.stage_of(DrawBench).tabs.setCurrentIndex(TABS.index("Terrains"))
    session.choose_map(session.project.map_named("Store yard"))
    session.choose_tileset(yard)
    layer_named(window, "Walls")
    session.set_size(1)
    view = window.mapside.view
    view.zoom_to(STEPS.index(1))
    view.show_cell(15, 7)
    settle()
    hover(view, view.screen_at(19, 5))
    for _ in range(2):
        view.fit_piece(1)
        wait_for_jobs()
        settle()
    hover(view, view.screen_at(19, 5))


def _walk(window: Window) -> None:
    """Behind the store's wall, with what a player sees framed."""
    session, walking = window.session, window.mapside.walking
    session.choose_map(session.project.map_named("Store yard"))
    walking.bar.framing.setCurrentIndex(1)
    window.mapside.view.zoom_to(STEPS.index(1))
    walking.start((308.0, 440.0))
    window.mapside.view.leaveEvent(None)


def _proof(window: Window) -> None:
    """Pin a tile of each terrain where another lies, and show what is said of it."""
    session = window.session
    session.show(repeat=False)
    window.show_stage("proof")
    map_ = session.project.maps[0]
    ground, wrong = map_.layers[0], {(20, 42): (0, 8), (33, 30): (2, 4)}
    for (row, col), at in wrong.items():
        box, place = Box(row, col, row + 1, col + 1), map_.legend.place(TileRef("pans", *at))
        values = np.full((1, 1), place, np.int32)
        session.apply(plan_cells(map_, ground, box, values, np.ones((1, 1), np.bool_), "Pin").edit)
    bench = window.stage_of(ProofBench)
    bench.prover.again()
    while bench.prover.is_busy:
        wait_for_jobs()
        settle()
    window.mapside.view.zoom_to(STEPS.index(1))
    bench.refresh()
    bench.slips[0].go()
    window.mapside.view.leaveEvent(None)
    settle()


def _ship(window: Window) -> None:
    window.session.show(repeat=False)
    window.show_stage("ship")
    # Without the path of this machine: the pictures are the same wherever they are made.
    window.stage_of(ShipBench).folder.setText("shipped")
    if window.stage_of(ShipBench).files.count():
        window.stage_of(ShipBench).state.setText(
            f"{window.stage_of(ShipBench).files.count()} files in shipped"
        )
    window.mapside.view.fit()


def _play(window: Window) -> None:
    """Nothing but what the demo has: lamps on the causeway, and dusk."""


def _played(window: Window) -> QWidget:
    """Ship the map, and walk on it in the window of its own."""
    session = window.session
    with TemporaryDirectory() as folder:
        ship(session.project, [session.project.maps[0]], Path(folder), ["json"],
             knit=session.doc.ensure_all)  # fmt: skip
        view = PlayView(Path(folder), "Harbour pans")
    view.clock.stop()
    view.looks.stop()
    view.at = view.world.walk.begin(*view.map.lattice.middle(24, 42))
    shown = PlayWindow(view)
    shown.resize(1280, 800)
    shown.show()
    settle()
    return shown
