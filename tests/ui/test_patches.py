"""Patches: taken from the sheet and the map, turned, painted, repeated; Line and Box with them."""

from itertools import product

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMenu, QSlider
from tests.maps import snapshot
from tests.ui.conftest import LAYERS, RIGHT, click, drag, move, pixels, props_view, settle

from knitground.core.base.window import Box
from knitground.core.edit.hand import PatchInHand, TileInHand
from knitground.core.edit.laying import plan_cells
from knitground.core.model.patch import Patch, turn_tile
from knitground.core.model.properties import Property
from knitground.core.model.tile import TileRef
from knitground.core.model.turns import turned_array as turned
from knitground.ui.mapside.dialogs import NewMapDialog, ResizeDialog
from knitground.ui.mapside.propertiesdialog import PropertiesDialog
from knitground.ui.mapside.tools.shapes import line_cells, swept
from knitground.ui.stages.draw.bench import TABS

CTRL = Qt.KeyboardModifier.ControlModifier


def ref(row, col, turn=0):
    return TileRef("props", row, col, turn)


CORNER = Patch("corner", ((ref(1, 0), ref(1, 1), None), (ref(2, 0), ref(2, 1), ref(0, 0))))


@pytest.mark.parametrize(("first", "then"), list(product(range(8), range(8))))
def test_turning_twice_is_turning_the_picture_twice(first, then):
    tile = np.arange(9, dtype=np.uint32).reshape(3, 3)
    once = turn_tile(ref(0, 0, first), then).turn
    assert (turned(tile, once) == turned(turned(tile, first), then)).all()


@pytest.mark.parametrize("by", range(8))
def test_a_patch_turns_with_its_tiles(by):
    grid = np.array([[1, 2, 0], [3, 4, 5]])
    made = CORNER.turned(by)
    expected = np.rot90(grid[:, ::-1] if by & 4 else grid, -(by & 3))
    numbers = {ref(1, 0): 1, ref(1, 1): 2, ref(2, 0): 3, ref(2, 1): 4, ref(0, 0): 5}
    shown = [[numbers[t._replace(turn=0)] if t else 0 for t in row] for row in made.rows]
    assert (np.array(shown) == expected).all()
    assert all(t.turn == by for row in made.rows for t in row if t)
    back = made if by & 4 else made.turned(4 - by if by else 0)
    assert (back.turned(by) if by & 4 else back) == CORNER


@pytest.fixture
def view(window):
    props_view(window)
    session = window.session
    window.mapside.view.show_cell(8, 8)
    session.map.layers[2].cells[:24, :24] = 0
    window.mapside.view.store.touch_all()  # changed behind the document's back
    return window.mapside.view


def shown(window, box):
    map_ = window.session.map
    cells = window.session.doc.cells(map_, map_.layers[2], box)
    return [[map_.legend.tile(int(place)) for place in row] for row in cells]


def test_a_block_dragged_on_the_sheet_is_laid_as_it_lies_there(window, view):
    session, bench = window.session, window.stages["draw"]
    bench.tabs.setCurrentIndex(TABS.index("Tiles"))
    session.choose_tileset(session.project.tilesets[1])
    settle()
    tiles = bench.tiles
    tiles.fit()
    drag(tiles, *(tiles.tile_rect(*at).center().toPoint() for at in ((1, 0), (1, 1), (2, 1))))
    assert isinstance(session.hand, PatchInHand)
    assert session.hand.title == "Patch 2 × 2 · props"
    spot = view.screen_at(10, 10)
    move(view, spot)
    plan = view.plan
    click(view, spot)
    assert (session.doc.cells(session.map, session.layer, plan.box) == plan.cells).all()
    big = [[ref(1, 0), ref(1, 1)], [ref(2, 0), ref(2, 1)]]
    assert shown(window, Box(10, 10, 12, 12)) == big
    for key in (Qt.Key.Key_M, Qt.Key.Key_BracketRight):
        QTest.keyClick(window.shell, key)
    turned_hand = session.hand.patch
    assert turned_hand.rows[0][0].turn == turn_tile(turn_tile(ref(0, 0), 4), 1).turn
    click(view, view.screen_at(14, 10))
    assert shown(window, Box(14, 10, 16, 12)) == [list(row) for row in turned_hand.rows]


