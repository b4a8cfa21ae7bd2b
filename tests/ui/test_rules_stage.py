"""The stage Rules in the real window: stencils, order, situations, teaching, why, rewriting."""

from dataclasses import replace

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QRectF, Qt
from PySide6.QtTest import QTest
from tests.maps import snapshot
from tests.ui.conftest import LEFT, NONE, RIGHT, click, drag, move, pixels, settle

from knitground.core.base.window import Box
from knitground.core.edit.hand import TerrainInHand, TileInHand
from knitground.core.edit.maps import delete_map
from knitground.core.edit.rulehome import RuleHome
from knitground.core.edit.rules import homes, move_rules
from knitground.core.edit.rulestats import Situation
from knitground.core.edit.selecting import Selection
from knitground.core.edit.terrainlist import add_terrain
from knitground.core.files.opening import open_project
from knitground.core.files.rulesfile import read_rules
from knitground.core.model.recipe import RewriteStep
from knitground.core.model.rules import OFF, OTHER, SAME, AskKind, NeighbourRule, RewriteRule
from knitground.core.model.tile import TileRef
from knitground.ui.common.tasks import wait_for_jobs
from knitground.ui.common.zoom import STEPS
from knitground.ui.mapside.canvas.why import beside
from knitground.ui.stages.rules.rulelist import HEAD

CTRL, SHIFT, ALT = (
    Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
)  # fmt: skip


def counted(bench):
    """Wait until what the rules take has been counted."""
    for _ in range(60):
        QTest.qWait(20)
        wait_for_jobs()
        settle()
        if bench.counter.is_done:
            return


@pytest.fixture
def bench(window):
    window.show_stage("rules")
    bench = window.stages["rules"]
    counted(bench)
    return bench


def show_set(window, bench, name):
    at = next(n for n, h in enumerate(homes(window.session.project)) if name in h.title)
    bench.homes.setCurrentIndex(at)
    bench.homes.activated.emit(at)
    counted(bench)
    return bench.home


def take_tile(window, tileset, row, col):
    owner = window.session.project.tileset_named(tileset)
    window.session.take(TileInHand(TileRef(tileset, row, col), owner.number(row, col)))


def paint(bench, ask, *places, button=LEFT):
    """Paint places of the stencil in one drag with an ask of the palette."""
    pad = bench.editor.pad
    bench.editor.palette_.choose(ask)
    spots = [pad.rect_of(place).center().toPoint() for place in places]
    QTest.mousePress(pad, button, NONE, spots[0])
    for spot in spots[1:]:
        QTest.mouseMove(pad, spot)
    QTest.mouseRelease(pad, button, NONE, spots[-1])
    settle()


def cells_of(window, layer):
    map_ = window.session.map
    return window.session.doc.cells(map_, layer, Box(0, 0, map_.height, map_.width))


def layer_named(window, name):
    return next(each for each in window.session.map.layers if each.name == name)


# Making and painting rules


def test_a_rule_is_made_painted_and_followed_by_the_map(window, bench):
    session = window.session
    home = show_set(window, bench, "Dykes")
    dykes = layer_named(window, "Dykes")
    before = cells_of(window, dykes)
    take_tile(window, "props", 0, 0)
    bench.add.click()
    settle()
    rule = bench.list.rule
    assert isinstance(rule, NeighbourRule)
    assert (cells_of(window, dykes)[before > 0] == session.map.legend.place(
        TileRef("props", 0, 0))).all()  # fmt: skip
    paint(bench, SAME, (1, -1), (1, 3))
    paint(bench, OTHER, (-1, 1), (3, 1))
    asked = {(y, x): ask for y, x, ask in bench.list.rule.stencil}
    assert asked == {(1, -1): SAME, (1, 3): SAME, (-1, 1): OTHER, (3, 1): OTHER}
    ring = dykes.terrain[:-1, :-1] > 0
    edge = np.pad(ring, 1, mode="edge")
    runs = ring & edge[1:-1, :-2] & edge[1:-1, 2:] & ~edge[:-2, 1:-1] & ~edge[2:, 1:-1]
    place = session.map.legend.place(TileRef("props", 0, 0))
    assert ((cells_of(window, dykes) == place) == runs).all()
    counted(bench)
    assert f"{runs.sum()} cells" in bench.list.notes[rule.number].words
    assert "of 16 situations" in bench.list.notes[rule.number].words
    paint(bench, SAME, (1, -1), button=RIGHT)  # the right button: anything
    assert (1, -1) not in {(y, x) for y, x, _ in bench.list.rule.stencil}
    for _ in range(4):
        session.undo()
    assert not home.rules.rules
    assert (cells_of(window, dykes) == before).all()
    assert session.doc.history.redo_name.startswith("Add")


