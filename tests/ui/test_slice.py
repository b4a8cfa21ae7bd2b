from dataclasses import replace

import numpy as np
import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton
from shiboken6 import delete
from tests.core.test_areas import two_grids
from tests.maps import snapshot
from tests.sheets import make
from tests.ui.conftest import LEFT, click, drag, move, pixels, settle, settle_view
from tests.ui.test_stages import drop, type_into

from knitground.core.base.progress import no_progress
from knitground.core.edit.reslice import nothing_hangs_on, use_relaid
from knitground.core.edit.sheets import set_weight
from knitground.core.files.images import png_bytes, read_sheet
from knitground.core.files.opening import open_project
from knitground.core.model.slicing import Slicing
from knitground.core.slicing.reshaping import Grip, dragged, drawn
from knitground.ui.stages.slice.guesses import GuessCard
from knitground.ui.stages.slice.relaydialog import RelayDialog, ReskinDialog, relaid

SHIFT = Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def bench(window):
    window.show_stage("slice")
    settle()
    return window.stages["slice"]


def at(sheet, x, y):
    return QPointF(*sheet.camera.to_screen(x, y)).toPoint()


def test_likely_grids_come_up_best_first_with_reasons(bench):
    cards = bench.guesses.findChildren(GuessCard)
    assert cards[0].guess.words() == "16 × 16, margin 4, spacing 2"
    assert bench.guesses._chosen == 0
    assert "gutters" in cards[0].guess.reasons[0]


def test_a_click_or_the_arrow_keys_try_a_guess(bench):
    second = bench.guesses.guesses[1].slicing
    cards = bench.guesses.findChildren(GuessCard)
    QTest.mouseClick(cards[1], LEFT)
    assert bench.trial == second
    assert bench.numbers.boxes["tile_height"].value() == second.tile_height
    QTest.keyClick(bench.guesses, Qt.Key.Key_Up)
    assert bench.trial == Slicing(16, 16, 4, 4, 2, 2)
    assert not bench.use.isEnabled()


def test_a_dropped_sheet_is_cut_right_without_a_number_typed(window, bench, tmp_path):
    sheet = make("separators", 6)
    path = tmp_path / "art.png"
    path.write_bytes(png_bytes(sheet.picture))
    drop(window, path)
    settle()
    assert bench.trial == sheet.truth
    QTest.mouseClick(bench.use, LEFT)
    assert window.session.tileset.slicing == sheet.truth


def test_two_grids_on_one_sheet_are_offered_as_areas_and_cut_in_one_step(
    window, bench, qtbot, tmp_path
):
    path = tmp_path / "both.png"
    path.write_bytes(png_bytes(two_grids()))
    drop(window, path)
    qtbot.waitUntil(lambda: len(bench.guesses.areas) == 2, timeout=20_000)
    words = bench.guesses._areas_words.text()
    assert "This area" in words
    assert "24 × 24, spacing 1" in words
    assert "48 × 32" in words
    button = bench.guesses._areas_card.findChild(QPushButton)
    assert button.isVisible()
    before = len(window.session.project.tilesets)
    QTest.mouseClick(button, LEFT)
    settle()
    made = window.session.project.tilesets
    assert len(made) == before + 1
    assert [(t.slicing.tile_width, t.slicing.tile_height) for t in made[-2:]] == [
        (24, 24), (48, 32)
    ]  # fmt: skip
    assert not button.isVisible()  # it is cut
    window.session.doc.undo()
    settle()
    assert len(window.session.project.tilesets) == before


def test_where_nothing_is_regular_it_says_so(window, bench, tmp_path):
    path = tmp_path / "photo.png"
    path.write_bytes(png_bytes(np.full((61, 67, 4), 90, np.uint8)))
    drop(window, path)
    settle()
    assert "Nothing regular found" in bench.guesses.state.text()