def test_any_shape_by_ctrl_click_leaves_holes_that_lay_nothing(window, view):
    session, tiles = window.session, window.stages["draw"].tiles
    window.stages["draw"].tabs.setCurrentIndex(TABS.index("Tiles"))
    session.choose_tileset(session.project.tilesets[1])
    settle()
    tiles.fit()
    click(tiles, tiles.tile_rect(0, 0).center().toPoint())
    click(tiles, tiles.tile_rect(1, 1).center().toPoint(), modifiers=CTRL)
    assert session.hand.patch.rows == ((ref(0, 0), None), (None, ref(1, 1)))
    session.map.layers[2].cells[10, 11] = session.map.legend.place(ref(0, 4))
    click(view, view.screen_at(10, 10))
    assert shown(window, Box(10, 10, 12, 12)) == [[ref(0, 0), ref(0, 4)], [None, ref(1, 1)]]


def test_a_drag_lays_the_patch_side_by_side_as_one_step(window, view):
    window.session.take(PatchInHand(Patch("p", ((ref(0, 0), ref(0, 1)), (ref(0, 4), ref(1, 5))))))
    drag(view, view.screen_at(10, 6), view.screen_at(10, 9), view.screen_at(10, 13))
    rows = shown(window, Box(10, 6, 12, 14))
    assert rows[0] == [ref(0, 0), ref(0, 1)] * 4
    assert rows[1] == [ref(0, 4), ref(1, 5)] * 4
    assert len(window.session.doc.history.names) == 1


@pytest.mark.parametrize("on_map", [True, False])
@pytest.mark.parametrize("tool", ["box", "fill"])
def test_box_and_fill_repeat_a_patch_from_the_map_or_from_the_drag(window, view, tool, on_map):
    session = window.session
    session.take(PatchInHand(Patch("p", ((ref(0, 0), ref(0, 1), ref(0, 4)),))))
    session.choose_tool(tool)
    session.set_options(pattern_on_map=on_map)
    start = snapshot(session.project)
    if tool == "box":
        drag(view, view.screen_at(5, 4), view.screen_at(6, 8), view.screen_at(7, 10))
    else:
        click(view, view.screen_at(5, 4))
    first = 4 % 3 if on_map else 0
    row = shown(window, Box(5, 4, 6, 11))[0]
    cycle = [ref(0, 0), ref(0, 1), ref(0, 4)]
    assert row == [cycle[(first + n) % 3] for n in range(7)]
    session.doc.undo()
    assert snapshot(session.project) == start


def test_a_block_of_the_map_is_picked_by_a_drag_with_the_right_button(window, view):
    session = window.session
    cells = session.map.layers[2].cells
    for n, at in enumerate([(3, 3), (3, 4), (4, 4)]):
        cells[at] = session.map.legend.place(ref(0, n))
    points = [view.screen_at(3, 3), view.screen_at(4, 4)]
    drag(view, *points, button=RIGHT, release=False)
    assert view._tools["pick"].area == Box(3, 3, 5, 5)
    QTest.mouseRelease(view, RIGHT, pos=points[-1])
    assert session.hand.patch.rows == ((ref(0, 0), ref(0, 1)), (None, ref(0, 2)))
    before = session.hand
    drag(view, *points, button=RIGHT, release=False)
    QTest.keyClick(window.shell, Qt.Key.Key_Escape)
    QTest.mouseRelease(view, RIGHT, pos=points[-1])
    assert session.hand is before
    drag(view, view.screen_at(15, 15), view.screen_at(17, 17), button=RIGHT)
    assert "is empty" in window.notices.text.text()


def test_only_tiles_and_patches_turn(window, view):
    window.session.take(None)
    QTest.keyClick(window.shell, Qt.Key.Key_BracketLeft)
    assert "Only a tile or a patch" in window.notices.text.text()
    window.session.take(TileInHand(ref(0, 5), 5))
    QTest.keyClick(window.shell, Qt.Key.Key_M, Qt.KeyboardModifier.ShiftModifier)
    assert window.session.hand.title == "Tile 5 · props flipped"
    click(view, view.screen_at(9, 9))
    assert shown(window, Box(9, 9, 10, 10)) == [[ref(0, 5, 6)]]


def test_lines_hold_together_and_are_as_wide_as_the_brush():
    for end in product((-5, 0, 3, 9), (-7, 0, 4)):
        cells = line_cells((0, 0), end)
        assert cells[0] == (0, 0)
        assert cells[-1] == end
        steps = np.abs(np.diff(cells, axis=0)).max(axis=1) if len(cells) > 1 else np.ones(1)
        assert (steps == 1).all()
        assert len(cells) == max(abs(end[0]), abs(end[1])) + 1
    box, mask = swept([(0, 0), (1, 1)], np.ones((2, 2), bool))
    assert (box, mask.astype(int).tolist()) == (
        Box(0, 0, 3, 3), [[1, 1, 0], [1, 1, 1], [0, 1, 1]],
    )  # fmt: skip