def test_the_stencil_is_painted_with_keys(window, bench):
    show_set(window, bench, "Dykes")
    take_tile(window, "props", 0, 0)
    bench.add.click()
    pad = bench.editor.pad
    pad.setFocus()
    QTest.keyClick(pad, Qt.Key.Key_Up)  # the cursor comes, in the middle
    QTest.keyClick(window.shell, Qt.Key.Key_2)  # the second ask: other
    QTest.keyClick(pad, Qt.Key.Key_Up)
    QTest.keyClick(pad, Qt.Key.Key_Return)
    assert [(y, x, a) for y, x, a in bench.list.rule.stencil] == [(-1, 1, OTHER)]
    QTest.keyClick(pad, Qt.Key.Key_Delete)
    assert bench.list.rule.stencil == ()


def test_a_group_is_switched_by_its_heading_and_moved_as_one(window, bench):
    home = show_set(window, bench, "Dykes")
    take_tile(window, "props", 0, 0)
    for n in range(5):
        bench.add.click()
        bench.editor.change("Group of", group=("", "Odds", "Odds", "", "Ends")[n])
    wanted = {each.number: each.group for each in home.rules.rules}
    order = [number for number in wanted if wanted[number] == "Odds"]
    rest = [number for number in wanted if wanted[number] != "Odds"]
    bench.do(lambda home: move_rules(home, [*rest[:1], *order, *rest[1:]], 0))
    settle()
    view = bench.list

    def numbers():
        return [each.number for each in home.rules.rules]

    def head(place):
        return view.card_rect(place).topLeft().toPoint() + QPoint(40, -HEAD // 2)

    before = [*rest[:1], *order, *rest[1:]]
    assert numbers() == before
    click(view, head(1))
    assert [each.on for each in home.rules.rules] == [True, False, False, True, True]
    session = window.session
    session.undo()
    drag(view, head(1), view.card_rect(4).bottomLeft().toPoint() + QPoint(40, -8))
    assert numbers() == [*rest, *order]
    assert all(each.on for each in home.rules.rules)  # a drag is no click
    assert session.doc.history.undo_name == "Move 2 rules"
    session.undo()
    drag(view, head(1), head(1) - QPoint(0, 2), view.card_rect(2).center().toPoint())
    assert numbers() == before  # dropped on itself
    session.undo()
    assert session.doc.history.redo_name != "Move 2 rules"
    session.redo()
    # By keys: past the neighbour group as a whole, to the ends and no further.
    view.setFocus()
    view.choose(order[1])
    for _ in range(4):
        QTest.keyClick(view, Qt.Key.Key_Down, ALT | SHIFT)
    assert numbers() == [*rest, *order]
    for _ in range(5):
        QTest.keyClick(view, Qt.Key.Key_Up, ALT | SHIFT)
    assert numbers() == [*order, *rest]
    view.choose(rest[0])
    QTest.keyClick(view, Qt.Key.Key_Up, ALT | SHIFT)
    assert numbers() == before
    view.choose(order[1])
    QTest.keyClick(view, Qt.Key.Key_Up, ALT)
    assert numbers()[1:3] == order[::-1]  # without Shift the rule alone


def test_every_kind_of_set_has_its_own_stencil(window, bench):
    for name, place in (("Pans", (0, 0)), ("Causeways", (0, 1)), ("Dykes", (-1, 1))):
        show_set(window, bench, name)
        take_tile(window, "props", 0, 0)
        bench.add.click()
        paint(bench, OFF if name == "Dykes" else bench.editor.asks()[3], place)
        assert [(y, x) for y, x, _ in bench.list.rule.stencil] == [place]
        larger = len(bench.editor.pad.places())
        bench.editor.pad.resize_by(-1)
        bench.editor.pad.resize_by(-1)
        assert len(bench.editor.pad.places()) <= larger
        assert place in bench.editor.pad.places()  # what is painted stays in sight


def test_fields_of_a_rule_and_its_results(window, bench):
    show_set(window, bench, "Dykes")
    take_tile(window, "props", 0, 0)
    bench.add.click()
    editor = bench.editor
    take_tile(window, "props", 0, 1)
    editor.add_hand()
    assert [e.tile.col for e in bench.list.rule.result.tiles] == [0, 1]
    editor.result._boxes[0][1].setValue(3)
    assert bench.list.rule.result.tiles[0].weight == 3
    assert editor.result._boxes[1][2].text() == "25%"
    editor.ways.setCurrentIndex(3)
    editor.ways.activated.emit(3)
    editor.turns.click()
    editor.chance.setValue(40)
    editor.every[1].setValue(3)
    editor.name.setText("Post")
    editor.name.editingFinished.emit()
    editor.group.setText("Odds")
    editor.group.editingFinished.emit()
    editor.subject.setCurrentIndex(1)
    editor.subject.activated.emit(1)
    rule = bench.list.rule
    assert (rule.ways.value, rule.turns_result, rule.chance) == ("turned and mirrored", True, 0.4)
    assert (rule.every, rule.name, rule.group) == ((1, 3, 0, 0), "Post", "Odds")
    assert rule.subject.name == "brick"
    window.session.take(TerrainInHand("works", "Dykes", 1, "brick"))
    editor.add_hand()
    assert "take a tile, a patch or a mix" in window.notices.text.text()
    editor.more.activated.emit(2)
    assert bench.list.rule.result.kind.value == "gap"
    for _ in range(9):
        window.session.undo()
    assert bench.list.rule.name == ""


# Order


def test_rules_are_moved_by_drag_and_keys_switched_copied_and_deleted(window, bench):
    home = show_set(window, bench, "Pans")
    listed = bench.list
    names = [rule.name for rule in home.rules.rules]
    assert names == ["Open brine", "Wide clay"]
    first, second = (listed.card_rect(n).center().toPoint() for n in (0, 1))
    drag(listed, first, second, second + QPoint(0, 30))
    assert [rule.name for rule in home.rules.rules] == names[::-1]
    listed.setFocus()
    QTest.keyClick(listed, Qt.Key.Key_Up, ALT)
    assert [rule.name for rule in home.rules.rules] == names
    assert listed.rule.name == "Open brine"
    QTest.keyClick(listed, Qt.Key.Key_Down)
    assert listed.rule.name == "Wide clay"
    QTest.keyClick(listed, Qt.Key.Key_Space)
    assert not listed.rule.on
    QTest.keyClick(window.shell, Qt.Key.Key_J, CTRL)
    assert len(home.rules.rules) == 3
    assert len({rule.number for rule in home.rules.rules}) == 3
    QTest.keyClick(listed, Qt.Key.Key_Delete)
    assert len(home.rules.rules) == 2
    for _ in range(5):
        window.session.undo()
    assert [rule.on for rule in home.rules.rules] == [True, True]


def test_a_drag_of_a_card_is_called_off_by_esc(window, bench):
    home = show_set(window, bench, "Pans")
    before = home.rules
    at = bench.list.card_rect(0).center().toPoint()
    QTest.mousePress(bench.list, LEFT, NONE, at)
    QTest.mouseMove(bench.list, at + QPoint(0, 90))
    QTest.keyClick(window.shell, Qt.Key.Key_Escape)
    QTest.mouseRelease(bench.list, LEFT, NONE, at + QPoint(0, 90))
    assert home.rules == before


def test_a_hidden_rule_says_what_hides_it_and_is_lifted(window, bench):
    home = show_set(window, bench, "Dykes")
    for col in (0, 1):
        take_tile(window, "props", 0, col)
        bench.add.click()
    paint(bench, SAME, (1, 3))
    counted(bench)
    hidden = bench.list.number
    note = bench.list.notes[hidden]
    assert note.warning == "never fires: rule 1 takes all that it fits"
    at = bench.list._lift_rect(bench.list.card_rect(1)).center().toPoint()
    QTest.mouseClick(bench.list, LEFT, NONE, at)
    counted(bench)
    assert home.rules.rules[0].number == hidden
    assert not bench.list.notes[hidden].warning
    assert window.session.doc.history.undo_name.endswith("above what hides it")


def test_marks_hide_rules_that_come_after_them(window, bench):
    home = show_set(window, bench, "Dykes")
    take_tile(window, "props", 0, 0)
    bench.add.click()
    bench.first.click()
    assert not home.rules.first
    counted(bench)
    note = bench.list.notes[bench.list.number]
    assert note.warning == "never fires: the marks take all that it fits"
    bench.lift(bench.list.number)
    assert home.rules.first


# Stepping and situations


def test_arrows_step_through_the_cells_of_a_rule(window, bench):
    show_set(window, bench, "Causeways")
    view = window.mapside.view
    view.zoom_to(STEPS.index(3))
    fired = bench.counter.stats.fired[bench.list.number]
    assert fired.count > 4
    window.session.choose_layer(layer_named(window, "Causeway"))
    counted(bench)
    seen = []
    window.session.cell_wanted.connect(lambda row, col: seen.append((row, col)))
    rect = bench.list._step_rects(bench.list.card_rect(0))[1]
    for _ in range(2):
        QTest.mouseClick(bench.list, LEFT, NONE, rect.center().toPoint())
    bench.list.setFocus()
    QTest.keyClick(bench.list, Qt.Key.Key_Left)
    cells = list(zip(fired.rows.tolist(), fired.cols.tolist()))
    assert seen == [cells[0], cells[1], cells[0]]
    assert window.session.layer is layer_named(window, "Causeway")
    plain = pixels(view)
    bench.mark.click()
    settle()
    assert (pixels(view) != plain).any()
    window.show_stage("draw")
    assert window.session.taker is None


def test_situations_that_nobody_takes_lead_to_a_cell_and_become_rules(window, bench):
    session = window.session
    home = show_set(window, bench, "Pans")
    pans = layer_named(window, "Pans")
    session.choose_layer(pans)
    # Blush and crust crosswise is what the sheet lacks: a cell of it by hand.
    pans.terrain[40:42, 10:12] = [[2, 4], [4, 2]]
    session.doc.knitter._states.clear()
    bench.refresh()
    counted(bench)
    bench.tabs.setCurrentIndex(1)
    found = bench.counter.untaken.untaken
    assert found[0].cells >= 1
    assert (found[0].row, found[0].col) != (0, 0)
    seen = []
    session.cell_wanted.connect(lambda row, col: seen.append((row, col)))
    view = bench.situations.view
    QTest.mouseClick(view, LEFT, NONE, view._rect(0).center().toPoint())
    QTest.mouseDClick(view, LEFT, NONE, view._rect(0).center().toPoint())
    assert seen == [(found[0].row, found[0].col)]
    take_tile(window, "pans", 0, 0)
    bench.situations.make_rule.click()
    counted(bench)
    assert bench.list.rule.name == "Situation"
    left = bench.counter.untaken.untaken
    assert found[0].key not in [each.key for each in left]
    assert home.rules.rules[-1].result.tiles[0].tile == TileRef("pans", 0, 0)
    assert bench.tabs.tabText(1).startswith("Situations ")


def test_situations_of_another_set_or_of_other_terrains_are_forgotten_at_once(window, bench):
    session, page = window.session, bench.situations
    home = show_set(window, bench, "Pans")
    bench.tabs.setCurrentIndex(1)
    stale = page.situation
    assert stale is not None
    session.do(lambda: add_terrain(home.tileset, home.kit, "loam"))
    assert page.situation is None
    assert not page.make_rule.isEnabled()
    assert page.words.text() == "Not counted yet."
    counted(bench)
    assert page.situation is not None
    session.undo()
    assert page.situation is None
    counted(bench)
    assert page.situation is not None
    # Not yet counted for the ring set: its situations are told otherwise than those of corners.
    session.choose_layer(layer_named(window, "Dykes"))
    assert bench.home.kit.name == "Dykes"
    assert page.situation is None
    before = len(bench.home.rules.rules)
    bench.rule_of_situation()
    assert len(bench.home.rules.rules) == before
    counted(bench)
    assert page.words.text() == "Rules and marks take every situation."


def test_a_situation_of_a_map_that_is_gone_leads_nowhere(window, bench):
    session = window.session
    show_set(window, bench, "Pans")
    other = session.project.maps[1]
    found = Situation((1, 1, 1, 1), 3, other, 2, 2)
    session.do(lambda: delete_map(session.project, other))
    shown = session.map
    bench.go_to_situation(found)
    assert session.map is shown


def test_the_default_tile_fills_what_nobody_takes(window, bench):
    home = show_set(window, bench, "Dykes")
    bench.default.click()
    assert "Take the tile in hand" in window.notices.text.text()
    take_tile(window, "props", 0, 2)
    bench.default.click()
    assert home.rules.default == TileRef("props", 0, 2)
    bench.default.click()
    assert home.rules.default is None


def test_all_marks_of_a_set_as_rules_lay_the_same_tiles(window, bench):
    home = show_set(window, bench, "Dykes")
    dykes = layer_named(window, "Dykes")
    before = cells_of(window, dykes).copy()
    bench.lists.marks_as_rules()
    counted(bench)
    assert len(home.rules.rules) == 47
    assert (cells_of(window, dykes) == before).all()
    assert not any(note.warning for note in bench.list.notes.values())
    taken = [bench.counter.report.facts[rule.number].takes for rule in home.rules.rules]
    assert sum(taken) == 256


def test_a_stencil_is_copied_from_a_cell_of_the_map(window, bench):
    show_set(window, bench, "Dykes")
    take_tile(window, "props", 0, 0)
    bench.add.click()
    bench.editor.cell_asked.emit()
    view = window.mapside.view
    view.show_cell(22, 40)
    settle()
    assert "Copy the stencil" in view.label()[0]
    click(view, view.screen_at(22, 40))
    asked = {(y, x): a.kind for y, x, a in bench.list.rule.stencil}
    assert asked[1, -1] is AskKind.SAME
    assert asked[-1, 1] is AskKind.OTHER
    assert window.session.taker is None
    counted(bench)
    assert bench.counter.stats.fired[bench.list.number].count >= 1


# Teaching


@pytest.fixture
def lesson(window, bench):
    show_set(window, bench, "Dykes")
    window.session.choose_layer(layer_named(window, "Dykes"))
    take_tile(window, "props", 0, 0)
    QTest.keyClick(window.shell, Qt.Key.Key_T, SHIFT)
    settle()
    view = window.mapside.view
    view.zoom_to(STEPS.index(2))
    view.show_cell(22, 40)
    settle()
    return view


def test_a_rule_is_taught_by_one_cell_seen_as_a_ghost_and_taken(window, bench, lesson):
    dykes = layer_named(window, "Dykes")
    before, start = cells_of(window, dykes).copy(), snapshot(window.session.project)
    plain = pixels(lesson)
    click(lesson, lesson.screen_at(22, 40))
    teacher = window.session.taker
    found = teacher.proposal
    assert found.changed.any()
    assert (pixels(lesson) != plain).any()
    assert "would change" in bench.lesson.words.text()
    drawn = bench.lesson.proposed
    assert (drawn.isVisible(), drawn.rule) == (True, found.rule)
    seen = pixels(drawn)
    drawn.show_rule(bench.home, replace(found.rule, stencil=()))
    assert (pixels(drawn) != seen).any()  # it is the stencil that is drawn
    assert (cells_of(window, dykes) == before).all()  # only shown
    shown = np.where(found.changed, found.cells, before[found.box.top : found.box.bottom,
                     found.box.left : found.box.right])  # fmt: skip
    lesson.setFocus()
    bench.lesson.take_button.click()
    settle()
    box = found.box
    after = cells_of(window, dykes)
    assert (after[box.top : box.bottom, box.left : box.right] == shown).all()
    assert after[22, 40] == window.session.map.legend.place(TileRef("props", 0, 0))
    assert bench.list.rule.name == "Taught"
    assert window.session.doc.history.undo_name == "Teach a rule"
    window.session.undo()
    assert snapshot(window.session.project) == start


def test_a_cell_that_stays_makes_the_rule_narrower_and_esc_leaves_all(window, bench, lesson):
    start = snapshot(window.session.project)
    click(lesson, lesson.screen_at(22, 40))
    teacher = window.session.taker
    many = int(teacher.proposal.changed.sum())
    QTest.mouseClick(lesson, LEFT, CTRL, lesson.screen_at(22, 44))
    few = teacher.proposal
    assert int(few.changed.sum()) < many or few.not_told
    box = few.box
    assert not few.changed[22 - box.top, 44 - box.left] or few.not_told
    QTest.keyClick(window.shell, Qt.Key.Key_Escape)
    settle()
    assert window.session.taker is None
    assert not bench.lesson.bar.isVisible()
    assert snapshot(window.session.project) == start


def test_a_lesson_ends_with_its_stage_and_with_its_project(window, bench, lesson):
    click(lesson, lesson.screen_at(22, 40))
    window.show_stage("draw")
    assert window.session.taker is None
    assert not bench.lesson.button.isChecked()
    window.show_stage("rules")
    window.session.open(open_project(window.session.project.folder).project)
    settle()
    assert window.session.taker is None


def test_a_lesson_needs_a_layer_of_its_set(window, bench):
    show_set(window, bench, "Dykes")
    window.session.choose_map(window.session.project.maps[1])
    show_set(window, bench, "Dykes")
    bench.lesson.button.click()
    assert not bench.lesson.button.isChecked()
    assert "needs a layer that follows these rules" in window.notices.text.text()


def test_a_list_is_taught_on_the_layer_that_follows_it(window, bench, basin):
    session, view = window.session, window.mapside.view
    dykes = layer_named(window, "Dykes")
    session.choose_layer(dykes)
    counted(bench)
    take_tile(window, "props", 0, 0)
    bench.lesson.button.click()
    view.zoom_to(STEPS.index(2))
    view.show_cell(12, 13)
    settle()
    click(view, view.screen_at(12, 13))  # a run from west to east
    found = session.taker.proposal
    assert found.rule.subject.kind is AskKind.TILES
    before = dykes.cells.copy()
    runs = before == before[12, 13]
    assert (found.changed == runs[found.box.top : found.box.bottom,
                                  found.box.left : found.box.right]).all()  # fmt: skip
    bench.lesson.take_button.click()
    settle()
    place = basin.legend.place(TileRef("props", 0, 0))
    assert ((cells_of(window, dykes) == place) == runs).all()
    assert bench.list.rule.name == "Taught"
    session.undo()
    assert (cells_of(window, dykes) == before).all()


def test_the_ghost_of_a_draft_shows_what_it_becomes(window, bench, basin):
    session, view = window.session, window.mapside.view
    draft, dykes = layer_named(window, "Draft"), layer_named(window, "Dykes")
    session.choose_layer(draft)
    wall = basin.legend.tile(int(draft.cells[12, 11]))
    take_tile(window, wall.tileset, wall.row, wall.col)
    session.choose_tool("paint")
    view.zoom_to(STEPS.index(2))
    view.session.show(grid=False)
    view.show_cell(38, 12)
    settle()
    move(view, view.screen_at(38, 12))
    plan = view.plan
    tried = session.doc.rewriter.trial(basin, draft, plan.box, plan.cells)
    assert [each[0] for each in tried] == [dykes]
    ghost = pixels(view)
    click(view, view.screen_at(38, 12))
    settle()
    box, shown = tried[0][1], tried[0][2]
    assert (session.doc.cells(basin, dykes, box) == shown).all()
    after = pixels(view)
    at = view.screen_rect(basin.lattice.bounds(Box(38, 12, 39, 13)))
    inside = np.s_[at.top() + 5 : at.bottom() - 5, at.left() + 5 : at.right() - 5]
    assert (ghost[inside] == after[inside]).all()


# Why


def test_why_tells_the_rules_and_marks_where_they_fail(window, bench):
    session = window.session
    session.choose_layer(layer_named(window, "Pans"))
    view = window.mapside.view
    view.zoom_to(STEPS.index(2))
    view.show_cell(31, 40)
    settle()
    move(view, view.screen_at(31, 40))
    assert "rule 1, “Open brine”, took it" in window.under.toolTip()
    before = pixels(view)
    QTest.keyPress(view, Qt.Key.Key_W)
    assert (pixels(view) != before).sum() > 10_000
    QTest.keyRelease(view, Qt.Key.Key_W)


# Rewriting


@pytest.fixture
def basin(window, bench):
    window.session.choose_map(window.session.project.maps[1])
    show_set(window, bench, "Finish")
    return window.session.map


def test_drafts_become_dykes_while_they_are_drawn(window, bench, basin):
    session, view = window.session, window.mapside.view
    draft, dykes = layer_named(window, "Draft"), layer_named(window, "Dykes")
    session.choose_layer(draft)
    wall = next(t for t in basin.legend.tiles if t and t.tileset == "works"
                and basin.legend.place(t) == draft.cells[12, 11])  # fmt: skip
    take_tile(window, wall.tileset, wall.row, wall.col)
    session.choose_tool("paint")
    view.zoom_to(STEPS.index(2))
    view.show_cell(38, 12)
    settle()
    before = dykes.cells.copy()
    drag(view, view.screen_at(38, 10), view.screen_at(38, 12), view.screen_at(38, 14))
    made = dykes.cells[38, 10:15]
    assert (made > 0).all()
    assert len(set(made.tolist())) == 3  # an end, a run, the other end
    assert session.doc.history.undo_name.startswith("Paint")
    counted(bench)
    session.undo()
    assert (dykes.cells == before).all()
    session.redo()
    assert (dykes.cells[38, 10:15] == made).all()
    session.choose_layer(dykes)
    move(view, view.screen_at(38, 12))
    assert "of “Finish dykes”" in window.under.toolTip()


def test_pins_on_a_live_layer_stay(window, bench, basin):
    session, view = window.session, window.mapside.view
    dykes = layer_named(window, "Dykes")
    session.choose_layer(dykes)
    take_tile(window, "props", 0, 0)
    session.choose_tool("paint")
    view.show_cell(12, 12)
    settle()
    click(view, view.screen_at(12, 12))
    place = basin.legend.place(TileRef("props", 0, 0))
    assert dykes.cells[12, 12] == place
    rule = bench.home.rules.rules[4]
    bench.list.choose(rule.number)
    QTest.keyClick(bench.list, Qt.Key.Key_Space)  # another list: the layer is made anew
    settle()
    assert cells_of(window, dykes)[12, 12] == place
    session.undo()
    session.undo()
    assert cells_of(window, dykes)[12, 12] != place


def test_stepping_tells_what_became_of_each_place(window, bench, basin):
    counted(bench)
    first = bench.home.rules.rules[0]
    bench.step(first.number, 1)
    assert window.notices.text.text().endswith("— replaced")
    bench.choose_rule(first.number)
    bench.duplicate()
    counted(bench)
    copied = bench.home.rules.rules[1]
    assert "an earlier rule took its cells" in bench.list.notes[copied.number].words
    bench.step(copied.number, 1)
    assert window.notices.text.text().endswith("— an earlier rule took its cells")


def test_a_rewrite_rule_is_made_from_selections(window, bench, basin):
    session = window.session
    draft = layer_named(window, "Draft")
    session.choose_layer(draft)
    bench.lists.new_list("Mine")
    session.select(Selection(Box(12, 15, 13, 18), np.ones((1, 3), bool)))
    bench.add_block.click()
    rule = bench.list.rule
    assert isinstance(rule, RewriteRule)
    assert [(c.row, c.col) for c in rule.block] == [(0, -1), (0, 0), (0, 1)]
    counted(bench)
    assert "writes nothing" in bench.list.notes[rule.number].warning or not rule.outcomes
    session.choose_layer(layer_named(window, "Dykes"))
    bench.rewrite.write_selection()
    assert len(bench.list.rule.outcomes[0].cells) == 3
    session.choose_layer(draft)
    layers = len(basin.layers)
    bench.lists.use_list()
    settle()
    assert len(basin.layers) == layers + 1
    made = basin.layers[basin.layers.index(draft) + 1]
    counted(bench)
    assert bench.counter.stats.fired[bench.list.number].count >= 2
    assert (cells_of(window, made)[12, 15:18] > 0).all()
    session.undo()
    assert len(basin.layers) == layers


def test_blocks_are_painted_in_the_bench(window, bench, basin):
    bench.lists.new_list("Mine")
    window.session.select(None)
    bench.add_block.click()
    editor = bench.rewrite
    take_tile(window, "props", 0, 0)
    settle()
    ask = next(a for a in editor.asks() if a and a.kind is AskKind.TILES)
    editor.palette_.choose(ask)
    spot = editor.reads.rect_of((0, 0)).center().toPoint()
    QTest.mouseClick(editor.reads, LEFT, NONE, spot)
    QTest.mouseClick(editor.writes, LEFT, NONE, editor.writes.rect_of((0, 1)).center().toPoint())
    rule = bench.list.rule
    assert [(c.row, c.col, c.ask) for c in rule.block] == [(0, 0, ask)]
    assert [(c.row, c.col, c.tile) for c in rule.outcomes[0].cells] == [
        (0, 1, TileRef("props", 0, 0))
    ]
    editor.add_outcome()
    assert len(bench.list.rule.outcomes) == 2
    QTest.mouseClick(editor.reads, RIGHT, NONE, spot)
    assert bench.list.rule.block == ()


def test_rewriting_once_is_one_step_in_a_selection_or_all_over(window, bench, basin):
    session = window.session
    draft = layer_named(window, "Draft")
    session.choose_layer(draft)
    before = draft.cells.copy()
    session.select(Selection(Box(10, 10, 20, 20), np.ones((10, 10), bool)))
    bench.lists.rewrite(selection=True)
    wait_for_jobs()
    settle()
    changed = draft.cells != before
    assert changed[10:20, 10:20].any()
    assert not changed[20:].any()
    assert session.doc.history.undo_name.startswith("Rewrite ")
    session.undo()
    assert (draft.cells == before).all()
    bench.lists.rewrite(selection=False)
    wait_for_jobs()
    settle()
    assert (draft.cells != before)[20:].any()
    session.undo()
    session.select(None)
    bench.lists.rewrite(selection=True)
    assert "Nothing is selected" in window.notices.text.text()


def test_lists_are_renamed_deleted_written_and_read(window, bench, basin, tmp_path):
    session = window.session
    home = bench.home
    path = tmp_path / "dykes.rules.json"
    bench.lists.write_to(path)
    assert read_rules(path) == home.rules
    bench.lists.read_from(path)
    assert len(session.project.rule_lists) == 2
    assert bench.home.name == "Finish dykes 2"
    bench.lists._delete_list()
    assert len(session.project.rule_lists) == 1
    path.write_text("{")
    bench.lists.read_from(path)
    assert "is broken" in window.notices.text.text()
    show_set(window, bench, "Pans")
    bench.lists.write_to(path)
    count = len(bench.home.rules.rules)
    bench.lists.read_from(path)
    assert len(bench.home.rules.rules) == 2 * count


def test_rules_are_saved_and_opened_as_they_are(window, bench, basin, tmp_path):
    home = RuleHome(window.session.project, *window.session.project.set_of("pans", "Pans"))
    QTest.keyClick(bench.list, Qt.Key.Key_Space)
    window.files.save_to(tmp_path / "saved")
    settle()
    wait_for_jobs()
    settle()
    again = open_project(tmp_path / "saved").project
    assert again.rule_lists == window.session.project.rule_lists
    assert again.set_of("pans", "Pans")[1].rules == home.rules


def test_the_grow_card_changes_a_rewrite_step(window, basin):
    window.show_stage("grow")
    settle()
    grow = window.stages["grow"]
    card = next(each for each in grow.cards if each.kind is RewriteStep)
    card.title.click()
    card.fields["copies"].click()
    grow._wait.stop()
    grow.runs.run()
    for _ in range(20):
        QTest.qWait(20)
        wait_for_jobs()
        settle()
    assert not basin.recipe.steps[-1].copies
    window.session.undo()
    assert basin.recipe.steps[-1].copies


def test_a_project_without_sets_says_what_to_do(empty_window):
    empty_window.show_stage("rules")
    bench = empty_window.stages["rules"]
    bench.refresh()
    assert "Mark a terrain set first" in bench.how.text()
    assert not bench.add.isEnabled()


def test_a_set_without_rules_shows_what_three_would_do(window):
    window.show_stage("rules")
    bench = window.stages["rules"]
    home = next(each for each in homes(window.session.project)
                if each.kit is not None and not each.rules.rules)  # fmt: skip
    bench.homes.setCurrentIndex(bench.homes.findText(home.title))
    bench.homes.activated.emit(bench.homes.currentIndex())
    for _ in range(20):
        wait_for_jobs()
        settle()
    offers = bench.begin.buttons
    assert len(offers) == 3
    assert all(each.isVisible() and each.picture is not None for each in offers)
    assert not bench.tabs.isVisible()  # there is no rule that could be edited
    before = snapshot(window.session.project)
    window.session.choose_layer(next(e for e in window.session.map.layers if e.name == "Dykes"))
    QTest.mouseClick(bench.lesson.button, LEFT)
    assert bench.lesson.bar.isVisible()
    QTest.mouseClick(offers[1], LEFT)
    settle()
    assert not bench.lesson.bar.isVisible()  # it was about the rules as they were
    (rule,) = home.rules.rules
    assert rule.name == offers[1].text()
    assert bench.editor.isVisible()
    assert not bench.begin.isVisible()
    window.session.undo()
    settle()
    assert snapshot(window.session.project) == before
    assert bench.begin.isVisible()


def test_the_sheets_stand_in_the_bench_while_a_tile_is_chosen(window):
    window.show_stage("rules")
    bench = window.stages["rules"]
    home = next(each for each in homes(window.session.project) if each.kit is not None)
    bench.homes.setCurrentIndex(bench.homes.findText(home.title))
    bench.homes.activated.emit(bench.homes.currentIndex())
    settle()
    bench.list.choose(home.rules.rules[0].number)
    settle()
    rule = bench.list.rule
    bench.ask_sheet_tile()
    settle()
    assert bench.pane.isVisible()
    assert not bench.list.isVisible()
    assert bench.editor.isVisible()  # the rule that gets the tile is seen
    click(bench.pane.sheet, bench.pane.sheet.tile_rect(1, 4).center().toPoint())
    settle()
    laid = [each.tile for each in home.rule(rule.number).result.tiles]
    assert TileRef(home.tileset.name, 1, 4) in laid
    assert bench.pane.isVisible()  # another may be wanted
    QTest.keyClick(window.shell, Qt.Key.Key_Escape)
    assert bench.list.isVisible()
    bench.show_sheets()
    bench.pane.sheet.taken.emit(0, 1)
    assert window.session.hand == TileInHand(TileRef(home.tileset.name, 0, 1), 1)
    QTest.mouseClick(bench.pane.back, LEFT)
    assert not bench.pane.isVisible()


@pytest.mark.parametrize("at", [(100, 100), (1100, 100), (600, 20), (600, 700), (640, 400), (5, 5)])
def test_why_this_tile_never_covers_the_places_that_it_numbers(at):
    view = QRectF(0, 0, 1200, 720)
    told = QRectF(at[0] - 50, at[1] - 50, 100, 100)
    panel = beside(told, 340, 180, view)
    assert view.contains(panel)
    assert not panel.intersects(told)


def test_where_there_is_no_room_beside_it_stands_at_the_border():
    view = QRectF(0, 0, 420, 260)
    panel = beside(QRectF(60, 20, 300, 220), 340, 180, view)
    assert view.contains(panel)
