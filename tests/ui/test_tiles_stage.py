"""The stage Tiles in the real window: many chosen at once, weights, tags, properties, frames."""

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QMouseEvent, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLabel
from tests.ui.conftest import LEFT, NONE, click, drag, move, pixels, settle

from knitground.core.files.opening import open_project
from knitground.core.model.properties import PropertyKind
from knitground.core.model.tileset import PLAIN
from knitground.ui.common.tasks import wait_for_jobs
from knitground.ui.stages.tiles import bigtile
from knitground.ui.stages.tiles.bench import TABS
from knitground.ui.stages.tiles.tilessheet import OVERLAYS

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def bench(window):
    window.session.choose_tileset(window.session.project.tilesets[0])
    window.show_stage("tiles")
    bench = window.stages["tiles"]
    bench.sheet.choose(())
    bench.search.clear()
    bench.tabs.setCurrentIndex(0)
    settle()
    bench.sheet.fit()
    return bench


def at(bench, row, col):
    return bench.sheet.tile_rect(row, col).center().toPoint()


def test_tiles_are_chosen_by_click_drag_ctrl_and_keys(window, bench):
    click(bench.sheet, at(bench, 0, 1))
    assert bench.chosen == {(0, 1)}
    assert "tile 1: column 1, row 0" in bench.words.text()
    drag(bench.sheet, at(bench, 1, 0), at(bench, 2, 2))
    assert len(bench.chosen) == 6
    QTest.mouseClick(bench.sheet, LEFT, CTRL, at(bench, 0, 0))
    assert len(bench.chosen) == 7
    QTest.mouseClick(bench.sheet, LEFT, CTRL, at(bench, 0, 0))
    assert len(bench.chosen) == 6
    bench.sheet.setFocus()
    QTest.keyClick(bench.sheet, Qt.Key.Key_Right)
    assert len(bench.chosen) == 1
    QTest.keyClick(bench.sheet, Qt.Key.Key_Right, SHIFT)
    assert len(bench.chosen) == 2
    QTest.keyClick(window.shell, Qt.Key.Key_A, CTRL | Qt.KeyboardModifier.AltModifier)
    assert len(bench.chosen) == window.session.tileset.count
    QTest.keyClick(window.shell, Qt.Key.Key_Escape)
    assert not bench.chosen


def test_weights_of_many_say_what_they_mean_and_the_map_follows(window, bench):
    session = window.session
    tileset = session.tileset
    bench.sheet.choose([(0, 0), (0, 1), (0, 2)])
    settle()
    assert bench.weight.suffix() == " ≠"  # they differ
    words = bench.share_lines.itemAt(0).layout().itemAt(2).widget().text()
    assert "≈" in words
    assert "cells" in words
    ground = session.map.layers[0]
    before = ground.cells.copy()
    bench.weight.setFocus()
    bench.weight.setValue(5)
    settle()
    assert {tileset.fact(0, n).weight for n in range(3)} == {5}
    assert session.doc.history.undo_name == "Weight of 3 tiles"
    from knitground.core.base.window import Box

    assert (session.doc.cells(session.map, ground, Box(0, 0, 64, 96)) != before).any()
    bench.scale(2.0)
    assert tileset.fact(0, 0).weight == 10
    bench.together.setValue(25)
    settle()
    group = sum(tileset.fact(0, n).weight for n in range(4))
    assert sum(tileset.fact(0, n).weight for n in range(3)) / group == pytest.approx(0.25)
    assert bench.together_words.text() == "together 25 %"
    for _ in range(3):
        session.undo()
    assert (session.doc.cells(session.map, ground, Box(0, 0, 64, 96)) == before).all()


def test_a_held_slider_is_one_step(window, bench):
    bench.sheet.choose([(0, 0)])
    settle()
    bench.together.setSliderDown(True)
    for value in (30, 40, 50):
        bench.together.setValue(value)
    bench.together.setSliderDown(False)
    names = window.session.doc.history.names
    assert names[-1].endswith("together 50%")
    window.session.undo()
    assert window.session.tileset.fact(0, 0).weight == 6


def test_names_and_tags_of_many(window, bench):
    tileset = window.session.tileset
    bench.tabs.setCurrentIndex(TABS.index("Name and tags"))
    bench.sheet.choose([(0, 0), (0, 1)])
    bench.name.setFocus()
    bench.name.setText("water")
    bench.name.editingFinished.emit()
    assert [tileset.fact(0, n).name for n in (0, 1)] == ["water 1", "water 2"]
    QTest.keyClicks(bench.tag, "calm")
    QTest.keyClick(bench.tag, Qt.Key.Key_Return)
    assert tileset.fact(0, 1).tags == ("calm",)
    bench.sheet.choose([(0, 1), (0, 4)])
    assert bench.name.placeholderText() == "different"
    texts = [each.text() for each in bench.tags.parts]
    assert texts == ["calm (1)  ×"]
    bench.tags.parts[0].click()
    assert tileset.fact(0, 1).tags == ()
    window.session.undo()
    bench.choose_by("with the same tags")
    assert bench.chosen == {(0, 0), (0, 1)}
    bench.search.setText("water")
    assert bench.sheet.found == {(0, 0), (0, 1)}
    QTest.keyClick(bench.search, Qt.Key.Key_Return)
    assert bench.chosen == {(0, 0), (0, 1)}


