import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QDoubleSpinBox, QInputDialog, QLabel
from tests.maps import snapshot
from tests.ui.conftest import LEFT, NONE, RIGHT, click, drag, move, pixels, settle

from knitground.core.base.window import Box
from knitground.core.edit.hand import MixInHand, TerrainInHand, TileInHand
from knitground.core.edit.maps import put_mix
from knitground.core.edit.selecting import Selection
from knitground.core.model.layers import GAP
from knitground.core.model.mix import Fall, FallWay, Mix, MixEntry
from knitground.core.model.tile import TileRef
from knitground.ui.common.zoom import STEPS
from knitground.ui.stages.draw.bench import TABS


@pytest.fixture
def view(window):
    window.show_stage("draw")
    settle()
    window.mapside.view.zoom_to(STEPS.index(2))
    window.mapside.view.show_cell(40, 20)
    QTest.keyClick(window.mapside.view, Qt.Key.Key_Escape)
    settle()
    return window.mapside.view


def ground(window):
    return window.session.map.layers[0]


def all_cells(window):
    map_ = window.session.map
    box = Box(0, 0, map_.height, map_.width)
    return [window.session.doc.cells(map_, layer, box) for layer in map_.layers]


@pytest.mark.parametrize("hand", ["terrain", "tile", "mix", "erase"])
@pytest.mark.parametrize("layer", [0, 2])
@pytest.mark.parametrize("size", [1, 2, 5])
def test_the_ghost_is_what_the_click_lays(window, view, hand, layer, size):
    session = window.session
    session.choose_layer(session.map.layers[layer])
    if hand == "terrain":
        session.take(TerrainInHand("pans", "Pans", 1, "brine"))
    elif hand == "tile":
        session.take(TileInHand(TileRef("props", 0, 5), 5))
    elif hand == "mix":
        session.take(MixInHand("shore growth", session.project.mixes[2]))
    session.choose_tool("erase" if hand == "erase" else "paint")
    session.set_size(size)
    if hand == "erase":  # something to erase
        tile = session.map.legend.place(TileRef("props", 0, 0))
        session.map.layers[2].cells[38:43, 17:24] = tile
    before = all_cells(window)
    at = view.screen_at(40, 20, 0.3, 0.3)
    move(view, at)
    plan = view.plan
    if hand == "terrain" and layer == 2:
        assert plan is None
        assert view.label()[1]
        assert "choose one below" in view.label()[0]
        return
    expected = [cells.copy() for cells in before]
    if plan.changes_anything:
        expected[layer][np.ix_(plan.box.rows(64), plan.box.cols(96))] = plan.cells
    click(view, at)
    after = all_cells(window)
    for one, two in zip(expected, after):
        assert (one == two).all()
    if hand in ("tile", "mix"):
        assert plan.changes_anything
    doc = session.doc
    if plan.changes_anything:
        assert len(doc.history.names) == 1
        window.commands.named("Undo").action.trigger()
    if not (hand == "erase" and layer == 2):
        for one, two in zip(before, all_cells(window)):
            assert (one == two).all()


def test_the_ghost_shows_the_very_pixels_that_are_laid(window, view):
    session = window.session
    window.session.show(grid=False)
    session.take(TerrainInHand("pans", "Pans", 4, "blush"))
    session.set_size(3)
    at = view.screen_at(38, 18)
    move(view, at)
    box = view.plan.box
    left, top = view.screen_at(box.top, box.left, 0, 0).toTuple()
    right, bottom = view.screen_at(box.bottom, box.right, 0, 0).toTuple()
    inside = (slice(top + 3, bottom - 3), slice(left + 3, right - 3))
    ghost = pixels(view)[inside]
    click(view, at)
    view.leaveEvent(None)
    settle()
    laid = pixels(view)[inside]
    same = (ghost == laid).mean()
    assert same > 0.9  # the label covers a corner of the ghost
    window.session.doc.undo()
    settle()
    assert (pixels(view)[inside] == laid).mean() < same


