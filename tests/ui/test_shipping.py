"""Shipping in the real window: profiles, options, what would be written, what follows."""

import json
import sys
import time
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QCheckBox, QComboBox, QLineEdit
from tests.ui.conftest import settle

from knitground.core.base.window import Box
from knitground.core.edit.laying import plan_cells
from knitground.core.edit.maps import add_map, delete_map, set_background
from knitground.core.files.opening import open_project
from knitground.core.files.ship import png
from knitground.core.files.ship.ship import FORMATS
from knitground.core.model.lattice import Rect
from knitground.core.model.map import Map
from knitground.core.model.tile import TileRef
from knitground.ui.common.numbers import WholeBox
from knitground.ui.common.tasks import wait_for_jobs
from knitground.ui.play.window import PlayView
from knitground.ui.stages.ship import bench as benches


@pytest.fixture
def bench(window, tmp_path):
    window.show_stage("ship")
    made = window.stages["ship"]
    made.maps.setCurrentText("Loading quay")
    made.folder.setText(str(tmp_path / "game"))
    settle()
    return made


def click(widget):
    QTest.mouseClick(widget, Qt.MouseButton.LeftButton)
    wait_for_jobs()
    settle()


def lines(bench):
    return [bench.files.item(n).text() for n in range(bench.files.count())]


@pytest.mark.parametrize("key", list(FORMATS))
def test_every_option_of_every_format_has_a_field_that_gives_it(bench, key):
    form, usual = bench.forms[key], FORMATS[key].chosen()
    assert form.values() == {}
    bench.boxes[key].setChecked(True)
    assert form.isVisible() == bool(form.inputs)
    for each in form.inputs.values():
        if isinstance(each, QComboBox):
            each.setCurrentIndex((each.currentIndex() + 1) % each.count())
        elif isinstance(each, QCheckBox):
            each.toggle()
        elif isinstance(each, WholeBox):
            each.setValue(each.value() + 3)
        elif isinstance(each, QLineEdit):
            each.setText("{map} x")
        assert each.accessibleName()
    values = form.values()
    assert values.keys() == form.inputs.keys()
    chosen = FORMATS[key].chosen(values)
    assert all(getattr(chosen, name) != getattr(usual, name) for name in values)
    form.show_values(values)
    assert form.values() == values
    form.show_values({})
    assert form.values() == {}


def test_a_profile_is_kept_with_the_project_follows_what_is_changed_and_is_undone(window, bench):
    session = window.session
    bench.keep_profile("quay")
    assert bench.profiles.tabText(bench.profiles.currentIndex()) == "quay"
    kept = session.project.profiles[-1]
    assert kept.maps == ("Loading quay",)
    assert [each.format for each in kept.parts] == ["png", "json"]
    bench.boxes["csv"].setChecked(True)
    bench.forms["png"].inputs["chunk"].setValue(8)
    bench.forms["png"].inputs["scale"].setCurrentText("2")
    kept = session.project.profiles[-1]
    assert [each.format for each in kept.parts] == ["png", "json", "csv"]
    assert kept.parts[0].options == {"chunk": 8, "scale": "2"}
    session.undo()
    assert bench.forms["png"].inputs["scale"].currentText() == "1"
    bench.folder.setText(str(session.project.folder / "shipped" / "quay"))
    bench.folder.editingFinished.emit()
    assert session.project.profiles[-1].folder == "shipped/quay"
    bench.profiles.setCurrentIndex(0)
    bench.maps.setCurrentText("North basin")
    bench.profiles.setCurrentIndex(3)
    assert bench.maps.currentText() == "Loading quay", "each has its own"
    assert window.files.save()
    assert open_project(session.project.folder).project.profiles == session.project.profiles
    click(bench.lose)
    assert [each.name for each in session.project.profiles] == ["game", "print"]
    assert bench.profiles.count() == 3
    session.undo()
    assert bench.profiles.count() == 4


