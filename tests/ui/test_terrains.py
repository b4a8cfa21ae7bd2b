"""Terrains in the real window: marks of three kinds, guess and review, copying, coverage, paths."""

from threading import Event

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QEnterEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QInputDialog, QLabel, QMessageBox, QPushButton
from tests.maps import snapshot
from tests.ui.conftest import LEFT, RIGHT, click, drag, move, pixels, rest, settle
from tests.ui.test_regions import answer

from knitground.core.base.window import Box
from knitground.core.edit.hand import TerrainInHand
from knitground.core.edit.layers import rename_layer
from knitground.core.edit.reslice import use_slicing
from knitground.core.edit.sheets import add_tileset
from knitground.core.edit.terrains import add_set, paint_marks
from knitground.core.files.opening import open_project
from knitground.core.model.layers import GAP
from knitground.core.model.slicing import Slicing
from knitground.core.model.terrain import ANY, SetKind, Slot, TerrainSet
from knitground.core.model.tileset import Tileset
from knitground.ui.common.marks import Face, slot_at, slot_point, threads
from knitground.ui.common.tasks import wait_for_jobs
from knitground.ui.mapside.tools import select, shapes
from knitground.ui.stages.terrains import likelycards as cards
from knitground.ui.stages.terrains.bench import TABS
from knitground.ui.stages.terrains.makedialog import MakeDialog

SHIFT = Qt.KeyboardModifier.ShiftModifier
PANS, WORKS = 0, 2


@pytest.fixture
def bench(window):
    window.show_stage("terrains")
    settle()
    return window.stages["terrains"]


def choose(bench, tileset, place):
    owner = bench.session.project.tilesets[tileset]
    bench.choose_set(owner, owner.sets[place])
    bench.sheet.look(4, owner.width / 2, owner.height / 2)
    settle()
    return owner, owner.sets[place]


def later():
    QTest.qWait(200)
    settle()


def on_slot(sheet, row, col, slot):
    return slot_point(sheet.face(row, col), slot).toPoint()


# Marks


@pytest.mark.parametrize("kind", list(SetKind))
def test_every_slot_of_a_kind_is_found_at_its_own_place(kind):
    from PySide6.QtCore import QRectF

    rect = QRectF(10, 20, 64, 32)
    for slot in kind.slots:
        assert slot_at(Face(rect), slot_point(Face(rect), slot), kind) is slot
    assert slot_at(Face(rect), QPointF(11, 21), kind) in kind.slots


def test_threads_join_what_lies_side_by_side():
    marks = [0] * 9
    marks[Slot.N] = marks[Slot.S] = 1
    marks[Slot.E] = 2
    assert threads(SetKind.EDGE, marks) == [
        (Slot.N, Slot.MIDDLE, 1),
        (Slot.S, Slot.MIDDLE, 1),
    ]
    ring = [1, 1, 1, 0, 0, 0, 0, 0, 1]
    joined = {(a, b) for a, b, _ in threads(SetKind.RING, ring)}
    assert (Slot.N, Slot.NE) in joined
    assert (Slot.MIDDLE, Slot.E) in joined
    assert threads(SetKind.CORNER, [0, ANY, 0, ANY, 0, 0, 0, 0, 0]) == []


def test_sides_are_marked_by_a_drag_and_cleared_with_the_right_button(window, bench):
    owner, kit = choose(bench, WORKS, 0)
    sheet = bench.sheet
    assert kit.kind is SetKind.EDGE
    before = kit.marks.copy()
    drag(sheet, on_slot(sheet, 5, 8, Slot.W), on_slot(sheet, 5, 8, Slot.E))
    assert kit.marks[5, 8, [Slot.W, Slot.E]].tolist() == [1, 1]
    assert not kit.marks[5, 8, [Slot.NE, Slot.MIDDLE]].any()
    click(sheet, on_slot(sheet, 5, 8, Slot.E), button=RIGHT)
    assert kit.marks[5, 8, Slot.E] == 0
    while window.session.doc.undo():
        pass
    assert (kit.marks == before).all()
    assert owner.sets[0] is kit


def test_a_ring_tile_has_nine_places_and_shift_marks_all(window, bench):
    _, kit = choose(bench, WORKS, 1)
    sheet = bench.sheet
    click(sheet, on_slot(sheet, 5, 7, Slot.MIDDLE))
    assert kit.marks[5, 7].tolist() == [0] * 8 + [1]
    click(sheet, on_slot(sheet, 5, 8, Slot.N), modifiers=SHIFT)
    assert kit.marks[5, 8].all()


def test_marks_are_set_with_keys_alone(window, bench):
    _, kit = choose(bench, PANS, 0)
    sheet = bench.sheet
    sheet.setFocus()
    for _ in range(2):
        QTest.keyClick(sheet, Qt.Key.Key_Right)
    assert sheet.chosen == (0, 1)
    QTest.keyClick(window.shell, Qt.Key.Key_3)
    assert sheet.value == 3
    QTest.keyClick(sheet, Qt.Key.Key_Q)
    QTest.keyClick(sheet, Qt.Key.Key_C)
    assert kit.marks[0, 1, [Slot.NW, Slot.SE]].tolist() == [3, 3]
    assert window.session.tool == "paint"  # letters over the sheet are slots, not tools
    QTest.keyClick(sheet, Qt.Key.Key_Q, SHIFT)
    assert kit.marks[0, 1, Slot.NW] == 0
    QTest.keyClick(window.shell, Qt.Key.Key_0)
    QTest.keyClick(sheet, Qt.Key.Key_Space)
    assert (kit.marks[0, 1, [1, 3, 5, 7]] == ANY).all()
    assert not kit.marks[0, 1, [0, 2, 4, 6, 8]].any()
    QTest.keyClick(sheet, Qt.Key.Key_Backspace)
    assert not kit.marks[0, 1].any()


