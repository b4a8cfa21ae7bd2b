import json
from pathlib import Path

import pytest
from PySide6.QtCore import QEvent, QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialogButtonBox, QFileDialog, QInputDialog, QLabel, QPushButton
from tests.maps import snapshot
from tests.ui.conftest import click, drag, move, settle

from knitground.core.base.window import Box
from knitground.core.edit.desk import Pointer
from knitground.core.edit.hand import TerrainInHand, TileInHand
from knitground.core.edit.layers import use_set
from knitground.core.edit.maps import delete_map
from knitground.core.edit.planning import brush
from knitground.core.files.opening import open_project
from knitground.core.model.layers import GAP
from knitground.core.model.project import Project
from knitground.core.model.tile import TileRef
from knitground.ui.common.dialog import Dialog
from knitground.ui.common.pulse import begin_pulse
from knitground.ui.common.widgets import column
from knitground.ui.mapside.dialogs import NewMapDialog
from knitground.ui.project.memory import Memory
from knitground.ui.project.savedialog import SaveDialog

CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def view(window):
    window.show_stage("draw")
    settle()
    window.mapside.view.show_cell(31, 40)
    return window.mapside.view


@pytest.mark.parametrize(
    ("size", "at", "box"),
    [(1, (16.0, 16.0), Box(1, 1, 2, 2)), (1, (9.0, 9.0), Box(1, 1, 2, 2)),
     (2, (24.0, 24.0), Box(1, 1, 3, 3)), (3, (16.0, 33.0), Box(1, 0, 4, 3)),
     (4, (24.0, 40.0), Box(1, 0, 5, 4))],
)  # fmt: skip
def test_a_terrain_brush_covers_vertices_round_the_pointer(window, size, at, box):
    window.stage.digit(1)
    window.session.set_size(size)
    found, mask = brush(window.session.desk(), window.session.map, Pointer(*at))
    assert found == box
    assert mask.all()


@pytest.mark.parametrize(
    ("size", "at", "box"),
    [(1, (24.0, 24.0), Box(1, 1, 2, 2)), (2, (31.0, 31.0), Box(1, 1, 3, 3)),
     (3, (24.0, 40.0), Box(1, 0, 4, 3))],
)  # fmt: skip
def test_a_tile_brush_covers_cells_round_the_pointer(window, size, at, box):
    window.session.take(TileInHand(TileRef("props", 0, 0), 0))
    window.session.set_size(size)
    assert brush(window.session.desk(), window.session.map, Pointer(*at))[0] == box


def test_brush_sizes_stay_in_their_bounds_and_are_kept_apart(window):
    window.stage.digit(1)
    window.session.set_size(9999)
    assert window.session.desk().size == 64
    window.session.set_size(-5)
    assert window.session.desk().size == 1
    window.session.take(TileInHand(TileRef("props", 0, 0), 0))
    window.session.set_size(7)
    window.stage.digit(1)
    assert window.session.desk().size == 1
    QTest.keyClick(window.shell, Qt.Key.Key_Period)
    assert window.session.desk().size == 2


def test_erase_lifts_pins_first_and_then_the_terrain(window, view):
    session = window.session
    ground = session.map.layers[0]
    session.take(TileInHand(TileRef("props", 0, 5), 5))
    at = view.screen_at(31, 40)
    click(view, at)
    assert ground.pinned[31, 40]
    QTest.keyClick(window.shell, Qt.Key.Key_E)
    session.set_size(2)
    move(view, at)
    assert view.label()[0].startswith("Release pins")
    click(view, at)
    assert not ground.pinned.any()
    assert (ground.terrain[31:33, 40:42] == 1).all()
    click(view, at)
    assert (ground.terrain[31:33, 40:42] == 0).all()
    assert session.doc.history.names[-2:] == ["Release pins", "Erase terrain"]
    for _ in range(3):
        session.doc.undo()
    assert (ground.terrain[31:33, 40:42] == 1).all()


def test_a_ground_layer_knitted_from_another_set_refuses_the_terrain(window, view):
    session = window.session
    session.apply(use_set(session.map, session.map.layers[0], "props", "none"))
    session.take(TerrainInHand("pans", "Pans", 1, "brine"))
    assert "is knitted from “none”" in view.label()[0]
    assert (session.doc.cells(session.map, session.map.layers[0], Box(0, 0, 4, 4)) == GAP).all()


def test_taking_something_while_erasing_goes_back_to_paint(window):
    window.show_stage("draw")
    window.session.choose_tool("erase")
    window.stages["draw"].take_mix(window.session.project.mixes[0])
    assert window.session.tool == "paint"


def test_digits_take_terrains_of_the_layer(window):
    for digit, name in ((1, "brine"), (3, "clay"), (4, "blush")):
        QTest.keyClick(window.shell, Qt.Key(Qt.Key.Key_0 + digit))
        assert window.session.hand.name == name
    QTest.keyClick(window.shell, Qt.Key.Key_9)
    assert window.session.hand.name == "blush"


