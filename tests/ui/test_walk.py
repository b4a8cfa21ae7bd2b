"""Walking in the real window: keys, walls, what is drawn meanwhile, doors, what hides it."""

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPoint, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from tests.ui.conftest import drag, move, pixels, settle, settle_view

from knitground.core.edit.maps import delete_map
from knitground.core.edit.markers import add_markers
from knitground.core.edit.shapes import add_shape
from knitground.core.edit.sizes import Margins, resize_map
from knitground.core.model.marker import Marker, Shape
from knitground.core.model.properties import Property
from knitground.core.model.shapes import ShapeForm, TileShape
from knitground.core.model.tile import TileRef
from knitground.core.walk.figure import View

WALL = TileRef("props", 0, 0)


@pytest.fixture
def walking(window):
    """A figure on the demo's first map; no clock: tests tell its ticks."""
    session = window.session
    session.choose_layer(session.map.layers[2])
    for each in session.map.layers:
        each.visible = each.name in ("Pans", "Props", "Places")
    session.map.layers[2].cells[:] = 0
    walking = window.mapside.walking
    walking.bar.view.setCurrentIndex(0)
    walking.bar.kinds.setMenu(None)
    walking._clock.setInterval(3_600_000)
    walking.start((30 * 16 + 8, 20 * 16 + 8))
    settle()
    yield walking
    walking.stop()
    walking._clock.setInterval(16)


def hold(walking, key, ticks):
    view = walking._view()
    for kind in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease):
        QApplication.sendEvent(view, QKeyEvent(kind, key, Qt.KeyboardModifier.NoModifier))
        if kind == QEvent.Type.KeyPress:
            walking.go_on(ticks)


def markers_of(session):
    return next(each for each in session.map.layers if hasattr(each, "markers"))


def wall(session, row, cols):
    """Make the props' first tile solid, and lay some of it."""
    owner = session.project.tileset_named("props")
    whole = TileShape("solid", ShapeForm.BOX, ((0, 0), (16, 16)))
    session.do(lambda: add_shape(owner, [(0, 0)], whole))
    place = session.map.legend.place(WALL)
    for col in cols:
        session.map.layers[2].cells[row, col] = place


def test_one_key_begins_and_ends_it_and_the_ribbon_is_the_figures(window):
    walking, ribbon = window.mapside.walking, window.mapside.ribbon
    assert ribbon.isVisible()
    QTest.keyClick(window.shell, Qt.Key.Key_F6)
    assert walking.is_on
    settle()
    view = window.mapside.view
    x, y = view.camera.to_screen(walking.at.x, walking.at.y)
    assert view.rect().adjusted(40, 40, -40, -40).contains(QPoint(round(x), round(y)))
    assert walking.bar.isVisible()
    assert not ribbon.isVisible()
    QTest.keyClick(window.mapside.view, Qt.Key.Key_Escape)
    assert not walking.is_on
    assert ribbon.isVisible()
    window.show_stage("slice")
    QTest.keyClick(window.shell, Qt.Key.Key_F6)
    assert window.stage.key == "draw", "from any stage"
    assert walking.is_on
    walking.stop()


def test_held_keys_move_it_and_it_is_drawn_and_followed(window, walking):
    view = window.mapside.view
    settle_view(view)
    before, at = pixels(view), walking.at
    hold(walking, Qt.Key.Key_Right, 30)
    assert walking.at.x - at.x == 48, "six cells a second"
    assert walking.at.y == at.y
    assert (pixels(view) != before).any()
    walking.go_on(30)
    assert walking.at.x - at.x == 48, "no key is held any more"
    view.zoom_to(14)
    hold(walking, Qt.Key.Key_Down, 120)
    x, y = view.camera.to_screen(walking.at.x, walking.at.y)
    assert view.rect().adjusted(60, 60, -60, -60).contains(QPoint(round(x), round(y)))


