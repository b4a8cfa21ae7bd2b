import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMessageBox
from tests.maps import snapshot
from tests.ui.conftest import click, drag, pixels, settle
from tests.ui.test_slice import at
from tests.ui.test_stages import drop

from knitground.core.base.errors import EditError, SlicingError
from knitground.core.edit.sheets import add_region, leave_out, remove_tileset
from knitground.core.files.images import conversion, png_bytes, read_frames
from knitground.core.files.opening import open_project
from knitground.core.knit.layer import layer_table
from knitground.core.model.slicing import Slicing
from knitground.core.slicing.grid import cut, lay_grid
from knitground.ui.mapside.swapdialog import SwapDialog

CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def bench(window):
    window.show_stage("slice")
    settle()
    return window.stages["slice"]


def two_grids(path):
    """A sheet whose left half is cut 16 × 16 and whose right half 24 × 24."""
    rng = np.random.default_rng(8)
    picture = np.zeros((96, 192, 4), np.uint8)
    for top in range(0, 96, 16):
        for left in range(0, 96, 16):
            picture[top : top + 16, left : left + 16] = (*rng.integers(0, 255, 3), 255)
    for top in range(0, 96, 24):
        for left in range(96, 192, 24):
            picture[top : top + 24, left : left + 24] = (*rng.integers(0, 255, 3), 255)
    path.write_bytes(png_bytes(picture))
    return picture


def test_numbers_count_inside_a_region():
    slicing = Slicing(8, 8, 2, 0, 1, 0, area=(100, 20, 40, 30))
    grid = lay_grid(slicing, 200, 100)
    assert (grid.columns, grid.rows) == (4, 3)
    assert (slicing.left(0), slicing.top(1)) == (102, 28)
    assert grid.leftover_y == 6
    picture = np.random.default_rng(1).integers(0, 255, (100, 200, 4), np.uint8)
    assert (cut(picture, grid)[5] == picture[28:36, 111:119]).all()
    with pytest.raises(SlicingError, match="outside the sheet"):
        lay_grid(Slicing(8, 8, area=(190, 90, 0, 5)), 200, 100)
    with pytest.raises(SlicingError, match="ends at 140 px"):
        lay_grid(Slicing(64, 8, area=(100, 20, 40, 30)), 200, 100)


def test_a_region_drawn_on_the_sheet_gets_its_own_grid_and_is_saved(window, bench, tmp_path):
    path = tmp_path / "two.png"
    two_grids(path)
    drop(window, path)
    settle()
    start = len(window.session.project.tilesets)
    bench.begin_region()
    drag(bench.sheet, at(bench.sheet, 96, 0), at(bench.sheet, 150, 50), at(bench.sheet, 192, 96))
    settle()
    region = window.session.tileset
    assert region.slicing.area == (96, 0, 96, 96)
    assert region.name == "two region"
    assert (bench.trial.tile_width, bench.trial.tile_height) == (24, 24)
    bench.commit()
    assert (region.columns, region.rows) == (4, 4)
    assert window.files.save()
    folder = window.session.project.folder
    again = open_project(folder).project
    assert [each.sheet for each in again.tilesets][-2:] == ["two.png", "two.png"]
    assert again.tilesets[-1].slicing == region.slicing
    assert again.tilesets[-1].picture is again.tilesets[-2].picture
    while window.session.doc.undo():
        pass
    assert len(window.session.project.tilesets) == start - 1


def test_the_rest_of_the_sheet_is_dimmed(window, bench):
    before = pixels(bench.sheet)
    edit, made = add_region(window.session.project, window.session.tileset, (4, 4, 70, 50))
    window.session.apply(edit)
    window.session.choose_tileset(made)
    settle()
    assert (pixels(bench.sheet) != before).mean() > 0.1


def test_a_sheet_in_use_is_not_removed_and_one_that_is_not_is(window):
    project = window.session.project
    with pytest.raises(EditError, match="“Harbour pans” uses tiles of “pans”"):
        remove_tileset(project, project.tilesets[0])
    edit, made = add_region(project, project.tilesets[0], (4, 4, 70, 50))
    window.session.apply(edit)
    start = snapshot(project)
    window.session.choose_tileset(made)
    window.stages["slice"].remove()
    assert made not in project.tilesets
    window.session.doc.undo()
    assert snapshot(project) == start


def test_tiles_left_out_by_a_drag_are_not_knitted_and_not_offered(window, bench):
    session, tileset = window.session, window.session.tileset
    start = snapshot(session.project)
    places = [bench.sheet.tile_rect(0, col).center().toPoint() for col in (1, 2, 3)]
    drag(bench.sheet, *places, modifiers=CTRL)
    assert tileset.left_out == {(0, 1), (0, 2), (0, 3)}
    assert session.doc.history.names == ["Leave tiles out"]
    map_ = session.map
    table = layer_table(session.project, map_, map_.layers[0])
    plain_brine = table.variants[1, 1, 1, 1]
    assert [map_.legend.tile(place).col for place, _ in plain_brine] == [0]
    window.show_stage("draw")
    window.stages["draw"].tabs.setCurrentIndex(1)
    settle()
    hand = session.hand
    tiles = window.stages["draw"].tiles
    click(tiles, tiles.tile_rect(0, 2).center().toPoint())
    assert session.hand == hand
    assert "left out" in window.notices.text.text()
    window.show_stage("slice")
    settle()  # the sheet may have been fitted anew
    click(bench.sheet, bench.sheet.tile_rect(0, 1).center().toPoint(), modifiers=CTRL)
    assert tileset.left_out == {(0, 2), (0, 3)}
    session.doc.undo()
    session.doc.undo()
    assert snapshot(session.project) == start
    assert leave_out(tileset, [(99, 99)], True).atoms == ()