def test_digits_typed_in_a_field_stay_in_the_field(window):
    window.show_stage("slice")
    settle()
    hand = window.session.hand
    box = window.stages["slice"].numbers.boxes["tile_width"]
    box.setFocus()
    box.lineEdit().selectAll()
    QTest.keyClicks(box.lineEdit(), "24")
    assert box.value() == 24
    assert window.session.hand == hand


def test_undo_in_the_middle_of_a_drag_calls_it_off(window, view):
    window.stage.digit(4)
    start = snapshot(window.session.project)
    drag(view, view.screen_at(31, 40), view.screen_at(31, 44), release=False)
    window.commands.named("Undo").action.setEnabled(True)
    window.commands.named("Undo").action.trigger()
    assert snapshot(window.session.project) == start
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=view.screen_at(31, 44))
    assert window.session.doc.history.names == []


def test_a_fill_over_a_large_map_runs_with_progress(window, view):
    dialog = NewMapDialog(window.session, window.shell)
    dialog.width_box.setValue(700)
    dialog.height_box.setValue(600)
    window.mapside.maps.add_map(dialog)
    settle()
    session = window.session
    session.map.layers[0].terrain[:] = 2
    session.choose_tool("fill")
    window.stage.digit(3)
    view.show_cell(300, 300)
    click(view, view.screen_at(300, 300))
    settle()
    assert (session.map.layers[0].terrain == 3).all()
    assert session.doc.history.names[-1] == "Fill Terrain · clay"


@pytest.mark.parametrize(("width", "ok"), [(100, True), (4096, True), (65_535, False)])
def test_the_new_map_dialog_says_what_can_not_be(window, width, ok):
    dialog = NewMapDialog(window.session, window.shell)
    dialog.width_box.setValue(width)
    dialog.height_box.setValue(4096)
    assert dialog.buttons.buttons()[0].isEnabled() == ok
    assert ("more than" in dialog.facts.text()) != ok


def test_names_are_asked_for_and_empty_ones_refused(window, monkeypatch):
    answers = iter([("Mole", True), ("  ", True), ("North basin", True), ("x", False)])
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: next(answers))
    strip = window.mapside.strip
    strip.layers.ask_name(window.session.layer)
    assert window.session.layer.name == "Mole"
    strip.layers.ask_name(window.session.layer)
    assert window.session.layer.name == "Mole"
    assert "needs a name" in window.notices.text.text()
    window.mapside._rename(0)
    assert window.session.map.name == "Harbour pans"
    window.mapside._rename(0)


def test_save_as_copies_the_project_and_names_it(window, monkeypatch, tmp_path):
    target = tmp_path / "new" / "Copy of pans"
    seen = []

    def answer(dialog):
        seen.append(dialog)
        dialog.name.setText("Copy of pans")
        monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(target.parent))
        next(each for each in dialog.findChildren(QPushButton) if "Choose" in each.text()).click()
        assert dialog.words.text() == (
            f"{target}, which is made: project.knit.json, 5 sheets, 5 tilesets, 5 maps."
        )
        return 1

    monkeypatch.setattr(SaveDialog, "exec", answer)
    assert window.files.save_as()
    assert (target / "pans.png").exists()
    assert window.session.project.folder == target
    assert window.session.project.name == "Copy of pans"
    monkeypatch.setattr(SaveDialog, "exec", lambda _: 0)
    assert not window.files.save_as()


def test_the_folder_of_a_new_project_is_made_and_called_as_it(empty_window, monkeypatch, tmp_path):
    window, names = empty_window, []
    window.session.project.tilesets = []
    for name, folder in (("Salt works", "Salt works"), ("a/b: c", "a-b-c"), ("東京", "東京")):

        def answer(dialog, name=name):
            save = dialog.buttons.button(QDialogButtonBox.StandardButton.Save)
            dialog.name.clear()
            assert not save.isEnabled()
            dialog.name.setText(name)
            dialog.place.setText(str(tmp_path))
            assert save.isEnabled()
            names.append(dialog.folder.name)
            return 1

        monkeypatch.setattr(SaveDialog, "exec", answer)
        assert window.files.save_as()
        assert names[-1] == folder
        assert open_project(tmp_path / folder).project.name == name


def test_a_project_that_can_not_be_opened_leaves_the_one_that_is(window, tmp_path):
    start = snapshot(window.session.project)
    (tmp_path / "project.knit.json").write_text("{")
    window.files.open_project(tmp_path)
    settle()
    assert "Not opened" in window.notices.text.text()
    assert snapshot(window.session.project) == start


def test_a_disk_that_can_not_be_written_is_told_and_the_changes_kept(window, tmp_path):
    (tmp_path / "file").write_text("x")
    window.mapside.strip.layers.add_tiles()
    assert not window.files.save_to(tmp_path / "file" / "p")
    assert "Not saved" in window.notices.text.text()
    assert not window.session.doc.history.is_saved