def test_what_is_drawn_while_it_stands_there_stops_it(window, walking):
    session = window.session
    wall(session, 20, ())
    walking.start((30 * 16 + 8, 20 * 16 + 8))
    view = window.mapside.view
    session.choose_layer(session.map.layers[2])
    session.choose_tool("paint")
    window.stages["draw"].tiles.chosen = []
    from knitground.core.edit.hand import TileInHand

    session.take(TileInHand(WALL, 0))
    session.set_size(1)
    view.fit()
    drag(view, view.screen_at(20, 33), view.screen_at(20, 34))
    assert walking.is_on
    hold(walking, Qt.Key.Key_Right, 90)
    assert walking.at.x == 33 * 16 - walking.figure.wide + walking.figure.wide // 2
    session.undo()
    hold(walking, Qt.Key.Key_Right, 90)
    assert walking.at.x > 35 * 16, "what was taken back stops nobody"


def test_a_wall_drawn_over_it_pushes_it_out(window, walking):
    session = window.session
    wall(session, 0, ())
    walking.start((30 * 16 + 8, 20 * 16 + 8))
    from knitground.core.base.window import Box
    from knitground.core.edit.laying import plan_cells

    layer = session.map.layers[2]
    places = np.full((3, 3), session.map.legend.place(WALL), np.int32)
    plan = plan_cells(session.map, layer, Box(19, 29, 22, 32), places, np.ones((3, 3), bool), "x")
    session.apply(plan.edit)
    assert walking.is_on
    assert walking._walk.is_free(walking.at.x, walking.at.y)


def test_it_begins_at_the_chosen_marker_else_at_a_spawn_point(window):
    session, walking = window.session, window.mapside.walking
    layer = markers_of(session)
    other = Marker(71, Shape.POINT, ((400.0, 500.0),), "there")
    session.do(lambda: add_markers(session.map, layer, [other])[0])
    walking.start()
    spawn = next(each for each in layer.markers if each.kind == "spawn point")
    assert (walking.at.x, walking.at.y) == spawn.points[0]
    session.choose_layer(layer)
    names = {each.name: each.number for each in layer.markers}
    session.choose_markers([names["there"]])
    walking.start()
    assert (walking.at.x, walking.at.y) == (400, 500)
    walking.stop()


def test_areas_are_named_and_doors_lead_to_their_map(window, walking):
    session = window.session
    layer, x, y = markers_of(session), walking.at.x, walking.at.y
    area = Marker(80, Shape.BOX, ((x + 20.0, y - 30.0), (x + 60.0, y + 30.0)), "the yard")
    door = Marker(81, Shape.BOX, ((x + 90.0, y - 30.0), (x + 120.0, y + 30.0)), "gate", "door",
                  (Property("map", "North basin"),))  # fmt: skip
    lost = Marker(82, Shape.BOX, ((x - 60.0, y - 30.0), (x - 30.0, y + 30.0)), "trap", "door",
                  (Property("map", "Nowhere"),))  # fmt: skip
    session.do(lambda: add_markers(session.map, layer, [area, door, lost])[0])
    hold(walking, Qt.Key.Key_Right, 20)
    assert "the yard" in walking.bar.told.text()
    hold(walking, Qt.Key.Key_Left, 60)
    assert "Nowhere" in window.notices.text.text()
    assert session.map.name == "Harbour pans"
    hold(walking, Qt.Key.Key_Right, 130)
    assert session.map.name == "North basin"
    assert walking.is_on
    assert walking.map is session.map
    session.choose_map(session.project.maps[0])
    assert not walking.is_on, "another map is looked at: the walk has ended"


def test_its_numbers_are_set_on_the_bar_and_wrong_ones_are_refused(window, walking):
    bar = walking.bar
    bar.wide.setValue(30)
    assert walking.figure.wide == 30
    bar.view.setCurrentIndex(1)
    assert walking.figure.view is View.SIDE
    at = walking.at
    walking.go_on(30)
    assert walking.at.y > at.y, "nothing bears it: it falls"
    bar.high.setValue(512)
    assert walking.is_on
    bar.wide.setValue(512)
    window.session.map.layers[2].cells[:] = 0
    window.session.map.layers[2].cells[:] = 0
    bar.view.setCurrentIndex(0)
    hold(walking, Qt.Key.Key_Up, 600)
    assert walking._walk.is_free(walking.at.x, walking.at.y)