def test_left_out_tiles_are_saved(window, bench):
    window.session.apply(leave_out(window.session.tileset, [(5, 8), (5, 9)], True))
    window.files.save()
    again = open_project(window.session.project.folder).project
    assert again.tilesets[0].left_out == {(5, 8), (5, 9)}


def test_fringes_of_a_see_through_colour_are_shown(window, bench, tmp_path):
    picture = np.full((32, 32, 4), 255, np.uint8)
    picture[..., :3] = (255, 0, 255)
    picture[8:24, 8:24, :3] = (20, 90, 40)
    picture[7, 8:24, :3] = (225, 20, 225)  # a soft edge that the colour shines through
    path = tmp_path / "soft.png"
    path.write_bytes(png_bytes(picture))
    drop(window, path)
    settle()
    bench.sheet.picked_colour.emit((255, 0, 255))
    settle()
    shown = pixels(bench.sheet) & 0xFFFFFF
    assert (shown == 0xFF00C8).sum() > 16
    bench.numbers.tolerance.setValue(64)
    type_tolerance = bench.trial.tolerance
    assert type_tolerance == 64


def animation(path):
    frames = [Image.new("RGBA", (12, 10), (n * 40, 200 - n * 30, 90, 255)) for n in range(5)]
    frames[0].save(path, save_all=True, append_images=frames[1:])
    return frames


@pytest.mark.parametrize(
    ("button", "size"),
    [("Each frame a tile", 5), ("One tile that moves", 5), ("First frame only", 1)],
)
def test_an_animation_asks_what_its_frames_become(
    window, bench, tmp_path, button, size, monkeypatch
):
    path = tmp_path / "shimmer.gif"
    animation(path)
    assert len(read_frames(path)) == 5

    def press(box):
        next(b for b in box.buttons() if b.text() == button).click()

    monkeypatch.setattr(QMessageBox, "exec", lambda box: press(box))
    drop(window, path)
    settle()
    tileset = window.session.tileset
    if size == 5:
        assert (tileset.slicing.tile_width, tileset.slicing.tile_height) == (12, 10)
        assert tileset.count >= 5
        assert tileset.unsaved
        assert len(tileset.fact(0, 0).frames) == (5 if "moves" in button else 0)
        window.files.save()
        assert (window.session.project.folder / "shimmer-frames.png").exists()
    else:
        assert (tileset.width, tileset.height) == (12, 10)


def test_conversions_are_said_and_empty_folders_too(window, bench, tmp_path):
    deep = tmp_path / "deep.png"
    Image.fromarray(np.full((20, 20), 40_000, np.uint16)).save(deep)
    assert "more than 8 bits" in conversion(deep)
    drop(window, deep)
    assert "brought down to 8" in window.notices.text.text()
    ink = tmp_path / "ink.tiff"
    Image.new("CMYK", (20, 20)).save(ink)
    assert "CMYK" in conversion(ink)
    assert conversion(tmp_path / "none.png") is None
    empty = tmp_path / "nothing"
    empty.mkdir()
    drop(window, empty)
    assert "neither a project nor a picture" in window.notices.text.text()


def answer(monkeypatch, button):
    """Let every question of the window be answered with one of its buttons."""

    def press(box):
        next(b for b in box.buttons() if b.text() == button).click()

    monkeypatch.setattr(QMessageBox, "exec", lambda box: press(box))


def test_a_folder_of_pictures_becomes_sheets(window, bench, tmp_path, monkeypatch):
    answer(monkeypatch, "Sheets")
    folder = tmp_path / "art"
    folder.mkdir()
    for name in ("b.png", "a.png"):
        (folder / name).write_bytes(png_bytes(np.full((16, 32, 4), 200, np.uint8)))
    before = len(window.session.project.tilesets)
    drop(window, folder)
    names = [each.name for each in window.session.project.tilesets[before:]]
    assert names == ["a", "b"]
    QTest.qWait(10)
    assert QApplication.activeModalWidget() is None


def test_another_tileset_for_a_map_is_shown_before_it_is_taken(window, bench):
    session = window.session
    edit, winter = add_region(session.project, session.project.tilesets[0], (0, 0, 222, 114))
    session.apply(edit)
    winter.slicing = session.project.tilesets[0].slicing
    winter.sets = session.project.tilesets[0].sets
    winter.picture = 255 - winter.picture
    start = snapshot(session.project)
    dialog = SwapDialog(session, session.map, window.shell)
    before = dialog.picture.pixels.copy()
    dialog.new.setCurrentText(winter.name)
    assert (dialog.picture.pixels != before).mean() > 0.5
    assert snapshot(session.project) == start  # looking changes nothing
    assert len(session.doc.history.names) == 1
    dialog.take()
    assert session.map.layers[0].tileset == winter.name
    session.doc.undo()
    assert snapshot(session.project) == start
