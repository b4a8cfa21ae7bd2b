"""Shapes and frames in the real window: drawn, bent, traced, from terrain, shown merged."""

import threading

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDrag, QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QColorDialog, QDialog
from tests.ui.conftest import LEFT, NONE, click, drag, pixels, settle, settle_view

from knitground.core.base.errors import EditError
from knitground.core.edit.hand import TerrainInHand
from knitground.core.edit.layers import show_layer
from knitground.core.edit.shapes import clear_shapes
from knitground.core.files.opening import open_project
from knitground.core.model.shapes import ShapeForm, TileShape
from knitground.core.model.tileset import Frame
from knitground.ui.common.zoom import STEPS
from knitground.ui.mapside.canvas import shapes
from knitground.ui.stages.tiles.bench import TABS
from knitground.ui.stages.tiles.framestrip import tiles_mime
from knitground.ui.stages.tiles.kinddialog import KindDialog
from knitground.ui.stages.tiles.shapepad import MODES
from knitground.ui.stages.tiles.terrainshapes import TerrainShapesDialog


@pytest.fixture
def bench(window):
    session = window.session
    session.choose_tileset(session.project.tileset_named("props"))
    window.show_stage("tiles")
    bench = window.stages["tiles"]
    bench.sheet.choose([(0, 1)])
    bench.tabs.setCurrentIndex(TABS.index("Shapes"))
    bench.shapes.modes.button(MODES.index("box")).click()
    bench.shapes.snap.setCurrentIndex(0)
    bench.shapes.snap.activated.emit(0)
    bench.shapes.most.setValue(2)
    settle()
    session.do(lambda: clear_shapes(session.tileset, [(0, n) for n in range(6)]))
    session.doc.mark_saved()
    settle()
    return bench


def spot(pad, x, y):
    place = pad.to_screen((x, y))
    return QPoint(round(place.x()), round(place.y()))


def merged(view, kind="solid"):
    """What the view shows of a kind, once all of it is there."""
    for _ in range(200):
        view.repaint()
        settle()
        if not view.shapes.waiting:
            break
    return [rings for name, rings in view.shapes.outlines.kinds if name == kind]


def use(bench, mode):
    bench.shapes.modes.button(MODES.index(mode)).click()
    settle()


def test_boxes_and_rounds_are_dragged_and_snap_to_pixels_halves_or_not(window, bench):
    pad, tileset = bench.pad, window.session.tileset
    drag(pad, spot(pad, 2.2, 3.3), spot(pad, 9.6, 12.4))
    assert tileset.fact(0, 1).shapes == (TileShape("solid", ShapeForm.BOX, ((2, 3), (10, 12))),)
    assert window.session.doc.history.undo_name == "Draw “solid” on 1 tile"
    bench.shapes.snap.setCurrentIndex(1)
    bench.shapes.snap.activated.emit(1)
    use(bench, "round")
    drag(pad, spot(pad, 9.5, 9.5), spot(pad, 4.4, 2.6))
    assert tileset.fact(0, 1).shapes[1].corners == ((4.5, 2.5), (9.5, 9.5))
    bench.shapes.snap.setCurrentIndex(2)
    bench.shapes.snap.activated.emit(2)
    use(bench, "box")
    drag(pad, spot(pad, 1.3, 1.3), spot(pad, 6.7, 6.7))
    free = tileset.fact(0, 1).shapes[2].corners
    assert abs(free[0][0] - 1.3) < 0.2
    assert free[0][0] % 0.5 != 0
    drag(pad, spot(pad, 3, 3), spot(pad, 3, 9))  # no area: nothing is drawn
    assert len(tileset.fact(0, 1).shapes) == 3
    window.session.undo()
    settle()
    assert len(bench.pad.shapes) == 2
    assert "2 shapes" in bench.shapes.words.text() or bench.pad.meetings == []


