"""Relief in the real window: made from the art, painted elsewhere, shipped, seen in Play."""

import json

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from tests.ui.conftest import pixels, settle, settle_view

from knitground.core.edit.maps import put_map_property
from knitground.core.edit.markers import add_markers
from knitground.core.edit.sheets import set_relief
from knitground.core.files.images import png_bytes, relief_name
from knitground.core.files.opening import open_project
from knitground.core.files.ship.loading import load_shipped
from knitground.core.files.ship.ship import ship
from knitground.core.model.marker import Marker, Shape
from knitground.core.model.profile import ShipPart
from knitground.core.model.properties import Property
from knitground.core.render.relief import By, flat_relief, made_relief
from knitground.core.shapes.light import Grip, grips, lamp_of
from knitground.ui.common.tasks import wait_for_jobs
from knitground.ui.play.window import PlayView
from knitground.ui.stages.slice.bench import SliceBench
from knitground.ui.stages.slice.reliefdialog import ReliefDialog


@pytest.fixture
def slicing(window):
    window.show_stage("slice")
    session = window.session
    session.choose_tileset(session.project.tileset_named("pans"))
    return window.stage_of(SliceBench).pictures


def dialog_of(window, name="pans", **more):
    return ReliefDialog(window.session.project.tileset_named(name), window.shell, **more)


def test_a_relief_is_made_as_one_step_saved_and_taken_away(window, slicing, tmp_path):
    session = window.session
    owner = session.project.tileset_named("pans")
    dialog = dialog_of(window)
    dialog.by.setCurrentIndex(1)
    dialog.strength.setValue(1.5)
    slicing.relief_with(dialog)
    settle()
    want = made_relief(owner.picture, owner.slicing, By.BRIGHTNESS, 1.5, 4)
    assert (owner.relief == want).all()
    assert session.doc.history.undo_name == "Relief of “pans”"
    folder = tmp_path / "it"
    window.files.save_to(folder)
    settle()
    assert (np.asarray(Image.open(folder / "pans-normal.png")) == want).all()
    assert (open_project(folder).project.tileset_named("pans").relief == want).all()
    session.undo()
    assert owner.relief is None
    session.redo()
    dialog = dialog_of(window)
    dialog._remove()
    slicing.relief_with(dialog)
    assert owner.relief is None
    window.files.save()
    settle()
    assert not (folder / "pans-normal.png").exists()
    assert (folder / "pans-normal.png.previous").exists()


def test_the_dialog_shows_a_lamp_that_goes_over_it_and_follows_the_pointer(window, slicing):
    dialog = dialog_of(window, "works", moves=False)
    dialog.show()
    settle()
    first = dialog.lit.pixels.copy()
    dialog._turn()
    dialog._turn()
    assert (dialog.lit.pixels != first).any()
    at = QPointF(8, 8)
    QApplication.sendEvent(dialog.lit, QMouseEvent(
        QEvent.Type.MouseMove, at, QPointF(dialog.lit.mapToGlobal(at.toPoint())),
        Qt.MouseButton.NoButton, Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier,
    ))  # fmt: skip
    near = dialog.lit.pixels.copy()
    dialog._turn()
    assert (dialog.lit.pixels == near).all()
    made = dialog.relief.pixels.copy()
    dialog.by.setCurrentIndex(1)
    assert not dialog.round.isEnabled()
    assert (dialog.relief.pixels != made).any()
    dialog.close()


def test_a_relief_painted_elsewhere_is_read_again_and_one_of_another_size_left_out(
    window, tmp_path
):
    session = window.session
    folder = tmp_path / "it"
    window.files.save_to(folder)
    settle()
    owner = session.project.tileset_named("pans")
    path = folder / "pans-normal.png"
    relief = flat_relief(owner.picture)
    relief[4:20, 4:20, 0] = 200
    Image.fromarray(relief).save(path)
    watcher = window.watcher
    watcher._look()
    settle()
    assert (owner.relief == relief).all()
    assert session.doc.history.undo_name == "Read “pans-normal.png” again"
    Image.fromarray(relief[:40]).save(path)
    watcher._look()
    settle()
    assert (owner.relief == relief).all()
    opened = open_project(folder)
    assert opened.project.tileset_named("pans").relief is None
    assert any("pans-normal.png is" in each for each in opened.warnings)
    path.write_bytes(b"no picture")
    opened = open_project(folder)
    assert any("Relief of “pans”" in each for each in opened.warnings)


