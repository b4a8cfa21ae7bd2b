"""Loose pictures and animations in the real window."""

from math import inf

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from tests.maps import snapshot
from tests.ui.conftest import RIGHT, click, drag, move, pixels, props_view, settle, settle_view
from tests.ui.test_regions import answer
from tests.ui.test_slice import at
from tests.ui.test_stages import drop

from knitground.core.base.window import Box
from knitground.core.edit.hand import TileInHand
from knitground.core.files.images import png_bytes
from knitground.core.files.opening import open_project
from knitground.core.model.lattice import Rect
from knitground.core.model.tile import TileRef
from knitground.ui.mapside.canvas import picture
from knitground.ui.mapside.canvas.chunks import ChunkStore

SHIFT, CTRL = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier
PLACES = [(4, 4, 20, 50), (40, 8, 30, 30), (90, 10, 12, 40), (6, 80, 60, 20), (90, 84, 16, 16)]


def packed(path):
    """A packed sheet with five pieces of different sizes and no grid."""
    sheet = np.zeros((110, 120, 4), np.uint8)
    rng = np.random.default_rng(4)
    for left, top, wide, high in PLACES:
        sheet[top : top + high, left : left + wide, :3] = rng.integers(30, 250, (high, wide, 3))
        sheet[top : top + high, left : left + wide, 3] = 255
    path.write_bytes(png_bytes(sheet))


@pytest.fixture
def bench(window, tmp_path):
    packed(tmp_path / "yard.png")
    window.show_stage("slice")
    drop(window, tmp_path / "yard.png")
    settle()
    return window.stages["slice"]


def test_pieces_are_found_joined_added_and_taken_away_before_they_are_used(window, bench):
    sheet = bench.sheet
    QTest.mouseClick(bench.numbers.loose, Qt.MouseButton.LeftButton)
    settle()
    assert list(bench.trial.pieces) == PLACES
    assert "5 loose pieces, 12 … 60 px wide, 16 … 50 px high" in bench.facts.text()
    assert not bench.numbers.boxes["margin_x"].isEnabled()
    assert bench.numbers.boxes["tile_width"].isEnabled()
    drag(sheet, at(sheet, 2, 2), at(sheet, 50, 40), at(sheet, 74, 58), modifiers=SHIFT)
    assert (4, 4, 66, 50) in bench.trial.pieces
    assert len(bench.trial.pieces) == 4
    click(sheet, at(sheet, 95, 90), button=RIGHT)
    assert len(bench.trial.pieces) == 3
    drag(sheet, at(sheet, 90, 84), at(sheet, 98, 98), at(sheet, 106, 100), modifiers=SHIFT)
    assert len(bench.trial.pieces) == 4
    bench.numbers.gap.setValue(30)
    settle()
    assert len(bench.trial.pieces) < 4
    QTest.mouseClick(bench.numbers.loose, Qt.MouseButton.LeftButton)
    assert bench.trial.pieces == ()
    assert bench.numbers.boxes["margin_x"].isEnabled()


def test_a_foot_mark_dragged_moves_the_anchor_as_one_step(window, bench):
    bench.find_pieces()
    settle()
    bench.commit()
    settle()
    tileset = window.session.tileset
    assert tileset.fact(0, 0).anchor == (10, 50)
    sheet = bench.sheet
    steps = len(window.session.doc.history.names)
    drag(sheet, at(sheet, 14, 54), at(sheet, 12, 50), at(sheet, 10, 48))
    assert tileset.fact(0, 0).anchor == (6, 44)
    assert len(window.session.doc.history.names) == steps + 1
    window.session.doc.undo()
    assert tileset.fact(0, 0).anchor == (10, 50)
    move(sheet, at(sheet, 12, 12))
    assert "piece 0: 20 × 50 px at 4, 4" in window.under.toolTip()
    click(sheet, at(sheet, 95, 90), modifiers=CTRL)
    assert (0, 4) in tileset.left_out


def test_a_folder_becomes_one_tileset_of_loose_pictures(window, tmp_path, monkeypatch):
    answer(monkeypatch, "Loose pictures")
    folder = tmp_path / "yard things"
    folder.mkdir()
    for name, size in (("crane", (60, 22)), ("rope", (9, 30)), ("barrel", (18, 14))):
        (folder / f"{name}.png").write_bytes(png_bytes(np.full((*size, 4), 180, np.uint8)))
    (folder / "broken.png").write_bytes(b"no picture")
    start = snapshot(window.session.project)
    drop(window, folder)
    made = window.session.tileset
    assert made.name == "yard things"
    assert [made.fact(0, n).name for n in range(3)] == ["barrel", "crane", "rope"]
    assert [made.slicing.tile_area(0, n)[2:] for n in range(3)] == [(14, 18), (22, 60), (30, 9)]
    assert "broken.png" in window.notices.text.text()
    assert window.files.save()
    again = open_project(window.session.project.folder).project.tileset_named("yard things")
    assert (again.picture == made.picture).all()
    window.session.doc.undo()
    assert snapshot(window.session.project) == start


