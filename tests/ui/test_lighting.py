"""Light in the real window: one key, lamps among the markers, walls that throw shadows."""

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from tests.ui.conftest import pixels, settle, settle_view

from knitground.core.base.window import Box
from knitground.core.edit.laying import plan_cells
from knitground.core.edit.maps import put_map_property
from knitground.core.edit.markers import add_markers, delete_markers, move_markers
from knitground.core.edit.shapes import add_shape
from knitground.core.files.ship.ship import ship
from knitground.core.model.marker import Marker, Shape
from knitground.core.model.profile import ShipPart
from knitground.core.model.properties import Property
from knitground.core.model.shapes import ShapeForm, TileShape
from knitground.core.model.tile import TileRef
from knitground.core.shapes.light import BLOCKS
from knitground.ui.play.window import PlayView


@pytest.fixture
def lamps(window):
    """The demo's harbour in the dark, with one lamp."""
    session = window.session
    layer = next(each for each in session.map.layers if hasattr(each, "markers"))
    for each in session.map.layers:
        each.visible = each.name in ("Pans", "Props", "Places")
    own = [each.number for each in layer.markers if each.kind == "lamp"]
    session.do(lambda: delete_markers(session.map, layer, own))
    lamp = Marker(60, Shape.POINT, (session.map.lattice.middle(30, 40),), "lantern", "lamp",
                  (Property("radius", "100"),))  # fmt: skip
    session.do(lambda: add_markers(session.map, layer, [lamp])[0])
    session.do(lambda: put_map_property(session.map, Property("ambient", "#202030")))
    session.show(grid=False)
    view = window.mapside.view
    view.show_cell(30, 40)
    view.leaveEvent(None)
    settle_view(view)
    return session, layer, view


def brightness(view, row, col):
    at = view.screen_at(row, col)
    shown = pixels(view)[at.y() - 4 : at.y() + 4, at.x() - 4 : at.x() + 4]
    return float(np.mean([(shown >> shift) & 255 for shift in (0, 8, 16)]))


def test_one_key_lights_the_map_and_a_lamp_that_is_moved_is_followed(window, lamps):
    session, layer, view = lamps
    plain = brightness(view, 31, 42), brightness(view, 22, 30)
    QTest.keyClick(view, Qt.Key.Key_L, Qt.KeyboardModifier.ShiftModifier)
    assert session.sight.light
    settle_view(view)
    near, far = brightness(view, 31, 42), brightness(view, 22, 30)
    assert near > 0.6 * plain[0]
    assert far < 0.35 * plain[1]
    number = next(each.number for each in layer.markers if each.kind == "lamp")
    session.do(lambda: move_markers(session.map, layer, [number], -160, -128))
    settle_view(view)
    assert brightness(view, 31, 42) < near
    assert brightness(view, 22, 30) > 2 * far
    QTest.keyClick(view, Qt.Key.Key_L, Qt.KeyboardModifier.ShiftModifier)
    settle_view(view)
    assert brightness(view, 31, 42) == pytest.approx(plain[0], abs=2)


def test_what_is_drawn_throws_its_shadow_at_once(window, lamps):
    session, _, view = lamps
    owner = session.project.tileset_named("props")
    whole = TileShape(BLOCKS, ShapeForm.BOX, ((0, 0), (16, 16)))
    session.do(lambda: add_shape(owner, [(0, 0)], whole))
    session.show(light=True)
    settle_view(view)
    before = brightness(view, 30, 45)
    place = np.full((3, 1), session.map.legend.place(TileRef("props", 0, 0)), np.int32)
    plan = plan_cells(session.map, session.map.layers[2], Box(29, 42, 32, 43), place,
                      np.ones((3, 1), bool), "Wall")  # fmt: skip
    session.apply(plan.edit)
    settle_view(view)
    assert brightness(view, 30, 45) < 0.6 * before
    session.undo()
    settle_view(view)
    assert brightness(view, 30, 45) == pytest.approx(before, abs=2)


def test_a_lit_picture_is_shipped_and_played(window, lamps, tmp_path):
    session, *_ = lamps
    doc = session.doc
    kinds = {"dark": {"light": True}, "plain": {}, "half": {"light": True, "scale": "1/2"},
             "cut": {"light": True, "chunk": 32}}  # fmt: skip
    for name, options in kinds.items():
        ship(session.project, [session.map], tmp_path / name,
             [ShipPart("png", options), ShipPart("json")], knit=doc.ensure_all)  # fmt: skip

    def read(name, file="harbour-pans.png"):
        with Image.open(tmp_path / name / file) as found:
            return np.asarray(found.convert("RGB")).astype(int)

    dark, plain = read("dark"), read("plain")
    y, x = 30 * 16 + 8, 40 * 16 + 8
    assert np.abs(dark[y, x] - plain[y, x]).max() <= 60
    assert dark[:16, :16].mean() < 0.25 * plain[:16, :16].mean()
    assert dark[::2, ::2].mean() == pytest.approx(read("half").mean(), abs=2)
    part = read("cut", "harbour-pans-0-1.png")
    assert (part == dark[: part.shape[0], 512 : 512 + part.shape[1]]).all()
    view = PlayView(tmp_path / "plain", "Harbour pans")
    view.clock.stop()
    view.looks.stop()
    view.at = view.world.walk.begin(x, y + 60)
    rect = view.screen_rect
    shown = view.world.lit(rect, 0).view(np.uint8).reshape(int(rect.height), int(rect.width), 4)
    want = dark[int(rect.y) : int(rect.bottom), int(rect.x) : int(rect.right)]
    assert np.abs(shown[..., 2::-1].astype(int) - want).max() <= 4
    settle()