def test_the_tile_under_the_pointer_is_shown_large(bench):
    choose(bench, PANS, 0)
    example = pixels(bench.big)  # a plain tile of the terrain, as none is chosen
    assert len(np.unique(example)) > 4
    move(bench.sheet, bench.sheet.tile_rect(1, 4).center().toPoint())
    shown = pixels(bench.big)
    assert (shown != example).mean() > 0.2
    move(bench.sheet, bench.sheet.tile_rect(2, 6).center().toPoint())
    assert (pixels(bench.big) != shown).mean() > 0.2


# Sets and terrains


@pytest.mark.parametrize("kind", list(SetKind))
def test_a_set_of_each_kind_is_made_named_and_taken_back(window, bench, kind):
    window.session.choose_tileset(window.session.project.tilesets[1])
    start = snapshot(window.session.project)
    bench.new_set(kind)
    assert (bench.kit.kind, len(bench.kit.terrains)) == (kind, 1)
    assert window.session.doc.history.names == [f"Add {kind.value} set “{kind.value.title()} set”"]
    bench.rename_set("Yard")
    assert bench.kit.name == "Yard"
    bench.delete_set()
    assert window.session.project.tilesets[1].sets == []
    for _ in range(3):
        window.session.doc.undo()
    assert snapshot(window.session.project) == start


def test_plain_cells_of_a_terrain_are_drawn_from_a_mix(window, bench):
    _, kit = choose(bench, PANS, 0)
    project = window.session.project
    start = snapshot(project)
    map_ = project.maps[0]
    layer = next(each for each in map_.layers if getattr(each, "set_name", "") == kit.name)
    crust = kit.number_of("crust")
    terrain = layer.terrain
    corners = [terrain[:-1, :-1], terrain[:-1, 1:], terrain[1:, :-1], terrain[1:, 1:]]
    plain = np.all([each == crust for each in corners], axis=0) & ~layer.pinned
    window.session.doc.ensure_all(map_)
    before = layer.cells.copy()
    mix = project.mixes[0]
    inner = next(
        each
        for each in bench.chips.menu(crust, bench).actions()
        if each.text() == "Plain cells from"
    ).menu()
    assert [each.text() for each in inner.actions() if each.isChecked()] == [
        "the set's own tiles, by weight"
    ]
    next(each for each in inner.actions() if mix.name in each.text()).trigger()
    window.session.doc.ensure_all(map_)
    of_mix = {map_.legend.place(each.tile) for each in mix.entries if each.weight > 0}
    assert set(np.unique(layer.cells[plain]).tolist()) <= of_mix
    assert len(np.unique(layer.cells[plain])) > 1
    assert np.array_equal(layer.cells[~plain], before[~plain])
    bench.chips.draw_plain(crust, "")
    window.session.doc.ensure_all(map_)
    assert np.array_equal(layer.cells, before)
    while window.session.doc.undo():
        pass
    assert snapshot(project) == start


def test_a_set_in_use_is_not_deleted_and_the_note_says_where(window, bench):
    choose(bench, WORKS, 0)
    bench.delete_set()
    assert "layer “Causeway” of map “Harbour pans”" in window.notices.text.text()


def test_terrains_are_moved_merged_and_deleted_from_their_menu(window, bench, monkeypatch):
    _, kit = choose(bench, PANS, 0)
    start = snapshot(window.session.project)
    bench.choose(1)
    texts = [action.text() for action in bench.chips.menu(1, bench).actions()]
    assert {"Rename…", "Merge into", "Delete…", "Move towards the end"} <= set(texts)
    bench.chips.shift(1, 2)
    assert [each.name for each in kit.terrains][:2] == ["crust", "brine"]
    assert window.session.hand == TerrainInHand("pans", "Pans", 2, "brine")
    bench.chips.merge(4, 1)
    assert [each.name for each in kit.terrains] == ["crust", "brine", "clay"]
    asked = []
    monkeypatch.setattr(
        QInputDialog, "getItem", lambda *a, **k: asked.append(a[2]) or ("crust", True)
    )
    bench.chips.delete(2)
    assert "“brine” is used by" in asked[0]
    assert "of “Pans” on “Harbour pans”" in asked[0]
    assert [each.name for each in kit.terrains] == ["crust", "clay"]
    while window.session.doc.undo():
        pass
    assert snapshot(window.session.project) == start


def test_a_tile_of_another_sheet_joins_the_set(window, bench):
    owner, kit = choose(bench, PANS, 0)
    bench.sheets.activated.emit(1)
    settle()
    assert bench.sheet.tileset.name == "props"
    bench.sheet.look(4, 24, 24)
    bench.choose(2)
    click(bench.sheet, bench.sheet.tile_rect(0, 5).center().toPoint(), modifiers=SHIFT)
    assert (kit.guests["props"][0, 5, [1, 3, 5, 7]] == 2).all()
    later()
    assert "5 tiles" in bench.variants.head.text()
    window.session.doc.undo()
    assert "props" not in kit.guests
    assert owner.sets[0] is kit


