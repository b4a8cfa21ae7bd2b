import json
import shutil

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel
from tests.maps import snapshot
from tests.ui.conftest import LEFT, NONE, RIGHT, click, drag, move, pixels, settle, settle_view

from knitground.core.files.images import png_bytes
from knitground.core.files.opening import open_project
from knitground.core.model.layers import GAP
from knitground.core.model.slicing import Slicing
from knitground.core.model.terrain import Slot
from knitground.ui.common.marks import slot_point
from knitground.ui.common.pulse import begin_pulse
from knitground.ui.common.tasks import wait_for_jobs
from knitground.ui.mapside.dialogs import NewMapDialog


def type_into(box, text):
    """Type a number as a person does, key by key."""
    box.setFocus()
    box.lineEdit().selectAll()
    QTest.keyClicks(box.lineEdit(), text)


def drop(window, *paths):
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    event = QDropEvent(QPointF(300, 300), Qt.DropAction.CopyAction, data, LEFT, NONE)
    window.shell.dropEvent(event)
    settle()


# Slice


def test_lines_and_swatch_follow_while_typing(window):
    window.show_stage("slice")
    settle()
    bench = window.stages["slice"]
    assert "12 × 6 = 72 tiles · leftover: 0 px right, 0 px below" in bench.facts.text()
    swatch, sheet = bench.swatch.pixels.copy(), pixels(bench.sheet)
    type_into(bench.numbers.boxes["tile_width"], "17")
    assert bench.trial.tile_width == 17
    assert bench.numbers.boxes["tile_height"].value() == 17  # it follows while both are the same
    assert "11 × 5 = 55 tiles · leftover: 7 px right, 13 px below" in bench.facts.text()
    assert bench.swatch.pixels.shape != swatch.shape
    assert (pixels(bench.sheet) != sheet).any()
    assert window.session.tileset.slicing.tile_width == 16  # a trial until it is used
    assert bench.facts.property("role") != "good"


def test_the_swatch_is_the_cut_tiles_edge_to_edge(window):
    window.show_stage("slice")
    sheet = np.array(window.session.tileset.picture)
    shown = window.stages["slice"].swatch.pixels
    assert (shown[:16, 16:32] & 0xFFFFFF == _rgb(sheet[4:20, 22:38])).all()
    assert (shown[16:32, :16] & 0xFFFFFF == _rgb(sheet[22:38, 4:20])).all()


def _rgb(rgba):
    wide = rgba.astype(np.uint32)
    return wide[..., 0] << 16 | wide[..., 1] << 8 | wide[..., 2]


def test_using_a_slicing_is_one_step_and_the_map_follows(window):
    window.show_stage("slice")
    start = snapshot(window.session.project)
    view = window.mapside.view
    window.mapside.show()
    before = pixels(view)
    type_into(window.stages["slice"].numbers.boxes["margin_x"], "6")
    type_into(window.stages["slice"].numbers.boxes["margin_y"], "4")  # its own once it differs
    QTest.mouseClick(window.stages["slice"].use, LEFT)
    assert window.session.tileset.slicing == Slicing(16, 16, 6, 4, 2, 2)
    assert window.session.doc.history.names == ["Slice “pans” 16 × 16"]
    window.show_stage("draw")
    settle()
    assert (pixels(view) != before).any()
    window.session.doc.undo()
    assert snapshot(window.session.project) == start
    window.show_stage("slice")
    assert window.stages["slice"].numbers.boxes["margin_x"].value() == 4


@pytest.mark.parametrize(
    ("box", "value", "words"),
    [("tile_width", "900", "tile width 900 px"), ("margin_x", "300", "does not fit"),
     ("tile_height", "111", "tile height 111 px")],
)  # fmt: skip
def test_numbers_that_do_not_cut_are_told_and_can_not_be_used(window, box, value, words):
    window.show_stage("slice")
    start = snapshot(window.session.project)
    type_into(window.stages["slice"].numbers.boxes[box], value)
    assert words in window.stages["slice"].facts.text()
    assert window.stages["slice"].facts.property("role") == "warning"
    assert not window.stages["slice"].use.isEnabled()
    QTest.mouseClick(window.stages["slice"].use, LEFT)
    window.stages["slice"].commit()
    assert snapshot(window.session.project) == start
    QTest.mouseClick(window.stages["slice"].revert, LEFT)