def test_what_would_be_written_is_told_before_and_what_is_left_over_taken_away(
    window, bench, tmp_path
):
    bench.keep_profile("quay")
    bench.folder.setText(str(tmp_path / "game"))
    bench.boxes["csv"].setChecked(True)
    click(bench.compare)
    assert not (tmp_path / "game").exists()
    assert "would be written" in bench.state.text()
    click(bench.go)
    assert all("written" in each for each in lines(bench))
    click(bench.compare)
    assert ", 0 would be written" in bench.state.text()
    assert all("as it was" in each for each in lines(bench))
    bench.boxes["csv"].setChecked(False)
    bench.folder.setText(str(tmp_path / "game"))
    click(bench.go)
    assert any("left over" in each for each in lines(bench))
    assert bench.drop.isVisible()
    click(bench.drop)
    assert not list((tmp_path / "game").glob("*.csv"))
    assert not bench.drop.isVisible()


def test_wrong_options_say_what_is_wrong_and_write_nothing(bench, tmp_path):
    bench.forms["png"].inputs["chunk"].setValue(4)
    bench.forms["png"].inputs["names"].setText("{map}")
    click(bench.go)
    assert "makes loading-quay.png twice" in bench.state.text()
    assert not (tmp_path / "game").exists()


def test_files_follow_a_stroke(window, bench, tmp_path, monkeypatch):
    session = window.session
    monkeypatch.setattr(benches, "_FOLLOWS_MS", 10)
    bench._timer.setInterval(10)
    bench.maps.setCurrentText("Harbour pans")
    bench.boxes["json"].setChecked(False)
    click(bench.go)
    path = tmp_path / "game" / "harbour-pans.png"
    with Image.open(path) as found:
        before = np.asarray(found)
    bench.follow.setChecked(True)
    wait_for_jobs()
    props = session.map.layers[2]
    place = np.full((1, 1), session.map.legend.place(TileRef("props", 0, 4)), np.int32)
    plan = plan_cells(session.map, props, Box(5, 7, 6, 8), place, np.ones((1, 1), bool), "Lay")
    session.apply(plan.edit)
    for _ in range(100):
        QTest.qWait(20)
        wait_for_jobs()
        with Image.open(path) as found:
            after = np.asarray(found)
        if (after != before).any():
            break
    off = np.argwhere((after != before).any(axis=2))
    assert len(off)
    assert (off // 16 == (5, 7)).all()
    bench.follow.setChecked(False)
    data = json.loads((tmp_path / "game" / "made.knit.json").read_text())
    assert set(data["files"]) == {"harbour-pans.png"}


def test_play_ships_starts_a_process_of_its_own_and_files_follow(window, bench, monkeypatch):
    started = []
    monkeypatch.setattr(benches.QProcess, "startDetached", lambda *words: started.append(words))
    bench.boxes["json"].setChecked(False)
    click(bench.play)
    assert started == []
    assert "tick JSON" in window.notices.text.text()
    bench.boxes["json"].setChecked(True)
    click(bench.play)
    [(program, words)] = started
    assert program == sys.executable
    assert words[:3] == ["-m", "knitground", "play"]
    assert words[3] == bench.folder.text()
    assert words[4:] == ["--map", "Loading quay"]
    assert bench.follow.isChecked()
    bench.follow.setChecked(False)
    click(bench.go)
    assert len(started) == 1, "shipping alone starts nothing"


def test_a_stroke_reaches_a_game_that_is_played(window, bench, qtbot):
    """From the stroke to the other window: what it shows is read from the files."""
    session = window.session
    bench.maps.setCurrentText("Harbour pans")
    click(bench.go)
    game = PlayView(Path(bench.folder.text()), "Harbour pans")
    qtbot.addWidget(game)
    game.clock.stop()
    game.looks.stop()
    rect = Rect(7 * 16, 5 * 16, 16, 16)
    before = game.world.picture(rect)
    bench.follow.setChecked(True)
    wait_for_jobs()
    place = np.full((1, 1), session.map.legend.place(TileRef("props", 0, 4)), np.int32)
    plan = plan_cells(session.map, session.map.layers[2], Box(5, 7, 6, 8), place,
                      np.ones((1, 1), bool), "Lay")  # fmt: skip
    session.apply(plan.edit)
    began = time.perf_counter()
    while time.perf_counter() - began < 30:
        QTest.qWait(20)
        if game.look_again() and (game.world.picture(rect) != before).any():
            break
    assert (game.world.picture(rect) != before).any()
    bench.follow.setChecked(False)


def test_maps_that_come_and_go_change_no_profile(window, bench):
    session = window.session
    bench.keep_profile("quay")
    before = session.project.profiles
    session.do(lambda: add_map(session.project, Map("Another", 4, 4, 16, 16)))
    window.stages["ship"].catch_up()
    settle()
    assert bench.maps.findText("Another") >= 0
    assert bench.maps.currentText() == "Loading quay"
    session.do(lambda: delete_map(session.project, session.project.map_named("Another")))
    bench.catch_up()
    settle()
    assert session.project.profiles == before


def test_a_project_that_is_opened_keeps_its_profiles_as_they_are(window, bench):
    """Found by the wanderer: the profile chosen before has the name of one in the new project."""
    session, folder = window.session, window.session.project.folder
    names = [bench.profiles.tabData(n) for n in range(bench.profiles.count())]
    bench.profiles.setCurrentIndex(names.index("game"))
    settle()
    kept = session.project.profiles
    assert {each.format for each in kept[0].parts} != {"png", "json"}
    session.open(open_project(folder).project)
    settle()
    assert session.project.profiles == kept
    assert session.doc.history.undo_name is None
    assert bench.profiles.currentIndex() == 0


def test_a_profile_is_shipped_whenever_the_project_is_saved(window, bench):
    session = window.session
    home = session.project.folder
    assert not bench.on_save.isEnabled(), "by hand nothing is kept"
    bench.folder.setText(str(home / "shipped" / "quay"))
    bench.keep_profile("quay")
    assert bench.on_save.isEnabled()
    assert window.files.save()
    wait_for_jobs()
    assert not (home / "shipped" / "quay").exists()
    bench.on_save.click()
    assert session.project.profiles[-1].on_save
    assert window.files.save()
    wait_for_jobs()
    settle()
    assert (home / "shipped" / "quay" / "loading-quay.json").is_file()
    assert "“quay” " in window.notices.text.text()
    (home / "shipped" / "quay" / "loading-quay.json").write_text("mine")
    session.do(lambda: set_background(session.map, "#102030"))
    assert window.files.save()
    wait_for_jobs()
    settle()
    assert "not shipped" in window.notices.text.text()
    assert (home / "shipped" / "quay" / "loading-quay.json").read_text() == "mine"


def outcome(bench, key):
    """What is shown beneath a format, once nothing is on its way."""
    for _ in range(50):
        bench._look_timer.stop()
        bench._look()
        wait_for_jobs()
        settle()
        if not bench._looking.is_busy:
            break
    return bench.outcomes[key]


def test_what_comes_out_is_shown_while_it_is_asked_for(window, bench):
    bench.maps.setCurrentText("Harbour pans")
    shown = outcome(bench, "png")
    assert shown.words.text() == "harbour-pans.png"
    whole = shown.picture.pixmap().toImage()
    assert (whole.width(), whole.height()) == (112, 75)
    names = bench.forms["png"].inputs["names"]
    names.setText("the {map} {row}.{col}")
    names.editingFinished.emit()
    bench.forms["png"].inputs["chunk"].setValue(32)
    shown = outcome(bench, "png")
    assert shown.words.text().startswith("the harbour-pans 0.0.png, the harbour-pans 0.1.png")
    assert "and 3 more" in shown.words.text()
    cut = shown.picture.pixmap().toImage()
    assert cut.pixelColor(37, 10).getRgb()[:3] == png._CUT[:3]
    assert cut.pixelColor(30, 10) == whole.pixelColor(30, 10)
    names.setText("{map}")
    names.editingFinished.emit()
    shown = outcome(bench, "png")
    assert "makes harbour-pans.png twice" in shown.words.text()
    assert shown.words.property("role") == "warning"
    assert not shown.picture.isVisible()
    sheets = outcome(bench, "json").picture.pixmap().toImage()
    bench.forms["json"].inputs["sheets"].setCurrentText("one")
    shown = outcome(bench, "json")
    assert "harbour-pans.atlas.png" in shown.words.text()
    assert shown.picture.pixmap().toImage() != sheets
    assert not bench.outcomes["svg"].isVisible()
    bench.boxes["svg"].setChecked(True)
    assert outcome(bench, "svg").words.text() == "harbour-pans.shapes.svg"
    assert bench.outcomes["svg"].isVisible()