def test_what_is_seen_of_a_tall_piece_is_what_is_laid(window, bench):
    """The ghost reaches beyond the brush's cell exactly as the result does."""
    bench.find_pieces()
    settle()
    bench.commit()
    window.show_stage("draw")
    settle()
    session, view = window.session, window.mapside.view
    session.choose_layer(session.map.layers[2])
    session.take(TileInHand(TileRef(session.tileset.name, 0, 0), 0))
    view.session.show(grid=False)
    view.zoom_to(view.camera.step)
    view.show_cell(20, 20)
    spot = view.screen_at(20, 20)
    move(view, spot)
    store = view.store
    plan = view.plan
    ghost = store.ghost(plan, 0, plan.box, inf)
    rect, shown = ghost.rect, ghost.pixels.copy()
    assert rect.height > session.map.lattice.bounds(plan.box).height
    session.apply(plan.edit)
    cells = session.map.layers[2].cells
    props = session.map.layers[2]
    box = session.map.lattice.cells_in(rect)
    laid = store.picture(rect, 0, [(props, box, session.doc.cells(session.map, props, box))])
    assert cells[20, 20] > 0
    assert (laid == shown).all()
    view.leaveEvent(None)
    settle_view(view)
    before = pixels(view)
    session.doc.undo()
    settle_view(view)
    rect = view.screen_rect(rect)
    changed = (pixels(view) != before)[
        rect.top() : rect.bottom(), rect.left() : rect.right()
    ]  # fmt: skip
    rows = np.flatnonzero(changed.any(axis=1))
    assert rows[-1] - rows[0] > 2 * view.camera.zoom * 16  # the whole tall picture went away


def test_one_tile_that_moves_moves_on_the_map_and_stands_still_when_told(
    window, tmp_path, monkeypatch, qtbot
):
    answer(monkeypatch, "One tile that moves")
    path = tmp_path / "flag.gif"
    frames = [Image.new("RGBA", (16, 16), (40 * n, 90, 200 - 40 * n, 255)) for n in range(3)]
    frames[0].save(path, save_all=True, append_images=frames[1:], duration=[40, 80, 120], loop=0)
    drop(window, path)
    tileset = window.session.tileset
    assert [each.ms for each in tileset.fact(0, 0).frames] == [40, 80, 120]
    window.show_stage("draw")
    session, view = window.session, window.mapside.view
    view.session.show(playing=True)
    session.choose_layer(session.map.layers[2])
    session.take(TileInHand(TileRef(tileset.name, 0, 0), 0))
    settle()
    view.fit()
    view.show_cell(30, 30)
    click(view, view.screen_at(30, 30))
    move(view, view.screen_at(30, 34))
    settle()
    middle = view.screen_at(30, 30) - QPoint(2, 2)
    qtbot.waitUntil(view._clock.isActive)  # it may have rung, with its paint still to come
    seen = []
    monkeypatch.setattr(picture, "monotonic", lambda: 24.2)  # a loop takes 240 ms
    view._animate()  # however busy the machine is, it begins with that frame
    settle_view(view)
    for ms in (250, 290, 370, 490, 540):
        before = int(pixels(view)[middle.y(), middle.x()])
        monkeypatch.setattr(picture, "monotonic", lambda ms=ms: 24 + ms / 1000)
        qtbot.waitUntil(lambda before=before: pixels(view)[middle.y(), middle.x()] != before)
        seen.append(int(pixels(view)[middle.y(), middle.x()]))
    assert len(set(seen)) == 3
    assert seen[3:] == seen[:2]
    view.zoom_to(0)  # a cell is less than a pixel: nothing is drawn anew all the time
    settle_view(view)
    painted = []
    monkeypatch.setattr(view, "_paint", lambda event: painted.append(event))
    monkeypatch.setattr(picture, "monotonic", lambda: 24.25 + len(painted))
    qtbot.wait(150)
    assert view.camera.zoom * 16 < 4
    assert not painted
    assert not view._clock.isActive()


def test_an_animation_at_rest_is_composed_once_a_frame_and_shows_what_it_did(window, monkeypatch):
    """After one loop nothing is composed any more, and each frame looks as composed afresh."""
    view = props_view(window)
    store, times = view.store, []
    atlas = store.atlas
    assert atlas.moving
    real = store._patch

    def patch(level, chunk, *args):
        times.append(chunk)
        return real(level, chunk, *args)

    monkeypatch.setattr(store, "_patch", patch)
    moments, now = [], 0
    for _ in range(6):
        moments.append(now)
        now += atlas.next_change(now)
    shown = {}
    keys = store.keys_in(0, Rect(0, 0, 400, 400))
    for ms in moments * 3:
        atlas.show_time(ms)
        for key in keys:
            pixels = store.make(key).pixels.copy()
            before = shown.setdefault((key, ms), pixels)
            assert (pixels == before).all()
    assert len({shown[key, ms].tobytes() for key in keys for ms in moments}) > len(keys)
    count = len(times)
    for ms in moments:
        atlas.show_time(ms)
        for key in keys:
            assert (store.make(key).pixels == shown[key, ms]).all()
    assert len(times) == count, "every frame is kept"
    fresh = ChunkStore(window.session.doc, view.shown_map, atlas)
    for key in keys:
        assert (fresh.make(key).pixels == store.make(key).pixels).all()
    layer = view.shown_map.layers[2]
    box = Box(3, 3, 5, 5)
    layer.cells[3:5, 3:5] = 0
    store.touch(box)
    fresh = ChunkStore(window.session.doc, view.shown_map, atlas)
    for ms in moments:
        atlas.show_time(ms)
        for key in keys:
            assert (fresh.make(key).pixels == store.make(key).pixels).all(), "no frame of before"