def test_a_see_through_colour_is_picked_from_the_sheet(window):
    window.show_stage("slice")
    settle()
    bench = window.stages["slice"]
    QTest.mouseClick(bench.numbers.pick, LEFT)
    x, y = bench.sheet.camera.to_screen(1, 1)
    click(bench.sheet, QPointF(x, y).toPoint())
    assert bench.trial.see_through == ((58, 55, 66),)
    assert not bench.sheet.picking
    bench.commit()
    assert window.session.tileset.slicing.see_through == ((58, 55, 66),)


def test_a_dropped_picture_starts_slice_with_it(window, tmp_path):
    path = tmp_path / "Roofs & walls.png"
    path.write_bytes(png_bytes(np.full((50, 70, 4), 200, np.uint8)))
    window.show_stage("draw")
    drop(window, path)
    assert window.stage.key == "slice"
    assert window.session.tileset.name == "Roofs & walls"
    assert (
        "4 × 3 = 12 tiles · leftover: 6 px right, 2 px below" in window.stages["slice"].facts.text()
    )
    type_into(window.stages["slice"].numbers.boxes["tile_width"], "10")
    type_into(window.stages["slice"].numbers.boxes["tile_height"], "10")
    window.stages["slice"].commit()
    assert window.session.tileset.count == 35
    window.files.save()
    again = open_project(window.session.project.folder).project
    assert (window.session.project.folder / "roofs-walls.png").exists()
    assert again.tilesets[-1].picture.shape == (50, 70, 4)


@pytest.mark.parametrize("data", [b"not a picture", b"\x89PNG\r\n\x1a\n cut short"])
def test_what_is_not_a_picture_is_told_and_nothing_changes(window, tmp_path, data):
    path = tmp_path / "bad.png"
    path.write_bytes(data)
    start = snapshot(window.session.project)
    drop(window, path)
    assert "bad.png" in window.notices.text.text()
    assert snapshot(window.session.project) == start


# Terrains


def slot_on_screen(sheet, row, col, slot):
    return slot_point(sheet.face(row, col), slot).toPoint()


@pytest.fixture
def sheet(window):
    window.show_stage("terrains")
    settle()
    return window.stages["terrains"].sheet


def test_marking_by_a_drag_knits_the_map_while_it_moves(window, sheet):
    QTest.keyClick(window.shell, Qt.Key.Key_4)
    assert sheet.value == 4
    ground = window.session.map.layers[0]
    window.session.doc.knitter.ensure_all(window.session.map)
    before = ground.cells.copy()
    marks = window.stages["terrains"].kit.marks_within(6, 12)
    points = [slot_on_screen(sheet, 0, 4, Slot.NW), slot_on_screen(sheet, 0, 4, Slot.NE)]
    drag(sheet, *points, release=False)
    assert window.stages["terrains"].kit.marks_within(6, 12)[0, 4, [7, 1]].tolist() == [4, 4]
    window.session.doc.knitter.ensure_all(window.session.map)
    assert (ground.cells != before).any()  # the map has followed before the button is up
    QTest.mouseRelease(sheet, LEFT, pos=points[-1])
    assert window.session.doc.history.names == ["Mark blush"]
    window.session.doc.undo()
    assert (window.stages["terrains"].kit.marks_within(6, 12) == marks).all()
    window.session.doc.knitter.ensure_all(window.session.map)
    assert (ground.cells == before).all()