def test_an_edge_that_catches_it_is_marked_with_a_knot(window, walking):
    session = window.session
    owner = session.project.tileset_named("props")
    low = TileShape("solid", ShapeForm.BOX, ((0, 3), (16, 16)))
    whole = TileShape("solid", ShapeForm.BOX, ((0, 0), (16, 16)))
    session.do(lambda: add_shape(owner, [(0, 0)], whole))
    session.do(lambda: add_shape(owner, [(0, 1)], low))
    cells = session.map.layers[2].cells
    cells[20:22, 28:40] = 0
    cells[21, 30:34] = session.map.legend.place(TileRef("props", 0, 1))
    cells[21, 34:36] = session.map.legend.place(WALL)
    walking.start((31 * 16 + 4, 21 * 16 + 3))
    assert walking.at.y == 21 * 16 + 3
    walking._held.add(Qt.Key.Key_Down)
    hold(walking, Qt.Key.Key_Right, 60)
    walking._held.clear()
    assert walking.at.caught
    assert {cell for cell, role in session.marks["walk"].cells(session.map)} == walking.caught
    assert len(walking.caught) == 1


def test_a_stroke_that_is_open_has_escape_first(window, walking):
    session, view = window.session, window.mapside.view
    session.choose_layer(session.map.layers[0])
    session.choose_tool("paint")
    view.fit()
    middle = view.rect().center()
    drag(view, middle, middle + QPoint(30, 0), release=False)
    assert session.in_gesture
    QTest.keyClick(view, Qt.Key.Key_Escape)
    assert not session.in_gesture
    assert walking.is_on
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=middle)
    move(view, middle)
    QTest.keyClick(view, Qt.Key.Key_Escape)
    assert not walking.is_on


def test_a_map_that_grows_or_shrinks_under_it_keeps_it_on_the_map(window, walking):
    session = window.session
    map_ = session.map
    session.do(lambda: resize_map(map_, Margins(right=-60)))
    assert walking.is_on
    assert walking._walk.solids.wide == map_.lattice.extent[0]
    assert walking.at.x <= map_.lattice.extent[0]
    hold(walking, Qt.Key.Key_Right, 300)
    assert walking.at.x <= map_.lattice.extent[0]
    session.undo()
    hold(walking, Qt.Key.Key_Right, 120)
    assert walking.at.x > 40 * 16, "it goes on where there is map again"
    session.do(lambda: delete_map(session.project, map_))
    assert not walking.is_on


def test_its_own_clock_moves_it_while_a_key_is_held(window, walking):
    view, at = window.mapside.view, walking.at
    walking._clock.setInterval(5)
    QTest.keyPress(view, Qt.Key.Key_Right)
    for _ in range(200):
        QTest.qWait(10)
        if walking.at.x > at.x + 8:
            break
    QTest.keyRelease(view, Qt.Key.Key_Right)
    assert walking.at.x > at.x + 8
    QTest.qWait(50)
    stands = walking.at.x
    QTest.qWait(100)
    assert walking.at.x == stands, "a key that was let go moves nobody"


def test_kinds_that_stop_it_are_chosen_and_shapes_are_shown(window, walking):
    session = window.session
    wall(session, 20, (33,))
    walking.start((30 * 16 + 8, 20 * 16 + 8))
    solid = next(each for each in walking.bar.kinds.menu().actions() if each.text() == "solid")
    assert solid.isChecked()
    hold(walking, Qt.Key.Key_Right, 90)
    stopped = walking.at.x
    assert stopped < 33 * 16
    water = next(each for each in walking.bar.kinds.menu().actions() if each.text() == "water")
    water.trigger()
    solid.trigger()
    hold(walking, Qt.Key.Key_Right, 60)
    assert walking.at.x > 34 * 16, "what is solid stops it no more"
    walking.bar.shapes.click()
    assert session.sight.shapes


