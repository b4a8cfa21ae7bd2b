"""Strips, sheets of one row or one column, stand in several lines: as a whole they are a thread."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from tests.core.test_guess import corner_art
from tests.ui.conftest import click, drag, pixels, settle

from knitground.core.files.images import png_bytes
from knitground.core.model.project import Project
from knitground.core.model.slicing import Slicing
from knitground.core.model.terrain import SetKind, Slot, Terrain, TerrainSet
from knitground.core.model.tileset import Tileset

SIDE, COUNT, GAP = 16, 45, 2


def strip(folder, tall):
    """A sheet of 45 tiles, each of a colour of its own, in one row or one column, gaps between."""
    pitch = SIDE + GAP
    long = COUNT * pitch - GAP
    picture = np.zeros((long, SIDE, 4) if tall else (SIDE, long, 4), np.uint8)
    for n in range(COUNT):
        part = picture[n * pitch :][:SIDE] if tall else picture[:, n * pitch :][:, :SIDE]
        part[:] = (4 * n, 255 - 4 * n, 60, 255)
    (folder / "strip.png").write_bytes(png_bytes(picture))
    high, wide = picture.shape[:2]
    cut = Slicing(SIDE, SIDE, spacing_x=0 if tall else GAP, spacing_y=GAP if tall else 0)
    owner = Tileset("strip", "strip.png", wide, high, cut, picture=picture)
    terrains = (Terrain("grass", "#408040", "g"), Terrain("sand", "#C0B070", "s"))
    owner.sets.append(TerrainSet("Ground", SetKind.CORNER, terrains))
    return Project("Strips", folder, [owner])


@pytest.fixture(params=[False, True], ids=["row", "column"])
def tall(request):
    return request.param


@pytest.fixture
def strips(empty_window, tmp_path, tall):
    empty_window.session.open(strip(tmp_path, tall))
    return empty_window


def place(tall, n):
    return (n, 0) if tall else (0, n)


@pytest.mark.parametrize("stage", ["terrains", "tiles", "draw"])
def test_tiles_of_a_strip_stand_in_lines_and_are_found_there(strips, stage, tall):
    strips.show_stage(stage)
    bench = strips.stages[stage]
    if stage == "draw":
        bench.tabs.setCurrentIndex(1)
    settle()
    sheet = bench.tiles if stage == "draw" else bench.sheet
    sheet.fit()
    settle()
    rects = [sheet.tile_rect(*place(tall, n)) for n in range(COUNT)]
    assert len({rect.top() for rect in rects}) > 2
    assert len({rect.left() for rect in rects}) > 2
    assert rects[0].width() >= SIDE, "as large as the art at least"
    view = sheet.rect()
    shown = pixels(sheet)
    for n, rect in enumerate(rects):
        assert view.contains(rect.toRect().adjusted(1, 1, -1, -1))
        middle = rect.center().toPoint()
        assert sheet.tile_at(rect.center()) == place(tall, n)
        if stage == "tiles":  # nothing is drawn over them there
            colour = int(shown[middle.y(), middle.x()])
            assert (colour >> 16 & 255, colour >> 8 & 255) == (4 * n, 255 - 4 * n)
    assert sheet.tile_at(rects[-1].center() + rects[-1].bottomRight() - rects[-1].topLeft()) is None
    assert sorted(sheet.seen_tiles()) == [place(tall, n) for n in range(COUNT)]


def test_marks_are_painted_by_pointer_and_keys_where_the_tile_stands(strips, tall):
    strips.show_stage("terrains")
    bench, sheet = strips.stages["terrains"], strips.stages["terrains"].sheet
    bench.choose(2)
    settle()
    number = 31
    at = place(tall, number)
    rect = sheet.tile_rect(*at)
    click(sheet, (rect.topLeft() + QPoint(2, 2)).toPoint())
    kit = strips.session.tileset.sets[0]
    marks = kit.marks_within(*((COUNT, 1) if tall else (1, COUNT)))
    assert marks[at][Slot.NW] == 2
    assert (np.delete(marks.reshape(COUNT, -1), number, 0) == 0).all()
    sheet.choose(*place(tall, 3))
    sheet.setFocus()
    QTest.keyClick(sheet, Qt.Key.Key_Down)
    line = sheet._line
    assert 2 < line < COUNT
    assert sheet.chosen == place(tall, 3 + line), "down is what stands beneath"
    QTest.keyClick(sheet, Qt.Key.Key_Right)
    assert sheet.chosen == place(tall, 4 + line)


def test_in_tiles_a_drag_takes_what_lies_between_and_arrows_go_by_lines(strips, tall):
    strips.show_stage("tiles")
    sheet = strips.stages["tiles"].sheet
    settle()
    first, last = 2, 2 + 2 * sheet._line
    ends = [sheet.tile_rect(*place(tall, n)).center().toPoint() for n in (first, last)]
    drag(sheet, *ends)
    assert sheet.chosen == {place(tall, n) for n in range(first, last + 1)}
    runs = sheet._runs(list(sheet.chosen))
    assert sum(rect.width() * rect.height() for rect in runs) == pytest.approx(
        len(sheet.chosen) * (SIDE * sheet.camera.zoom) ** 2)  # fmt: skip
    sheet.choose([place(tall, 5)])
    sheet._cursor = place(tall, 5)
    QTest.keyClick(sheet, Qt.Key.Key_Down)
    assert sheet.chosen == {place(tall, 5 + sheet._line)}


def test_a_layout_is_copied_over_the_end_of_a_line(empty_window, tmp_path):
    empty_window.session.open(strip(tmp_path, tall=False))
    empty_window.show_stage("terrains")
    bench, sheet = empty_window.stages["terrains"], empty_window.stages["terrains"].sheet
    settle()
    line = sheet._line
    bench.copy_button.click()
    block = (0, line - 2, 1, 4)
    assert len(sheet._block_rects(block)) == 2
    sheet.block = block
    pixels(sheet)
    area = sum((r.width() - 4) * (r.height() - 4) for r in sheet._block_rects(block))
    assert area == pytest.approx(4 * (SIDE * sheet.camera.zoom) ** 2)


def test_sheets_that_are_no_threads_stand_as_they_are(empty_window, tmp_path):
    tiles, _, _ = corner_art(16, 1)
    picture = np.ascontiguousarray(tiles[:12].reshape(3, 4, 16, 16, 4).transpose(0, 2, 1, 3, 4))
    picture = picture.reshape(48, 64, 4)
    (tmp_path / "s.png").write_bytes(png_bytes(picture))
    owner = Tileset("s", "s.png", 64, 48, Slicing(16, 16), picture=picture)
    short = np.ascontiguousarray(picture[:16])
    (tmp_path / "t.png").write_bytes(png_bytes(short))
    few = Tileset("t", "t.png", 64, 16, Slicing(16, 16), picture=short)
    empty_window.session.open(Project("P", tmp_path, [owner, few]))
    empty_window.show_stage("tiles")
    sheet = empty_window.stages["tiles"].sheet
    settle()
    assert sheet._line == 0
    empty_window.show_stage("slice")
    assert empty_window.stages["slice"].sheet._line == 0, "lines are dragged on the sheet itself"


def test_another_slicing_unfolds_what_is_no_strip_any_more(strips, tall):
    strips.show_stage("tiles")
    sheet, owner = strips.stages["tiles"].sheet, strips.session.tileset
    settle()
    assert sheet._line
    half = Slicing(SIDE // 2, SIDE // 2)
    bench = strips.stages["slice"]
    strips.show_stage("slice")
    bench.show_trial(half)
    bench.confirm = lambda lost: True
    bench.commit()
    strips.show_stage("tiles")
    settle()
    assert owner.slicing == half
    assert sheet._line == 0
    assert sheet.extent() == (owner.width, owner.height)


@pytest.mark.parametrize("stage", ["draw", "slice", "tiles", "terrains"])
def test_a_long_name_of_a_sheet_takes_no_room_from_the_bench(empty_window, tmp_path, stage):
    project = strip(tmp_path, tall=False)
    project.tilesets[0].name = "a sheet that somebody has given forty-odd letters"
    empty_window.session.open(project)
    empty_window.show_stage(stage)
    bench = empty_window.stages[stage]
    if stage == "draw":
        bench.tabs.setCurrentIndex(1)
    settle()
    room = empty_window.bench.currentWidget()
    assert room.horizontalScrollBar().maximum() == 0
    assert empty_window.shell.width() == 1280