def test_the_right_button_clears_and_shift_marks_a_whole_tile(window, sheet):
    ground = window.session.map.layers[0]
    drag(sheet, slot_on_screen(sheet, 1, 3, Slot.SE), button=RIGHT)
    assert window.stages["terrains"].kit.marks[1, 3, Slot.SE] == 0
    window.session.doc.knitter.ensure_all(window.session.map)
    assert (ground.cells == GAP).any()  # the only tile of its kind: gaps are shown, never hidden
    settle()
    while window.session.doc.work_off(64):
        pass
    begin_pulse()
    window._work_off()
    assert "gap" in window.gaps.text()
    window.stages["terrains"].choose(3)
    click(sheet, slot_on_screen(sheet, 5, 8, Slot.NW), modifiers=Qt.KeyboardModifier.ShiftModifier)
    assert window.stages["terrains"].kit.marks[5, 8, [1, 3, 5, 7]].tolist() == [3, 3, 3, 3]


def test_escape_in_a_marking_drag_leaves_the_marks(window, sheet):
    window.stages["terrains"].choose(2)
    start = snapshot(window.session.project)
    drag(sheet, *(slot_on_screen(sheet, 0, col, Slot.NW) for col in range(4)), release=False)
    assert snapshot(window.session.project) != start
    QTest.keyClick(window.shell, Qt.Key.Key_Escape)
    assert snapshot(window.session.project) == start


def test_marks_are_drawn_as_diamonds_in_the_terrains_colour(window, sheet):
    sheet.look(8, 12, 12)
    shown = pixels(sheet)
    centre = slot_point(sheet.face(0, 0), Slot.NE)
    patch = shown[int(centre.y()) + 6, int(centre.x()) - 4 : int(centre.x()) + 4] & 0xFFFFFF
    assert (patch == 0x2F8F9D).any()


def settle_tabs():
    """Wait until the pages below the sheet have followed."""
    QTest.qWait(200)
    settle()


def test_variants_show_shares_and_weights_follow(window, sheet):
    click(sheet, sheet.tile_rect(0, 4).center().toPoint(), RIGHT)
    window.session.doc.undo()
    settle_tabs()
    words = [label.text() for label in window.stages["terrains"].findChildren(QLabel)]
    assert any("crust" in each and "4 tiles" in each for each in words)
    assert "55 %" in words
    window.stages["terrains"].variants.weigh(window.session.tileset, (0, 4), 0.0, object())
    settle_tabs()
    window.session.doc.knitter.ensure_all(window.session.map)
    place = window.session.map.legend.place(("pans", 0, 4, 0))
    assert not (window.session.map.layers[0].cells == place).any()
    assert "0 %" in [label.text() for label in window.stages["terrains"].findChildren(QLabel)]


def test_from_a_new_sheet_to_a_map_of_it(window, tmp_path):
    path = tmp_path / "lawn.png"
    path.write_bytes(png_bytes(np.random.default_rng(1).integers(0, 255, (32, 64, 4), np.uint8)))
    drop(window, path)
    settle()
    window.stages["slice"].use_size(16)
    window.show_stage("terrains")
    settle()
    window.stages["terrains"].new_set()
    window.stages["terrains"].chips.add("path")
    kit = window.stages["terrains"].kit
    assert [each.name for each in kit.terrains] == ["terrain 1", "path"]
    window.stages["terrains"].chips.add("path")
    assert "“path” already" in window.notices.text.text()
    window.stages["terrains"].chips.change(2, name="track", letter="k")
    assert (kit.terrains[1].name, kit.terrains[1].letter) == ("track", "K")
    window.stages["terrains"].choose(1)
    sheet = window.stages["terrains"].sheet
    for col in (0, 1):
        window.stages["terrains"].choose(col + 1)
        click(
            sheet,
            slot_on_screen(sheet, 0, col, Slot.NW),
            modifiers=Qt.KeyboardModifier.ShiftModifier,
        )
    dialog = NewMapDialog(window.session, window.shell)
    dialog.name.setText("Lawn")
    dialog.width_box.setValue(20)
    dialog.height_box.setValue(10)
    dialog.filled.setCurrentIndex(0)
    window.mapside.maps.add_map(dialog)
    map_ = window.session.map
    assert (map_.name, map_.width, map_.height, map_.cell_width) == ("Lawn", 20, 10, 16)
    assert [layer.kind for layer in map_.layers] == ["ground", "tiles"]
    window.show_stage("draw")
    settle()
    view = window.mapside.view
    QTest.keyClick(window.shell, Qt.Key.Key_2)
    window.session.set_size(4)
    click(view, view.screen_at(5, 10))
    cells = window.session.doc.cells(map_, map_.layers[0], _whole(map_))
    assert (cells > 0).sum() == 9
    assert (cells == GAP).sum() == 0