# Guess and review


def forget_all_but(window, kit, owner, kept):
    marks = kit.marks.copy()
    slots = [
        (r, c, s)
        for r, c in np.argwhere(marks.any(axis=2)).tolist()
        if (r, c) not in kept
        for s in range(9)
    ]
    window.session.apply(paint_marks(owner, kit, slots, 0))
    return marks


def test_guessed_marks_are_those_of_the_demo_and_the_review_goes_with_enter(window, bench):
    owner, kit = choose(bench, PANS, 0)
    true = forget_all_but(window, kit, owner, [(0, 0), (0, 4), (0, 8), (1, 0)])
    QTest.mouseClick(bench.guess_button, Qt.MouseButton.LeftButton)
    settle()
    assert (kit.marks == true).mean() > 0.99
    assert TABS[bench.tabs.currentIndex()] == "Review"
    assert "of" in bench.review.head.text()
    first = bench.sheet.chosen
    assert first == bench.review.line[0][0]
    count = len(bench.review.line)
    assert count == 6
    QTest.keyClick(bench.sheet, Qt.Key.Key_Return)
    assert bench.sheet.chosen == bench.review.line[1][0] != first
    QTest.keyClick(bench.sheet, Qt.Key.Key_Return, SHIFT)
    assert bench.sheet.chosen == first
    for _ in range(count):
        QTest.keyClick(bench.sheet, Qt.Key.Key_Return)
    assert "All reviewed" in window.notices.text.text()
    window.session.doc.undo()
    assert int(kit.marks.any(axis=2).sum()) == 4


def test_guessing_without_an_example_says_what_to_do(window, bench):
    owner, kit = choose(bench, PANS, 0)
    forget_all_but(window, kit, owner, [])
    bench.guess()
    settle()
    assert "Mark one plain tile of each terrain" in window.notices.text.text()


# Copying


def test_a_layout_is_dragged_onto_another_block(window, bench, monkeypatch):
    _, kit = choose(bench, PANS, 0)
    sheet = bench.sheet
    sheet.fit()
    QTest.mouseClick(bench.copy_button, Qt.MouseButton.LeftButton)
    centre = lambda r, c: sheet.tile_rect(r, c).center().toPoint()  # noqa: E731
    before = kit.marks.copy()
    drag(sheet, centre(1, 3), centre(1, 6), centre(2, 6))
    assert sheet.block == (1, 3, 2, 4)
    asked = []

    def terrains(found, there):
        asked.append((found, there))
        return {1: 3, 2: 2}

    monkeypatch.setattr(bench, "ask_terrains", terrains)
    drag(sheet, centre(1, 4), centre(3, 6), centre(4, 7))
    assert sorted(asked[0][0]) == [1, 2]
    block = before[1:3, 3:7]
    assert (kit.marks[4:6, 6:10] == np.where(block == 1, 3, block)).all()
    window.session.doc.undo()
    assert (kit.marks == before).all()
    QTest.mouseClick(bench.copy_button, Qt.MouseButton.LeftButton)
    assert sheet.block is None


# Coverage, made tiles, swatch


def test_coverage_shows_what_is_missing_and_a_click_leads_to_tiles_and_map(window, bench):
    _, kit = choose(bench, PANS, 0)
    bench.tabs.setCurrentIndex(TABS.index("Coverage"))
    later()
    assert "45 of 46 combinations" in bench.coverage.head.text()
    assert "1 missing" in bench.coverage.head.text()
    assert bench.coverage.buttons[2, 4, 4, 2].toolTip().startswith("Missing: NW crust")
    bench.coverage.buttons[1, 1, 1, 2].click()
    settle()
    row, col = bench.sheet.chosen
    assert kit.marks[row, col, [7, 1, 5, 3]].tolist() == [1, 1, 1, 2]
    cell = window.mapside.view.cell_cursor
    ground = window.session.map.layers[0].terrain
    assert [int(ground[cell[0] + r, cell[1] + c]) for r in (0, 1) for c in (0, 1)] == [1, 1, 1, 2]
    words = bench.coverage.findChildren(type(bench.progress))
    assert any("brine and clay have no tiles in common: bridged by" in w.text() for w in words)
    bench.coverage.buttons[2, 4, 4, 2].click()
    settle()
    assert "No cell of this map asks" in window.notices.text.text()


def test_a_click_on_coverage_that_is_about_to_give_way_to_another_sets_does_nothing(window, bench):
    """A fast hand clicks a combination of the set before: it asks for nothing of this one."""
    bench.tabs.setCurrentIndex(TABS.index("Coverage"))
    sets = [(owner, kit) for owner in window.session.project.tilesets for kit in owner.sets]
    for before in sets:
        for owner, kit in sets:
            if kit.kind is before[1].kind:
                continue
            bench.choose_set(*before)
            later()
            button = bench.coverage.buttons[min(bench.coverage.buttons)]
            bench.choose_set(owner, kit)
            if not bench.users():
                continue
            button.click()
            later()
            assert window.crash.faults == 0
            assert (bench.owner, bench.kit) == (owner, kit) == bench.coverage.shown