def test_a_polygon_is_clicked_closed_called_off_and_refused_if_it_crosses_itself(window, bench):
    pad, tileset = bench.pad, window.session.tileset
    use(bench, "polygon")
    for corner in ((0, 16), (16, 16), (8, 2)):
        click(pad, spot(pad, *corner))
    QTest.keyClick(pad, Qt.Key.Key_Return)
    assert tileset.fact(0, 1).shapes[0].corners == ((0, 16), (16, 16), (8, 2))
    for corner in ((0, 0), (4, 0), (4, 4)):
        click(pad, spot(pad, *corner))
    QTest.keyClick(pad, Qt.Key.Key_Backspace)
    click(pad, spot(pad, 2, 6))
    click(pad, spot(pad, 0, 0))  # its first corner closes it
    assert tileset.fact(0, 1).shapes[1].corners == ((0, 0), (4, 0), (2, 6))
    for corner in ((0, 0), (8, 8), (8, 0), (0, 8)):
        click(pad, spot(pad, *corner))
    QTest.keyClick(pad, Qt.Key.Key_Return)
    assert "crosses itself" in window.notices.text.text()
    assert len(tileset.fact(0, 1).shapes) == 2
    assert pad.points  # what was drawn is not lost: a corner can be taken back
    QTest.keyClick(pad, Qt.Key.Key_Backspace)
    QTest.keyClick(pad, Qt.Key.Key_Return)
    assert len(tileset.fact(0, 1).shapes) == 3
    click(pad, spot(pad, 3, 3))
    QTest.keyClick(pad, Qt.Key.Key_Escape)
    assert not pad.points
    assert bench.chosen  # Esc called off the drawing, not the choice


def test_corners_are_dragged_added_and_taken_away_with_mouse_and_keys(window, bench):
    pad, tileset = bench.pad, window.session.tileset
    drag(pad, spot(pad, 2, 2), spot(pad, 10, 12))
    use(bench, "change")
    drag(pad, spot(pad, 10, 12), spot(pad, 14, 14))
    assert tileset.fact(0, 1).shapes[0].corners == ((2, 2), (14, 14))
    drag(pad, spot(pad, 7, 7), spot(pad, 8, 6))
    assert tileset.fact(0, 1).shapes[0].corners == ((3, 1), (15, 13))
    QTest.mouseDClick(pad, LEFT, NONE, spot(pad, 9, 1))
    settle()
    now = tileset.fact(0, 1).shapes[0]
    assert now.form is ShapeForm.POLYGON
    assert now.corners == ((3, 1), (9, 1), (15, 1), (15, 13), (3, 13))
    assert pad.corner == 1
    QTest.keyClick(pad, Qt.Key.Key_Down)
    assert tileset.fact(0, 1).shapes[0].corners[1] == (9, 2)
    QTest.keyClick(pad, Qt.Key.Key_Delete)
    assert len(tileset.fact(0, 1).shapes[0].corners) == 4
    before = tileset.fact(0, 1).shapes
    QTest.mousePress(pad, LEFT, NONE, spot(pad, 3, 1))
    QTest.mouseMove(pad, spot(pad, 0, 0))
    QTest.keyClick(pad, Qt.Key.Key_Escape)
    QTest.mouseRelease(pad, LEFT, NONE, spot(pad, 0, 0))
    assert tileset.fact(0, 1).shapes == before
    bench.shapes.corners.setFocus()
    bench.shapes.corners.setText("0,0 16,0 16,7.5")
    QTest.keyClick(bench.shapes.corners, Qt.Key.Key_Return)
    assert tileset.fact(0, 1).shapes[0].corners == ((0, 0), (16, 0), (16, 7.5))
    bench.shapes.corners.setText("0,0 x")
    QTest.keyClick(bench.shapes.corners, Qt.Key.Key_Return)
    assert "is no corner" in window.notices.text.text()
    assert bench.shapes.corners.text().startswith("0,0")
    pad.setFocus()
    pad.choose(0)
    QTest.keyClick(pad, Qt.Key.Key_Right)
    assert tileset.fact(0, 1).shapes[0].corners[0] == (1, 0)
    QTest.keyClick(pad, Qt.Key.Key_Delete)
    assert not tileset.fact(0, 1).shapes


def test_outlines_of_all_props_are_traced_in_one_act_and_told(window, bench):
    session, tileset = window.session, window.session.tileset
    bench.sheet.choose([(0, n) for n in range(6)])
    bench.shapes.tolerance.setFocus()
    bench.shapes.tolerance.setValue(0.5)
    bench.shapes.most.setFocus()
    bench.shapes.most.setValue(5)
    settle()
    assert bench.pad.ghost
    assert "px lost" in bench.shapes.words.text()
    assert not tileset.fact(0, 1).shapes  # that was only shown
    bench.shapes.trace()
    settle()
    assert session.doc.history.undo_name == "Outline of 6 tiles"
    assert "6 tiles:" in window.notices.text.text()
    corners = [len(s.corners) for n in range(6) for s in tileset.fact(0, n).shapes]
    assert 3 <= min(corners) <= max(corners) <= 5
    bench.shapes.copy()
    assert tileset.fact(0, 5).shapes == tileset.fact(0, 0).shapes
    bench.shapes.turn(4)
    xs = [x for shape in tileset.fact(0, 0).shapes for x, _ in shape.corners]
    mirrored = [16 - x for s in tileset.fact(0, 3).shapes for x, _ in s.corners]
    assert min(xs) <= max(mirrored)
    bench.shapes.clear()
    assert not tileset.fact(0, 3).shapes