def _whole(map_):
    from knitground.core.base.window import Box

    return Box(0, 0, map_.height, map_.width)


# Grow


def test_growing_follows_the_sliders_as_one_step(window):
    session = window.session
    session.choose_map(session.project.maps[1])
    window.show_stage("grow")
    settle()
    ground = session.map.layers[0]
    before = ground.terrain.copy()
    slider = window.stages["grow"].cards[0].sliders["blush"]
    slider.setSliderDown(True)
    for value in (10, 20, 30):
        slider.setValue(value)
        settle()
    slider.setSliderDown(False)
    settle()
    assert (ground.terrain != before).any()
    assert session.doc.history.names == ["Grow"]
    asked, laid = window.stages["grow"].laid["blush"]
    assert abs(asked - 30 / 130) < 0.01
    # The step behind it takes specks away: the share of the first is not quite what lies there.
    assert abs(laid - (ground.terrain[:-1, :-1] == 4).mean()) < 0.01
    assert "/" in window.stages["grow"].cards[0].numbers["blush"].text()
    assert (ground.terrain[0] == ground.terrain[-1]).all()
    session.doc.undo()
    assert (ground.terrain == before).all()
    assert slider.value() == 0


def test_reroll_takes_another_seed_and_undo_the_old_one(window, qtbot):
    session = window.session
    session.choose_map(session.project.maps[1])
    window.show_stage("grow")
    before = session.map.layers[0].terrain.copy()
    QTest.mouseClick(window.stages["grow"].reroll, LEFT)
    qtbot.waitUntil(lambda: session.map.recipe.seed == 8, timeout=10_000)
    assert (session.map.layers[0].terrain != before).any()
    session.doc.undo()
    assert session.map.recipe.seed == 7
    assert window.stages["grow"].seed.value() == 7
    assert (session.map.layers[0].terrain == before).all()


def test_a_map_without_a_recipe_gets_a_step(window):
    dialog = NewMapDialog(window.session, window.shell)
    window.mapside.maps.add_map(dialog)
    window.show_stage("grow")
    settle()
    assert not window.stages["grow"].cards
    window.stages["grow"].add.menu().actions()[0].trigger()
    settle()
    ground = window.session.map.layers[0]
    assert set(np.unique(ground.terrain)) == {1, 2, 3, 4}
    assert window.stages["grow"].cards[0].isVisible()


def test_shares_of_nothing_are_refused_with_words(window):
    window.session.choose_map(window.session.project.maps[1])
    window.show_stage("grow")
    settle()
    for slider in window.stages["grow"].cards[0].sliders.values():
        slider.setValue(0)
    settle()
    assert "every share is 0" in window.notices.text.text()


def test_wrapping_can_be_switched_on(window):
    window.show_stage("grow")
    window.stages["grow"].wrap.click()
    settle()
    ground = window.session.map.layers[0]
    assert window.session.map.wrap
    assert (ground.terrain[0] == ground.terrain[-1]).all()


# Save, reopen, ship


def test_save_close_open_is_the_same(window):
    session = window.session
    window.show_stage("draw")
    settle()
    window.stage.digit(4)
    session.set_size(3)
    view = window.mapside.view
    drag(view, view.screen_at(10, 10), view.screen_at(20, 30))
    assert not session.doc.history.is_saved
    assert "not saved" in window.title.text()
    assert window.files.save()
    assert session.doc.history.is_saved
    settle_view(view)
    before, shown = snapshot(session.project), pixels(view)
    session.choose_map(session.project.maps[1])
    window.files.open_project(session.project.folder)
    wait_for_jobs()
    settle()
    assert snapshot(session.project) == before
    view.fit()
    view.leaveEvent(None)
    settle_view(view)
    assert (pixels(view) == shown).mean() > 0.98  # all but the pointer's label
    assert window.memory.recent[0] == session.project.folder


