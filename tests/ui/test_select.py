"""Select in the real window: box, lasso, same tiles, regions; moving, copying, pasting, filling."""

import json
import os
import shutil
import subprocess
import sys

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QMimeData, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from tests.maps import small_project, snapshot
from tests.ui.conftest import click, drag, move, pixels, props_view, settle

from knitground.core.base.window import Box
from knitground.core.edit.hand import PatchInHand, TerrainInHand, TileInHand
from knitground.core.edit.selecting import (
    Selection,
    combined,
    plan_move,
    select_box,
    select_like,
    select_outline,
    trimmed,
)
from knitground.core.model.tile import TileRef
from knitground.ui.mapside.copypaste import KIND

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


def cells_of(chosen, size=(12, 12)):
    out = np.zeros(size, bool)
    if chosen is not None:
        box = chosen.box
        out[box.top : box.bottom, box.left : box.right] = chosen.mask
    return out


boxes = st.tuples(st.integers(0, 8), st.integers(0, 8), st.integers(1, 4), st.integers(1, 4))


@given(boxes, boxes, st.sampled_from(["new", "add", "less"]))
def test_selections_combine_as_sets_of_cells_do(one, two, how):
    map_ = small_project((12, 12))[1]
    first, second = (select_box(map_, Box(t, c, t + h, c + w)) for t, c, h, w in (one, two))
    a, b = cells_of(first), cells_of(second)
    wanted = {"new": b, "add": a | b, "less": a & ~b}[how]
    found = combined(first, second, how)
    assert (cells_of(found) == wanted).all()
    if found is not None:
        assert found.mask[0].any()
        assert found.mask[:, -1].any()
        assert found.count == wanted.sum()


def test_a_lasso_holds_the_cells_whose_middle_is_inside():
    map_ = small_project((12, 12))[1]
    triangle = [(1.0, 1.0), (1.0, 9.0), (9.0, 1.0)]
    found = cells_of(select_outline(map_, triangle))
    for row in range(12):
        for col in range(12):
            y, x = row + 0.5, col + 0.5
            assert found[row, col] == (y > 1 and x > 1 and y + x < 10)
    assert select_outline(map_, triangle[:2]) is None
    assert select_outline(map_, [(-5, -5), (-5, -1), (-1, -3)]) is None
    assert trimmed(Box(0, 0, 2, 2), np.zeros((2, 2), bool)) is None


@given(st.integers(0, 2**31), st.integers(-6, 6), st.integers(-6, 6))
def test_a_moved_selection_takes_its_tiles_along_and_undo_brings_them_back(seed, down, across):
    doc, map_, _, tiles = small_project((10, 10))
    doc.knitter.ensure_all(map_)
    rng = np.random.default_rng(seed)
    tiles.cells[:] = rng.integers(0, 4, (10, 10))
    start, before = snapshot(doc.project), tiles.cells.copy()
    mask = rng.random((4, 5)) < 0.6
    chosen = trimmed(Box(3, 2, 7, 7), mask)
    if chosen is None:
        return
    doc.apply(plan_move(doc, map_, tiles, chosen, down, across).edit)
    wanted = before.copy()
    picked = cells_of(chosen, (10, 10))
    wanted[picked] = 0
    for row, col in np.argwhere(picked):
        r, c = row + down, col + across
        if before[row, col] and 0 <= r < 10 and 0 <= c < 10:
            wanted[r, c] = before[row, col]
    assert (tiles.cells == wanted).all()
    doc.undo()
    assert snapshot(doc.project) == start


def test_the_same_tile_is_found_wherever_it_lies():
    doc, map_, _, tiles = small_project((8, 8))
    doc.knitter.ensure_all(map_)
    tiles.cells[[1, 5, 7], [2, 6, 0]] = 3
    assert select_like(doc, map_, tiles, 5, 6).count == 3
    assert select_like(doc, map_, tiles, 0, 0).count == 61


# In the window