def test_a_ring_set_gets_its_shapes_from_terrain_and_the_map_shows_them_merged(
    window, bench, monkeypatch
):
    session, view = window.session, window.mapside.view
    works = session.project.tileset_named("works")
    session.choose_tileset(works)
    settle()
    session.do(lambda: clear_shapes(works, list(works.facts)))
    bench.sheet.choose([(3, 3)])

    def accept(dialog):
        assert isinstance(dialog, TerrainShapesDialog)
        names = [dialog.sets.itemText(n) for n in range(dialog.sets.count())]
        dialog.sets.setCurrentIndex(names.index("Dykes (works)"))
        dialog.px.setValue(3)
        assert dialog.told.text().startswith("47 of 47 tiles")
        assert dialog.tiles.tiles
        dialog.grab()
        return True

    monkeypatch.setattr("knitground.ui.stages.tiles.shapespage.answered", accept)
    view.session.show(shapes=True)
    settle_view(view)
    before = pixels(view)
    bench.shapes.from_terrain()
    settle()
    settle_view(view)
    assert session.doc.history.undo_name == "“solid” for “brick”: 47 tiles"
    assert "sides meet" in bench.shapes.words.text()
    assert (pixels(view) != before).mean() > 0.005
    bench.shapes.kinds.setCurrentIndex(0)
    bench.pad.setFocus()
    QTest.keyClick(bench.pad, Qt.Key.Key_Down)  # one pixel down: nothing meets any more
    settle()
    assert "neighbours differ" in bench.shapes.words.text()
    assert any(each.steps for each in bench.pad.meetings)
    # A cell that is laid on the map has its shape there at once.
    window.show_stage("draw")
    QTest.qWait(200)  # the bench is as wide as it will be
    settle_view(view)
    session.choose_layer(session.map.layers[3])
    shown = pixels(view)
    view.session.show(shapes=False)
    session.undo()
    session.undo()
    view.session.show(shapes=True)
    settle_view(view)
    assert (pixels(view) != shown).any()
    view.session.show(shapes=False)


def test_shapes_on_the_map_follow_a_stroke(window, bench):
    session, view = window.session, window.mapside.view
    window.show_stage("draw")
    session.choose_layer(session.map.layers[3])
    view.session.show(shapes=True)
    session.take(TerrainInHand("works", "Dykes", 1, "brick"))
    session.set_size(1)
    session.choose_tool("paint")
    settle_view(view)
    view.show_cell(30, 60)
    settle_view(view)
    before = merged(view)
    drag(view, view.screen_at(30, 60), view.screen_at(30, 64))
    assert merged(view) != before
    session.undo()
    assert merged(view) == before
    view.session.show(shapes=False)


def test_kinds_are_made_changed_and_removed_by_dialog(window, bench, monkeypatch):
    session, page = window.session, bench.shapes
    answers = iter([("mud", "", "#335577"), ("mire", "Q", "#335577")])

    def fill(dialog):
        assert isinstance(dialog, KindDialog)
        name, letter, colour = next(answers)
        dialog.name.setText(name)
        dialog.letter.setText(letter)
        monkeypatch.setattr(QColorDialog, "getColor", lambda *_: __import__(
            "PySide6.QtGui", fromlist=["QColor"]).QColor(colour))  # fmt: skip
        dialog.paint.click()
        dialog.accept()
        return dialog.result() == QDialog.DialogCode.Accepted

    monkeypatch.setattr("knitground.ui.stages.tiles.shapespage.answered", fill)
    page.new_kind()
    assert session.project.shape_kinds[-1].letter == "M"
    assert page.kinds.currentText() == "M  mud"
    drag(bench.pad, spot(bench.pad, 2, 2), spot(bench.pad, 8, 8))
    page.edit_kind()
    assert session.tileset.fact(0, 1).shapes[0].kind == "mire"
    assert page.kinds.currentText() == "Q  mire"
    page.drop_kind()
    assert "was on 1 tile" in window.notices.text.text()
    assert not session.tileset.fact(0, 1).shapes
    session.undo()
    settle()
    assert session.tileset.fact(0, 1).shapes
    use(bench, "change")
    bench.pad.choose(0)
    page.choose_kind("water")
    assert session.tileset.fact(0, 1).shapes[0].kind == "water"