def test_a_drag_is_one_named_step_without_holes(window, view):
    window.stage.digit(1)
    window.session.set_size(2)
    start = snapshot(window.session.project)
    points = [view.screen_at(36, 12), view.screen_at(36, 28), view.screen_at(44, 28)]
    drag(view, *points)
    terrain = ground(window).terrain
    assert (terrain[36:38, 12:30] == 1).all()
    assert (terrain[36:46, 28:30] == 1).all()
    assert window.session.doc.history.names == ["Paint Terrain · brine"]
    assert window.commands.named("Undo").action.text() == "Undo Paint Terrain · brine"
    assert not (all_cells(window)[0] == GAP).any()
    window.commands.named("Undo").action.trigger()
    assert snapshot(window.session.project) == start
    window.commands.named("Redo").action.trigger()
    assert (ground(window).terrain[36:38, 12:30] == 1).all()


def test_escape_in_a_drag_leaves_nothing(window, view):
    window.stage.digit(3)
    start = snapshot(window.session.project)
    drag(view, view.screen_at(36, 12), view.screen_at(40, 28), release=False)
    assert snapshot(window.session.project) != start
    QTest.keyClick(view, Qt.Key.Key_Escape)
    assert snapshot(window.session.project) == start
    assert window.session.doc.history.names == []
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=view.screen_at(40, 28))
    assert snapshot(window.session.project) == start


def test_brine_on_clay_is_bridged_and_the_label_says_so(window, view):
    terrain = ground(window).terrain
    rows, cols = np.nonzero(
        np.lib.stride_tricks.sliding_window_view(terrain, (5, 5)).min((2, 3)) == 3
    )
    row, col = int(rows[0]) + 2, int(cols[0]) + 2
    view.show_cell(row, col)
    window.stage.digit(1)
    window.session.set_size(1)
    at = view.screen_at(row, col, 0.1, 0.1)
    move(view, at)
    assert "+ 8 bridged" in view.label()[0]
    click(view, at)
    patch = ground(window).terrain[row - 1 : row + 2, col - 1 : col + 2]
    assert patch.tolist() == [[2, 2, 2], [2, 1, 2], [2, 2, 2]]
    assert window.session.doc.knitter.gaps(ground(window))[0] == 0


def test_fill_lays_the_region_that_its_ghost_shows(window, view):
    QTest.keyClick(window.shell, Qt.Key.Key_F)
    assert window.session.tool == "fill"
    window.stage.digit(4)
    row, col = 31, 40  # in the quay basin
    at = view.screen_at(row, col, 0.1, 0.1)
    view.show_cell(row, col)
    at = view.screen_at(row, col, 0.1, 0.1)
    move(view, at)
    plan = view.plan
    assert plan.cells.size > 13 * 22
    before = ground(window).terrain.copy()
    click(view, at)
    assert (before[24:37, 30:52] == 1).all()
    assert (ground(window).terrain[24:37, 30:52] == 4).all()
    shown = window.session.doc.cells(window.session.map, ground(window), plan.box)
    assert (shown == plan.cells).all()
    assert not (all_cells(window)[0] == GAP).any()


def test_a_mix_fills_plain_ground_with_pins_and_r_rerolls(window, view):
    session = window.session
    window.show_stage("draw")
    mix = session.project.mixes[0]
    window.stages["draw"].take_mix(mix)
    session.choose_tool("fill")
    view.show_cell(22, 40)  # the crust round the quay
    at = view.screen_at(22, 40)
    move(view, at)
    first = view.plan.cells.copy()
    QTest.keyClick(window.shell, Qt.Key.Key_R)
    assert session.options.seed == 2
    assert (view.plan.cells != first).any()
    click(view, at)
    pinned = ground(window).pinned
    assert pinned.sum() > 60
    places = [session.map.legend.place(entry.tile) for entry in mix.entries]
    laid = ground(window).cells[pinned]
    assert set(laid.tolist()) <= set(places)
    assert "pinned by hand" in window.under.toolTip()  # told at once, the pointer at rest
    # What was laid by hand stays when the ground is knitted again.
    QTest.keyClick(window.shell, Qt.Key.Key_1)
    window.mapside.strip.layers.reroll()
    all_cells(window)
    assert (ground(window).cells[pinned] == laid).all()