@pytest.mark.parametrize(
    ("grip", "to", "field", "value"),
    [(Grip("x", 0, False), 7, "margin_x", 7), (Grip("y", 0, True), 14, "tile_height", 10),
     (Grip("x", 3, False), 70, "spacing_x", 6), (Grip("y", 2, True), 62, "tile_height", 18),
     (Grip("x", 2, False), 28, "tile_width", 12)],
)  # fmt: skip
def test_a_line_lies_where_it_was_dragged(grip, to, field, value):
    made = dragged(Slicing(16, 16, 4, 4, 2, 2), grip, to)
    assert getattr(made, field) == value


def test_dragging_a_line_on_the_sheet_changes_the_numbers(bench):
    sheet = bench.sheet
    x = 4 + 3 * 18 + 16  # the far side of the fourth column
    drag(sheet, at(sheet, x, 12), at(sheet, x + 5, 12), at(sheet, x + 8, 12))
    assert bench.trial.tile_width == 18
    assert bench.numbers.boxes["tile_width"].value() == 18
    assert bench.trial.tile_height == 16
    bench.reset()
    drag(sheet, at(sheet, 20, 20), at(sheet, 28, 26))  # the corner of the first tile
    assert (bench.trial.tile_width, bench.trial.tile_height) == (24, 22)


def test_one_tile_drawn_with_the_mouse_is_the_slicing(bench):
    sheet = bench.sheet
    drag(sheet, at(sheet, 22, 40), at(sheet, 30, 50), at(sheet, 46, 60), modifiers=SHIFT)
    assert bench.trial == drawn(Slicing(16, 16, 4, 4, 2, 2), 22, 40, 46, 60)
    assert (bench.trial.tile_width, bench.trial.tile_height) == (24, 20)
    bench.reset()
    QTest.mouseClick(bench.numbers.draw, LEFT)
    drag(sheet, at(sheet, 4, 4), at(sheet, 36, 36))
    assert bench.trial.tile_width == 32


def test_escape_in_a_drag_keeps_the_numbers_drawn_so_far_out(window, bench):
    sheet, before = bench.sheet, bench.trial
    drag(sheet, at(sheet, 22, 40), at(sheet, 46, 60), modifiers=SHIFT, release=False)
    QTest.keyClick(window.shell, Qt.Key.Key_Escape)
    QTest.mouseRelease(sheet, LEFT, pos=at(sheet, 46, 60))
    assert bench.trial == before


def test_the_loupe_follows_the_pointer(bench):
    sheet = bench.sheet
    before = pixels(sheet)
    sheet.setAttribute(Qt.WidgetAttribute.WA_UnderMouse, True)
    move(sheet, at(sheet, 30, 30))
    first = pixels(sheet)
    move(sheet, at(sheet, 38, 33))
    assert (first != before).sum() > 10_000
    assert (pixels(sheet) != first).any()


def test_empty_and_double_tiles_are_told_and_marked(bench, qtbot):
    qtbot.waitUntil(lambda: bench.sheet.facts is not None, timeout=5000)
    assert "10 empty" in bench.facts.text()
    facts = bench.sheet.facts
    assert facts.empty[5, 3:].all()
    move(bench.sheet, at(bench.sheet, 4 + 5 * 18 + 3, 4 + 5 * 18 + 3))
    assert "empty" in bench.sheet.words(4 + 5 * 18 + 3, 4 + 5 * 18 + 3)


def test_pointing_tells_how_often_maps_use_a_tile(window, bench):
    for map_ in window.session.project.maps:
        window.session.doc.knitter.ensure_all(map_)
    window.session.doc.revision += 1
    move(bench.sheet, at(bench.sheet, 10, 10))
    assert "cells use it" in window.under.toolTip()
    uses = bench.uses(window.session.tileset, (0, 0))
    assert uses > 100
    assert f"{uses} cells" in window.under.toolTip()


def test_one_tile_is_shown_three_by_three(bench):
    move(bench.sheet, at(bench.sheet, 22 + 5, 10))
    shown = bench.repeated.pixels
    assert shown.shape == (48, 48)
    assert (shown[:16, :16] == shown[16:32, 32:48]).all()


