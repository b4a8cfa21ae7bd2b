"""Tint, marker, grown and shifted layers, and cells of another size, in the real window."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QInputDialog, QMenu, QSpinBox
from tests.maps import snapshot
from tests.ui.conftest import RIGHT, click, drag, draw_thumbs, move, pixels, settle, settle_view

from knitground.core.edit.hand import MarkerInHand, PatchInHand, TileInHand, TintInHand
from knitground.core.edit.markers import inside, marker_at, outline
from knitground.core.edit.tint import blended, disc, soft_weights, tint_value
from knitground.core.model.layers import GrownLayer
from knitground.core.model.map import Map
from knitground.core.model.marker import Marker, Shape
from knitground.core.model.properties import Property, PropertyKind
from knitground.core.model.recipe import MixStep
from knitground.core.model.tile import TileRef
from knitground.ui.common.zoom import STEPS
from knitground.ui.mapside.canvas.markers import kind_colour
from knitground.ui.mapside.layerlooks import _marker_dots
from knitground.ui.stages.draw.bench import TABS

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
NIGHT = TintInHand("#2e3566", 110)
VALUE = tint_value(NIGHT.colour, NIGHT.strength)


@pytest.fixture
def view(window):
    window.show_stage("draw")
    settle()
    window.mapside.view.fit()
    return window.mapside.view


def choose(window, name):
    session = window.session
    session.choose_layer(next(each for each in session.map.layers if each.name == name))
    session.choose_tool("paint")
    return session.layer


@pytest.fixture
def tint(window, view):
    """A tint layer without any colour, and a colour in hand."""
    window.mapside.strip.layers.add_kind("Tint")
    window.session.take(NIGHT)
    window.session.set_size(5)
    settle()
    return window.session.layer


# Tint


def test_a_soft_click_lays_what_its_ghost_shows(window, view, tint):
    at = view.screen_at(20, 30)
    move(view, at)
    ghost = view.plan.cells.copy()
    click(view, at)
    wanted = blended(np.zeros((5, 5), np.int32), VALUE, soft_weights(5))
    assert (tint.cells[18:23, 28:33] == wanted).all()
    assert (ghost == wanted).all()
    assert (tint.cells > 0).sum() == (wanted > 0).sum()
    strengths = wanted >> 24
    assert strengths[2, 2] == 110
    assert 0 < strengths[2, 0] < strengths[2, 1] < strengths[2, 2]


def test_dabs_of_one_soft_stroke_do_not_add_up_and_it_is_one_step(window, view, tint):
    drag(view, view.screen_at(20, 30), view.screen_at(20, 50))
    one = tint.cells.copy()
    rows = one[:, 40] >> 24
    click_once = blended(np.zeros((5, 5), np.int32), VALUE, soft_weights(5)) >> 24
    # Beside the way, as much as one dab lays there at its strongest; on it, all.
    assert np.abs(rows[18:23] - click_once[:, 2]).max() <= 2
    assert window.session.doc.history.names[-1] == f"Paint {NIGHT.title}"
    drag(view, view.screen_at(20, 30), view.screen_at(20, 50))
    assert (tint.cells[18, 40] >> 24) > rows[18]  # another stroke does add
    window.session.doc.undo()
    assert (tint.cells == one).all()
    window.session.doc.undo()
    assert not tint.cells.any()


def test_hard_brushes_square_and_round_and_erasing_softly(window, view, tint):
    session = window.session
    session.set_options(soft_brush=False)
    click(view, view.screen_at(10, 10))
    assert (tint.cells[8:13, 8:13] == VALUE).all()
    session.set_options(round_brush=True)
    click(view, view.screen_at(10, 30))
    assert ((tint.cells[8:13, 28:33] == VALUE) == disc(5)).all()
    session.set_options(soft_brush=True)
    session.choose_tool("erase")
    click(view, view.screen_at(10, 10))
    strengths = tint.cells[8:13, 8:13] >> 24
    assert strengths[2, 2] == 0
    assert strengths[0, 0] >= 108
    assert 0 < strengths[1, 1] < 100
    assert session.doc.history.names[-1] == "Erase colour"


def test_esc_calls_a_tint_stroke_off_and_a_locked_layer_is_told(window, view, tint):
    drag(view, view.screen_at(20, 30), view.screen_at(24, 50), release=False)
    assert tint.cells.any()
    QTest.keyClick(view, Qt.Key.Key_Escape)
    assert not tint.cells.any()
    window.commands.named("Lock or unlock layer").action.trigger()
    move(view, view.screen_at(20, 30))
    assert view.label() == ("Tint is locked — J unlocks it", True)
    click(view, view.screen_at(20, 30))
    assert not tint.cells.any()


def test_box_fill_and_pick_work_on_tints_and_the_map_shows_them(window, view, tint):
    session = window.session
    before = pixels(view)
    session.choose_tool("box")
    session.set_size(1)
    drag(view, view.screen_at(30, 40), view.screen_at(34, 49))
    assert (tint.cells[30:35, 40:50] == VALUE).all()
    session.choose_tool("fill")
    session.take(TintInHand("#ffcf7a", 60))
    click(view, view.screen_at(32, 44))
    assert (tint.cells[30:35, 40:50] == tint_value("#ffcf7a", 60)).all()
    assert (tint.cells > 0).sum() == 50
    click(view, view.screen_at(33, 45), button=RIGHT)
    assert session.hand == TintInHand("#ffcf7a", 60)
    view.leaveEvent(None)
    settle()
    at = view.screen_at(32, 44)
    assert (pixels(view)[at.y() - 2 : at.y() + 2, at.x() - 2 : at.x() + 2]
            != before[at.y() - 2 : at.y() + 2, at.x() - 2 : at.x() + 2]).any()  # fmt: skip


def test_a_tint_stroke_goes_on_over_the_border_of_a_map_that_wraps(window, view):
    session = window.session
    session.choose_map(session.project.maps[1])
    window.mapside.strip.layers.add_kind("Tint")
    session.take(NIGHT)
    session.set_size(5)
    settle()
    view.fit()
    click(view, view.screen_at(0, 24))
    found = session.layer.cells
    assert (found[46:, 22:27] > 0).any()
    rolled = np.roll(found, 2, 0)[:5, 22:27]
    assert (rolled == blended(np.zeros((5, 5), np.int32), VALUE, soft_weights(5))).all()


def test_the_wrong_thing_in_hand_is_told_at_the_pointer(window, view, tint):
    session = window.session
    window.stage.digit(1)
    session.take(TileInHand(TileRef("props", 0, 0), 0))
    move(view, view.screen_at(5, 5))
    assert view.label()[0] == "Tint holds colours — take a colour in hand at the left"
    choose(window, "Props")
    session.take(NIGHT)
    move(view, view.screen_at(5, 6))
    assert view.label()[0] == "Props holds tiles — colours go on a tint layer: choose one below"
    session.take(MarkerInHand("door"))
    move(view, view.screen_at(5, 7))
    assert view.label()[0] == "Props holds tiles — markers go on a marker layer: choose one below"


def test_the_tint_page_offers_colours_and_strength(window, view, tint):
    page = window.stages["draw"].tints
    assert window.stages["draw"].tabs.tabText(window.stages["draw"].tabs.currentIndex()) == "Tint"
    QTest.mouseClick(page.buttons["#c9714f"], Qt.MouseButton.LeftButton)
    assert window.session.hand == TintInHand("#c9714f", 110)
    page.strength.setValue(40)
    assert window.session.hand == TintInHand("#c9714f", 40)
    assert page.words.text() == "31 %"
    click(view, view.screen_at(3, 3))
    page.refresh()
    assert "#c9714f" in page.buttons


# Markers


@pytest.fixture
def markers(window, view):
    """A marker layer without markers."""
    window.mapside.strip.layers.add_kind("Markers")
    window.session.take(MarkerInHand("spawn point"))
    settle()
    return window.session.layer


def test_paint_lays_a_point_that_snaps_and_can_be_moved_before_letting_go(window, view, markers):
    session = window.session
    drag(view, view.screen_at(10, 10), view.screen_at(12, 20, 0.9, 0.2))
    point = markers.markers[0]
    assert (point.shape, point.kind, point.points) == (
        Shape.POINT, "spawn point", ((20.5 * 16, 12.5 * 16),),
    )  # fmt: skip
    assert session.markers == {point.number}
    session.set_options(snap="half cell")
    click(view, view.screen_at(3, 4, 0.45, 0.55))
    assert markers.markers[1].points == ((4.5 * 16, 3.5 * 16),)
    session.set_options(snap="pixel")
    at = view.screen_at(3, 4, 0.2, 0.2)
    click(view, at)
    x, y = view.camera.to_picture(at.x(), at.y())
    assert markers.markers[2].points == ((round(x), round(y)),)
    drag(view, view.screen_at(30, 30), view.screen_at(31, 31), release=False)
    QTest.keyClick(view, Qt.Key.Key_Escape)
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=view.screen_at(31, 31))
    assert len(markers.markers) == 3
    for _ in range(3):
        assert session.doc.undo() == "Lay spawn point"
    assert markers.markers == ()


def test_box_and_line_lay_areas(window, view, markers):
    session = window.session
    session.choose_tool("box")
    session.take(MarkerInHand("door"))
    drag(view, view.screen_at(14, 20, 0, 0), view.screen_at(10, 24, 0, 0))
    click(view, view.screen_at(5, 6))
    corners = [each.points for each in markers.markers]
    assert corners == [((320, 160), (384, 224)), ((96, 80), (112, 96))]
    session.choose_tool("line")
    way = [(20, 20), (20, 26), (26, 23)]
    for row, col in way:
        click(view, view.screen_at(row, col, 0, 0))
    assert len(markers.markers) == 2
    click(view, view.screen_at(*way[0], 0, 0))
    area = markers.markers[2]
    assert area.shape is Shape.POLYGON
    assert area.points == tuple((col * 16.0, row * 16.0) for row, col in way)
    click(view, view.screen_at(30, 30, 0, 0))
    assert window.mapside.view.ghost_marker.points == ((480.0, 480.0),)
    QTest.keyClick(view, Qt.Key.Key_Escape)
    click(view, view.screen_at(30, 33, 0, 0))
    assert view.tool_of()._corners == [(528.0, 480.0)]  # the first corner was called off


def test_a_tile_in_hand_becomes_a_free_picture_that_shows_at_once(window, view, markers):
    session = window.session
    session.take(TileInHand(TileRef("props", 0, 0), 0))
    view.zoom_to(STEPS.index(4))
    view.camera.centre(45.5 * 16, 33.5 * 16, view.width(), view.height())
    settle()
    at = view.screen_at(33, 45)
    move(view, at)
    ghost = pixels(view)
    click(view, at)
    marker = markers.markers[0]
    assert (marker.shape, marker.tile, marker.points) == (
        Shape.PICTURE, TileRef("props", 0, 0), ((45.5 * 16, 34.0 * 16),),
    )  # fmt: skip
    session.choose_markers(())
    view.leaveEvent(None)
    session.choose_layer(session.map.layers[0])
    settle()
    shown = pixels(view)
    spot = (slice(at.y() - 20, at.y() + 20), slice(at.x() - 20, at.x() + 20))
    assert (ghost[spot] == shown[spot]).all()
    session.doc.undo()
    settle()
    assert (pixels(view)[spot] != shown[spot]).any()


def test_select_moves_frames_corners_and_takes_back_on_esc(window, view, markers):
    session = window.session
    for row, col in ((10, 10), (10, 20), (30, 60)):
        click(view, view.screen_at(row, col))
    session.choose_tool("box")
    drag(view, view.screen_at(20, 20, 0, 0), view.screen_at(24, 26, 0, 0))
    session.choose_tool("select")
    drag(view, view.screen_at(8, 8), view.screen_at(12, 22))
    assert session.markers == {1, 2}
    drag(view, view.screen_at(10, 10), view.screen_at(13, 15))
    assert [each.points[0] for each in markers.markers[:3]] == [
        (15.5 * 16, 13.5 * 16), (25.5 * 16, 13.5 * 16), (60.5 * 16, 30.5 * 16),
    ]  # fmt: skip
    click(view, view.screen_at(30, 60), modifiers=SHIFT)
    assert session.markers == {1, 2, 3}
    click(view, view.screen_at(30, 60), modifiers=CTRL)
    assert session.markers == {1, 2}
    click(view, view.screen_at(22, 23))
    assert session.markers == {4}
    drag(view, view.screen_at(24, 26, 0, 0), view.screen_at(28, 30, 0, 0))
    assert markers.markers[3].points == ((320, 320), (480, 448))
    before = markers.markers
    drag(view, view.screen_at(22, 23), view.screen_at(2, 3), release=False)
    QTest.keyClick(view, Qt.Key.Key_Escape)
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=view.screen_at(2, 3))
    assert markers.markers == before
    click(view, view.screen_at(50, 80))
    assert session.markers == set()


def test_erase_pick_delete_copy_and_turn_markers(window, view, markers):
    session = window.session
    start = snapshot(session.project)
    for col in (10, 20, 30):
        click(view, view.screen_at(10, col))
    session.choose_tool("erase")
    drag(view, view.screen_at(10, 10), view.screen_at(10, 20))
    assert [each.number for each in markers.markers] == [3]
    session.doc.undo()
    assert len(markers.markers) == 3
    click(view, view.screen_at(10, 30), button=RIGHT)
    assert session.hand == MarkerInHand("spawn point")
    session.choose_tool("select")
    window.commands.named("Select all").action.trigger()
    window.commands.named("Copy").action.trigger()
    window.commands.named("Paste into hand").action.trigger()
    assert len(markers.markers) == 6
    assert session.markers == {4, 5, 6}
    assert markers.markers[3].points == ((11.5 * 16, 11.5 * 16),)
    window.commands.named("Erase selection").action.trigger()
    assert len(markers.markers) == 3
    session.choose_tool("box")
    drag(view, view.screen_at(20, 20, 0, 0), view.screen_at(24, 26, 0, 0))
    QTest.keyClick(view, Qt.Key.Key_BracketRight)
    QTest.keyClick(view, Qt.Key.Key_BracketRight)
    assert markers.markers[-1].turn == 30
    window.commands.named("Markers to the back").action.trigger()
    assert markers.markers[0].shape is Shape.BOX
    while session.doc.history.undo_name != "Add layer “Markers”":
        session.doc.undo()
    assert snapshot(session.project) == start


def test_the_form_changes_what_is_chosen(window, view, markers):
    session, page = window.session, window.stages["draw"].markers
    window.show_stage("draw")
    click(view, view.screen_at(10, 10))
    settle()
    assert page.form.isVisibleTo(window.stages["draw"])
    page.name.setText("Start")
    page.name.setModified(True)
    page.name.editingFinished.emit()
    page.kind.setText("well")
    page.kind.setModified(True)
    page.kind.editingFinished.emit()
    page.place_x.setValue(200.5)
    page.properties.add.click()
    name = page.properties.fields["property"][0]
    name.setText("depth")
    name.editingFinished.emit()
    _, kind, value = page.properties.fields["depth"]
    kind.activated.emit(list(PropertyKind).index(PropertyKind.WHOLE))
    value = page.properties.fields["depth"][2]
    value.setText("deep")
    value.editingFinished.emit()
    assert "which is no whole number" in window.notices.text.text()
    assert markers.markers[0].properties == (Property("depth", "0", PropertyKind.WHOLE),)
    value = page.properties.fields["depth"][2]
    assert value.text() == "0"
    value.setText("4")
    value.editingFinished.emit()
    marker = markers.markers[0]
    assert (marker.name, marker.kind, marker.points[0][0]) == ("Start", "well", 200.5)
    assert marker.properties == (Property("depth", "4", PropertyKind.WHOLE),)
    page.properties.removed.emit("depth")
    assert markers.markers[0].properties == ()
    assert "well" in page.buttons
    session.take(TileInHand(TileRef("props", 0, 0), 0))
    session.choose_tool("paint")
    click(view, view.screen_at(20, 20))
    page.turn.setValue(90)
    page.scale.setValue(2.0)
    assert (markers.markers[1].turn, markers.markers[1].scale) == (90, 2.0)
    window.commands.named("Lock or unlock layer").action.trigger()
    page.turn.setValue(45)
    assert markers.markers[1].turn == 90
    assert "is locked" in window.notices.text.text()


def test_what_lies_where_is_measured_on_the_turned_shape():
    square = Marker(1, Shape.BOX, ((10.0, 10.0), (20.0, 20.0)), turn=45.0)
    corners = outline(None, square)
    assert np.allclose(sorted(corners)[0], (15 - 50**0.5, 15))
    assert inside(corners, 15, 9)
    assert not inside(corners, 11, 11)
    layer = type("L", (), {"markers": (square, Marker(2, Shape.POINT, ((15.0, 15.0),)))})()
    assert marker_at(None, layer, 15, 16, 4).number == 2
    assert marker_at(None, layer, 15, 21, 4).number == 1
    assert marker_at(None, layer, 40, 40, 4) is None
    assert kind_colour("door") != kind_colour("spawn point")


# Grown


def test_laying_and_erasing_on_a_grown_layer_pins_and_u_releases(window, view):
    session = window.session
    grown = choose(window, "Shore growth")
    assert isinstance(grown, GrownLayer)
    start = snapshot(session.project)
    row, col = map(int, np.argwhere((grown.cells > 0) & ~grown.pinned)[5])
    session.take(TileInHand(TileRef("props", 0, 4), 4))
    click(view, view.screen_at(row, col))
    place = session.map.legend.place(TileRef("props", 0, 4))
    assert (grown.cells[row, col], grown.pinned[row, col]) == (place, True)
    session.choose_tool("erase")
    click(view, view.screen_at(row, col))
    settle()  # until it is known what grows there
    assert not grown.pinned[row, col]
    was = grown.cells[row, col]
    assert was not in (0, place)
    click(view, view.screen_at(row, col))  # what grows there is taken away: a pin of nothing
    assert (grown.cells[row, col], grown.pinned[row, col]) == (0, True)
    window.stages["grow"].run_new()
    settle()
    assert grown.cells[row, col] == 0
    move(view, view.screen_at(row, col))
    QTest.keyClick(view, Qt.Key.Key_U)
    settle()
    assert (grown.cells[row, col], grown.pinned[row, col]) == (was, False)
    while session.doc.history.undo_name:
        session.doc.undo()
    assert snapshot(session.project) == start


def test_a_mix_fill_is_added_changed_and_taken_out_in_grow(window, view):
    session, bench = window.session, window.stages["grow"]
    window.show_stage("grow")
    window.mapside.strip.layers.add_kind("Grown")
    layer = session.layer
    bench.add_kind(MixStep)
    settle()
    step = session.map.recipe.steps[-1]
    assert (step.layer, step.mix) == (layer.number, "salt flat")
    filled = np.count_nonzero(layer.cells) / layer.cells.size
    assert abs(filled - 0.2) < 0.03
    card = bench.cards[-1]
    assert card.is_open
    card.fields["density"].setValue(60)
    settle()
    assert abs(np.count_nonzero(layer.cells) / layer.cells.size - 0.6) < 0.03
    card.fields["on"].setCurrentIndex(1)
    card.fields["on"].activated.emit(1)
    settle()
    QTest.mouseClick(bench.cards[-1].chips["terrains"]["crust"], Qt.MouseButton.LeftButton)
    settle()
    step = session.map.recipe.steps[-1]
    assert (step.on, step.terrains, step.density) == (session.map.layers[0].number, ("crust",), 0.6)
    ground = session.map.layers[0].terrain
    corners = np.stack([ground[r : r + 64, c : c + 96] for r in (0, 1) for c in (0, 1)])
    assert not layer.cells[~(corners == 2).all(0)].any()
    assert "60 %" in bench.cards[-1].values["density"].text()
    assert session.doc.history.names[-1] == "Grow"
    count = len(session.map.recipe.steps)
    bench._act(count - 1, "remove")
    assert len(session.map.recipe.steps) == count - 1


# Offset, height, cells of another size


def test_the_pointer_meets_a_shifted_layer_where_it_is_seen(window, view):
    session = window.session
    layer = choose(window, "Props")
    layer.cells[:] = 0
    menu = QMenu()
    action = window.mapside.strip._place_action(menu, session.map, layer)
    fields = action.defaultWidget().findChildren(QSpinBox)
    fields[0].setValue(40)
    fields[1].setValue(-24)
    fields[2].setValue(8)
    assert (layer.offset, layer.height, layer.shift) == ((40, -24), 8, (-32, 40))
    assert session.doc.history.names == ["Offset 40, -24 and height 8 of “Props”"]
    session.take(TileInHand(TileRef("props", 0, 0), 0))
    plain = view.camera.to_screen(20 * 16 + 8, 30 * 16 + 8)
    at = QPoint(int(plain[0] + 40 * view.camera.zoom), int(plain[1] - 32 * view.camera.zoom))
    assert (at - view.screen_at(30, 20)).manhattanLength() <= 1
    before = pixels(view)
    move(view, at)
    assert (view.plan.box.top, view.plan.box.left) == (30, 20)
    click(view, at)
    assert layer.cells[30, 20] > 0
    view.leaveEvent(None)
    settle()
    spot = (slice(at.y() - 3, at.y() + 4), slice(at.x() - 3, at.x() + 4))
    assert (pixels(view)[spot] != before[spot]).any()
    click(view, at, button=RIGHT)
    assert session.hand.tile == TileRef("props", 0, 0)
    layer_card = next(card for card in window.mapside.strip.cards if card.layer is layer)
    assert "offset 40, -24 px, height 8 px" in layer_card.toolTip()


def test_a_layer_with_cells_of_its_own_is_drawn_in_by_those(window, view, monkeypatch):
    session, strip = window.session, window.mapside.strip
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("24 × 8", True))
    strip.layers.ask_own_cells()
    layer = session.layer
    assert (layer.cell, layer.cells.shape) == ((8, 24), (128, 64))
    session.take(TileInHand(TileRef("props", 0, 0), 0))
    move(view, view.screen_at(40, 30))
    ghost = view.plan.cells.copy()
    drag(view, view.screen_at(40, 30), view.screen_at(40, 34))
    place = session.map.legend.place(TileRef("props", 0, 0))
    assert ghost.tolist() == [[place]]
    assert np.argwhere(layer.cells == place).tolist() == [[40, n] for n in range(30, 35)]
    view.show_cell(10, 12)
    QTest.keyClick(view, Qt.Key.Key_Right)
    QTest.keyClick(view, Qt.Key.Key_Return)
    assert layer.cells[10, 13] == place
    view.fit()
    session.choose_tool("select")
    drag(view, view.screen_at(40, 30), view.screen_at(40, 32))
    assert session.selection.count == 3
    drag(view, view.screen_at(40, 31), view.screen_at(44, 31))
    assert np.argwhere(layer.cells[44] == place).ravel().tolist() == [30, 31, 32]
    window.commands.named("Selection to the layer behind").action.trigger()
    assert "no layer behind “Tiles 24 × 8” that takes its tiles" in window.notices.text.text()
    for text, words in (
        ("0 × 8", "is not a size of cells"), ("nothing", "is not a size"),
        ("99999 × 8", "1 to 16 384 px"),
    ):  # fmt: skip
        strip.layers.add_own_cells(text)
        assert words in window.notices.text.text()
    session.choose_layer(session.map.layers[0])
    assert session.selection is None


def test_a_tile_of_another_size_offers_to_scale_or_to_lay_on_its_own_cells(window, view):
    session, draw = window.session, window.stages["draw"]
    pans = session.project.tilesets[0]
    other = type(pans)("big", "big.png", 48, 48, pans.slicing.__class__(24, 24),
                       picture=np.full((48, 48, 4), 255, np.uint8))  # fmt: skip
    session.project.tilesets.append(other)
    session.choose_tileset(other)
    choose(window, "Props")
    draw._take_tile(0, 1)
    assert "24 × 24 px, cells of “Props” 16 × 16 px" in window.notices.text.text()
    assert [each.text() for each in window.notices.cures] == ["Scale them", "Layer with such cells"]
    QTest.mouseClick(window.notices.cures[1], Qt.MouseButton.LeftButton)
    assert session.layer.cell == (24, 24)
    choose(window, "Props")
    draw._take_tile(0, 1)
    assert window.notices.cures[1].text() == "Lay on Tiles 24 × 24"
    QTest.mouseClick(window.notices.cures[0], Qt.MouseButton.LeftButton)
    settle()
    made = session.project.tilesets[-1]
    assert (made.name, made.slicing.tile_width, made.width) == ("big 16x16", 16, 32)
    assert session.hand == TileInHand(TileRef("big 16x16", 0, 1), 1)
    window.notices.hide()
    draw._take_tile(0, 1)
    assert window.notices.isHidden()


def test_pages_follow_the_kind_of_layer(window, view):
    tabs = window.stages["draw"].tabs
    shown = lambda: [TABS[n] for n in range(len(TABS)) if tabs.isTabVisible(n)]  # noqa: E731
    choose(window, "Places")
    assert shown() == ["Tiles", "Markers"]
    choose(window, "Evening")
    assert shown() == ["Tint"]
    choose(window, "Props")
    assert shown() == ["Terrains", "Tiles", "Mixes", "Tray"]
    assert tabs.currentIndex() == 0


def test_every_kind_can_be_added_from_the_strip_and_each_shows_its_thumb(window, view):
    session, strip = window.session, window.mapside.strip
    words = [action.text() for action in strip.layers.kind_menu().actions()]
    assert [each.split(":")[0] for each in words[-4:]] == [
        "Tile layer with cells of its own…", "Grown layer", "Marker layer", "Tint layer",
    ]  # fmt: skip
    kinds = [card.kind.text() for card in strip.cards]
    assert kinds == ["ground", "ground", "tiles", "ground", "grown", "markers", "tint"]
    draw_thumbs(strip)
    thumbs = {card.layer.name: card.thumb._pixels for card in strip.cards}
    assert all(thumbs[name].any() for name in ("Shore growth", "Places", "Evening"))
    session.choose_layer(session.map.layers[6])
    window.commands.named("Merge into the layer behind").action.trigger()
    assert "only tile layers merge" in window.notices.text.text()
    session.take(PatchInHand(session.project.tray[0]))
    move(view, view.screen_at(5, 5))
    assert view.plan is None


def test_markers_are_dots_in_the_colour_of_their_kind_later_ones_in_front():
    rng = np.random.default_rng(6)
    map_ = Map("Many", 50, 70, 16, 24)
    layer = map_.new_marker_layer("places")
    assert not _marker_dots(map_, layer, 2).any()
    layer.markers = tuple(
        Marker(n, Shape.BOX, ((x - 5, y), (x + 5, y + 3)), kind=f"k{n % 7}")
        for n, (x, y) in enumerate(rng.integers(-60, [1760, 880], (400, 2)).tolist())
    )
    wanted = np.zeros((25, 35), np.uint32)
    for each in layer.markers:
        row, col = (part // 2 for part in map_.lattice.cell_at(*each.middle))
        if 0 <= row < 25 and 0 <= col < 35:
            ink = 0xFF000000 | int(kind_colour(each.kind)[1:], 16)
            wanted[max(0, row - 1) : row + 2, max(0, col - 1) : col + 2] = ink
    assert (_marker_dots(map_, layer, 2) == wanted).all()


@pytest.mark.parametrize("stage", ["rules", "draw"])
def test_another_map_is_shown_once_on_the_bench_and_small_pictures_one_by_one(
    window, stage, monkeypatch
):
    window.show_stage(stage)
    settle()
    shown, drawn, turn = [], [], []
    refresh = type(window.stage).refresh
    monkeypatch.setattr(type(window.stage), "refresh", lambda s: (shown.append(1), refresh(s)))
    session, strip = window.session, window.mapside.strip
    session.choose_map(session.project.maps[1])
    assert session.layer in session.map.layers
    assert len(shown) == 1, "map and layer are both others; it is one change"
    for card in strip.cards:
        show = card.thumb.show_layer
        monkeypatch.setattr(
            card.thumb, "show_layer", lambda *a, s=show: (drawn.append(len(turn)), s(*a))
        )
    strip._thumbs.stop()  # it would begin anew in the middle of this
    strip._draw_thumbs()
    while strip._to_draw:
        turn.append(1)
        QApplication.processEvents()
    assert len(set(drawn)) == len(drawn) == len(strip.cards)
    session.choose_layer(session.map.layers[1])
    assert len(shown) == 2


def test_locking_a_layer_draws_nothing_anew(window, monkeypatch):
    """Nothing that maps show is another one then: no piece, no small picture, no rule."""
    window.show_stage("rules")
    settle_view(window.mapside.view)
    layer, view = window.session.layer, window.mapside.view
    drawn = []
    monkeypatch.setattr(type(view.store), "touch_all", lambda _: drawn.append("pieces"))
    monkeypatch.setattr(type(window.stage), "refresh", lambda _: drawn.append("rules"))
    card = next(each for each in window.mapside.strip.cards if each.layer is layer)
    QTest.mouseClick(card.lock, Qt.MouseButton.LeftButton)
    assert not window.mapside.strip._thumbs.isActive()
    settle()
    assert layer.locked
    assert card.lock.toolTip().startswith("Unlock")
    assert drawn == []
    window.session.undo()
    settle()
    assert not layer.locked
    assert card.lock.toolTip().startswith("Lock")
    assert drawn == []
    QTest.mouseClick(card.eye, Qt.MouseButton.LeftButton)
    assert window.mapside.strip._thumbs.isActive()
    settle()
    assert {"pieces", "rules"} == set(drawn)