def test_the_missing_tile_is_made_and_saved_with_the_project(window, bench):
    owner, kit = choose(bench, PANS, 0)
    dialog = MakeDialog(window.session.project, owner, kit, window.shell)
    assert len(dialog.able.missing) == 1
    assert [each.how.split()[0] for each in dialog.made] == ["mirrored"]
    dialog.mirror.click()
    assert [each.how.split()[0] for each in dialog.made] == ["joined"]
    dialog.join.click()
    assert dialog.made == []
    dialog.mirror.click()
    bench.make(dialog)
    assert [each.name for each in window.session.project.tilesets][-1] == "pans made"
    bench.tabs.setCurrentIndex(TABS.index("Coverage"))
    later()
    assert "nothing missing" in bench.coverage.head.text()
    assert window.files.save()
    again = open_project(window.session.project.folder).project
    assert again.tilesets[0].sets[0].guests["pans made"].any()
    assert again.tilesets[-1].picture.shape == (16, 16, 4)


def test_what_stands_on_diamonds_is_mirrored_only(window):
    yard = next(each for each in window.session.project.tilesets if each.name == "yard")
    kit = yard.sets[0]
    dialog = MakeDialog(window.session.project, yard, kit, window.shell)
    assert (dialog.mirror.isChecked(), dialog.mirror.isEnabled()) == (True, True)
    for each in (dialog.turn, dialog.join):
        assert (each.isChecked(), each.isEnabled()) == (False, False)
        assert "seen from one side" in each.toolTip()
    assert all(each.how.startswith("mirrored") for each in dialog.made)
    dialog.deleteLater()


def test_the_swatch_glows_where_a_tile_is_missing_and_follows_marks(window, bench):
    owner, kit = choose(bench, WORKS, 1)
    bench.tabs.setCurrentIndex(TABS.index("Swatch"))
    later()
    assert bench.swatch_note.text() == "Every cell has its tile."
    shown = bench.swatch.pixels.copy()
    row, col = np.argwhere((kit.marks[..., Slot.MIDDLE] == 1) & ~kit.marks[..., :8].any(2))[0]
    window.session.apply(paint_marks(owner, kit, [(int(row), int(col), s) for s in range(9)], 0))
    later()
    assert "have no tile: they glow" in bench.swatch_note.text()
    assert (bench.swatch.pixels != shown).any()


# Painting on the map


@pytest.fixture
def draw(window):
    window.show_stage("draw")
    window.session.choose_tool("paint")
    settle()
    view = window.mapside.view
    view.fit()
    view.show_cell(8, 8)
    return view


def take(window, layer, name):
    session = window.session
    found = next(each for each in session.map.layers if each.name == layer)
    session.choose_layer(found)
    session.take(TerrainInHand(found.tileset, found.set_name, 1, name))
    return found


def test_a_path_joins_only_what_it_passes_and_two_side_by_side_stay_two(window, draw):
    layer = take(window, "Causeway", "planks")
    window.session.set_size(1)
    before = layer.terrain.copy()
    for row in (4, 5):
        drag(draw, draw.screen_at(row, 3), draw.screen_at(row, 9))
    west = layer.terrain >> 8
    assert (west[4:6, 4:10] == 1).all()
    assert not (layer.terrain[5, 3:10] & 255).any()
    assert window.session.doc.history.names == ["Paint Terrain · planks"] * 2
    assert not (window.session.map.layers[1].cells == GAP).any()
    window.session.doc.undo()
    window.session.doc.undo()
    assert (layer.terrain == before).all()


def test_a_click_lays_the_side_that_the_ghost_shows(window, draw):
    layer = take(window, "Causeway", "planks")
    window.session.set_size(1)
    at = draw.screen_at(10, 10) + QPoint(int(draw.camera.zoom * 7), 0)
    move(draw, at)
    plan = draw.plan
    assert plan.changes_anything
    click(draw, at)
    assert layer.terrain[10, 11] >> 8 == 1
    assert (window.session.doc.cells(window.session.map, layer, plan.box) == plan.cells).all()
    window.session.choose_tool("erase")
    click(draw, at)
    assert layer.terrain[10, 11] >> 8 == 0


def test_a_wider_brush_joins_all_sides_of_its_cells_and_escape_calls_it_off(window, draw):
    layer = take(window, "Causeway", "planks")
    window.session.set_size(2)
    before = layer.terrain.copy()
    drag(draw, draw.screen_at(6, 6), draw.screen_at(6, 12), release=False)
    assert int((layer.terrain != before).sum()) > 20
    QTest.keyClick(window.shell, Qt.Key.Key_Escape)
    assert (layer.terrain == before).all()


def test_ring_terrain_goes_on_cells_with_ghost_fill_erase_and_pick(window, draw):
    layer = take(window, "Dykes", "brick")
    window.session.set_size(3)
    at = draw.screen_at(6, 6)
    move(draw, at)
    plan = draw.plan
    click(draw, at)
    assert (layer.terrain[5:8, 5:8] == 1).all()
    assert int(layer.terrain[:10, :10].sum()) == 9
    shown = window.session.doc.cells(window.session.map, layer, plan.box)
    assert (shown == plan.cells).all()
    window.session.choose_tool("pick")
    window.session.take(None)
    click(draw, at)
    assert window.session.hand == TerrainInHand("works", "Dykes", 1, "brick")
    window.session.choose_tool("erase")
    window.session.set_size(1)
    click(draw, at)
    assert layer.terrain[6, 6] == 0
    window.session.choose_tool("fill")
    click(draw, at)
    assert layer.terrain[6, 6] == 1
    assert int(layer.terrain[:10, :10].sum()) == 9  # the hole only: the dyke's own ring holds it


