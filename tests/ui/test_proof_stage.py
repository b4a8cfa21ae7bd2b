"""The stage Proof in the real window: slips, going there, mending, judging, bars and knots."""

import time

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from tests.ui.conftest import click, drag, move, settle, settle_view

from knitground.core.base.errors import KnitError
from knitground.core.base.window import Box
from knitground.core.edit.excuses import excuse
from knitground.core.edit.laying import plan_cells
from knitground.core.edit.maps import add_map
from knitground.core.model.map import Map
from knitground.core.model.terrain import Slot
from knitground.core.model.tile import TileRef
from knitground.core.proof import proof as proofs
from knitground.core.proof.finding import Check, Finding, Group
from knitground.core.proof.proof import CHECKS, run_check
from knitground.ui.common.tasks import wait_for_jobs
from knitground.ui.stages.proof import bench as benches
from knitground.ui.stages.proof.prover import State

CORNERS = [Slot.NW, Slot.NE, Slot.SE, Slot.SW]


def proved(window):
    """Show Proof and wait until all checks are made."""
    window.show_stage("proof")
    bench = window.stages["proof"]
    for _ in range(400):
        settle()
        wait_for_jobs()
        bench.prover._timer.setInterval(0)
        if not bench.prover.is_busy and not bench.prover._timer.isActive():
            break
    assert not bench.prover.is_busy
    bench._soon.stop()
    bench.refresh()
    assert [each for each in QApplication.topLevelWidgets() if each.isVisible()] == [window.shell]
    settle()
    return bench


def outgrow(session, *cells):
    """Pin tiles that show another terrain at all corners: each is a fault of its own."""
    map_, layer = session.map, session.map.layers[0]
    kit = session.project.tileset_named("pans").sets[0]
    for cell in cells:
        box = Box(*cell, cell[0] + 1, cell[1] + 1)
        here = map_.legend.tile(int(session.doc.cells(map_, layer, box)[0, 0]))
        shown = set(kit.marks[here.row, here.col, CORNERS].tolist())
        row, col = next((row, col) for row, col in np.ndindex(kit.marks.shape[:2])
                        if (marks := set(kit.marks[row, col, CORNERS].tolist()))
                        and len(marks) == 1 and not marks & {0, *shown})  # fmt: skip
        places = np.full((1, 1), map_.legend.place(TileRef("pans", row, col)), np.int32)
        session.apply(plan_cells(map_, layer, box, places, np.ones((1, 1), bool), "Pin").edit)


@pytest.fixture
def pinned(window):
    """Three pins that their terrain has outgrown, on the first map; nothing else is wrong."""
    session = window.session
    outgrow(session, (3, 3), (8, 12), (14, 5))
    bench = proved(window)
    bench.show_check("pins")
    assert len(bench.slips) == 3
    return session, bench


def words(bench):
    return [each.words.text() for each in bench.slips]


def test_a_map_without_faults_says_so_and_its_bars_are_full(window):
    session = window.session
    session.choose_map(session.project.map_named("Loading quay"))
    spare = [each.key for each in run_check(session.doc, CHECKS["unused"], None)]
    session.do(lambda: excuse(session.project, spare, "for another map"))
    bench = proved(window)
    assert bench.told.text().startswith("Nothing found")
    assert {each.state for each in bench.prover.checks.values()} == {State.DONE}
    assert bench.slips == []
    assert "nothing found" in bench.bars.words("gaps")
    assert window.shell.rail._counts.get("proof", 0) == 0


def test_slips_tell_show_and_lead_to_the_cell(window, pinned):
    session, bench = pinned
    assert window.shell.rail._counts["proof"] == len(bench.prover.proof.findings) >= 3
    slip = bench.slips[0]
    assert not slip.picture.pixmap().isNull()
    session.choose_layer(session.map.layers[2])
    view = window.mapside.view
    view.fit()
    view.zoom_by(4)
    click(slip, slip.words.geometry().center())
    assert session.layer is session.map.layers[0]
    assert view.rect().contains(view.screen_at(*slip.finding.places[0]))
    assert slip.hasFocus()
    assert slip.property("chosen") == "true"


def test_knots_mark_findings_on_the_map_and_the_one_pointed_at_is_large(window, pinned):
    session, bench = pinned
    view = window.mapside.view
    view.fit()
    settle_view(view)

    def knots():
        marks = session.marks["proof"]
        return sorted((cell, role) for cell, role in marks.cells(session.map))

    assert {cell for cell, role in knots()} == {each.places[0] for each in bench.shown_findings}
    before = view.grab().toImage()
    move(bench.slips[1], QPoint(9, 9))
    bench.slips[1].enterEvent(None)
    assert (bench.slips[1].finding.places[0], "large knot") in knots()
    settle_view(view)
    assert view.grab().toImage() != before
    bench.slips[1].leaveEvent(None)
    assert all(role == "knot" for _, role in knots())
    window.show_stage("draw")
    assert "proof" not in session.marks


