"""Making a set from two plain tiles in the real window."""

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialog, QPushButton
from tests.core.test_setmaking import GRASS, SAND, tile
from tests.ui.conftest import LEFT, pixels, settle
from tests.ui.test_terrains import strange_sheet

from knitground.core.files.images import png_bytes
from knitground.core.files.opening import open_project
from knitground.core.files.saving import save_project
from knitground.core.knit.outline import OutlineShape
from knitground.core.model.terrain import SetKind
from knitground.ui.common.tasks import wait_for_jobs
from knitground.ui.stages.terrains.setdialog import SetDialog


@pytest.fixture
def bench(window):
    window.session.choose_tileset(window.session.project.tilesets[0])
    window.show_stage("terrains")
    settle()
    return window.stages["terrains"]


@pytest.fixture
def dialog(window, bench, qtbot):
    made = SetDialog(window.session, bench.kit, bench)
    made.show()
    yield made
    made.close()


def ready(dialog, qtbot):
    qtbot.waitUntil(lambda: not dialog.busy, timeout=20_000)
    settle()


def choose(box, text):
    """Choose an entry as a user does: it is activated."""
    place = next(n for n in range(box.count()) if box.itemText(n).startswith(text))
    box.setCurrentIndex(place)
    box.activated.emit(place)


def test_it_begins_with_the_plain_tiles_of_the_set_and_shows_what_they_make(dialog, qtbot):
    ready(dialog, qtbot)
    assert dialog.ok.isEnabled()
    assert [each.name for each in dialog.found.tileset.sets[0].terrains] == ["brine", "crust"]
    assert "16 tiles of 16 × 16 px" in dialog.facts.text()
    assert dialog.found.gaps == 0  # no cell of the sample lacks a tile
    before = pixels(dialog.laid)
    choose(dialog.shape, "straight")
    ready(dialog, qtbot)
    assert (pixels(dialog.laid) != before).any()


def test_tiles_are_clicked_on_a_sheet_and_keys_choose_too(dialog, qtbot):
    ready(dialog, qtbot)
    QTest.mouseClick(dialog.slots[0], LEFT)
    assert dialog.next.text() == "next click: first terrain"
    at = dialog.picker.tile_rect(0, 8).center().toPoint()  # clay
    QTest.mouseClick(dialog.picker, LEFT, pos=at)
    ready(dialog, qtbot)
    assert dialog.found.tileset.sets[0].terrains[0].name == "clay"
    QTest.mouseClick(dialog.slots[1], LEFT)
    assert dialog.next.text() == "next click: second terrain"
    dialog.picker.setFocus()
    for key in (Qt.Key.Key_Down, Qt.Key.Key_Left, Qt.Key.Key_Left, Qt.Key.Key_Left, Qt.Key.Key_Left,
                Qt.Key.Key_Left, Qt.Key.Key_Left, Qt.Key.Key_Left, Qt.Key.Key_Left, Qt.Key.Key_Left,
                Qt.Key.Key_Return):  # fmt: skip
        QTest.keyClick(dialog.picker, key)
    ready(dialog, qtbot)
    assert dialog.picker.at == (1, 0)
    assert [each.name for each in dialog.found.tileset.sets[0].terrains] == ["clay", "blush"]


def test_making_it_is_one_step_that_is_saved_and_painted_with(
    window, bench, qtbot, monkeypatch, tmp_path
):
    shown = []

    def run(dialog):
        shown.append(dialog)
        ready(dialog, qtbot)
        choose(dialog.kind, "corner set")
        dialog.variants.setValue(2)
        dialog.names[0].setText("lagoon")
        dialog.name.setText("Lagoon shore")
        ready(dialog, qtbot)
        return QDialog.DialogCode.Accepted

    monkeypatch.setattr(SetDialog, "exec", run)
    window.session.choose_tileset(window.session.project.tilesets[1])  # a sheet without a set
    settle()
    make = next(
        b for b in bench.cards.findChildren(QPushButton) if b.text().startswith("Make a set from")
    )
    assert make.isVisible()
    window.session.choose_tileset(window.session.project.tilesets[0])
    settle()
    steps = len(window.session.doc.history.names)
    bench.ask_made_set()
    settle()
    made = window.session.project.tilesets[-1]
    assert made.name == "Lagoon shore"
    assert len(window.session.doc.history.names) == steps + 1
    assert window.session.tileset is made
    assert bench.kit is made.sets[0]
    assert made.sets[0].terrains[0].name == "lagoon"
    assert "saving writes lagoon-shore.png" in window.notices.text.text()
    save_project(window.session.project, tmp_path / "saved")
    again = open_project(tmp_path / "saved").project.tilesets[-1]
    assert (again.picture == made.picture).all()
    assert (again.sets[0].marks == made.sets[0].marks).all()
    window.session.undo()
    settle()
    assert made not in window.session.project.tilesets