def test_why_names_what_a_gap_needs_and_making_it_is_offered(window, draw, monkeypatch):
    ground = window.session.map.layers[0]
    owner = window.session.project.tilesets[PANS]
    kit = owner.sets[0]
    slots = [(r, c, s) for r, c in np.argwhere((kit.marks[..., [7, 1, 5, 3]] == [1, 1, 1, 2]).all(2)
                                               ).tolist() for s in range(9)]  # fmt: skip
    window.session.apply(paint_marks(owner, kit, slots, 0))
    window.session.doc.knitter.ensure_all(window.session.map)
    row, col = np.argwhere(ground.cells == GAP)[0].tolist()
    window.session.choose_layer(ground)
    draw.show_cell(row, col)
    move(draw, draw.screen_at(row, col))
    assert "gap: no tile with a weight shows NW brine · NE brine" in window.under.toolTip()
    rest(window)
    assert "gap" in window.gaps.text()
    assert window.gaps.isVisible()
    QTest.mouseClick(window.gaps, Qt.MouseButton.LeftButton)
    settle()
    assert "asks for tiles that “Pans” lacks: NW" in window.notices.text.text()
    assert draw.cell_cursor == (row, col)
    asked = []
    monkeypatch.setattr(MakeDialog, "exec", lambda dialog: asked.append(dialog.able.missing))
    QTest.mouseClick(window.notices.cures[0], Qt.MouseButton.LeftButton)
    assert window.stage.key == "terrains"
    assert (1, 1, 1, 2) in asked[0]


def test_a_set_without_terrains_shows_and_guesses_without_harm(window, bench):
    owner, kit = choose(bench, WORKS, 0)
    window.session.choose_tileset(window.session.project.tilesets[1])
    bench.new_set(SetKind.EDGE)
    bench.chips.delete(1)
    assert bench.kit.terrains == ()
    for name in TABS:
        bench.tabs.setCurrentIndex(TABS.index(name))
        later()
    assert "0 of 0" in bench.coverage.head.text()
    bench.guess()
    settle()
    assert "Mark one plain tile" in window.notices.text.text()
    assert owner.sets[0] is kit


def test_deleting_the_last_terrain_in_use_is_refused(window, bench, monkeypatch):
    answer(monkeypatch, "OK")
    monkeypatch.setattr(QMessageBox, "information", lambda *a: None)
    choose(bench, WORKS, 0)
    bench.chips.delete(1)
    assert "add another terrain first" in window.notices.text.text()
    assert len(bench.kit.terrains) == 1


# Line and Box


@pytest.mark.parametrize("outline", [False, True])
@pytest.mark.parametrize(("layer", "name"), [("Pans", "brine"), ("Causeway", "planks"),
                                             ("Dykes", "brick")])  # fmt: skip
def test_a_box_is_shown_as_it_will_be_laid_for_every_kind(window, draw, layer, name, outline):
    found = take(window, layer, name)
    window.session.choose_tool("box")
    window.session.set_options(outline=outline)
    window.session.set_size(1)
    before = found.terrain.copy()
    at = [draw.screen_at(3, 4), draw.screen_at(6, 8), draw.screen_at(8, 10)]
    drag(draw, *at, release=False)
    plan = draw.plan
    assert (found.terrain == before).all()  # nothing is laid while the button is held
    QTest.mouseRelease(draw, Qt.MouseButton.LeftButton, pos=at[-1])
    shown = window.session.doc.cells(window.session.map, found, plan.box)
    assert (shown == plan.cells).all()
    value = 1
    if layer == "Pans":
        inside = found.terrain[4:9, 5:11]
        assert (inside[0] == value).all()
        assert (inside == value).all() or outline
    elif layer == "Dykes":
        assert (found.terrain[3, 4:11] == value).all()
        assert int((found.terrain[:12, :14] == value).sum()) == (22 if outline else 42)
    else:
        sides = int(((found.terrain[:12, :14] & 255) > 0).sum())
        sides += int(((found.terrain[:12, :14] >> 8) > 0).sum())
        assert sides == (22 if outline else 5 * 7 + 6 * 6)
    assert len(window.session.doc.history.names) == 1
    window.session.doc.undo()
    assert (found.terrain == before).all()
    drag(draw, *at, release=False)
    QTest.keyClick(window.shell, Qt.Key.Key_Escape)
    QTest.mouseRelease(draw, Qt.MouseButton.LeftButton, pos=at[-1])
    assert (found.terrain == before).all()


def test_a_line_lays_a_path_or_a_row_of_cells(window, draw):
    found = take(window, "Causeway", "planks")
    window.session.choose_tool("line")
    window.session.set_size(1)
    drag(draw, draw.screen_at(2, 3), draw.screen_at(2, 5), draw.screen_at(2, 9))
    assert ((found.terrain >> 8)[2, 4:10] == 1).all()
    layer = take(window, "Dykes", "brick")
    window.session.choose_tool("line")
    drag(draw, draw.screen_at(10, 3), draw.screen_at(12, 5), draw.screen_at(13, 9))
    laid = np.argwhere(layer.terrain[8:15, :14] == 1)
    assert len(laid) == 7
    assert (np.diff(laid[:, 1]) == 1).all() or (laid[:, 1].max() - laid[:, 1].min()) == 6