def test_a_seed_is_gone_back_to_and_typed(window, view):
    session, seed = window.session, window.mapside.ribbon.seed
    window.stages["draw"].take_mix(session.project.mixes[0])
    session.choose_tool("fill")
    view.show_cell(22, 40)
    move(view, view.screen_at(22, 40))
    first = view.plan.cells.copy()
    QTest.keyClick(window.shell, Qt.Key.Key_R)
    second = view.plan.cells.copy()
    assert (seed.isVisible(), seed.value()) == (True, 2)
    assert (second != first).any()
    QTest.keyClick(window.shell, Qt.Key.Key_R, Qt.KeyboardModifier.ShiftModifier)
    assert seed.value() == session.options.seed == 1
    assert (view.plan.cells == first).all()
    seed.selectAll()
    QTest.keyClicks(seed, "2\r")
    assert session.options.seed == 2
    assert (view.plan.cells == second).all()
    session.set_options(seed=0)
    QTest.keyClick(window.shell, Qt.Key.Key_R, Qt.KeyboardModifier.ShiftModifier)
    assert session.options.seed == seed.value() == 9999  # round, not below nothing


@pytest.mark.parametrize("wide", [1280, 1330, 1420, 1600])
def test_what_the_ribbon_shows_never_widens_the_window(window, view, wide):
    session, ribbon = window.session, window.mapside.ribbon
    window.shell.resize(wide, 800)
    settle()
    kept = window.shell.width()
    window.stages["draw"].take_mix(session.project.mixes[0])
    for tool in (*window.mapside.tools, "paint"):
        session.choose_tool(tool)
        settle()
        assert window.shell.width() == kept, tool
    session.set_options(seed=9999)
    settle()
    assert window.shell.width() == kept
    named = bool(ribbon.buttons["paint"].text())
    assert named == (wide >= 1600) or wide == 1420