def test_a_new_project_is_empty_and_asks_nothing_when_saved(window):
    window.files.new_project()
    assert window.session.project.tilesets == []
    assert window.start.isVisible()
    assert isinstance(window.session.project, Project)


def test_memory_survives_a_broken_file_and_keeps_ten_projects(tmp_path):
    (tmp_path / "memory.json").write_text("{broken")
    memory = Memory(tmp_path)
    for n in range(14):
        (tmp_path / f"p{n}").mkdir()
        memory.add_recent(tmp_path / f"p{n}")
    memory.add_recent(tmp_path / "p9")
    again = Memory(tmp_path)
    assert [path.name for path in again.recent][:3] == ["p9", "p13", "p12"]
    assert len(json.loads((tmp_path / "memory.json").read_text())["recent"]) == 10
    (tmp_path / "p13").rmdir()
    assert Path(tmp_path / "p13") not in again.recent
    assert again.get("theme", 5) == 5


def test_widths_of_benches_are_kept(window):
    window.show_stage("draw")
    settle()
    window.splitter.setSizes([400, 700])
    window.splitter.splitterMoved.emit(400, 1)
    kept = window.memory.get("width draw", 0)
    window.show_stage("grow")
    window.show_stage("draw")
    settle()
    assert abs(window.splitter.sizes()[0] - kept) < 4


def test_notes_lie_over_the_window_and_move_nothing(window):
    view = window.mapside.view
    settle()
    before = view.geometry()
    window.session.warn("a warning " * 30)
    settle()
    assert window.notices.isVisible()
    assert view.geometry() == before
    assert window.notices.height() < 120
    window.session.warn("short")
    settle()
    status = window.shell.statusBar().geometry()
    assert window.notices.geometry().top() >= status.top() - 12
    ran = []
    window.notices.tell("missing", "warning", {"Find it…": lambda: ran.append(1)})
    QTest.mouseClick(window.notices.cures[0], Qt.MouseButton.LeftButton)
    assert ran == [1]
    assert not window.notices.isVisible()


def test_a_layer_of_another_map_brings_its_map_and_one_that_is_gone_nothing(window):
    session = window.session
    here, there = session.project.maps[:2]
    mine, other = session.layer, there.layers[0]
    session.choose_layer(other)  # a button of a note that was told while that map was shown
    assert (session.map, session.layer) == (there, other)
    assert window.mapside.view.shown_map is there
    session.choose_layer(mine)
    assert (session.map, session.layer) == (here, mine)
    session.apply(delete_map(session.project, there))
    session.choose_layer(other)
    assert (session.map, session.layer) == (here, mine)
    session.undo()
    session.choose_layer(other)
    assert session.map is there


def test_a_rule_shows_its_cells_on_the_map_that_was_counted(window):
    window.show_stage("rules")
    bench, session = window.stages["rules"], window.session
    for _ in range(60):
        QTest.qWait(20)
        settle()
        if bench.counter.is_done:
            break
    number, fired = next((n, f) for n, f in bench.counter.stats.fired.items() if len(f.rows))
    counted = session.map
    other = next(each for each in session.project.maps if each is not counted)
    session.choose_map(other)
    bench.step(number, 1)  # at once, before anything is counted anew
    assert session.map is counted
    assert session.layer is fired.layer


def test_gaps_are_counted_in_the_status_line(window):
    ground = window.session.map.layers[0]
    ground.terrain[4, 4], ground.terrain[4, 5] = 1, 3
    window.mapside.strip.layers.reroll()
    while window.session.doc.work_off(64):
        pass
    begin_pulse()
    window._work_off()
    gaps = int((ground.cells == GAP).sum())
    assert gaps > 0
    assert window.gaps.text().strip() == f"{gaps} gaps"


def test_a_click_beside_everything_is_harmless(window, view):
    start = snapshot(window.session.project)
    for tool in ("paint", "fill", "erase", "pick"):
        window.session.choose_tool(tool)
        for point in (QPoint(0, 0), QPoint(view.width() - 1, view.height() - 1)):
            view.camera.left = view.camera.top = 5000.0
            click(view, point)
    assert snapshot(window.session.project) == start


class Late(QLabel):
    """It needs more room once it has its fonts and borders."""

    def event(self, event):
        if event.type() == QEvent.Type.Show:
            self.setMinimumWidth(600)
        return super().event(event)


def test_a_dialog_is_as_large_as_its_parts_need_when_they_have_their_fonts(window, qtbot):
    dialog = Dialog(window.shell)
    qtbot.addWidget(dialog)
    dialog.setMinimumWidth(380)
    part = Late("words")
    dialog.setLayout(column(part, margins=11))
    dialog.show()
    settle()
    assert part.width() >= 600
    assert dialog.width() >= 622
    assert issubclass(NewMapDialog, Dialog)