def test_losses_are_listed_before_a_new_slicing(window, bench, monkeypatch):
    start = snapshot(window.session.project)
    listed = []
    monkeypatch.setattr(bench, "confirm", lambda lines: listed.extend(lines) or False)
    type_into(bench.numbers.boxes["tile_width"], "34")
    bench.commit()
    assert any("tiles with marks" in line for line in listed)
    assert snapshot(window.session.project) == start
    monkeypatch.setattr(bench, "confirm", lambda lines: True)
    bench.commit()
    assert window.session.tileset.slicing.tile_width == 34
    window.session.doc.undo()
    assert snapshot(window.session.project) == start


def changed_on_disk(path, picture, replace):
    """Write a picture as paint programs do: in place, or a new file put in the old one's place."""
    if replace:
        fresh = path.with_name(".fresh.png")
        fresh.write_bytes(png_bytes(picture))
        fresh.replace(path)
    else:
        path.write_bytes(png_bytes(picture))


@pytest.mark.parametrize("replace", [False, True])
def test_a_sheet_that_changes_on_disk_is_read_again(window, bench, qtbot, replace):
    tileset = window.session.tileset
    path = window.session.project.folder / "pans.png"
    for shade in (40, 90):  # twice: the new file is watched as well
        picture = tileset.picture.copy()
        picture[4:20, 4:20, :3] = shade
        changed_on_disk(path, picture, replace)
        qtbot.waitUntil(lambda p=picture: (tileset.picture == p).all(), timeout=8000)
    assert "read again" in window.notices.text.text()


def test_a_half_written_sheet_leaves_the_old_one(window, bench, qtbot):
    tileset = window.session.tileset
    before = tileset.picture.copy()
    path = window.session.project.folder / "pans.png"
    whole = path.read_bytes()
    path.write_bytes(whole[:300])
    qtbot.wait(700)
    assert (tileset.picture == before).all()
    qtbot.waitUntil(lambda: "changed on disk, but" in window.notices.text.text(), timeout=8000)
    path.write_bytes(whole)
    settle()
    assert (tileset.picture == before).all()


def test_relaying_keeps_the_map_and_is_written_on_save(window, bench, monkeypatch):
    view = window.mapside.view
    window.show_stage("draw")
    view.fit()
    view.leaveEvent(None)
    settle_view(view)
    shown = pixels(view)
    window.show_stage("slice")
    tileset = window.session.tileset
    dialog = RelayDialog(tileset, window.shell)
    dialog.boxes["margin"].setValue(0)
    assert "margin 0 is too small" in dialog.facts.text()
    dialog.boxes["margin"].setValue(3)
    dialog.boxes["spacing"].setValue(6)
    dialog.boxes["extrude"].setValue(2)
    dialog.boxes["columns"].setValue(7)
    started = []
    with monkeypatch.context() as patched:
        patched.setattr(window.session, "runner", lambda _, *work: started.append(work))
        bench.pictures.relay_with(dialog)
    delete(dialog)  # the work goes on after the dialog has gone
    work, done = started[0]
    done(work(no_progress))
    settle()
    assert tileset.slicing == Slicing(16, 16, 3, 3, 6, 6)
    window.show_stage("draw")
    view.leaveEvent(None)
    settle_view(view)
    assert (pixels(view) == shown).all()
    assert window.files.save()
    folder = window.session.project.folder
    again = open_project(folder).project
    assert again.tilesets[0].sheet == "pans-relaid.png"
    assert (again.tilesets[0].picture == tileset.picture).all()
    assert (folder / "pans.png").exists()


def test_a_sheet_that_was_laid_out_anew_elsewhere_is_not_counted_by_its_old_grid(window, bench):
    session, project = window.session, window.session.project
    tileset = session.tileset
    wide = tileset.width
    window.show_stage("draw")
    numbers = {"margin": 0, "spacing": 0, "extrude": 0, "columns": 4}
    session.apply(use_relaid(project, tileset, *relaid(tileset, numbers), "pans-relaid.png"))
    assert tileset.width < wide
    bench.facts._find_facts()  # asked for before: the stage is hidden, and shows the old grid
    settle()
    window.show_stage("slice")
    settle()
    bench.facts._find_facts()
    settle()
    assert bench.sheet.facts is not None
    assert "4 × 18 = 72 tiles" in bench.facts.text()