def test_ship_writes_and_lists_the_files(window, tmp_path):
    window.show_stage("ship")
    window.stages["ship"].folder.setText(str(tmp_path / "game"))
    window.stages["ship"].maps.setCurrentText("North basin")
    QTest.mouseClick(window.stages["ship"].go, LEFT)
    settle()
    names = sorted(path.name for path in (tmp_path / "game").iterdir())
    assert names == ["made.knit.json", "north-basin.json", "north-basin.png", "pans.tiles.png",
                     "props.tiles.png", "shimmer.tiles.png", "works.tiles-normal.png",
                     "works.tiles.png"]  # fmt: skip
    assert window.stages["ship"].files.count() == 7
    assert "7 files" in window.stages["ship"].state.text()
    data = json.loads((tmp_path / "game" / "north-basin.json").read_text())
    assert data["grid"][0] == 48
    with Image.open(tmp_path / "game" / "north-basin.png") as picture:
        assert picture.size == (768, 768)


def test_ship_says_what_is_missing(window, tmp_path):
    window.show_stage("ship")
    window.stages["ship"].boxes["png"].setChecked(False)
    window.stages["ship"].boxes["json"].setChecked(False)
    assert not window.stages["ship"].go.isEnabled()
    assert "format" in window.stages["ship"].state.text()
    window.stages["ship"].boxes["png"].setChecked(True)
    (tmp_path / "file").write_text("x")
    window.stages["ship"].folder.setText(str(tmp_path / "file" / "below"))
    window.stages["ship"].ship_now()
    settle()
    assert "Nothing written" in window.stages["ship"].state.text()


def test_a_missing_sheet_opens_and_can_be_found(window, tmp_path):
    folder = window.session.project.folder
    shutil.move(folder / "props.png", tmp_path / "elsewhere.png")
    window.files.open_project(folder)
    wait_for_jobs()
    settle()
    assert "props.png" in window.notices.text.text()
    assert window.notices.cures[0].text() == "Find it…"
    tileset = window.session.project.tilesets[1]
    assert tileset.picture is None
    window.session.choose_tileset(tileset)
    window.show_stage("slice")
    settle()
    assert "is missing" in window.stages["slice"].facts.text()
    window.sheets.give_sheet(tileset, tmp_path / "elsewhere.png")
    settle()
    assert tileset.picture is not None
    assert window.files.save()
    assert (folder / "elsewhere.png").exists()
    assert open_project(folder).warnings == []


def test_pointing_at_a_sheet_says_which_tile(window):
    window.show_stage("slice")
    settle()
    move(
        window.stages["slice"].sheet,
        window.stages["slice"].sheet.tile_rect(2, 4).center().toPoint(),
    )
    assert "tile 28: column 4, row 2 at 76, 40 px" in window.under.toolTip()


def test_what_may_be_overwritten_is_asked_of_each_folder(window, tmp_path):
    window.show_stage("ship")
    bench = window.stages["ship"]
    for name in ("a", "b"):
        (tmp_path / name).mkdir()
        (tmp_path / name / "north-basin.png").write_bytes(b"mine")
    bench.maps.setCurrentText("North basin")
    bench.folder.setText(str(tmp_path / "a"))
    bench.go.click()
    settle()
    assert bench.anyway.isVisible()
    assert "was not made here" in bench.state.text()
    bench.folder.setText(str(tmp_path / "b"))
    assert not bench.anyway.isVisible(), "it was said of the other folder"
    bench.folder.setText(str(tmp_path / "a"))
    bench.go.click()
    settle()
    bench.anyway.click()
    settle()
    assert (tmp_path / "a" / "north-basin.png").read_bytes() != b"mine"
    assert (tmp_path / "b" / "north-basin.png").read_bytes() == b"mine"
    assert not bench.anyway.isVisible()