def test_a_cure_is_one_step_for_one_or_for_all_alike(window, pinned):
    session, bench = pinned
    ground = session.map.layers[0]
    first = bench.slips[0].finding.places[0]
    before = ground.pinned.copy()
    QTest.mouseClick(bench.slips[0].cure, Qt.MouseButton.LeftButton)
    wait_for_jobs()
    assert not ground.pinned[first]
    assert int(before.sum() - ground.pinned.sum()) == 1
    bench = proved(window)
    assert len(bench.slips) == 2
    assert bench.slips[0].every.text() == "all 2"
    QTest.mouseClick(bench.slips[0].every, Qt.MouseButton.LeftButton)
    wait_for_jobs()
    assert proved(window).slips == []
    session.undo()
    assert len(proved(window).slips) == 2, "all of them came back with one step"
    session.undo()
    assert (ground.pinned == before).all()


def test_keys_go_mend_and_judge(window, pinned, monkeypatch):
    session, bench = pinned
    bench.slips[0].setFocus()
    QTest.keyClick(bench.slips[0], Qt.Key.Key_Down)
    assert bench.slips[1].hasFocus()
    QTest.keyClick(bench.slips[1], Qt.Key.Key_Return)
    assert bench.slips[1].place == 0
    key = bench.slips[1].finding.key
    monkeypatch.setattr(benches, "ask_text", lambda *_: "a wreck")
    QTest.keyClick(bench.slips[1], Qt.Key.Key_N)
    settle()
    assert [(each.key, each.why) for each in session.project.excused] == [(key, "a wreck")]
    bench = proved(window)
    assert len(bench.slips) == 2
    QTest.keyClick(bench.slips[0], Qt.Key.Key_C)
    wait_for_jobs()
    assert len(proved(window).slips) == 1


def test_not_a_fault_stays_away_is_seen_in_its_group_and_can_come_back(window, pinned, monkeypatch):
    session, bench = pinned
    count = len(bench.prover.proof.findings)
    key = bench.slips[2].finding.key
    monkeypatch.setattr(benches, "ask_text", lambda *_: None)
    QTest.mouseClick(bench.slips[2].excuse, Qt.MouseButton.LeftButton)
    assert session.project.excused == (), "who takes the question back has said nothing"
    monkeypatch.setattr(benches, "ask_text", lambda *_: "meant so")
    QTest.mouseClick(bench.slips[2].excuse, Qt.MouseButton.LeftButton)
    bench = proved(window)
    assert window.shell.rail._counts["proof"] == count - 1
    assert len(bench.slips) == 2
    bench._fold("excused")
    [judged] = [each for each in bench.slips if each.is_excused]
    assert judged.finding.key == key
    assert "meant so" in judged.count.text()
    assert not judged.cure.isVisibleTo(judged)
    QTest.mouseClick(judged.excuse, Qt.MouseButton.LeftButton)
    assert session.project.excused == ()
    assert len([each for each in proved(window).slips if not each.is_excused]) == 3


def test_bars_groups_and_the_search_narrow_what_is_shown(window, pinned):
    bench = pinned[1]
    bench.bars.grab()
    at = list(CHECKS).index("pins") * 17 + 8
    click(bench.bars, QPoint(at, 30))
    assert bench.check == "", "again: all"
    click(bench.bars, QPoint(list(CHECKS).index("gaps") * 17 + 8, 30))
    assert bench.check == "gaps"
    assert bench.slips == []
    bench.show_check("")
    told = len(bench.slips)
    bench.search.setText("nothing has this word")
    bench.refresh()
    assert bench.slips == []
    bench.search.setText("PIN")
    bench.refresh()
    assert 3 <= len(bench.slips) <= told
    bench._fold(Group.SENSE.value)
    assert bench.slips == []
    assert bench.shown_findings, "what is folded is marked on the map still"


def test_the_next_finding_is_reached_from_any_stage(window, pinned):
    bench = pinned[1]
    window.show_stage("draw")
    QTest.keyClick(window.shell, Qt.Key.Key_F8)
    settle()
    assert bench.isVisible()
    first = [each.hasFocus() for each in bench.slips]
    assert first == [True, False, False]
    QTest.keyClick(window.shell, Qt.Key.Key_F8)
    QTest.keyClick(window.shell, Qt.Key.Key_F8)
    assert bench.slips[2].hasFocus()
    QTest.keyClick(window.shell, Qt.Key.Key_F8, Qt.KeyboardModifier.ShiftModifier)
    assert bench.slips[1].hasFocus()


def test_what_is_drawn_is_checked_again_by_itself(window, pinned):
    session, bench = pinned
    told = {each.finding.key for each in bench.slips}
    known = len(bench.prover.proof.findings)
    session.undo()
    assert bench.prover.is_busy
    assert bench.prover._timer.isActive(), "nobody has to press a button"
    assert len(bench.prover.proof.findings) == known, "the old stay till the new are known"
    assert len(proved(window).slips) == 2
    session.redo()
    assert {each.finding.key for each in proved(window).slips} == told