def test_the_large_tile_lies_among_those_that_it_would_join(window, bench):
    tileset = window.session.tileset
    kit = next(each for each in tileset.sets if each.name == "Pans")
    marks = kit.marks_within(tileset.rows, tileset.columns)
    at = next((r, c) for r, c in np.argwhere(marks.any(axis=2)).tolist()
              if len(set(marks[r, c][[1, 3, 5, 7]].tolist())) > 1)  # fmt: skip
    bench.sheet.choose([at])
    settle()
    assert len(bench.big.beside) >= 5
    joined = pixels(bench.big)
    bench.big.beside = None  # as a tile of no set, itself all round
    assert (pixels(bench.big) != joined).any()


def wheel(widget, at, up):
    """Turn the wheel by one notch over a place of a widget."""
    where = QPointF(*at)
    turned = QPoint(0, 120 if up else -120)
    none, phase = Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase
    event = QWheelEvent(
        where, QPointF(widget.mapToGlobal(where.toPoint())), QPoint(), turned,
        Qt.MouseButton.NoButton, none, phase, False,
    )  # fmt: skip
    QApplication.sendEvent(widget, event)


@pytest.mark.parametrize("which", ["big", "pad"])
def test_the_wheel_comes_nearer_to_what_is_under_the_pointer(window, bench, qtbot, which):
    bench.sheet.choose([(1, 1)])
    bench.tabs.setCurrentIndex(TABS.index("Weight" if which == "big" else "Shapes"))
    settle()
    big = getattr(bench, which)
    first = big.frame_of(16, 16)
    at = (first.left() + first.width() * 0.75, first.top() + first.height() * 0.25)
    sizes = []
    for up in (True, True, True, True, True, False, False, False, False):
        wheel(big, at, up)
        frame = big.frame_of(16, 16)
        sizes.append(frame.width() / 16)
        if up:  # the same pixel of the tile stays under the pointer
            assert abs((at[0] - frame.left()) / frame.width() - 0.75) < 0.02
            assert abs((at[1] - frame.top()) / frame.height() - 0.25) < 0.02
    nearest = sizes.index(24.0)
    assert sizes[nearest:5] == [24.0] * (5 - nearest)
    assert sizes[-1] * 16 == first.width()
    assert big.frame_of(16, 16) == first
    wheel(big, at, True)
    before = big.frame_of(16, 16)
    qtbot.mousePress(big, Qt.MouseButton.MiddleButton, pos=QPoint(40, 40))
    qtbot.mouseMove(big, QPoint(52, 33))
    QApplication.sendEvent(big, moved(big, (52, 33)))
    qtbot.mouseRelease(big, Qt.MouseButton.MiddleButton, pos=QPoint(52, 33))
    after = big.frame_of(16, 16)
    assert abs(after.left() - before.left() - 12) <= 1
    assert abs(after.top() - before.top() + 7) <= 1
    if which == "pad":  # what is drawn while near lies where the pointer was
        bench.pad.set_mode("box")
        bench.pad.set_kind("solid")
        count = len(bench.pad.shapes)
        a, b = bench.pad.to_screen((4, 4)).toPoint(), bench.pad.to_screen((9, 11)).toPoint()
        qtbot.mousePress(big, Qt.MouseButton.LeftButton, pos=a)
        QApplication.sendEvent(big, moved(big, (b.x(), b.y()), Qt.MouseButton.LeftButton))
        qtbot.mouseRelease(big, Qt.MouseButton.LeftButton, pos=b)
        assert len(bench.pad.shapes) == count + 1
        assert bench.pad.shapes[-1].corners == ((4, 4), (9, 11))
    bench.sheet.choose([(1, 2)])
    assert big.frame_of(16, 16) == first


def moved(widget, at, held=Qt.MouseButton.MiddleButton):
    """A move of the pointer with a button held."""
    where = QPointF(*at)
    return QMouseEvent(
        QEvent.Type.MouseMove, where, QPointF(widget.mapToGlobal(where.toPoint())),
        Qt.MouseButton.NoButton, held, Qt.KeyboardModifier.NoModifier,
    )  # fmt: skip


def test_properties_are_typed_and_wrong_values_are_refused(window, bench, tmp_path):
    tileset = window.session.tileset
    bench.tabs.setCurrentIndex(TABS.index("Properties"))
    bench.sheet.choose([(0, 0), (0, 1)])
    bench.properties.add.click()
    name, kind, value = bench.properties.fields["property"]
    name.setText("depth")
    name.editingFinished.emit()
    settle()
    _, kind, value = bench.properties.fields["depth"]
    kind.activated.emit(list(PropertyKind).index(PropertyKind.WHOLE))
    settle()
    value = bench.properties.fields["depth"][2]
    assert value.text() == "0"
    value.setText("deep")
    value.editingFinished.emit()
    assert "which is no whole number" in window.notices.text.text()
    value = bench.properties.fields["depth"][2]
    assert value.text() == "0"
    value.setText("7")
    value.editingFinished.emit()
    settle()
    assert tileset.fact(0, 1).properties[0].typed == 7
    bench.sheet.choose([(0, 1), (0, 2)])
    assert bench.properties.fields["depth"][2].placeholderText() == "different"
    window.files.save_to(tmp_path / "saved")
    wait_for_jobs()
    settle()
    again = open_project(tmp_path / "saved").project.tilesets[0]
    assert again.fact(0, 0).properties == tileset.fact(0, 0).properties
    bench.properties.removed.emit("depth")
    assert not tileset.fact(0, 1).properties