def test_the_maps_screen_goes_with_it_and_stops_at_edges_and_camera_areas(window, walking):
    session, view, bar = window.session, window.mapside.view, walking.bar
    map_ = session.map
    wide, high = map_.screen
    before = view.camera.step
    bar.framing.setCurrentIndex(1)
    assert walking.seen is not None
    assert walking.seen[2:] == (wide, high)
    assert walking.seen.x + wide // 2 == walking.at.x, "it stands in the middle"
    settle_view(view)
    frame = view.camera.to_screen(walking.seen.x - 3, walking.seen.y + 20)
    dimmed = pixels(view)[round(frame[1]), round(frame[0])]
    bar.framing.setCurrentIndex(0)
    assert walking.seen is None
    settle_view(view)
    assert pixels(view)[round(frame[1]), round(frame[0])] != dimmed
    bar.framing.setCurrentIndex(2)
    settle_view(view)
    shown = pixels(view)
    assert shown[3, 3] == 0xFF1E1C28, "nothing else is shown"
    left, _ = view.camera.to_screen(walking.seen.x, walking.seen.y)
    zoom = view.camera.zoom
    assert zoom == int(zoom)
    assert wide * zoom <= view.width() < wide * (zoom + 1) or high * (zoom + 1) > view.height()
    assert abs(left + wide * zoom / 2 - view.width() / 2) <= 1
    walking.start((20.0, 330.0))
    assert walking.seen.x == 0, "not past the map's edge"
    assert view.camera.to_screen(0, 0)[0] == pytest.approx((view.width() - wide * zoom) / 2, abs=1)
    x, y = walking.at.x, walking.at.y
    area = Marker(90, Shape.BOX, ((x - 5.0, y - 60.0), (x + 400.0, y + 300.0)), "", "camera")
    session.do(lambda: add_markers(map_, markers_of(session), [area])[0])
    assert walking.seen[:2] == (x - 5, y - 60), "the area holds it"
    QTest.keyClick(view, Qt.Key.Key_Escape)
    assert not walking.is_on
    assert view.camera.step == before
    settle_view(view)
    assert pixels(view)[3, 3] != 0xFF1E1C28
    bar.framing.setCurrentIndex(0)


def test_from_the_side_it_climbs_slopes_stands_on_floors_and_drops_through_them(window, walking):
    session, view = window.session, window.mapside.view
    owner = session.project.tileset_named("props")
    forms = {
        (0, 0): TileShape("solid", ShapeForm.BOX, ((0, 0), (16, 16))),
        (0, 1): TileShape("solid", ShapeForm.POLYGON, ((0, 16), (16, 0), (16, 16))),
        (0, 2): TileShape("one-way", ShapeForm.BOX, ((0, 0), (16, 3))),
    }
    for at, shape in forms.items():
        session.do(lambda at=at, shape=shape: add_shape(owner, [at], shape))
    wall, slope, floor = (session.map.legend.place(TileRef("props", *at)) for at in forms)
    cells = session.map.layers[2].cells
    cells[24, 25:40] = wall  # the ground
    cells[23, 33], cells[23, 34:37] = slope, wall
    cells[20, 28:31] = floor
    walking.bar.view.setCurrentIndex(1)
    walking.bar.wide.setValue(8)
    walking.bar.high.setValue(14)
    walking.start((30 * 16.0, 23 * 16.0 + 4))
    walking.go_on(60)
    assert walking.at.y == 24 * 16, "it stands on the ground"
    hold(walking, Qt.Key.Key_Right, 60)
    assert walking.at.y == 23 * 16, "up the slope"
    hold(walking, Qt.Key.Key_Left, 60)
    walking.start((29 * 16.0 + 8, 24 * 16.0))
    walking.bar.jump.setValue(90)
    hold(walking, Qt.Key.Key_Space, 40)
    walking.go_on(80)
    assert walking.at.y == 20 * 16, "through the floor from below, and it bears"
    hold(walking, Qt.Key.Key_Down, 4)
    walking.go_on(60)
    assert walking.at.y == 24 * 16, "down drops through it"
    assert view.hasFocus()