# Maps and layers


def test_painting_outside_offers_to_grow_the_map_so_far(window, view):
    session = window.session
    view.show_cell(0, 0)
    settle()
    session.take(TileInHand(ref(0, 5), 5))
    before = session.map.layers[0].terrain.copy()
    spot = view.screen_at(-2, 3)
    move(view, spot)
    assert "a click offers to grow it" in view.label()[0]
    click(view, spot)
    assert window.notices.cures[0].text() == "Grow the map here"
    QTest.mouseClick(window.notices.cures[0], Qt.MouseButton.LeftButton)
    settle()
    assert (session.map.height, session.map.width) == (66, 96)
    assert (session.map.layers[0].terrain[2:] == before).all()
    assert session.doc.history.names == ["Resize “Harbour pans” to 96 × 66"]
    click(view, view.screen_at(0, 3))
    assert session.map.layers[2].cells[0, 3] > 0
    session.doc.undo()
    session.doc.undo()
    settle()
    assert session.map.height == 64
    move(view, view.screen_at(5, 5))
    assert view.plan.changes_anything


def test_the_size_dialog_says_what_would_be_cut(window):
    dialog = ResizeDialog(window.session.map, window.shell)
    dialog.boxes["right"].setValue(-40)
    assert "96 × 64 cells become 56 × 64" in dialog.facts.text()
    assert "of “Pans”" in dialog.facts.text()
    dialog.boxes["top"].setValue(-64)
    assert "height 0 is out of bounds" in dialog.facts.text()
    assert not dialog.buttons.buttons()[0].isEnabled()


def test_maps_and_layers_are_doubled_from_the_menu_and_a_cell_is_gone_to(window, view):
    session, commands = window.session, window.commands
    start = snapshot(session.project)
    commands.named("Duplicate map").action.trigger()
    assert session.map.name == "Harbour pans copy"
    session.choose_layer(session.map.layers[2])
    commands.named("Duplicate layer").action.trigger()
    assert session.layer.name == "Props copy"
    commands.named("Merge into the layer behind").action.trigger()
    assert [each.name for each in session.map.layers] == LAYERS
    session.choose_layer(session.map.layers[0])
    commands.named("Merge into the layer behind").action.trigger()
    assert "back layer" in window.notices.text.text()
    commands.named("Show only this layer, or all").action.trigger()
    assert [each.visible for each in session.map.layers] == [True] + 6 * [False]
    window.mapside.maps.show_cell("12, 7")
    assert view.cell_cursor == (7, 12)
    window.mapside.maps.show_cell("200, 7")
    assert "cell 200, 7 is outside the map" in window.notices.text.text()
    window.mapside.maps.show_cell("here")
    assert "is not a cell" in window.notices.text.text()
    while session.doc.undo():
        pass
    assert snapshot(session.project) == start


def drawn(view):
    """What the view shows once every piece of the map has been made."""
    for _ in range(20):
        settle()
        shown = pixels(view)
        if view.cold == 0:
            return shown
    raise AssertionError("the map is never drawn to its end")


def test_a_layers_opacity_slides_on_the_map_as_one_step(window, view):
    session, strip = window.session, window.mapside.strip
    layer = session.map.layers[0]
    view.leaveEvent(None)
    before = drawn(view)
    menu = QMenu()
    action = strip._opacity_action(menu, session.map, layer)
    slider = action.defaultWidget().findChild(QSlider)
    for value in (80, 50, 30):
        slider.setValue(value)
    assert layer.opacity == 0.3
    assert session.doc.history.names == ["Opacity of “Pans” 30%"]
    settle()
    assert (drawn(view) != before).mean() > 0.3
    session.doc.undo()
    assert layer.opacity == 1.0
    assert (drawn(view) == before).all()


def test_shift_paints_straight_from_where_the_last_stroke_ended(window, view):
    session = window.session
    session.take(TileInHand(ref(0, 5), 5))
    session.set_size(1)
    click(view, view.screen_at(5, 5))
    click(view, view.screen_at(5, 11), modifiers=Qt.KeyboardModifier.ShiftModifier)
    laid = np.argwhere(session.map.layers[2].cells[:20, :20] > 0).tolist()
    assert laid == [[5, col] for col in range(5, 12)]
    assert len(session.doc.history.names) == 2