def test_shapes_are_saved_and_choosing_finds_tiles_without(window, bench):
    session = window.session
    bench.sheet.choose([(0, 0), (0, 1)])
    drag(bench.pad, spot(bench.pad, 2, 2), spot(bench.pad, 8, 8))
    bench.choose_by("without a shape")
    assert (0, 0) not in bench.chosen
    assert (0, 2) in bench.chosen
    window.files.save()
    settle()
    again = open_project(session.project.folder).project
    assert again.tileset_named("props").facts == session.tileset.facts


def test_ten_thousand_tiles_get_shapes_and_lose_them_again(window, bench):
    session = window.session
    rows, cols = np.indices((800, 800))
    size = 4 + (rows // 8 * 100 + cols // 8) % 37 / 4
    picture = np.zeros((800, 800, 4), np.uint8)
    picture[..., 3] = ((rows % 8 - 3.5) ** 2 + (cols % 8 - 3.5) ** 2 < size) * 255
    window.sheets.add_picture(picture, "many")
    from dataclasses import replace

    from knitground.core.edit.reslice import use_slicing

    tileset = session.tileset
    cut = replace(tileset.slicing, tile_width=8, tile_height=8)
    session.do(lambda: use_slicing(session.project, tileset, cut)[0])
    window.show_stage("tiles")
    bench.choose_by("all")
    assert len(bench.chosen) == 10_000
    bench.shapes.trace()
    settle()
    assert len(tileset.facts) == 10_000
    bench.shapes.turn(1)
    session.undo()
    session.undo()
    assert not tileset.facts


# Frames


def drop_on(strip, data, x=4):
    actions, buttons = Qt.DropAction.CopyAction, Qt.MouseButton.LeftButton
    strip.dropEvent(QDropEvent(QPointF(x, 20), actions, data, buttons, NONE))
    settle()


@pytest.fixture
def moves(window, bench):
    bench.tabs.setCurrentIndex(TABS.index("Moves"))
    settle()
    return bench.moves


def test_tiles_dragged_out_of_the_sheet_become_frames(window, bench, moves, monkeypatch):
    tileset, sheet = window.session.tileset, bench.sheet
    carried = []

    def exec_(drag_, *_):
        data = QMimeData()
        for kind in drag_.mimeData().formats():
            data.setData(kind, drag_.mimeData().data(kind))
        carried.append(data)

    monkeypatch.setattr(QDrag, "exec", exec_)
    start = sheet.tile_rect(0, 3).center().toPoint()
    out = QPoint(start.x() + 20, sheet.height() + 40)
    drag(sheet, start, sheet.tile_rect(0, 4).center().toPoint(), out)
    assert bench.chosen == {(0, 1)}  # what was chosen before gets them
    drop_on(moves.strip, carried[0])
    assert tileset.fact(0, 1).frames == (Frame(0, 1, 160), Frame(0, 3, 160), Frame(0, 4, 160))


def test_frames_are_moved_timed_and_taken_away_in_the_strip(window, bench, moves):
    session, tileset, strip = window.session, window.session.tileset, moves.strip
    drop_on(strip, tiles_mime("props", [(0, 2), (0, 3)]), 400)
    drop_on(strip, tiles_mime("shimmer", [(1, 1)]), 400)
    places = [(f.row, f.col, f.tileset) for f in tileset.fact(0, 1).frames]
    assert places == [(0, 1, ""), (0, 2, ""), (0, 3, ""), (1, 1, "shimmer")]
    middle = [strip.rect_of(n).center().toPoint() for n in range(4)]
    drag(strip, middle[3], QPoint(2, 20))
    assert tileset.fact(0, 1).frames[0].tileset == "shimmer"
    click(strip, middle[1])
    moves.ms.setValue(40)
    moves.ms.setValue(45)
    assert [f.ms for f in tileset.fact(0, 1).frames] == [160, 45, 160, 160]
    assert bench.big.shown() == bench.big.shown()._replace(row=0, col=1)
    QTest.keyClick(strip, Qt.Key.Key_Right)
    assert strip.number == 2
    QTest.keyClick(strip, Qt.Key.Key_Left, Qt.KeyboardModifier.AltModifier)
    assert [f.col for f in tileset.fact(0, 1).frames] == [1, 2, 1, 3]
    QTest.keyClick(strip, Qt.Key.Key_Delete)
    assert len(tileset.fact(0, 1).frames) == 3
    moves.apart.click()
    assert tileset.fact(0, 1).apart
    session.undo()
    settle()
    assert not moves.apart.isChecked()
    moves._step()
    bench.grab()


def test_picture_files_dropped_on_the_strip_become_frames(window, bench, moves, tmp_path):
    session, tileset = window.session, window.session.tileset
    paths = [tmp_path / f"frame {n}.png" for n in range(3)]
    for n, path in enumerate(paths):
        Image.new("RGBA", (16, 16), (60 * n, 90, 10, 255)).save(path)
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in reversed(paths)])
    drop_on(moves.strip, data)
    names = [f.tileset for f in tileset.fact(0, 1).frames]
    assert names == ["", "frame 0", "frame 1", "frame 2"]
    session.undo()
    settle()
    assert session.project.tileset_named("frame 0") is None
    Image.new("RGBA", (20, 16)).save(paths[0])
    moves.drop_files(paths[:1])
    settle()
    assert "a frame is as large as a tile" in window.notices.text.text()
    (tmp_path / "broken.png").write_bytes(b"nothing")
    moves.drop_files([tmp_path / "broken.png"])
    settle()
    assert "broken.png" in window.notices.text.text()