def test_nothing_is_checked_while_a_stroke_is_drawn(window, pinned):
    session, bench = pinned
    view = window.mapside.view
    session.choose_layer(session.map.layers[0])
    session.choose_tool("paint")
    view.fit()
    bench.prover.again()
    middle = view.rect().center()
    drag(view, middle, middle + QPoint(20, 0), release=False)
    assert session.in_gesture
    asked = []
    bench.prover._question.ask, kept = lambda *_: asked.append(1), bench.prover._question.ask
    bench.prover._next()
    bench.prover._question.ask = kept
    assert asked == []
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=middle + QPoint(20, 0))
    proved(window)


def test_another_map_has_its_own_findings(window, pinned):
    session, bench = pinned
    bench.show_check("")
    session.choose_map(session.project.map_named("Salt coast"))
    assert all(each.finding.map != "Harbour pans" for each in proved(window).slips)
    session.choose_map(session.project.maps[0])
    assert sum(each.finding.check == "pins" for each in proved(window).slips) == 3


def test_a_finding_of_the_project_leads_to_its_stage(window):
    session = window.session
    session.apply(add_map(session.project, Map("HARBOUR PANS", 8, 8, 16, 16)))
    bench = proved(window)
    [slip] = [each for each in bench.slips if each.finding.check == "names"]
    slip.go()
    assert "Mend it in Draw" in window.notices.text.text()
    assert slip.cure.isVisibleTo(slip)
    QTest.mouseClick(slip.cure, Qt.MouseButton.LeftButton)
    wait_for_jobs()
    assert session.project.maps[-1].name != "HARBOUR PANS"


def test_very_many_findings_come_in_pages_and_a_check_that_fails_is_told(window, monkeypatch):
    def many(at):
        for n in range(60):
            yield Finding("gaps", f"made up {n:02}", str(n), at.map.name, 1, ((n % 9, n // 9),),
                          hurt=1 - n / 100)  # fmt: skip

    def broken(_):
        raise KnitError("no ink is left")

    for key, find in (("gaps", many), ("runs", broken)):
        check = CHECKS[key]
        made = Check(key, check.group, check.title, check.hint, find, cure=check.cure)
        monkeypatch.setitem(proofs.CHECKS, key, made)
    bench = window.stages["proof"]
    window.show_stage("proof")
    bench.prover.again()
    bench = proved(window)
    bench.show_check("gaps")
    assert words(bench)[:2] == ["made up 00", "made up 01"]
    assert len(bench.slips) == 8
    bench._turn(Group.SENSE.value, 6)
    assert words(bench) == [f"made up {n}" for n in range(48, 56)]
    assert "no ink is left" in bench.bars.words("runs")
    assert bench.prover.checks["runs"].state is State.FAILED


def test_a_check_that_runs_gives_way_to_a_stroke(window, pinned, monkeypatch):
    session, bench = pinned
    begun = []

    def slow(at):
        begun.append(1)
        for n in range(2000):
            at.progress(n / 2000)
            time.sleep(0.001)
        yield Finding("gaps", "made up", "x", at.map.name, 1, ((0, 0),))

    check = CHECKS["gaps"]
    made = Check("gaps", check.group, check.title, check.hint, slow, cure=check.cure)
    monkeypatch.setitem(proofs.CHECKS, "gaps", made)
    for one in bench.prover.checks.values():
        one.state = State.DONE
    bench.prover.checks["gaps"].state = State.WAITS
    bench.prover._next()
    while not begun:
        settle()
    view = window.mapside.view
    session.choose_layer(session.map.layers[0])
    session.choose_tool("paint")
    view.fit()
    middle = view.rect().center()
    drag(view, middle, middle + QPoint(20, 0), release=False)
    before = time.perf_counter()
    wait_for_jobs()
    settle()
    assert time.perf_counter() - before < 1.5, "it did not go on to its end"
    assert bench.prover.checks["gaps"].state is State.WAITS, "it comes again after the stroke"
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=middle + QPoint(20, 0))
    monkeypatch.setitem(proofs.CHECKS, "gaps", check)
    proved(window)


def test_the_rail_counts_also_while_nobody_looks_at_proof(window, monkeypatch):
    prover = window.stages["proof"].prover
    monkeypatch.setattr(prover, "by_itself", True)
    outgrow(window.session, (3, 3))
    assert not prover.watched
    assert prover._timer.isActive()
    prover._timer.setInterval(0)
    for _ in range(400):
        settle()
        wait_for_jobs()
        if not prover.is_busy:
            break
    window.stages["proof"]._soon.stop()
    window.stages["proof"]._take_note()
    assert window.shell.rail._counts["proof"] == len(prover.proof.findings) >= 1