def test_kinds_outlines_and_rims_change_what_is_shown(dialog, qtbot):
    ready(dialog, qtbot)
    seen = {dialog.found.laid.tobytes()}
    for kind, count in (("ring set", 47), ("edge set", 16), ("corner set", 16)):
        choose(dialog.kind, kind)
        ready(dialog, qtbot)
        assert f"{count} tiles" in dialog.facts.text()
        for shape in ("round", "tufts", "stepped"):
            choose(dialog.shape, shape)
            ready(dialog, qtbot)
            seen.add(dialog.found.laid.tobytes())
    choose(dialog.rim, "lighter")
    dialog.rim_px.setValue(2)
    ready(dialog, qtbot)
    seen.add(dialog.found.laid.tobytes())
    choose(dialog.shape, "ragged")
    QTest.mouseClick(dialog.again, LEFT)
    ready(dialog, qtbot)
    seen.add(dialog.found.laid.tobytes())
    assert len(seen) == 12
    assert dialog.seed.value() == 2


def test_an_outline_is_borrowed_from_a_set_of_the_project(dialog, qtbot):
    ready(dialog, qtbot)
    names = [dialog.shape.itemText(n) for n in range(dialog.shape.count())]
    assert len(names) > len(OutlineShape)
    choose(dialog.shape, "as in “Pans”")
    ready(dialog, qtbot)
    assert "14 of 14 shapes borrowed" in dialog.facts.text()
    assert dialog.lender()[1].kind is SetKind.CORNER
    before = dialog.found.laid.tobytes()
    choose(dialog.shape, "round")
    ready(dialog, qtbot)
    assert dialog.found.laid.tobytes() != before
    assert "borrowed" not in dialog.facts.text()


def test_nothing_and_textures_from_files(window, dialog, qtbot, tmp_path, monkeypatch):
    ready(dialog, qtbot)
    QTest.mouseClick(dialog.nothing, LEFT)
    ready(dialog, qtbot)
    assert dialog.slots[1].text() == "nothing"
    assert "15 tiles" in dialog.facts.text()
    path = tmp_path / "moss.png"
    path.write_bytes(png_bytes(tile(GRASS, (64, 50))))
    dialog.ask_for(1)
    dialog.take_file(path)
    wait_for_jobs()
    settle()
    ready(dialog, qtbot)
    assert dialog.pictures[1].shape == (16, 16, 4)
    assert dialog.ok.isEnabled()
    (tmp_path / "broken.png").write_bytes(b"\x89PNG no")
    dialog.take_file(tmp_path / "broken.png")
    wait_for_jobs()
    settle()
    assert "broken.png" in dialog.facts.text()
    dialog.ask_for(1)
    dialog._put(tile(SAND, (8, 8)), None)
    ready(dialog, qtbot)
    assert not dialog.ok.isEnabled()
    assert "differ in size, 16 × 16 and 8 × 8" in dialog.facts.text()


def test_without_a_first_tile_it_says_what_to_do(window, qtbot):
    _, bench, _ = strange_sheet(window)
    dialog = SetDialog(window.session, None, bench)
    dialog.show()
    ready(dialog, qtbot)
    assert not dialog.ok.isEnabled()
    assert "Choose the plain tile" in dialog.facts.text()
    assert dialog.make() is None
    dialog.close()


def test_large_tiles_are_made_beside_the_window(window, dialog, qtbot):
    ready(dialog, qtbot)
    rng = np.random.default_rng(3)
    dialog.ask_for(0)
    dialog._put(rng.integers(0, 255, (128, 128, 4), np.uint8) | np.uint8(1), None)
    dialog.ask_for(1)
    dialog._put(tile(SAND, (128, 128)), None)
    choose(dialog.kind, "ring set")
    dialog.variants.setValue(2)
    dialog.look()
    assert dialog._beside.is_busy  # and the window goes on
    ready(dialog, qtbot)
    assert "93 tiles of 128 × 128 px" in dialog.facts.text()