def test_a_set_moves_by_blocks_in_one_act_and_still_knits(window, bench, monkeypatch):
    session, tileset = window.session, window.session.tileset
    ground = session.map.layers[0]
    before = ground.cells.copy()
    bench.tabs.setCurrentIndex(TABS.index("Moves"))
    bench.sheet.choose([(1, 0), (1, 1)])
    bench.moves.blocks.setValue(3)
    bench.moves.ms.setValue(50)
    bench.moves.move_blocks()
    settle()
    assert [(f.row, f.col, f.ms) for f in tileset.fact(1, 1).frames] == [
        (1, 1, 50), (1, 3, 50), (1, 5, 50)
    ]  # fmt: skip
    assert session.doc.history.undo_name == "Let 2 tiles move"
    assert (ground.cells == before).all()
    assert "2 of 2 move" in bench.moves.words.text()
    with monkeypatch.context() as clock:
        begun = bench.big._begun
        for ms, col in ((10, 0), (60, 2), (110, 4), (160, 0)):  # a loop takes 150 ms
            clock.setattr(bigtile, "monotonic", lambda ms=ms: begun + ms / 1000)
            assert (bench.big.shown().row, bench.big.shown().col) == (1, col)
    bench.moves.play.click()
    first = bench.big.shown()
    bench.big.step()
    assert bench.big.shown() != first
    bench.moves.blocks.setValue(200)
    bench.moves.move_blocks()
    assert "would end in row" in window.notices.text.text()
    bench.moves._still()
    assert tileset.fact(1, 0) is PLAIN or not tileset.fact(1, 0).frames
    bench.moves.play.click()


def test_overlays_show_what_is_known_and_left_out_tiles_are_never_used(window, bench):
    shown = []
    for place in range(len(OVERLAYS)):
        bench.overlay.setCurrentIndex(place)
        bench.overlay.activated.emit(place)
        settle()
        shown.append(pixels(bench.sheet))
    assert (shown[0] != shown[-1]).any()  # weights are written on the tiles
    bench.sheet.choose([(0, 3)])
    bench.never.click()
    assert (0, 3) in window.session.tileset.left_out
    bench.choose_by("not on any map")
    assert (0, 3) in bench.chosen or (0, 3) in window.session.tileset.left_out
    bench.overlay.setCurrentIndex(0)
    bench.overlay.activated.emit(0)


def test_choosing_ten_thousand_tiles_takes_no_frame_too_long(window, bench, qtbot):
    import numpy as np

    from knitground.core.edit.sheets import add_tileset
    from knitground.core.model.slicing import Slicing
    from knitground.core.model.tileset import Tileset

    picture = np.random.default_rng(1).integers(0, 255, (800, 800, 4), np.uint8)
    big = Tileset("big", "big.png", 800, 800, Slicing(8, 8), picture=picture)
    window.session.apply(add_tileset(window.session.project, big))
    window.session.choose_tileset(big)
    settle()
    bench.choose_by("all")
    assert len(bench.chosen) == 10_000
    bench.weight.setValue(4)
    assert len(big.facts) == 10_000
    assert len({id(each) for each in big.facts.values()}) == 1  # one fact, held once
    # What takes long is counted once nothing has changed for a moment.

    def words():
        return [each.text() for each in bench.findChildren(QLabel) if each.isVisible()]

    qtbot.waitUntil(lambda: "counting…" in words())
    qtbot.waitUntil(lambda: "counting…" not in words())
    wait_for_jobs()
    settle()
    assert any("No marks" in each for each in words())
    window.session.undo()
    assert not big.facts


def test_the_status_line_tells_a_tile_under_the_pointer(window, bench):
    move(bench.sheet, at(bench, 0, 0))
    assert "tile 0: column 0, row 0" in window.under.toolTip()
    QTest.mouseClick(bench.sheet, LEFT, NONE, at(bench, 0, 0))
    QTest.mouseClick(bench.sheet, LEFT, NONE, bench.sheet.sheet_point(-40, -40))
    assert not bench.chosen


def test_where_no_tile_is_chosen_one_is_shown_faintly(bench):
    bench.sheet.choose([])
    settle()
    assert bench.big.faint
    faint = pixels(bench.big)
    assert len(np.unique(faint)) > 4  # a tile, no grey box
    bench.sheet.choose([(0, 0)])
    settle()
    assert not bench.big.faint
    assert (pixels(bench.big) != faint).any()