def test_reskinning_repaints_the_map_after_a_preview(window, bench, monkeypatch, tmp_path):
    tileset = window.session.tileset
    picture = tileset.picture.copy()
    picture[..., :3] = 255 - picture[..., :3]
    path = tmp_path / "winter.png"
    path.write_bytes(png_bytes(picture))
    monkeypatch.setattr(ReskinDialog, "exec", lambda self: 1)
    bench.pictures.reskin_with(tileset, read_sheet(path))
    assert (tileset.picture == picture).all()
    assert window.files.save()
    assert open_project(window.session.project.folder).project.tilesets[0].sheet == "winter.png"
    window.session.doc.undo()
    assert not (tileset.picture == picture).all()


def test_a_large_sheet_stays_quick_to_type_on(window, bench, tmp_path):
    """4096 × 4096: what is cut for lines and swatch does not grow with the sheet."""
    shades = np.random.default_rng(2).integers(0, 255, (16, 16, 4), np.uint8)
    part = shades.repeat(16, 0).repeat(16, 1)
    part[..., 3] = 255
    path = tmp_path / "large.png"
    path.write_bytes(png_bytes(np.tile(part, (16, 16, 1))))
    drop(window, path)
    settle()
    type_into(bench.numbers.boxes["tile_width"], "64")
    type_into(bench.numbers.boxes["tile_height"], "64")
    assert "64 × 64 = 4096 tiles" in bench.facts.text()
    assert bench.swatch.pixels.size <= 200 * 200
    click(bench.sheet, at(bench.sheet, 100, 100))


def test_tiles_are_not_left_out_while_the_project_is_being_read(window):
    """A press then says why, instead of ending in a fault; afterwards it does what it says."""
    window.show_stage("slice")
    bench, doc = window.stages["slice"], window.session.doc
    owner = window.session.tileset
    with doc.lease():
        bench._leave_out([(0, 1)], True)
        assert not doc.in_stroke
        assert not window.session.in_gesture
    assert "being read" in window.notices.text.text()
    assert owner.left_out == frozenset()
    bench._leave_out([(0, 1)], True)
    bench._leave_out([], True)
    assert owner.left_out == {(0, 1)}


def test_a_new_sheet_is_cut_as_it_was_shown_when_one_goes_on_and_one_in_use_is_not(
    window, bench, tmp_path
):
    session = window.session
    path = tmp_path / "fresh.png"
    path.write_bytes(png_bytes(make("separators", 6).picture))
    drop(window, path)
    settle()
    window.show_stage("slice")
    settle()
    fresh = session.tileset
    assert fresh.name == "fresh"
    shown = replace(fresh.slicing, tile_width=24, tile_height=24, margin_x=0, margin_y=0,
                    spacing_x=0, spacing_y=0)  # fmt: skip
    bench.show_trial(shown)
    assert fresh.slicing != shown
    window.show_stage("terrains")
    settle()
    assert fresh.slicing == shown
    assert session.doc.history.undo_name == "Slice “fresh” 24 × 24"
    session.undo()
    assert fresh.slicing != shown
    session.redo()
    # Another sheet is chosen: the same.
    window.show_stage("slice")
    settle()
    bench.show_trial(replace(shown, tile_width=30))
    session.choose_tileset(session.project.tilesets[0])
    settle()
    assert fresh.slicing.tile_width == 30
    # A sheet whose tiles are marked and laid stays as it was.
    pans = session.tileset
    was = pans.slicing
    bench.show_trial(replace(was, tile_width=20))
    window.show_stage("draw")
    settle()
    assert pans.slicing == was
    # One of which a single tile is known neither.
    session.choose_tileset(fresh)
    session.do(lambda: set_weight(fresh, 0, 0, 3.0))
    window.show_stage("slice")
    settle()
    bench.show_trial(replace(fresh.slicing, tile_width=40))
    window.show_stage("draw")
    settle()
    assert fresh.slicing.tile_width == 30
    assert not nothing_hangs_on(session.project, fresh)
