"""What stood in a first user's way, done in the real window."""

from unittest.mock import patch

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QDrag
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel, QToolButton
from tests.ui.conftest import LEFT, NONE, draw_thumbs, rest, settle
from tests.ui.test_stages import drop

from knitground.core.edit.hand import TileInHand
from knitground.core.edit.layers import move_layer
from knitground.core.edit.maps import delete_map, set_recipe
from knitground.core.files.images import png_bytes
from knitground.core.model.layers import GroundLayer, TileLayer
from knitground.core.model.recipe import Recipe
from knitground.core.model.tile import TileRef
from knitground.ui.common.tasks import wait_for_jobs
from knitground.ui.mapside.copypaste import picture_of
from knitground.ui.mapside.dialogs import NewMapDialog
from knitground.ui.mapside.layerlooks import cropped
from knitground.ui.project.memory import Memory
from knitground.ui.project.startpage import StartPage
from knitground.ui.window import _sizes as window_sizes


def test_a_new_map_is_filled_with_a_terrain_in_one_step(window):
    session = window.session
    session.choose_tileset(session.project.tilesets[0])
    dialog = NewMapDialog(session, window.shell)
    offered = [dialog.filled.itemText(n) for n in range(dialog.filled.count())]
    assert offered == ["nothing", "brine", "crust", "clay", "blush"]
    assert dialog.filled.currentText() == "brine", "ground to begin with"
    dialog.sizes.setCurrentIndex(1)
    dialog.sizes.activated.emit(1)
    assert dialog.sizes.currentText() == "96 × 64: Harbour pans, Salt coast"
    assert (dialog.width_box.value(), dialog.height_box.value()) == (96, 64)
    dialog.filled.setCurrentText("crust")
    dialog.name.setText("Flat")
    steps = len(session.doc.history.names)
    window.mapside.maps.add_map(dialog)
    ground = next(each for each in session.map.layers if isinstance(each, GroundLayer))
    assert (ground.terrain == 2).all()
    assert len(session.doc.history.names) == steps + 1
    session.undo()
    assert all(each.name != "Flat" for each in session.project.maps)