def test_a_large_box_is_outlined_while_dragged_and_laid_when_let_go(window, draw, monkeypatch):
    layer = take(window, "Dykes", "brick")
    monkeypatch.setattr(shapes, "_QUIET_CELLS", 20)
    window.session.choose_tool("box")
    window.session.set_size(1)
    at = [draw.screen_at(3, 4), draw.screen_at(8, 10)]
    drag(draw, *at, release=False)
    assert draw.plan is None
    assert draw.tool_of().area == Box(3, 4, 9, 11)
    QTest.mouseRelease(draw, Qt.MouseButton.LeftButton, pos=at[-1])
    settle()
    assert (layer.terrain[3:9, 4:11] == 1).all()
    assert draw.tool_of().area is None
    assert len(window.session.doc.history.names) == 1


@pytest.mark.parametrize("way", ["same tile", "region"])
def test_selecting_on_a_large_map_gives_what_it_gives_on_a_small_one(
    window, draw, monkeypatch, way
):
    session = window.session
    session.choose_layer(session.map.layers[0])
    session.choose_tool("select")
    session.set_options(select_way=way)
    click(draw, draw.screen_at(8, 8))
    small = session.selection
    session.select(None)
    monkeypatch.setattr(select, "_QUIET_CELLS", 20)
    click(draw, draw.screen_at(8, 8))
    settle()
    assert session.selection.box == small.box
    assert (session.selection.mask == small.mask).all()


# A first set


def test_cards_make_a_set_of_the_terrains_that_are_asked_for(window, bench, monkeypatch):
    window.session.choose_tileset(window.session.project.tilesets[1])
    settle()
    assert bench.cards.isVisible()
    assert not bench.tabs.isVisible()
    assert bench.sets.currentText() == ""  # the sets of other sheets are offered, none is shown
    buttons = {each.text(): each for each in bench.cards.findChildren(QPushButton)}
    assert {"Corner set", "Edge set", "Ring set"} <= set(buttons)
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("grass, sand,, grass", True))
    QTest.mouseClick(buttons["Corner set"], Qt.MouseButton.LeftButton)
    settle()
    assert [each.name for each in bench.kit.terrains] == ["grass", "sand"]
    assert bench.kit.name == "grass, sand"
    assert bench.sets.currentText() == "grass, sand · corner · props"
    assert bench.tabs.isVisible()
    assert not bench.cards.isVisible()
    assert len(window.session.doc.history.names) == 1
    window.session.undo()
    settle()
    assert bench.cards.isVisible()
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("", False))
    QTest.mouseClick(buttons["Ring set"], Qt.MouseButton.LeftButton)
    assert bench.kit is None


def test_a_terrain_takes_its_colour_from_its_first_plain_tile(window, bench):
    tileset = window.session.project.tilesets[0]
    window.session.choose_tileset(tileset)
    bench.new_set(SetKind.CORNER, ["wet", "dry"])
    given = [each.colour for each in bench.kit.terrains]
    bench.sheet.look(4, tileset.width / 2, tileset.height / 2)
    settle()
    slots = list(SetKind.CORNER.slots)
    plain = tileset.sets[0].marks_within(tileset.rows, tileset.columns)[..., slots]
    row, col = np.argwhere((plain == plain[..., :1]).all(axis=2) & (plain[..., 0] == 1))[0]
    at = bench.sheet.tile_rect(row, col).center().toPoint()
    QTest.mouseClick(bench.sheet, Qt.MouseButton.LeftButton, SHIFT, at)
    settle()
    wet, dry = (each.colour for each in bench.kit.terrains)
    assert (wet != given[0], dry) == (True, given[1])
    tile = np.array(tileset.picture)[
        tileset.slicing.top(row) : tileset.slicing.top(row) + 16,
        tileset.slicing.left(col) : tileset.slicing.left(col) + 16,
    ]
    hue = np.median(tile[..., :3].reshape(-1, 3), axis=0)
    shown = np.array([int(wet[n : n + 2], 16) for n in (1, 3, 5)])
    assert np.argmax(shown) == np.argmax(hue)
    window.session.undo()  # the marks and the colour are one step
    assert [each.colour for each in bench.kit.terrains] == given


def test_a_block_that_was_chosen_does_not_outlive_its_slicing(window, bench):
    owner, _ = choose(bench, PANS, 0)
    bench.copy_button.click()
    drag(bench.sheet, *(bench.sheet.tile_rect(*at).center().toPoint() for at in ((1, 1), (3, 4))))
    assert bench.sheet.block == (1, 1, 3, 4)
    framed = pixels(bench.sheet)
    pieces = Slicing(16, 16, pieces=((0, 0, 9, 9),))
    window.session.apply(use_slicing(window.session.project, owner, pieces)[0])
    settle()
    high = min(len(framed), bench.sheet.height())
    assert (pixels(bench.sheet)[:high] != framed[:high]).any()


def strange_sheet(window):
    """A sheet of ways and walls that nobody has marked, looked at in Terrains."""
    session = window.session
    works = next(each for each in session.project.tilesets if each.name == "works")
    new = Tileset("strange", "strange.png", works.width, works.height, works.slicing,
                  picture=works.picture)  # fmt: skip
    session.apply(add_tileset(session.project, new))
    session.choose_tileset(new)
    window.show_stage("terrains")
    bench = window.stages["terrains"]
    return session, bench, new