def test_a_block_moves_through_the_next_sheets(window, bench, moves):
    session = window.session
    pans = session.project.tilesets[0]
    session.choose_tileset(pans)
    settle()
    bench.sheet.choose([(0, 0), (0, 1)])
    moves.way.setCurrentIndex(2)
    moves.blocks.setValue(3)
    moves.move_blocks()
    assert [f.tileset for f in pans.fact(0, 1).frames] == ["", "props", "works"]
    moves.blocks.setValue(6)
    moves.move_blocks()
    assert "5 are needed" in window.notices.text.text()


def test_defaults_of_the_sheet_and_of_a_tag_reach_all_tiles_and_are_found(window, bench):
    session, tileset = window.session, window.session.tileset
    bench.tabs.setCurrentIndex(TABS.index("Properties"))
    bench.sheet.choose(())
    settle()
    bench.whose.setCurrentIndex(1)
    bench.whose.activated.emit(1)
    bench.properties.add_one()
    name, _, value = bench.properties.fields["property"]
    name.setText("floats")
    name.editingFinished.emit()
    value = bench.properties.fields["floats"][2]
    value.setText("yes")
    value.editingFinished.emit()
    settle()
    assert tileset.defaults[0].tag == ""
    assert tileset.properties_of(0, 5)[0].value == "yes"
    bench.whose.setCurrentIndex(0)
    bench.whose.activated.emit(0)
    bench.sheet.choose([(0, 5)])
    settle()
    assert "floats = yes" in bench.inherited.text()
    bench.search.setText("floats=yes")
    assert len(bench.sheet.found) == tileset.count
    bench.search.clear()
    bench.whose.setCurrentIndex(1)
    bench.whose.activated.emit(1)
    bench.properties.removed.emit("floats")
    assert not tileset.defaults
    bench.whose.setCurrentIndex(0)
    assert session.doc.history.undo_name.startswith("“floats” of all tiles of “props”")


def test_shapes_are_merged_beside_the_interface_and_a_short_pan_needs_no_new_picture(
    window, monkeypatch
):
    view, threads, make = window.mapside.view, [], shapes._make

    def seen(*given):
        threads.append(threading.current_thread())
        return make(*given)

    monkeypatch.setattr(shapes, "_make", seen)
    view.zoom_to(STEPS.index(2))
    view.session.show(shapes=True)
    settle_view(view)
    assert threads
    assert threading.main_thread() not in threads
    made, before = len(threads), pixels(view)
    view.camera.left -= 40
    settle_view(view)
    moved = pixels(view)
    assert len(threads) == made
    assert (moved[:, :-40] == before[:, 40:]).mean() > 0.99
    view.camera.left -= 200
    settle_view(view)
    assert len(threads) == made + 1
    shown = pixels(view)
    view.shapes._picture = None
    settle_view(view)
    assert (pixels(view) == shown).all()
    view.session.show(shapes=False)
    assert (pixels(view) != shown).mean() > 0.005


def test_a_fault_while_shapes_are_merged_is_told_and_not_met_again_and_again(window, monkeypatch):
    view, session, tried = window.mapside.view, window.session, []

    def fails(_laid):
        tried.append(1)
        raise EditError("no")

    monkeypatch.setattr(shapes, "merge", fails)
    view.session.show(shapes=True)
    settle_view(view)
    settle_view(view)
    assert len(tried) == 1
    assert not view.shapes.waiting
    monkeypatch.undo()
    session.do(lambda: show_layer(session.map, session.map.layers[2], False))
    settle_view(view)
    assert view.shapes.outlines.kinds
