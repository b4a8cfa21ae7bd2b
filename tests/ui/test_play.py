"""Play reads shipped files only: what is seen, doors, and strokes that reach it."""

import json
import subprocess
import sys

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from tests.ui.conftest import settle

from knitground.core.base.errors import KnitError
from knitground.core.files.ship.ship import ship
from knitground.core.model.layers import MarkerLayer
from knitground.core.model.marker import Marker, Shape
from knitground.core.model.properties import Property
from knitground.core.model.tile import TileRef
from knitground.core.walk.figure import View
from knitground.ui.play.window import PlayView, PlayWindow


@pytest.fixture
def game(demo, tmp_path):
    """Two shipped maps with a door between them, and where they lie."""
    first, second = demo.maps[:2]
    for map_, to, at in ((first, "North basin", (24, 36)), (second, "Harbour pans", (24, 24))):
        layer = next((e for e in map_.layers if isinstance(e, MarkerLayer)), None)
        if layer is None:
            layer = map_.new_marker_layer("Places")
            map_.layers.append(layer)
        x, y = map_.lattice.middle(*at)
        door = Marker(50, Shape.BOX, ((x, y - 20), (x + 30, y + 20)), "gate", "door",
                      (Property("map", to),))  # fmt: skip
        area = Marker(51, Shape.BOX, ((x - 60, y - 20), (x - 20, y + 20)), "the yard")
        layer.markers = (*tuple(each for each in layer.markers if each.kind != "lamp"), door, area)
        map_.properties = ()  # by day
        for one in map_.layers:
            if one.name in ("Props", "Dykes", "Shore growth"):
                one.visible = False
    folder = tmp_path / "game"
    ship(demo, [first, second], folder, ["json", "png"])
    return demo, folder


@pytest.fixture
def played(game, qtbot):
    view = PlayView(game[1], "Harbour pans")
    view.clock.stop()
    view.looks.stop()
    window = PlayWindow(view)
    qtbot.addWidget(window)
    window.show()
    settle()
    return view, window, *game


def stand(view, row, col):
    view.at = view.world.walk.begin(*view.map.lattice.middle(row, col))
    view._within = {each.number for each in view.world.met(view.at)}


def hold(view, key, ticks):
    QTest.keyPress(view, key)
    view.go_on(ticks)
    QTest.keyRelease(view, key)


def test_what_is_seen_is_the_shipped_picture(played):
    view, _, _, folder = played
    stand(view, 30, 40)
    rect = view.screen_rect
    shown = view.world.picture(rect).view(np.uint8).reshape(int(rect.height), int(rect.width), 4)
    with Image.open(folder / "harbour-pans.png") as whole:
        want = np.asarray(whole.convert("RGBA"))
    part = want[int(rect.y) : int(rect.bottom), int(rect.x) : int(rect.right)]
    assert np.abs(shown[..., 2::-1].astype(int) - part[..., :3].astype(int)).max() <= 2
    grabbed = view.grab().toImage()
    assert grabbed.pixelColor(1, 1).getRgb()[:3] == (18, 16, 24), "a letter-box round it"


def test_keys_walk_areas_are_told_and_doors_lead_on(played):
    view, window, _, _ = played
    stand(view, 24, 28)
    before = view.at.x
    hold(view, Qt.Key.Key_Right, 60)
    assert view.at.x == before + 96
    assert "the yard" in window.line.text()
    hold(view, Qt.Key.Key_Right, 60)
    assert view.map.name == "North basin"
    assert window.windowTitle() == "North basin — Play"
    door = next(each for layer in view.map.layers if isinstance(layer, MarkerLayer)
                for each in layer.markers if each.kind == "door")  # fmt: skip
    assert abs(view.at.x - door.middle[0]) <= 64, "at the door of the same name"
    hold(view, Qt.Key.Key_Right, 4)
    assert view.map.name == "North basin", "who stands in a door is not sent back at once"


def test_a_map_that_is_shipped_anew_is_seen_and_one_cut_short_leaves_all_as_it_is(played):
    view, window, demo, folder = played
    stand(view, 30, 40)
    place, shown = (view.at.x, view.at.y), view.world.picture(view.screen_rect)
    assert not view.look_again(), "nothing is different"
    path = folder / "harbour-pans.json"
    whole = path.read_bytes()
    path.write_bytes(whole[: len(whole) // 2])
    assert not view.look_again()
    assert window.line.text().startswith("as before: ")
    assert (view.world.picture(view.screen_rect) == shown).all()
    map_ = demo.maps[0]
    map_.layers[0].pinned[28:33, 38:43] = True
    map_.layers[0].cells[28:33, 38:43] = map_.legend.place(TileRef("pans", 0, 8))
    ship(demo, demo.maps[:2], folder, ["json", "png"], overwrite=True)
    assert view.look_again()
    assert (view.at.x, view.at.y) == place, "it has not lost its place"
    assert (view.world.picture(view.screen_rect) != shown).any()


def test_art_that_was_changed_elsewhere_is_seen(played):
    view, _, _, folder = played
    stand(view, 30, 40)
    shown = view.world.picture(view.screen_rect)
    with Image.open(folder / "pans.tiles.png") as sheet:
        other = np.asarray(sheet.convert("RGBA")).copy()
    other[..., 0] = 255 - other[..., 0]
    Image.fromarray(other).save(folder / "pans.tiles.png")
    assert view.look_again()
    assert (view.world.picture(view.screen_rect) != shown).mean() > 0.5


def test_a_wall_that_comes_where_it_stands_pushes_it_aside(played):
    view, _, _, folder = played
    stand(view, 30, 40)
    path = folder / "harbour-pans.json"
    data = json.loads(path.read_text())
    n = data["layers"][0]["cells"][30][40]
    data["legend"][n - 1]["shapes"] = [{"kind": "solid", "form": "box",
                                        "points": [[0, 0], [16, 16]]}]  # fmt: skip
    path.write_text(json.dumps(data))
    assert view.look_again()
    assert view.world.walk.is_free(view.at.x, view.at.y)


def test_what_can_not_be_played_is_one_line_on_the_command_line(game, tmp_path):
    for words, said in ((["play", str(tmp_path / "none")], "no shipped map lies in"),
                        (["play", str(game[1]), "--map", "Nowhere"], "“Nowhere”")):  # fmt: skip
        done = subprocess.run([sys.executable, "-m", "knitground", *words], capture_output=True,
                              text=True, timeout=60, check=False)  # fmt: skip
        assert done.returncode == 2
        assert said in done.stderr
        assert done.stderr.count("\n") == 1
    with pytest.raises(KnitError):
        PlayView(tmp_path)


def test_from_the_side_it_falls_and_jumps(game, qtbot):
    view = PlayView(game[1], "Harbour pans", View.SIDE)
    view.clock.stop()
    qtbot.addWidget(view)
    begun = view.at
    view.go_on(30)
    assert view.at.y > begun.y


def test_ground_hides_nobody_and_what_stands_does(played):
    view, _, _, _ = played
    stand(view, 24, 42)
    assert not view.world.hides(view.at).any(), "ground lies flat"
    layers = {each.name: each for each in view.map.layers}
    layers["Props"].visible = True
    layers["Props"].cells[:] = 0
    layers["Props"].cells[24, 41:44] = layers["Pans"].cells[24, 42]
    hides = view.world.hides(view.at)
    assert view.at.y == 24 * 16 + 8
    assert hides[-8:].all(), "an opaque tile that begins nearer than its feet"
    assert not hides[:-8].any()