@pytest.mark.parametrize("sheets", ["as they are", "one"])
def test_relief_is_shipped_and_seen_in_play_as_in_the_window(window, tmp_path, sheets):
    project = window.session.project
    map_ = project.maps[0]
    ship(project, [map_], tmp_path, [ShipPart("json", {"sheets": sheets}), ShipPart("png", {
        "light": True})], knit=window.session.doc.ensure_all)  # fmt: skip
    data = json.loads((tmp_path / "harbour-pans.json").read_text())
    reliefs = [each["relief"] for each in data["tilesets"] if each["relief"]]
    assert reliefs == (["harbour-pans.atlas-normal.png"] if sheets == "one"
                       else ["works.tiles-normal.png"])  # fmt: skip
    loaded = load_shipped(tmp_path / "harbour-pans.json")
    assert tmp_path / reliefs[0] in loaded.files
    view = PlayView(tmp_path, "Harbour pans")
    view.clock.stop()
    view.looks.stop()
    view.at = view.world.walk.begin(*view.map.lattice.middle(24, 42))
    rect = view.screen_rect
    shown = view.world.lit(rect, 0)
    picture = np.asarray(Image.open(tmp_path / "harbour-pans.png").convert("RGBA"))
    x, y, wide, high = (int(each) for each in rect)
    off = [np.abs((shown >> shift & 255).astype(int)
                  - picture[y : y + high, x : x + wide, n].astype(int))
           for n, shift in enumerate((16, 8, 0))]  # fmt: skip
    assert (np.max(off, axis=0) <= 3).mean() > 0.97, "pictures of markers are drawn in play too"
    view.deleteLater()


def test_a_lamps_ring_is_dragged_for_how_far_and_how_strongly_it_shines(window):
    session = window.session
    layer = next(each for each in session.map.layers if hasattr(each, "markers"))
    lamp = Marker(0, Shape.POINT, (session.map.lattice.middle(30, 40),), "", "lamp",
                  (Property("radius", "64"), Property("colour", "#ffffff")))  # fmt: skip
    edit, numbers = add_markers(session.map, layer, [lamp])
    session.apply(edit)
    session.choose_layer(layer)
    session.choose_markers(numbers)
    session.choose_tool("select")
    view = window.mapside.view
    view.show_cell(30, 40)
    settle_view(view)
    plain = pixels(view).copy()
    session.choose_markers([])
    settle_view(view)
    assert (pixels(view) != plain).any(), "the ring of a chosen lamp is drawn"
    session.choose_markers(numbers)

    def now():
        return lamp_of(next(each for each in layer.markers if each.number in numbers))

    def at(x, y):
        return QPointF(*view.camera.to_screen(x, y)).toPoint()

    one = now()
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=at(*grips(one)[Grip.RADIUS]))
    QTest.mouseMove(view, at(one.x - 100, one.y))
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=at(one.x - 100, one.y))
    assert now().radius == pytest.approx(100, abs=1)
    assert session.doc.history.undo_name == "Radius of the lamp"
    one = now()
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=at(*grips(one)[Grip.STRENGTH]))
    QTest.mouseMove(view, at(one.x, one.y + 90))
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=at(one.x, one.y + 90))
    assert now().strength == pytest.approx(2, abs=0.05)
    assert (one.x, one.y) == (now().x, now().y)
    session.undo()
    session.undo()
    assert (now().radius, now().strength) == (64, 1)


def test_a_tint_layer_is_light_where_the_map_is_lit_and_a_tint_elsewhere(window):
    session = window.session
    session.do(lambda: put_map_property(session.map, Property("ambient", "Evening")))
    for each in session.map.layers:
        each.visible = each.name in ("Pans", "Evening")
    session.show(grid=False, playing=False)
    view = window.mapside.view
    view.show_cell(30, 41)
    settle_view(view)
    tinted = pixels(view).copy()
    session.show(light=True)
    settle_view(view)
    layer = next(each for each in session.map.layers if each.name == "Places")
    assert not layer.visible, "no lamp is shown: the evening alone is the light"
    lit = pixels(view).astype(int)
    off = np.abs((lit >> 8 & 255) - (tinted.astype(int) >> 8 & 255))
    assert np.median(off) <= 2
    session.do(lambda: put_map_property(session.map, Property("ambient", "#000000")))
    settle_view(view)
    assert np.median(pixels(view) >> 8 & 255) < 40, "the tint is a tint again, and it is dark"


def test_a_relief_that_was_saved_and_taken_back_does_not_come_again(window):
    """The window's own file is no change from outside, however late the system tells of it."""
    session = window.session
    owner = next(each for each in session.project.tilesets if each.name == "pans")
    made = np.full_like(owner.picture, 200)
    assert session.apply(set_relief(session.project, owner, made))
    assert window.files.save()
    wait_for_jobs()
    session.undo()
    assert owner.relief is None
    window.watcher.look_again()
    window.watcher._settle.stop()
    window.watcher._look()
    wait_for_jobs()
    settle()
    assert owner.relief is None
    path = window.watcher.sheet_path(owner)
    other = made.copy()
    other[:4] = 90
    path.with_name(relief_name(path.name)).write_bytes(png_bytes(other))
    window.watcher._look()
    wait_for_jobs()
    settle()
    assert (owner.relief == other).all(), "what somebody else paints is read"