def test_the_overview_shows_the_whole_map_and_leads_about_it(window, view):
    session, overview = window.session, view.overview
    assert overview.isHidden()
    QTest.keyClick(window.shell, Qt.Key.Key_O)
    settle()
    assert overview.isVisible()
    assert overview.geometry().right() <= view.width()
    view.zoom_to(view.camera.step + 2)
    frame, scale = overview._frame()
    seen = overview.seen()
    assert 0 < seen.width() < frame.width()
    spot = frame.topLeft().toPoint() + QPoint(int(80 * 16 * scale), int(50 * 16 * scale))
    click(overview, spot)
    x, y = view.camera.to_picture(view.width() / 2, view.height() / 2)
    assert abs(x - 80 * 16) < 2 / scale
    assert abs(y - 50 * 16) < 2 / scale
    shown = overview._pixels.copy()
    drag(overview, spot, frame.topLeft().toPoint() + QPoint(4, 4))
    assert view.camera.to_picture(view.width() / 2, 0)[0] < 10 / scale
    session.choose_tool("box")
    session.take(TileInHand(ref(0, 5), 5))
    session.apply(plan_cells(session.map, session.layer, Box(0, 0, 20, 20),
                             np.full((20, 20), session.map.legend.place(ref(1, 4)), np.int32),
                             np.ones((20, 20), bool), "x").edit)  # fmt: skip
    QTest.qWait(300)
    settle()
    assert (overview._pixels != shown).sum() > 100
    QTest.keyClick(window.shell, Qt.Key.Key_O)
    assert overview.isHidden()


def test_a_background_and_the_screen_frame_are_seen(window, view):
    session = window.session
    for layer in session.map.layers:
        layer.visible = False
    view.store.touch_all()
    view.leaveEvent(None)
    view.session.show(grid=False)
    window.mapside.maps.set_background("#aa3366")
    shown = drawn(view) & 0xFFFFFF
    assert (shown == 0xAA3366).mean() > 0.3
    window.mapside.maps.set_screen("64 x 48")
    assert session.map.screen == (64, 48)
    framed = drawn(view) & 0xFFFFFF
    zoom = view.camera.zoom
    assert abs(int((framed == 0xAA3366).sum()) - 64 * 48 * zoom * zoom) < 3000 * zoom
    window.mapside.maps.set_screen("large")
    assert "is not a size" in window.notices.text.text()
    window.mapside.maps.set_screen("0 × 5")
    assert "screen width 0" in window.notices.text.text()
    window.mapside.maps.set_background(None)
    assert session.map.background is None


def test_properties_of_the_map_are_typed_in_their_dialog(window, monkeypatch):
    session, map_ = window.session, window.session.map
    before = map_.properties
    seen = []

    def act(dialog):
        seen.append(dialog)
        editor = dialog.editor
        assert list(editor.fields) == ["wind", "raining", "ambient"]
        editor.add.click()
        name = editor.fields["property"][0]
        name.setFocus()
        name.selectAll()
        QTest.keyClicks(name, "song\r")  # Enter ends the typing, and leaves the dialog open
        assert dialog.isVisible()
        value = editor.fields["wind"][2]
        value.setText("strong")
        value.editingFinished.emit()
        assert "which is no number" in window.notices.text.text()
        assert map_.properties == (*before, Property("song"))
        session.undo()
        settle()
        assert list(editor.fields) == ["wind", "raining", "ambient", "property"]
        editor.removed.emit("raining")
        assert list(editor.fields) == ["wind", "ambient", "property"]
        dialog.reject()

    def shown(dialog):
        dialog.show()
        settle()
        act(dialog)

    monkeypatch.setattr(PropertiesDialog, "exec", shown)
    window.commands.named("Properties of the map…").action.trigger()
    assert seen
    assert [each.name for each in map_.properties] == ["wind", "ambient", "property"]
    session.undo()
    session.undo()
    assert map_.properties == before


def test_a_new_map_is_measured_in_screens(window):
    dialog = NewMapDialog(window.session, window.shell)
    dialog.screen_width.setValue(320)
    dialog.screen_height.setValue(180)
    dialog.across.setValue(3)
    dialog.down.setValue(2)
    assert (dialog.width_box.value(), dialog.height_box.value()) == (60, 23)
    dialog.name.setText("Wide")
    window.mapside.maps.add_map(dialog)
    made = window.session.map
    assert (made.width, made.height, made.screen) == (60, 23, (320, 180))