def test_tiles_of_a_selection_are_thinned_out_from_the_menu(window, view, monkeypatch):
    session = window.session
    tiles = next(each for each in session.map.layers if type(each).__name__ == "TileLayer")
    session.choose_layer(tiles)
    before = tiles.cells.copy()
    laid = int((before > 0).sum())
    thin = window.commands.named("Thin out…")
    monkeypatch.setattr(QInputDialog, "getDouble", lambda *_, **__: (50.0, False))
    thin.action.trigger()
    assert (tiles.cells == before).all()
    asked = []
    monkeypatch.setattr(QInputDialog, "getDouble", lambda *a, **__: asked.append(a) or (50.0, True))
    thin.action.trigger()
    settle()
    assert "whole map" in asked[0][2]
    assert (tiles.cells > 0).sum() == laid - round(laid / 2)
    QTest.keyClick(window.shell, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert (tiles.cells == before).all()
    rows, cols = np.nonzero(before)
    at = Box(int(rows[0]), int(cols[0]), int(rows[0]) + 1, int(cols[0]) + 1)
    session.select(Selection(at, np.ones((1, 1), bool)))
    monkeypatch.setattr(QInputDialog, "getDouble", lambda *_, **__: (100.0, True))
    thin.action.trigger()
    settle()
    assert ((tiles.cells != before).sum(), tiles.cells[at.top, at.left]) == (1, 0)
    session.doc.undo()
    tiles.locked = True
    thin.action.trigger()
    settle()
    assert (tiles.cells == before).all()
    assert "is locked — " in window.notices.text.text()
    session.choose_layer(ground(window))
    thin.action.trigger()
    assert "“Pans” is knitted from its terrain" in window.notices.text.text()


def test_a_mix_of_what_lies_in_the_selection_comes_into_hand(window, view):
    session = window.session
    box = Box(20, 30, 30, 50)
    session.choose_layer(ground(window))
    session.choose_tool("pick")
    session.select(Selection(box, np.ones((10, 20), bool)))
    window.commands.named("Mix of what lies here").action.trigger()
    settle()
    mix = session.project.mixes[-1]
    shown = session.doc.cells(session.map, ground(window), box)
    assert session.hand == MixInHand(mix.name, mix)
    assert (mix.name, session.tool) == ("Mix of Pans", "paint")
    counts = {e.tile: e.weight for e in mix.entries}
    for place in np.unique(shown).tolist():
        assert counts[session.map.legend.tile(place)] == (shown == place).sum()
    session.doc.undo()
    assert mix not in session.project.mixes


def test_the_shares_of_a_mix_are_written_out(window):
    window.show_stage("draw")
    window.stages["draw"].tabs.setCurrentIndex(2)
    window.stages["draw"].take_mix(window.session.project.mixes[2])
    from PySide6.QtWidgets import QLabel

    words = [label.text() for label in window.stages["draw"].findChildren(QLabel)]
    assert "38 % · 2304 of 6144 cells" in words
    assert "50 % · 3072 of 6144 cells" in words
    assert any("seed 1 · R rerolls" in each for each in words)


def test_weights_of_a_mix_change_what_is_in_hand(window):
    window.show_stage("draw")
    window.stages["draw"].take_mix(window.session.project.mixes[2])
    bench = window.stages["draw"]
    bench.tabs.setCurrentIndex(TABS.index("Mixes"))
    settle()
    weight = bench.mixes.findChildren(QDoubleSpinBox)[0]
    weight.setValue(0.0)
    assert window.session.hand.mix.weights == [0.0, 4.0, 1.0]
    window.session.doc.undo()
    assert window.session.hand.mix.weights == [3.0, 4.0, 1.0]
    settle()
    assert weight.value() == 3.0, "the very field shows what is undone"


def test_a_new_mix_from_tiles_marked_on_the_sheet(window):
    window.show_stage("draw")
    window.stages["draw"].tabs.setCurrentIndex(1)
    settle()
    tiles = window.stages["draw"].tiles
    drag(
        tiles,
        tiles.tile_rect(0, 8).center().toPoint(),
        tiles.tile_rect(0, 11).center().toPoint(),
    )
    click(
        tiles,
        tiles.tile_rect(1, 0).center().toPoint(),
        modifiers=Qt.KeyboardModifier.ControlModifier,
    )
    window.stages["draw"].new_mix()
    mix = window.session.project.mixes[-1]
    assert [(e.tile.row, e.tile.col) for e in mix.entries] == [
        (0, 8),
        (0, 9),
        (0, 10),
        (0, 11),
        (1, 0),
    ]
    assert mix.weights == [6.0, 2.0, 2.0, 1.0, 6.0]
    assert isinstance(window.session.hand, MixInHand)


def test_pick_takes_terrain_tile_and_front_layer(window, view):
    session = window.session
    session.choose_tool("pick")
    view.show_cell(31, 40)
    click(view, view.screen_at(31, 40))
    assert session.hand == TerrainInHand("pans", "Pans", 1, "brine")
    session.choose_layer(session.map.layers[1])
    click(view, view.screen_at(30, 40))
    assert session.hand == TerrainInHand("works", "Causeways", 1, "planks")
    session.choose_layer(session.map.layers[2])
    click(view, view.screen_at(29, 41))
    assert isinstance(session.hand, TileInHand)
    assert session.hand.tile.tileset == "props"
    assert session.layer is session.map.layers[2]
    session.choose_tool("paint")
    click(view, view.screen_at(32, 41), RIGHT)  # empty here: what shows beneath is taken
    assert isinstance(session.hand, TerrainInHand)
    assert session.layer is session.map.layers[0]


@pytest.mark.parametrize(
    ("state", "words"),
    [("locked", "locked — J unlocks it"), ("hidden", "hidden — I shows it"),
     ("outside", "outside the map of 96 × 64 cells"), ("no hand", "nothing in hand")],
)  # fmt: skip
def test_the_pointer_says_what_would_do_nothing_and_the_cure(window, view, state, words):
    session = window.session
    if state == "locked":
        QTest.keyClick(window.shell, Qt.Key.Key_J)
    elif state == "hidden":
        QTest.keyClick(window.shell, Qt.Key.Key_I)
    elif state == "no hand":
        session.take(None)
    start = snapshot(session.project)
    if state == "outside":
        view.show_cell(0, 0)
        at = view.screen_at(-3, 4)
    else:
        at = view.screen_at(40, 20)
    move(view, at)
    text, warns = view.label()
    assert warns
    assert words in text
    click(view, at)
    assert snapshot(session.project) == start
    assert window.notices.isVisible()
    assert words in window.notices.text.text()


def test_strokes_over_the_border_of_a_map_that_wraps(window):
    session, view = window.session, window.mapside.view
    session.choose_map(session.project.maps[1])
    window.show_stage("draw")
    settle()
    view.fit()
    window.stage.digit(1)
    session.set_size(2)
    drag(view, view.screen_at(-1, -1), view.screen_at(0, 0))
    terrain = session.map.layers[0].terrain
    assert (terrain[:2, :2] == 1).all()
    assert (terrain[-2:, -2:] == 1).all()
    assert (terrain[0] == terrain[-1]).all()
    assert (terrain[:, 0] == terrain[:, -1]).all()
    assert not (all_cells(window)[0] == GAP).any()


def test_drawing_with_the_keyboard_alone(window, view):
    window.stage.digit(4)
    view.show_cell(31, 40)
    for key in (Qt.Key.Key_Right, Qt.Key.Key_Down, Qt.Key.Key_Left):
        QTest.keyClick(view, key)
    assert view.at.cell(window.session.map) == (32, 40)
    QTest.keyClick(view, Qt.Key.Key_Return)
    assert (ground(window).terrain[32:34, 40:42] == 4).all()
    assert "column 40, row 32" in window.under.toolTip()


def wheel(view, at, notches, modifiers=Qt.KeyboardModifier.NoModifier):
    event = QWheelEvent(
        QPointF(at),
        QPointF(view.mapToGlobal(at)),
        QPoint(),
        QPoint(0, 120 * notches),
        Qt.MouseButton.NoButton,
        modifiers,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(view, event)


def test_the_wheel_zooms_at_the_pointer_and_sizes_with_ctrl(window, view):
    at = QPoint(200, 150)
    before = view.camera.to_picture(200, 150)
    zoom = view.camera.zoom
    wheel(view, at, 1)
    assert view.camera.zoom > zoom
    after = view.camera.to_picture(200, 150)
    assert abs(before[0] - after[0]) < 1
    assert abs(before[1] - after[1]) < 1
    window.stage.digit(1)
    size = window.session.desk().size
    wheel(view, at, 1, Qt.KeyboardModifier.ControlModifier)
    assert window.session.desk().size == size + 1


def test_middle_drag_and_space_drag_pan(window, view):
    left = view.camera.left
    drag(view, QPoint(100, 100), QPoint(160, 100), button=Qt.MouseButton.MiddleButton)
    assert view.camera.left == left + 60
    QTest.keyPress(view, Qt.Key.Key_Space)
    drag(view, QPoint(160, 100), QPoint(100, 100))
    QTest.keyRelease(view, Qt.Key.Key_Space)
    assert view.camera.left == left
    assert window.session.doc.history.names == []


@pytest.mark.parametrize("way", list(FallWay))
@pytest.mark.parametrize("tool", ["paint", "fill", "box"])
def test_the_ghost_of_a_mix_is_what_is_laid_however_it_falls(window, view, way, tool):
    session = window.session
    tiles = tuple(MixEntry(TileRef("pans", 0, n)) for n in range(6))
    session.apply(put_mix(session.project, Mix("six", tiles, Fall(way, 4.0))))
    layer = session.map.layers[2]
    session.choose_layer(layer)
    layer.cells[:] = 0
    session.take(MixInHand("six", session.project.mixes[-1]))
    session.choose_tool(tool)
    session.set_size(6)
    at, end = view.screen_at(40, 20), view.screen_at(44, 27)
    if tool == "box":
        QTest.mousePress(view, LEFT, NONE, at)
        move(view, end)
        plan = view.plan
        QTest.mouseRelease(view, LEFT, NONE, end)
    else:
        if tool == "fill":
            session.select(Selection(Box(36, 14, 48, 30), np.ones((12, 16), bool)))
            session.set_options(fill_by="selection")
        move(view, at)
        plan = view.plan
        click(view, at)
    settle()
    assert plan.changes_anything
    assert (session.doc.cells(session.map, layer, plan.box) == plan.cells).all()
    laid = layer.cells[layer.cells > 0]
    if way is FallWay.DEALT and tool != "paint":
        counts = np.unique(laid, return_counts=True)[1]
        assert counts.max() - counts.min() <= 1
    if way is FallWay.APART:
        a, b = layer.cells[1:], layer.cells[:-1]
        assert not ((a == b) & (a > 0)).any()


def test_how_a_mix_falls_is_chosen_on_its_card(window, view):
    session, bench = window.session, window.stages["draw"]
    bench.tabs.setCurrentIndex(TABS.index("Mixes"))
    bench.take_mix(session.project.mixes[0])
    settle()
    ways = [box for box in bench.mixes.findChildren(QComboBox) if box.isVisible()]
    assert ways[0].currentText() == "falls each by itself"
    ways[0].activated.emit(list(FallWay).index(FallWay.DEALT))
    settle()
    assert session.project.mixes[0].fall.way is FallWay.DEALT
    ways = [box for box in bench.mixes.findChildren(QComboBox) if box.isVisible()]
    ways[0].activated.emit(list(FallWay).index(FallWay.APART))
    settle()
    texts = [each.text() for each in bench.mixes.findChildren(QLabel)]
    assert any("can not keep apart by chance" in each for each in texts)
    session.choose_layer(session.map.layers[2])
    move(view, view.screen_at(40, 20))
    assert "can not keep apart" in view.label()[0]
    assert view.label()[1]
    session.undo()
    session.undo()
    assert session.project.mixes[0].fall == Fall()


def test_why_this_tile_shows_while_w_is_held(window, view):
    # Brine at its four corners, but not all round: no rule takes it.
    brine = ground(window).terrain == 1
    near = brine[1:-2, 1:-2] & brine[1:-2, 2:-1] & brine[2:-1, 1:-2] & brine[2:-1, 2:-1]
    far = brine[:-3, :-3] & brine[3:, 3:] & brine[:-3, 3:] & brine[3:, :-3]
    row, col = (int(each) + 1 for each in np.argwhere(near & ~far)[40])
    view.show_cell(row, col)
    settle()
    before = pixels(view)
    QTest.keyPress(view, Qt.Key.Key_W)
    held = pixels(view)
    QTest.keyRelease(view, Qt.Key.Key_W)
    assert (before != held).sum() > 10_000
    assert "drawn from 4 variants" in window.under.toolTip()


def test_the_map_shown_three_by_three_repeats_itself(window):
    view = window.mapside.view
    window.session.choose_map(window.session.project.maps[1])
    window.show_stage("grow")
    view.session.show(grid=False)
    QTest.keyClick(
        window.shell,
        Qt.Key.Key_R,
        Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier,
    )
    assert view.session.sight.repeat
    settle()
    view.leaveEvent(None)
    view.camera.step = STEPS.index(1)
    view.camera.left = view.camera.top = -700.0
    settle()
    shown = pixels(view)
    side = 48 * 16
    # One turn further down the same pixels stand.
    view.camera.top += side
    assert (pixels(view) == shown).mean() > 0.99