@pytest.fixture
def view(window):
    props_view(window, "select")
    session = window.session
    window.mapside.view.show_cell(8, 8)
    window.mapside.view.leaveEvent(None)
    cells = session.map.layers[2].cells
    cells[:24, :24] = 0
    for n, at in enumerate([(4, 4), (4, 5), (5, 5), (6, 4)]):
        cells[at] = session.map.legend.place(TileRef("props", 0, n))
    return window.mapside.view


def test_a_drag_selects_shift_adds_ctrl_takes_away_and_escape_restores(window, view):
    session = window.session
    empty = pixels(view)
    drag(view, view.screen_at(4, 4), view.screen_at(6, 6))
    assert session.selection.count == 9
    assert (pixels(view) != empty).any()
    drag(view, view.screen_at(9, 9), view.screen_at(9, 10), modifiers=SHIFT)
    assert session.selection.count == 11
    drag(view, view.screen_at(4, 4), view.screen_at(4, 6), modifiers=CTRL)
    assert session.selection.count == 8
    kept = session.selection
    drag(view, view.screen_at(12, 2), view.screen_at(14, 8), release=False)
    assert session.selection.count == 21
    QTest.keyClick(window.shell, Qt.Key.Key_Escape)
    assert session.selection is kept
    assert session.doc.history.names == []
    QTest.keyClick(window.shell, Qt.Key.Key_A, CTRL)
    assert session.selection.count == 96 * 64
    QTest.keyClick(window.shell, Qt.Key.Key_A, CTRL | SHIFT)
    assert session.selection is None


@pytest.mark.parametrize(("way", "count"), [("lasso", 16), ("same tile", 1), ("region", None)])
def test_other_ways_to_select(window, view, way, count):
    session = window.session
    session.set_options(select_way=way)
    if way == "lasso":
        points = [(2, 2), (2, 6), (6, 6), (6, 2)]
        drag(view, *(view.screen_at(r, c) for r, c in points))
    elif way == "same tile":
        session.map.layers[2].cells[:] = 0
        session.map.layers[2].cells[4, 5] = session.map.legend.place(TileRef("props", 0, 1))
        click(view, view.screen_at(4, 5))
    else:
        session.choose_layer(session.map.layers[0])
        click(view, view.screen_at(8, 8))
        ground = session.map.layers[0].terrain
        assert session.selection.holds(8, 8)
        inside = cells_of(session.selection, (64, 96))
        assert (ground[:-1, :-1][inside] == ground[8, 8]).all()
        return
    assert session.selection.count == count


def test_what_is_selected_is_dragged_with_its_ghost_and_a_click_drops_it(window, view):
    session = window.session
    layer = session.map.layers[2]
    start = snapshot(session.project)
    before = layer.cells.copy()
    drag(view, view.screen_at(4, 4), view.screen_at(6, 5))
    points = [view.screen_at(5, 5), view.screen_at(7, 8), view.screen_at(10, 9)]
    drag(view, *points, release=False)
    plan = view.plan
    assert plan.changes_anything
    assert (layer.cells == before).all()
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=points[-1])
    assert (session.doc.cells(session.map, layer, plan.box) == plan.cells).all()
    assert layer.cells[9, 8] == before[4, 4]
    assert not layer.cells[4:7, 4:6].any()
    assert session.selection.box == Box(9, 8, 12, 10)
    assert session.doc.history.names == ["Move selection"]
    click(view, view.screen_at(10, 8))
    assert session.selection is None
    session.doc.undo()
    assert snapshot(session.project) == start