def all_found(bench, qtbot):
    qtbot.waitUntil(lambda: not bench.likely.is_busy, timeout=20_000)
    settle()
    return bench.likely.offers


def makes_of(bench):
    return [each for each in bench.likely.findChildren(QPushButton)
            if each.isVisible() and each.text() == "Make this set"]  # fmt: skip


def test_a_sheet_without_sets_shows_likely_ones_and_a_click_makes_one(window, qtbot):
    session, bench, new = strange_sheet(window)
    offers = [*all_found(bench, qtbot)]
    assert bench.likely.isVisible()
    assert bench.cards.isVisible()  # by hand is still there
    words = [each.text() for each in bench.likely.findChildren(QLabel)]
    assert any("ring set · 1 terrain · 47 of 47 combinations" in each for each in words)
    assert any("edge set" in each for each in words)
    assert len(makes_of(bench)) == len({guess.kind for guess, _ in offers}) == 2
    assert offers[0][0].score >= offers[1][0].score
    QTest.mouseClick(makes_of(bench)[0], LEFT)
    settle()
    assert [kit.kind for kit in new.sets] == [offers[0][0].kind]
    assert bench.kit is new.sets[0]
    assert not bench.likely.isVisible()
    assert session.doc.history.undo_name.startswith("Add terrain set")
    assert bench.more.text() == "1 more set looks likely: show them"
    QTest.mouseClick(bench.more, LEFT)
    settle()
    assert bench.likely.isVisible()
    assert [guess for guess, _ in bench.likely.offers] == [offers[1][0]], "what is made has left"
    QTest.mouseClick(makes_of(bench)[0], LEFT)
    settle()
    assert len(new.sets) == 2
    assert not bench.more.isVisible()
    session.undo()
    session.undo()
    settle()
    assert new.sets == []
    assert bench.likely.isVisible()
    assert len(bench.likely.offers) == 2, "and comes back when it is undone"


def test_all_that_are_sure_are_made_as_one_step_and_a_card_shows_its_tiles(window, qtbot):
    session, bench, new = strange_sheet(window)
    offers = [*all_found(bench, qtbot)]
    card = makes_of(bench)[0].parentWidget()
    plain = bench.sheet.grab().toImage()
    qtbot.mouseMove(bench.sheet)
    QApplication.sendEvent(card, QEnterEvent(QPointF(5, 5), QPointF(5, 5), QPointF(5, 5)))
    assert bench.sheet._outlined == offers[0][0].places
    assert bench.sheet.grab().toImage() != plain
    QApplication.sendEvent(card, QEvent(QEvent.Type.Leave))
    assert bench.sheet._outlined == []
    assert bench.likely.all.text() == "Make the 2 that are surer than 80%"
    QTest.mouseClick(bench.likely.all, LEFT)
    settle()
    assert {kit.kind for kit in new.sets} == {guess.kind for guess, _ in offers}
    assert session.doc.history.undo_name == "Make 2 likely sets"
    session.undo()
    assert new.sets == []


def on_sheet(bench, *places):
    """Press on the first of some tiles of the sheet, move over the others and let go."""
    for _ in range(20):  # what has come or gone above the sheet moves it
        before = bench.sheet.tile_rect(*places[0])
        settle()
        if bench.sheet.tile_rect(*places[0]) == before:
            break
    points = [bench.sheet.tile_rect(*at).center().toPoint() for at in places]
    drag(bench.sheet, *points)
    settle()


def test_a_likely_set_takes_tiles_in_and_out_and_is_named_before_it_is_made(window, qtbot):
    session, bench, new = strange_sheet(window)
    all_found(bench, qtbot)
    card = next(each for each in bench.likely.shown if each.guess.kind is SetKind.RING)
    places, marks = [*card.guess.places], card.guess.marks.copy()
    first, other = card.pixels, next(each for each in bench.likely.shown if each is not card)
    QTest.mouseClick(card.tiles, LEFT)
    assert bench.likely.looking.text().startswith("click tiles on the sheet")
    on_sheet(bench, places[4], places[5], places[6])
    assert card.guess.places == [*places[:4], *places[7:]]
    assert (card.pixels != first).any(), "what it knits is shown at once"
    assert "44 tiles" in card.words.text()
    on_sheet(bench, places[5], places[0])
    assert card.guess.places[-1] == places[5], "a drag that puts in leaves what is in"
    assert (card.guess.marks[-1] == marks[5]).all(), "its marks are guessed from the others"
    taken = other.guess.places[0]
    QTest.keyClick(window.shell, Qt.Key.Key_Escape)
    assert not card.tiles.isChecked()
    assert bench.sheet.gathering is None
    line = card.names[0]
    line.setFocus()
    line.selectAll()
    QTest.keyClicks(line, "quay wall")
    QTest.keyClick(line, Qt.Key.Key_Return)
    QTest.mouseClick(card.tiles, LEFT)
    QTest.mouseClick(other.tiles, LEFT)
    assert not card.tiles.isChecked(), "one at a time"
    QTest.mouseClick(card.make, LEFT)
    settle()
    assert bench.sheet.gathering is None
    assert [each.name for each in new.sets[0].terrains] == ["quay wall"]
    assert int(new.sets[0].marks.any(axis=2).sum()) == 45
    assert session.doc.history.undo_name.startswith("Add terrain set")
    bench.show_likely()
    settle()
    QTest.mouseClick(other.tiles, LEFT)
    on_sheet(bench, places[0])
    assert "is in a set already" in window.notices.text.text()
    assert other.guess.places[0] == taken