def test_a_bush_that_stands_alone_is_no_ground_to_begin_with(window):
    owner = window.session.project.tilesets[0]
    kit = owner.sets[0]
    window.session.choose_tileset(owner)
    lone = [tuple(map(int, at)) for at in
            np.argwhere((kit.marks[..., list(kit.kind.slots)] == 1).all(axis=2))]  # fmt: skip
    picture = owner.picture.copy()
    for row, col in lone:
        left, top, wide, high = owner.slicing.tile_area(row, col)
        picture[top : top + high, left : left + wide // 3, 3] = 0
    owner.picture = picture
    dialog = NewMapDialog(window.session, window.shell)
    assert dialog.filled.currentText() == "crust"
    assert dialog.filled.itemText(1) == "brine"  # it can be chosen all the same
    assert dialog.filled.model().item(1).isEnabled()
    picture[..., 3] = 0  # where nothing hides anything all are alike
    assert NewMapDialog(window.session, window.shell).filled.currentText() == "brine"


def test_a_terrain_without_a_plain_tile_says_so_and_fills_no_map(window):
    owner = window.session.project.tilesets[0]
    kit = owner.sets[0]
    marks = kit.marks.copy()
    marks[(marks[..., list(kit.kind.slots)] == 3).all(axis=2)] = 0
    kit.marks = marks
    window.session.choose_tileset(owner)
    dialog = NewMapDialog(window.session, window.shell)
    words = [dialog.filled.itemText(n) for n in range(dialog.filled.count())]
    assert words == ["nothing", "brine", "crust", "clay (has no plain tile yet)", "blush"]
    allowed = [dialog.filled.model().item(n).isEnabled() for n in range(len(words))]
    assert allowed == [True, True, True, False, True]
    marks[(marks[..., list(kit.kind.slots)] == 1).all(axis=2)] = 0
    assert NewMapDialog(window.session, window.shell).filled.currentText() == "crust"
    dialog.filled.setFocus()
    dialog.filled.setCurrentIndex(2)
    QTest.keyClick(dialog.filled, Qt.Key.Key_Down)
    assert dialog.filled.currentText() == "blush"


def test_paths_do_not_cover_a_new_map_and_a_sheet_without_sets_offers_nothing(window):
    dialog = NewMapDialog(window.session, window.shell)
    dialog.tilesets.setCurrentText("works")
    offered = [dialog.filled.itemText(n) for n in range(dialog.filled.count())]
    assert offered == ["nothing", "brick"]
    assert dialog.filled.currentText() == "nothing", "walls are no ground"
    dialog.tilesets.setCurrentText("props")
    assert not dialog.filled.isEnabled()


def test_usual_sizes_are_one_click_away(window):
    window.show_stage("slice")
    settle()
    bench = window.stages["slice"]
    assert list(bench.numbers.usual) == [8, 16, 24, 32, 48, 64]
    for side, button in bench.numbers.usual.items():
        assert button.isVisible()
        QTest.mouseClick(button, LEFT)
        assert (bench.trial.tile_width, bench.trial.tile_height) == (side, side)
    assert window.session.tileset.slicing.tile_width == 16  # a trial until it is used


def test_pictures_over_several_tiles_are_said_so_and_not_warned_of(window, tmp_path):
    art = np.zeros((64, 128, 4), np.uint8)
    art[8:60, 20:56] = art[8:60, 72:108] = (90, 140, 60, 255)  # two tall ones, see-through round
    path = tmp_path / "large.png"
    path.write_bytes(png_bytes(art))
    drop(window, path)
    window.show_stage("slice")
    settle()
    bench = window.stages["slice"]
    bench.use_size(16)
    QTest.qWait(400)  # what the pixels say comes a little later
    wait_for_jobs()
    settle()
    assert bench.sheet.facts.mostly_crossed
    assert "pictures span several tiles" in bench.facts.text()
    assert "cut by a line" not in bench.facts.text()


def test_growing_without_steps_says_what_a_step_does(window):
    window.session.apply(set_recipe(window.session.map, Recipe()))
    window.show_stage("grow")
    settle()
    words = [each.text() for each in window.stages["grow"].findChildren(QLabel) if each.isVisible()]
    assert any("no recipe yet" in each for each in words)
    assert not any(each in ("Seed", "Shares") for each in words)


def test_eight_layers_of_the_strip_are_in_view(window):
    window.show_stage("draw")
    settle()
    cards = window.mapside.strip.cards
    area = window.mapside.strip._area
    assert all(card.width() <= 90 for card in cards)
    assert area.viewport().width() >= 8 * 88
    assert area.horizontalScrollBar().height() == 0 or not area.horizontalScrollBar().isVisible()
    window.show_stage("terrains")
    settle()
    assert len(cards) == 7
    assert cards[-1].geometry().right() < area.viewport().width(), "beside a wide bench"


def test_cards_of_layers_go_with_them_and_serve_other_maps_afterwards(window):
    session, strip = window.session, window.mapside.strip
    draw_thumbs(strip)
    cards, layers = list(strip.cards), list(session.map.layers)
    session.apply(move_layer(session.map, layers[0], 2))
    assert [cards.index(each) for each in strip.cards[:3]] == [1, 2, 0]
    assert all(card.thumb._image is not None for card in strip.cards), "they are what they were"
    QTest.mousePress(cards[3], LEFT, NONE, QPoint(20, 20))
    other = session.project.map_named("Salt coast")
    session.choose_map(other)
    assert [each.layer for each in strip.cards] == other.layers
    assert [each.accessibleName() for each in strip.cards] == [
        f"Layer {each.name}" for each in other.layers
    ]
    assert set(strip.cards) & set(cards)
    assert all(card.thumb._image is None for card in strip.cards), "no picture of another layer"
    held = next(each for each in strip.cards if each in cards[3:4])
    with patch.object(QDrag, "exec", lambda *_: pytest.fail("it drags what nobody pressed")):
        QTest.mouseMove(held, QPoint(70, 60))
    QTest.mouseRelease(held, LEFT, NONE, QPoint(70, 60))
    draw_thumbs(strip)
    held.eye.click()
    assert not held.layer.visible
    assert held.layer in other.layers
    assert all(each.visible for each in layers)


def test_a_sparse_layers_picture_is_of_what_lies_there(window):
    cells = np.zeros((45, 60), int)
    cells[20:23, 30:34] = 1
    shown = cropped(cells)
    assert shown.sum() == 12
    assert shown.size < cells.size / 6


@pytest.mark.parametrize("wide", [1280, 1600])
def test_what_is_in_hand_is_named_whole_at_every_stage(window, wide):
    window.shell.resize(wide, 800)
    for stage in ("terrains", "draw", "grow"):
        window.show_stage(stage)
        settle()
        QTest.qWait(20)
        assert "brine" in window.mapside.ribbon.hand.text()
        assert "…" not in window.mapside.ribbon.hand.text()


def test_the_brush_says_how_many_of_what_it_lays(window):
    window.show_stage("rules")  # its bench takes all room there is
    session, brush = window.session, window.mapside.ribbon.brush
    layers = session.map.layers
    tiles = next(each for each in layers if type(each) is TileLayer)
    terrain = next(each for each in layers if isinstance(each, GroundLayer))
    for layer, one, two in ((terrain, "1 vertex", "2 vertices"), (tiles, "1 cell", "2 cells")):
        session.choose_layer(layer)
        if layer is tiles:
            session.take(TileInHand(TileRef("props", 0, 4), 0))
        rooms = set()
        for size, words in ((1, one), (2, two), (1, one)):
            brush.setValue(size)
            settle()
            assert brush.text().endswith(words)
            rooms.add(window.splitter.sizes()[0])
        assert len(rooms) == 1, "the bench keeps its room"


def test_keys_of_our_own_hide_lock_and_mirror(window):
    layer = window.session.layer
    window.mapside.view.setFocus()
    for key in (Qt.Key.Key_I, Qt.Key.Key_J):
        QTest.keyClick(window.shell, key)
    assert (layer.visible, layer.locked) == (False, True)
    for key in (Qt.Key.Key_H, Qt.Key.Key_L):
        QTest.keyClick(window.shell, key, Qt.KeyboardModifier.ControlModifier)
    assert (layer.visible, layer.locked) == (False, True)
    for key in (Qt.Key.Key_J, Qt.Key.Key_I):
        QTest.keyClick(window.shell, key)
    assert (layer.visible, layer.locked) == (True, False)


def test_the_start_page_shows_recent_projects_with_their_pictures(empty_window, tmp_path):
    window = empty_window
    window.files.open_demo(tmp_path / "demo")
    wait_for_jobs()
    rest(window)
    window.files.new_project()
    cards = [each for each in window.start.findChildren(QToolButton) if "demo" in each.text()]
    assert len(cards) == 1
    asked = []
    window.start.recent_asked.connect(asked.append)
    cards[0].click()
    assert asked[-1] == tmp_path / "demo"
    shown = picture_of(cards[0].icon().pixmap(cards[0].iconSize()).toImage())
    colours = np.unique(shown.reshape(-1, 4), axis=0)
    assert len(colours) > 20, "its first map, not an empty field"
    next_start = StartPage(Memory(window.memory.recovery.parent))
    next_start.show()
    assert [each.text() for each in next_start.findChildren(QToolButton)] == ["demo"]


def test_grow_without_a_map_says_what_a_recipe_is_for(window):
    window.show_stage("grow")
    settle()
    bench, session = window.stages["grow"], window.session
    assert bench.cards
    for map_ in list(session.project.maps):
        session.apply(delete_map(session.project, map_))
    settle()
    assert "has no map yet" in bench.how.text()
    assert bench.how.isVisible()
    assert not bench.cards
    assert not any(each.isVisible() for each in (bench.add, bench.more, bench.wrap, bench.seed))
    QTest.keyClick(window.shell, Qt.Key.Key_R, Qt.KeyboardModifier.ControlModifier)
    settle()
    assert window.crash.faults == 0
    session.undo()
    settle()
    assert bench.add.isVisible()
    assert bench.cards or "no recipe yet" in bench.how.text()


def test_a_sparse_layers_card_shows_its_few_tiles_in_full(window):
    window.show_stage("draw")
    strip = window.mapside.strip
    draw_thumbs(strip)
    card = next(each for each in strip.cards if each.layer.name == "Props")
    shown = card.thumb._pixels
    assert set((shown >> 24).ravel().tolist()) == {0, 255}
    assert (shown >> 24 == 255).any()


def test_each_way_to_begin_has_a_picture_and_all_menus_have_room_at_900_px(empty_window):
    window = empty_window
    window.shell.resize(900, 600)
    settle()
    shown = [each.pixmap() for each in window.start.findChildren(QLabel)
             if not each.pixmap().isNull()]  # fmt: skip
    assert [(each.width(), each.height()) for each in shown] == [(222, 104), (236, 104), (236, 104)]
    bar = window.shell.menuBar()
    last = bar.actionGeometry(bar.actions()[-1])
    assert last.right() > bar.actionGeometry(bar.actions()[0]).left()
    assert bar.width() - window.title.width() >= last.right()
    window.session.project.name = "A very long name of a project that has no room there at all"
    window._show_state()
    assert "…" in window.title.text()
    assert window.title.toolTip().startswith("A very long name")


def test_a_size_that_was_used_before_is_offered_in_any_project(window):
    session = window.session
    dialog = NewMapDialog(session, window.shell)
    before = [dialog.sizes.itemText(n) for n in range(dialog.sizes.count())]
    assert not any("used before" in each for each in before)
    dialog.width_box.setValue(50)
    dialog.height_box.setValue(20)
    window.mapside.maps.add_map(dialog)
    assert session.sizes == [(50, 20)]
    session.undo()
    again = NewMapDialog(session, window.shell)
    place = again.sizes.findText("50 × 20: used before")
    again.sizes.setCurrentIndex(place)
    again.sizes.activated.emit(place)
    assert (again.width_box.value(), again.height_box.value()) == (50, 20)
    kept = window.memory.get("map sizes", [])
    assert window_sizes([*kept, [0, 5], ["a", 1], 7, [1, 2, 3], [4, True]]) == [(50, 20)]
    for each in (dialog, again):
        each.deleteLater()