def test_copied_cells_are_pasted_into_the_hand_and_are_a_picture_for_others(window, view):
    session = window.session
    drag(view, view.screen_at(4, 4), view.screen_at(6, 5))
    QTest.keyClick(window.shell, Qt.Key.Key_C, CTRL)
    data = QApplication.clipboard().mimeData()
    assert data.hasFormat(KIND)
    image = QApplication.clipboard().image()
    assert (image.width(), image.height()) == (2 * 16, 3 * 16)
    session.choose_map(session.project.maps[1])
    session.choose_layer(session.map.layers[1])
    QTest.keyClick(window.shell, Qt.Key.Key_V, CTRL)
    assert isinstance(session.hand, PatchInHand)
    assert session.tool == "paint"
    settle()
    session.map.layers[1].cells[:] = 0
    move(view, view.screen_at(10, 10))
    click(view, view.screen_at(10, 10))
    laid = session.map.layers[1].cells
    tiles = [session.map.legend.tile(int(p)) for p in laid[laid > 0]]
    assert sorted(tile.col for tile in tiles) == [0, 1, 2, 3]


def test_cut_erases_and_fill_lays_what_is_in_hand_on_the_selection(window, view):
    session = window.session
    layer = session.map.layers[2]
    start = snapshot(session.project)
    drag(view, view.screen_at(4, 4), view.screen_at(6, 5))
    QTest.keyClick(window.shell, Qt.Key.Key_X, CTRL)
    assert not layer.cells[4:7, 4:6].any()
    session.take(TileInHand(TileRef("props", 0, 5), 5))
    QTest.keyClick(window.shell, Qt.Key.Key_F, CTRL | SHIFT)
    assert (layer.cells[4:7, 4:6] == layer.cells[4, 4]).all()
    assert layer.cells[4, 4] > 0
    assert not layer.cells[7, 4]
    QTest.keyClick(window.shell, Qt.Key.Key_Delete)
    assert not layer.cells[4:7, 4:6].any()
    session.choose_layer(session.map.layers[0])
    session.take(TerrainInHand("pans", "Pans", 3, "clay"))
    QTest.keyClick(window.shell, Qt.Key.Key_F, CTRL | SHIFT)
    assert (session.map.layers[0].terrain[4:8, 4:7] == 3).all()
    assert session.doc.knitter.gaps(session.map.layers[0])[0] == 0
    while session.doc.undo():
        pass
    assert snapshot(session.project) == start


@pytest.mark.parametrize(
    ("kind", "words"),
    [("nothing", "The clipboard is empty"), ("text", "holds text, no tiles"),
     ("picture", "holds a picture"), ("broken", "is broken"), ("stranger", "does not have"),
     ("uneven", "is broken"), ("unlisted", "is broken"), ("behind", "is broken"),
     ("odd", "is broken")],
)  # fmt: skip
def test_what_can_not_be_pasted_says_why_and_the_cure(window, view, kind, words):
    data, tile = QMimeData(), ["props", 0, 0, 0]
    patches = {
        "stranger": (["elsewhere", 0, 0, 0], [[1]]),
        "uneven": (tile, [[1], []]),
        "unlisted": (tile, [[1, 2]]),
        "behind": (tile, [[0, -1]]),
        "odd": (["props", 0, 0, 9], [[1]]),
    }
    if kind == "text":
        data.setText("a poem")
    elif kind == "picture":
        data.setImageData(QImage(4, 4, QImage.Format.Format_RGB32))
    elif kind == "broken":
        data.setData(KIND, b'{"rows": [[1')
    elif kind in patches:
        tile, rows = patches[kind]
        data.setData(KIND, json.dumps({"name": "x", "tiles": [tile], "rows": rows}).encode())
    QApplication.clipboard().setMimeData(data)
    before, start = window.session.hand, snapshot(window.session.project)
    QTest.keyClick(window.shell, Qt.Key.Key_V, CTRL)
    settle()  # pictures are looked at beside the interface
    assert words in window.notices.text.text()
    assert window.session.hand is before
    assert snapshot(window.session.project) == start