def test_what_was_guessed_is_marked_until_somebody_has_looked_at_it(window, qtbot):
    _, bench, new = strange_sheet(window)
    all_found(bench, qtbot)
    card = next(each for each in bench.likely.shown if each.guess.kind is SetKind.RING)
    QTest.mouseClick(card.make, LEFT)
    settle()
    places = sorted(card.guess.places)
    assert bench.unseen == places
    bench.sheet.fit()
    marked = bench.sheet.grab().toImage()
    bench.tabs.setCurrentIndex(TABS.index("Review"))
    assert f"{len(places)} tiles have guessed marks" in bench.review.head.text()
    on_sheet(bench, places[3])
    assert bench.unseen == [*places[:3], *places[4:]]
    QTest.mouseClick(bench.review.look, LEFT)
    assert bench.review.head.text() == f"<b>1 of {len(places) - 1}</b>"
    QTest.keyClick(bench.sheet, Qt.Key.Key_Return)
    assert len(bench.unseen) == len(places) - 3, "what is lined up is looked at"
    for _ in range(len(places) - 2):
        QTest.keyClick(bench.sheet, Qt.Key.Key_Return)
    assert bench.unseen == []
    assert bench.review.guess.isVisible()
    bench._guessed(new.sets[0], places)
    bench.refresh()
    QTest.mouseClick(bench.review.right, LEFT)
    assert bench.unseen == []
    assert bench.sheet.grab().toImage() != marked


def test_sets_can_be_made_while_more_is_looked_for(window, qtbot, monkeypatch):
    gate = Event()
    sets_of = cards.sheet_sets

    def slow(sheet, progress, found):
        def told(guess):
            found(guess)
            gate.wait(20)

        return sets_of(sheet, progress, told)

    monkeypatch.setattr(cards, "sheet_sets", slow)
    try:
        session, bench, new = strange_sheet(window)
        qtbot.waitUntil(lambda: len(bench.likely.offers) == 1, timeout=20_000)
        assert bench.likely.is_busy
        assert bench.likely.looking.isVisible()
        qtbot.waitUntil(lambda: bool(makes_of(bench)), timeout=5000)
        QTest.mouseClick(makes_of(bench)[0], LEFT)
        assert len(new.sets) == 1, "nothing is waited for"
    finally:
        gate.set()
    assert len(all_found(bench, qtbot)) == 1
    assert bench.more.isVisible()
    del session


def test_a_sheet_of_things_offers_no_set(window, qtbot):
    session = window.session
    props = next(each for each in session.project.tilesets if each.name == "props")
    session.choose_tileset(props)
    window.show_stage("terrains")
    bench = window.stages["terrains"]
    qtbot.waitUntil(lambda: not bench.likely.is_busy, timeout=20_000)
    settle()
    assert bench.likely.offers == []
    assert not bench.likely.isVisible()
    assert bench.cards.isVisible()


def test_likely_sets_are_looked_for_again_after_a_change_and_too_many_tiles_say_nothing(
    window, qtbot
):
    session, bench, _ = strange_sheet(window)
    assert bench.likely.is_busy
    session.apply(rename_layer(session.map, session.map.layers[0], "Other"))  # meanwhile
    qtbot.waitUntil(lambda: bool(bench.likely.offers), timeout=20_000)
    picture = np.zeros((640, 640, 4), np.uint8)
    fine = Tileset("fine", "fine.png", 640, 640, Slicing(8, 8), picture=picture)
    session.apply(add_tileset(session.project, fine))
    session.choose_tileset(fine)
    qtbot.waitUntil(lambda: not bench.likely.is_busy, timeout=20_000)
    settle()
    assert not bench.likely.isVisible()


# Where nothing is chosen, or marked, yet


def test_where_no_tile_is_chosen_an_example_is_shown_with_what_comes_next(window, bench):
    choose(bench, PANS, 0)
    assert bench.sheet.chosen is None
    bench.tabs.setCurrentIndex(0)
    bench._show_tab()
    assert bench.variants.head.text().startswith("For example ")
    assert bench.variants._lines  # with weights that can be set
    kit = bench.kit
    kit.marks[:] = 0  # else its tiles are its own
    window.session.apply(add_set(bench.owner, TerrainSet("Bare", SetKind.CORNER, kit.terrains)))
    bench.choose_set(bench.owner, bench.owner.sets[-1])
    bench._show_tab()
    assert "drag over the corners" in bench.variants.head.text()
    bench.tabs.setCurrentIndex(TABS.index("Review"))
    review = bench.review
    assert review.guess.isVisible()
    assert not review.next.isVisible()
    sheet = bench.sheet
    for mark, (row, col) in enumerate(((0, 0), (0, 4), (0, 8), (1, 0)), 1):
        bench.choose(mark)
        sheet.choose(row, col)
        QTest.keyClick(sheet, Qt.Key.Key_Space)
    QTest.mouseClick(review.guess, LEFT)
    for _ in range(10):
        wait_for_jobs()
        settle()
    assert review.line
    assert review.next.isVisible()
    assert not review.guess.isVisible()