def test_without_a_selection_the_commands_say_what_to_do(window, view):
    for key, words in ((Qt.Key.Key_C, "Select cells first"), (Qt.Key.Key_X, "Select cells first")):
        QTest.keyClick(window.shell, key, CTRL)
        assert words in window.notices.text.text()
    QTest.keyClick(window.shell, Qt.Key.Key_Delete)
    assert "not locked or hidden" in window.notices.text.text()
    window.session.map.layers[2].locked = True
    window.session.select(Selection(Box(0, 0, 1, 1), np.ones((1, 1), bool)))
    QTest.keyClick(window.shell, Qt.Key.Key_Delete)
    assert "not locked or hidden" in window.notices.text.text()
    assert window.session.doc.history.names == []


def test_cells_on_the_wrong_layer_go_to_another_with_one_command(window, view):
    session = window.session
    start = snapshot(session.project)
    before = session.map.layers[2].cells.copy()
    drag(view, view.screen_at(4, 4), view.screen_at(6, 5))
    window.commands.named("Selection to the layer behind").action.trigger()
    behind = session.map.layers[1]
    assert session.layer is behind
    assert not session.map.layers[2].cells[4:7, 4:6].any()
    hit = before[4:7, 4:6] > 0
    assert (behind.cells[4:7, 4:6][hit] == before[4:7, 4:6][hit]).all()
    assert behind.pinned[4:7, 4:6][hit].all()
    assert session.doc.history.names == ["Move 4 cells to “Causeway”"]
    window.commands.named("Selection to the layer in front").action.trigger()
    assert (session.map.layers[2].cells[4:7, 4:6] == before[4:7, 4:6]).all()
    assert not behind.pinned.any()  # its pins were moved, and it knits there again
    window.commands.named("Selection to the layer in front").action.trigger()
    assert session.layer is session.map.layers[3]
    session.select(select_box(session.map, Box(40, 60, 42, 62)))
    window.commands.named("Selection to the layer behind").action.trigger()
    assert "nothing was laid on “Dykes” there" in window.notices.text.text()
    for _ in range(3):
        session.doc.undo()
    assert snapshot(session.project) == start
    session.choose_layer(session.map.layers[-1])
    session.select(select_box(session.map, Box(4, 4, 7, 6)))
    window.commands.named("Selection to the layer in front").action.trigger()
    assert "no layer in front of" in window.notices.text.text()


def test_all_pins_of_a_layer_are_released_at_once(window, view):
    session = window.session
    ground = session.map.layers[0]
    session.doc.knitter.ensure_all(session.map)
    knitted, start = ground.cells.copy(), snapshot(session.project)
    session.choose_layer(ground)
    session.take(TileInHand(TileRef("props", 0, 5), 5))
    session.select(select_box(session.map, Box(2, 2, 5, 6)))
    QTest.keyClick(window.shell, Qt.Key.Key_F, CTRL | SHIFT)
    assert int(ground.pinned.sum()) == 12
    window.commands.named("Release all pins").action.trigger()
    assert not ground.pinned.any()
    assert (ground.cells == knitted).all()
    assert session.doc.history.undo_name == "Release 12 pins of “Pans”"
    window.commands.named("Release all pins").action.trigger()
    assert "has no pins" in window.notices.text.text()
    session.doc.undo()
    session.doc.undo()
    assert snapshot(session.project) == start


_COPY_AND_GO = """
import sys
from pathlib import Path
from knitground.core.base.window import Box
from knitground.core.edit.selecting import select_box
from knitground.ui import tour
from knitground.ui.mapside import clipboard
window = tour.make_window(Path(sys.argv[1]) / "memory")
window.files.open_project(Path(sys.argv[1]) / "demo")
tour.settle()
window.session.select(select_box(window.session.map, Box(2, 2, 9, 9)))
assert clipboard.copy(window.session)
window.shell.close()
"""


def test_a_program_that_has_copied_something_ends_in_peace(demo_folder, tmp_path):
    shutil.copytree(demo_folder, tmp_path / "demo")
    done = subprocess.run(
        [sys.executable, "-c", _COPY_AND_GO, str(tmp_path)],
        env={**os.environ, "QT_QPA_PLATFORM": "offscreen"}, capture_output=True, timeout=120,
        check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr.decode()[-500:]
