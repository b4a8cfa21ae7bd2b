"""The stage Grow in the real window: recipes built, moved, set live, looked at, kept as files."""

import threading
import time
from dataclasses import replace

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QInputDialog, QLineEdit, QMessageBox
from tests.maps import snapshot
from tests.ui.conftest import LEFT, NONE, drag, move, settle, settle_view, wake

from knitground.core.base.window import Box
from knitground.core.edit.laying import plan_cells, plan_terrain
from knitground.core.edit.maps import add_map, set_recipe
from knitground.core.edit.recipes import add_step, cells_painted, move_step, put_steps, step_title
from knitground.core.edit.selecting import Selection
from knitground.core.edit.tiles import add_tag
from knitground.core.grow import runner
from knitground.core.grow.joins import joins_of
from knitground.core.grow.kinds import STEP_KINDS
from knitground.core.grow.stepkind import As
from knitground.core.grow.work import Work
from knitground.core.model.conditions import Look
from knitground.core.model.layers import TileLayer
from knitground.core.model.map import Map
from knitground.core.model.recipe import (
    MarkersStep,
    NoiseStep,
    Recipe,
    RegionsStep,
    RewriteStep,
    RouteStep,
    ScatterStep,
    ShapeStep,
    SmoothStep,
    TintStep,
)
from knitground.core.model.solvestep import SolveFrom, SolveStep
from knitground.core.model.tile import TileRef
from knitground.ui.common.tasks import call_off_jobs, wait_for_jobs, work_title
from knitground.ui.mapside.dialogs import NewMapDialog
from knitground.ui.stages.grow.alone import AloneDialog
from knitground.ui.stages.grow.nine import NineDialog
from knitground.ui.stages.grow.stepcard import StepCard, Told


@pytest.fixture
def coast(window):
    window.session.choose_map(window.session.project.map_named("Salt coast"))
    window.show_stage("grow")
    settle()
    return window.stages["grow"]


def done(rounds=3):
    for _ in range(rounds):
        wait_for_jobs()
        settle()


@pytest.fixture
def solving(window):
    """A grown layer of the demo's first map that a solve has filled, and the step's place."""
    session, bench = window.session, window.stages["grow"]
    window.show_stage("grow")
    window.mapside.strip.layers.add_kind("Grown")
    layer = session.layer
    bench.add_kind(SolveStep)
    done()
    return session, bench, layer, len(bench.cards) - 1


def pin_apart(session, row, cols):
    """Pin brine and clay, which no tile joins, in two cells of the chosen layer."""
    for col, number in zip(cols, (0, 8)):
        session.layer.cells[row, col] = session.map.legend.place(TileRef("pans", 0, number))
        session.layer.pinned[row, col] = True


def kinds(window):
    return [type(each) for each in window.session.map.recipe.steps]


def test_a_recipe_is_built_step_by_step_from_the_menu_and_undone(window):
    session, bench = window.session, window.stages["grow"]
    window.mapside.maps.add_map(NewMapDialog(session, window.shell))
    done()
    session = window.session
    window.show_stage("grow")
    settle()
    start = snapshot(session.project)
    titles = [each.text() for each in bench.add.menu().actions()]
    assert titles[:3] == ["Noise ground", "Smooth", "Regions"]
    assert len(titles) == 12
    for kind in (NoiseStep, SmoothStep, ShapeStep, ScatterStep, TintStep, MarkersStep):
        bench.add_kind(kind)
        done()
    assert kinds(window) == [NoiseStep, SmoothStep, ShapeStep, ScatterStep, TintStep, MarkersStep]
    assert [each.kind for each in session.map.layers][-3:] == ["grown", "tint", "markers"]
    assert all(bench.told[n].picture is not None for n in range(6))
    assert bench.cards[5].is_open
    assert not bench.cards[0].is_open
    QTest.mouseClick(bench.cards[0].title, LEFT)
    assert bench.cards[0].is_open
    assert not bench.cards[5].is_open
    assert len(session.map.layers[-1].markers) == 5
    while session.doc.history.undo_name and snapshot(session.project) != start:
        session.undo()
    assert snapshot(session.project) == start


def test_steps_are_moved_switched_off_doubled_renamed_and_rerolled(window, coast, monkeypatch):
    session = window.session
    recipe = session.map.recipe
    first = session.map.layers[0].terrain.copy()
    coast.cards[2].wanted.emit("down")
    done()
    assert session.map.recipe.steps[3] is recipe.steps[2] or (
        session.map.recipe.steps[3].name == "Calm the shore"
    )
    session.undo()  # grown
    session.undo()  # moved
    assert session.map.recipe == recipe
    settle()
    coast.cards[3].active.click()
    done()
    assert not session.map.recipe.steps[3].active
    assert (session.map.layers[0].terrain != first).any()
    session.undo()
    settle()
    assert (session.map.layers[0].terrain == first).all()
    assert coast.cards[3].active.isChecked()
    coast._act(8, "double")
    done()
    assert kinds(window)[9] is kinds(window)[8]
    session.undo()
    session.undo()
    settle()
    grown = session.map.layers[4].cells.copy()
    coast._act(9, "reroll")
    done()
    assert (session.map.layers[4].cells != grown).any()
    assert (session.map.layers[0].terrain == first).all()  # only that step draws anew
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("Dry land", True))
    coast._act(0, "rename")
    settle()
    assert "Dry land" in coast.cards[0].title.text()


def test_cards_are_dragged_moved_by_keys_and_a_drag_is_called_off(window, coast):
    map_, start = window.session.map, snapshot(window.session.project)
    before = map_.recipe.steps
    layers = [each.cells.copy() for each in map_.layers if isinstance(each, TileLayer)]

    def middle(card, inside):
        return inside.mapFromGlobal(card.mapToGlobal(card.rect().center()))

    first, third, fourth = coast.cards[0], coast.cards[2], coast.cards[3]
    assert first.is_open
    title = third.title
    drag(title, title.rect().center(), middle(fourth, title) + QPoint(0, 12), release=False)
    assert coast.dragging.line.isVisible()
    assert coast.dragging.line.y() > fourth.y()
    QTest.keyClick(title, Qt.Key.Key_Escape)
    assert not coast.dragging.is_dragging
    QTest.mouseRelease(title, LEFT, Qt.KeyboardModifier.NoModifier, title.rect().center())
    settle()
    assert map_.recipe.steps == before
    assert coast.cards[0].is_open
    top = first.title.mapFromGlobal(first.mapToGlobal(QPoint(20, 2)))
    drag(title, title.rect().center(), title.mapFromGlobal(first.title.mapToGlobal(top)))
    done()
    moved = [step_title(each) for each in map_.recipe.steps]
    titles = [step_title(each) for each in before]
    assert moved == [titles[2], titles[0], titles[1], *titles[3:]]
    assert [card.is_open for card in coast.cards[:3]] == [False, True, False]
    coast.cards[0].title.setFocus()
    QTest.keyClick(coast.cards[0].title, Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    done()
    assert coast.cards[1].title.hasFocus()
    QTest.keyClick(coast.cards[1].title, Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    done()
    assert [step_title(each) for each in map_.recipe.steps] == titles
    now = [each.cells for each in map_.layers if isinstance(each, TileLayer)]
    assert all(np.array_equal(a, b) for a, b in zip(now, layers))
    QTest.keyClick(coast.cards[2].title, Qt.Key.Key_Delete)
    settle()
    assert [step_title(each) for each in map_.recipe.steps] == [*titles[:2], *titles[3:]]
    while window.session.doc.undo():
        pass
    assert snapshot(window.session.project) == start


def test_sliders_are_live_and_one_step_of_the_history(window, coast):
    session = window.session
    coast.open_card(1)
    slider = coast.cards[1].fields["share"]
    before = session.map.layers[0].terrain.copy()
    slider.setSliderDown(True)
    seen = []
    for value in (20, 45, 60):
        slider.setValue(value)
        done()
        seen.append((session.map.layers[0].terrain == 1).sum())
    slider.setSliderDown(False)
    done()
    assert seen[0] < seen[1] < seen[2]
    assert session.doc.history.names == ["Grow"]
    assert session.map.recipe.steps[1].share == 0.6
    session.undo()
    assert (session.map.layers[0].terrain == before).all()


def a_slider(bench):
    """A step with a slider that changes it, its card opened: place, field and slider."""
    for card in bench.cards:
        for each in STEP_KINDS[card.kind].settings:
            if each.shown is As.SLIDER and each.only is None:
                if not card.is_open:
                    bench.open_card(card.place)
                return card.place, each.of, card.fields[each.of]
    raise AssertionError("there is none")


def test_what_a_held_slider_has_asked_for_never_goes_to_another_map(window, coast, monkeypatch):
    session, asked = window.session, window.session.map
    monkeypatch.setattr("knitground.ui.stages.grow.bench.LIVE_CELLS", 0)
    place, of, slider = a_slider(coast)
    slider.setSliderDown(True)
    slider.setValue(slider.maximum())
    assert getattr(asked.recipe.steps[place], of) != getattr(coast.wished[place], of)
    wanted = coast.wished
    other = session.project.map_named("North basin")
    before = snapshot(other)
    session.choose_map(other)
    slider.setSliderDown(False)
    done()
    assert snapshot(other) == before
    assert asked.recipe.steps == wanted, "and it is kept where it belongs"
    session.undo()
    assert asked.recipe.steps != wanted


def test_a_run_that_ends_when_another_map_is_shown_tells_and_runs_nothing_there(
    window, coast, monkeypatch
):
    session, goes_on = window.session, threading.Event()
    ran = []
    real = runner.run_recipe

    def slow(project, trial, *rest, **more):
        ran.append(trial.name)
        assert goes_on.wait(20)
        return real(project, trial, *rest, **more)

    monkeypatch.setattr("knitground.ui.stages.grow.runs.run_recipe", slow)
    coast.run_new()
    slider = a_slider(coast)[2]
    slider.setValue(slider.maximum())
    for _ in range(3):
        QApplication.processEvents()
    wanted, asked = coast.wished, session.map
    assert wanted is not None, "it waits for the run"
    other = session.project.map_named("North basin")
    before = snapshot(other)
    session.choose_map(other)
    goes_on.set()
    done()
    assert ran == ["Salt coast"]
    assert snapshot(other) == before
    assert coast.told == {}
    assert coast.step_note.text() == ""
    assert asked.recipe.steps == wanted


def test_cards_go_with_their_steps_and_what_is_written_stays_with_its_own(window, coast):
    session = window.session
    cards = list(coast.cards)
    coast.shift(0, 2)
    done()
    assert [cards.index(each) for each in coast.cards[:3]] == [1, 2, 0]
    assert [each.place for each in coast.cards] == list(range(len(cards)))
    assert all(card.step == step for card, step in zip(coast.cards, session.map.recipe.steps))
    coast.cards[2].wanted.emit("up")
    done()
    assert [cards.index(each) for each in coast.cards[:3]] == [1, 0, 2]
    # Another map's recipe takes the cards of the same kinds, and shows its own settings in them.
    session.choose_map(session.project.map_named("Harbour pans"))
    settle()
    steps = session.map.recipe.steps
    assert len(coast.cards) == len(steps)
    assert all(card.map is session.map and card.step == step
               for card, step in zip(coast.cards, steps))  # fmt: skip
    for title, card in zip(map(step_title, steps), coast.cards):
        assert f"{card.place + 1}  {title}" in card.title.toolTip()
    assert any(each in cards for each in coast.cards)


def test_cards_that_take_long_to_make_come_together_and_are_kept(window, monkeypatch):
    bench, session = window.stages["grow"], window.session
    session.choose_map(session.project.map_named("Salt coast"))
    steps = session.map.recipe.steps
    for card in bench.deck.cards + bench.deck._spare:
        card.deleteLater()
    bench.deck.cards, bench.deck._spare, bench._built = [], [], None
    monkeypatch.setattr("knitground.ui.stages.grow.deck.pulse_is_full", lambda: True)
    window.show_stage("grow")
    seen = [len(bench.cards)]
    while seen[-1] < len(steps):
        assert len(seen) < 10 * len(steps)
        QApplication.processEvents()
        seen.append(len(bench.cards))
    assert set(seen) == {0, len(steps)}, "none is shown before all are there"
    assert len(seen) == len(steps), "one was made in a turn"
    settle()
    assert all(card.isVisible() and card.step == step for card, step in zip(bench.cards, steps))
    cards = set(bench.cards)
    for name in ("Harbour pans", "Salt coast"):
        session.choose_map(session.project.map_named(name))
        settle()
        shown = [card for card in bench.inner.findChildren(StepCard) if card.isVisible()]
        assert sorted(map(id, shown)) == sorted(map(id, bench.cards))
    assert set(bench.cards) == cards, "none was made again"


def test_a_field_that_is_being_written_in_writes_into_no_other_step(window, coast):
    session, other = window.session, window.session.project.map_named("North basin")
    session.apply(add_step(session.project, other, MarkersStep))
    for map_ in (session.map, other):  # first in both recipes: its card is open in both
        places = [n for n, each in enumerate(map_.recipe.steps) if isinstance(each, MarkersStep)]
        session.apply(move_step(map_, places[0], 0))
    wake(window)
    settle()
    card = coast.cards[0]
    if not card.is_open:
        coast.open_card(0)
    field = card.findChild(QLineEdit)
    field.setFocus()
    QTest.keyClicks(field, "half")
    assert field.hasFocus()
    steps = other.recipe.steps
    session.choose_map(other)
    settle()
    assert coast.cards[0] is card, "it was used again"
    assert card.is_open
    assert field.text() == steps[0].kind
    field.setFocus()
    QTest.keyClick(field, Qt.Key.Key_Return)
    field.clearFocus()
    done()
    assert other.recipe.steps == steps


def test_what_did_not_change_is_not_run_again(window, coast):
    coast.run_new()
    done()
    runs = len(coast.runs.kept._found)
    coast.open_card(11)
    last = len(coast.cards) - 1
    coast.cards[last].fields["strength"].setValue(30)
    done()
    assert len(coast.runs.kept._found) == runs + 1


def test_conditions_are_added_set_and_taken_out(window, coast):
    session = window.session
    place = len(coast.cards) - 1
    coast.open_card(place)
    editor = coast.cards[place].where
    tint = session.map.layers[5]
    assert (tint.cells > 0).all()
    editor.add_one(Look.TERRAIN)
    done()
    (condition,) = session.map.recipe.steps[place].where
    assert condition.layer == session.map.layers[0].number
    coast.cards[place].where._toggle(0, "brine", True)
    done()
    assert session.map.recipe.steps[place].where[0].names == ("brine",)
    some = (tint.cells > 0).mean()
    assert 0.05 < some < 0.5
    boxes = coast.cards[place].where.findChildren(QComboBox)
    boxes[0].setCurrentIndex(1)
    boxes[0].activated.emit(1)
    done()
    assert abs((tint.cells > 0).mean() - (1 - some)) < 1e-9
    editor.add_one(Look.AREA)
    assert "Select the cells" in window.notices.text.text()
    session.select(Selection(Box(2, 2, 6, 9), np.ones((4, 7), bool)))
    coast.cards[place].where.add_one(Look.AREA)
    done()
    assert not (tint.cells > 0)[10:].any()
    coast.cards[place].where._take_out(1)
    coast.cards[place].where._take_out(0)
    done()
    assert session.map.recipe.steps[place].where == ()


def test_nine_seeds_are_shown_and_one_is_taken(window, coast, monkeypatch):
    session = window.session
    start = snapshot(session.project)
    dialog = NineDialog(session, session.map, 12, window.shell)
    dialog.show()
    for _ in range(60):
        done(1)
        if not dialog.offers.is_busy:
            break
    cells = dialog.offers.buttons
    assert [each.text() for each in cells[:2]] == ["seed 12 · now", "seed 13"]
    assert len({each.picture.cacheKey() for each in cells}) == 9
    assert len({each.pos().x() for each in cells}) == 3, "three in a row"
    assert snapshot(session.project) == start  # looking changes nothing
    dialog.grab()
    dialog.show_more()
    QTest.mouseClick(dialog.offers.buttons[4], LEFT)
    assert dialog.chosen == 25
    assert not dialog.offers.is_busy, "nothing goes on once it is closed"
    dialog.deleteLater()

    def take(dialog):
        dialog.chosen = 31
        dialog.offers.stop()
        return True

    monkeypatch.setattr("knitground.ui.stages.grow.bench.answered", take)
    coast.choose_of_nine()
    done()
    assert session.map.recipe.seed == 31
    assert session.doc.history.undo_name == "Grow"


def test_one_step_is_looked_at_alone(window, coast):
    session = window.session
    start = snapshot(session.project)
    dialog = AloneDialog(session, session.map, 9, window.shell)
    done()
    assert not dialog.picture.pixmap().isNull()
    assert "heap" in dialog.words.text()
    assert snapshot(session.project) == start
    dialog.close()
    dialog.deleteLater()


def test_pins_stay_through_runs_a_kept_selection_too_and_a_plain_layer(window, coast):
    session = window.session
    heaps = session.map.layers[4]
    tile = session.map.legend.place(TileRef("props", 0, 5))
    heaps.cells[3, 3], heaps.pinned[3, 3] = tile, True
    coast.roll()
    done()
    assert heaps.cells[3, 3] == tile
    session.select(Selection(Box(10, 10, 24, 24), np.ones((14, 14), bool)))
    coast.keep_selection()
    before = session.map.layers[0].terrain[11:24, 11:24].copy()
    coast.roll()
    done()
    assert (session.map.layers[0].terrain[11:24, 11:24] == before).all()
    session.choose_layer(heaps)
    shown = heaps.cells.copy()
    coast.make_plain()
    settle()
    assert type(session.layer) is TileLayer
    assert (session.layer.cells == shown).all()
    coast.roll()
    done()
    assert (session.map.layers[4].cells == shown).all()


def test_what_grows_under_a_pin_is_found_out_beside_the_interface(window, coast, monkeypatch):
    session, view = window.session, window.mapside.view
    heaps, threads, run = session.map.layers[4], [], runner.run_recipe

    def seen(*given, **named):
        threads.append(threading.current_thread())
        return run(*given, **named)

    monkeypatch.setattr(runner, "run_recipe", seen)
    tile = session.map.legend.place(TileRef("props", 0, 5))
    box, three = Box(3, 3, 4, 6), np.ones((1, 3), bool)
    values = np.full((1, 3), tile, np.int32)
    session.apply(plan_cells(session.map, heaps, box, values, three, "Lay").edit)
    made = run(session.project, session.map)
    grows = next(each.made for each in reversed(made) if each.layer is heaps)
    session.choose_layer(heaps)
    session.choose_tool("erase")
    view.fit()
    settle_view(view)
    for col in (3, 4):
        move(view, view.screen_at(3, col))
        settle_view(view)
        assert view.plan.cells[0, 0] == grows[3, col] != tile
    drag(view, view.screen_at(3, 3), view.screen_at(3, 5))
    settle()
    assert not heaps.pinned[3, 3:6].any()
    assert (heaps.cells[3, 3:6] == grows[3, 3:6]).all()
    assert len(threads) == 1
    assert threading.main_thread() not in threads


@pytest.mark.parametrize("size", [1, 3])
def test_a_stroke_that_releases_pins_erases_nothing_else(window, coast, size):
    session, view = window.session, window.mapside.view
    session.choose_tool("erase")
    session.set_options(tile_size=size)
    view.fit()
    box, three = Box(20, 30, 21, 33), np.ones((1, 3), bool)
    for layer in (session.map.layers[0], session.map.layers[4]):
        session.choose_layer(layer)
        settle()
        before = snapshot(session.project)
        tile = session.map.legend.place(TileRef("props", 0, 5))
        values = np.full((1, 3), tile, np.int32)
        session.apply(plan_cells(session.map, layer, box, values, three, "Lay").edit)
        assert layer.pinned[20, 30:33].all()
        move(view, view.screen_at(20, 30))
        settle_view(view)  # until it is known what grows there
        drag(view, view.screen_at(20, 30), *(view.screen_at(20, n) for n in (31, 32, 33, 34)))
        settle()
        assert session.doc.history.undo_name == "Release pins"
        assert not layer.pinned[18:23, 28:37].any()
        assert snapshot(session.project) == before


@pytest.fixture
def pinned(window, coast, monkeypatch):
    """Three pins on a grown layer of which is not known what grows there, and who runs recipes."""
    session, view = window.session, window.mapside.view
    heaps, threads, run = session.map.layers[4], [], runner.run_recipe
    made = run(session.project, session.map)
    grows = next(each.made for each in reversed(made) if each.layer is heaps)
    tile = session.map.legend.place(TileRef("props", 0, 5))
    values, three = np.full((1, 3), tile, np.int32), np.ones((1, 3), bool)
    session.apply(plan_cells(session.map, heaps, Box(3, 3, 4, 6), values, three, "Lay").edit)
    session.choose_layer(heaps)
    session.choose_tool("erase")
    view.fit()
    settle_view(view)
    session.doc.grower._made.clear()

    def seen(*given, **named):
        threads.append(threading.current_thread())
        return run(*given, **named)

    monkeypatch.setattr(runner, "run_recipe", seen)
    return session, view, heaps, grows, threads


def test_a_press_on_pins_waits_beside_for_what_grows_there(window, pinned):
    session, view, heaps, grows, threads = pinned
    QTest.mousePress(view, LEFT, NONE, view.screen_at(3, 4))
    assert not session.doc.in_stroke
    assert heaps.pinned[3, 3:6].all()
    done()
    assert heaps.pinned[3, 3:6].tolist() == [True, False, True]
    assert heaps.cells[3, 4] == grows[3, 4]
    assert session.doc.history.undo_name == "Release pins"
    assert threads
    assert threading.main_thread() not in threads
    QTest.mouseRelease(view, LEFT, NONE, view.screen_at(3, 4))
    assert heaps.pinned[3, 3:6].tolist() == [True, False, True]


def test_a_press_on_pins_that_is_called_off_changes_nothing(window, pinned):
    session, view, _, _, _ = pinned
    before = snapshot(session.project)
    QTest.mousePress(view, LEFT, NONE, view.screen_at(3, 4))
    call_off_jobs()
    done()
    assert snapshot(session.project) == before
    assert not work_title()
    assert "called off" in window.notices.text.text()


@pytest.mark.parametrize(
    "how", ["Release all pins", "Release pins here", "Erase selection", "move"]
)
def test_whatever_releases_pins_waits_beside_for_what_grows_there(window, pinned, how):
    session, _, heaps, grows, threads = pinned
    session.choice.select(Selection(Box(3, 3, 4, 6), np.ones((1, 3), bool)))
    settle()
    session.doc.grower._made.clear()
    threads.clear()
    name = "Selection to the layer behind" if how == "move" else how
    window.commands.named(name).action.trigger()
    done()
    assert not heaps.pinned[3, 3:6].any()
    assert (heaps.cells[3, 3:6] == grows[3, 3:6]).all()
    assert len(threads) == 1
    assert threading.main_thread() not in threads


def test_a_stroke_that_began_by_erasing_goes_on_over_pins(window, pinned):
    session, view, heaps, _, threads = pinned
    drag(view, view.screen_at(3, 2), *(view.screen_at(3, n) for n in (3, 4, 5, 6, 7)))
    settle()
    assert heaps.pinned[3, 2:8].all()
    assert not heaps.cells[3, 2:8].any()
    assert session.doc.history.undo_name == "Erase tiles"
    assert threads == []
    session.undo()
    assert heaps.cells[3, 3:6].all()
    assert heaps.pinned[3, 2:8].tolist() == [False, True, True, True, False, False]


def test_an_impossible_solve_is_shown_and_freed(window):
    session, bench = window.session, window.stages["grow"]
    window.show_stage("grow")
    window.mapside.strip.layers.add_kind("Grown")
    layer = session.layer
    pin_apart(session, 0, (0, 1))
    bench.add_kind(SolveStep)
    done()
    assert type(session.map.recipe.steps[-1]) is SolveStep
    assert "impossible" in window.notices.text.text()
    assert not (layer.cells[1:] > 0).any()
    buttons = {each.text(): each for each in window.notices.findChildren(type(bench.run_button))}
    QTest.mouseClick(buttons["Show"], LEFT)
    assert session.layer is layer
    assert session.selection is not None
    bench.run_new()
    done()
    buttons = {each.text(): each for each in window.notices.findChildren(type(bench.run_button))}
    QTest.mouseClick(buttons["Free those cells"], LEFT)
    done()
    assert (layer.cells > 0).all()
    assert "all join" in bench.told[len(bench.cards) - 1].words


def test_a_pair_that_does_not_fit_is_allowed_and_taken_back(window, solving, monkeypatch):
    session, bench, _, place = solving
    seen = []

    def allow(dialog):
        done()
        dialog.show()
        dialog.tiles.setCurrentRow(0)
        fit = dialog.right.count()
        dialog.every.click()
        settle()
        assert dialog.right.count() == dialog.tiles.count() > fit
        item = dialog.right.item(dialog.right.count() - 1)
        assert item.text().endswith(" no")
        assert "does not fit" in item.toolTip()
        QTest.mouseClick(
            dialog.right.viewport(), LEFT, Qt.KeyboardModifier.NoModifier,
            dialog.right.visualItemRect(item).center(),
        )  # fmt: skip
        settle()
        seen.append((item.text().split()[-1], dialog.words.text().partition(" · ")[2]))
        dialog.every.click()
        assert dialog.right.count() == fit + 1  # what is allowed stays in sight
        dialog.close()
        return False

    monkeypatch.setattr("knitground.ui.stages.grow.bench.answered", allow)
    bench.cards[place].pairs.click()
    done()
    assert seen == [("yes", "1 allowed besides")]
    ((row, col, other_row, other_col, below),) = session.map.recipe.steps[place].allowed
    assert (row, col, below) == (0, 0, False)
    step = session.map.recipe.steps[place]
    tight, loose = (joins_of(Work(session.project, session.map, place), each)
                    for each in (replace(step, allowed=()), step))  # fmt: skip
    differs = np.argwhere(tight.right != loose.right)
    assert [(tight.tiles[a][1:3], tight.tiles[b][1:3]) for a, b in differs] == [
        ((0, 0), (other_row, other_col))
    ]
    both = replace(step, forbidden=step.allowed)
    assert (joins_of(Work(session.project, session.map, place), both).right == tight.right).all()


def test_pairs_that_fit_are_seen_forbidden_and_allowed_again(window, solving, monkeypatch):
    session, bench, layer, place = solving
    legend = session.map.legend

    def beside(first, second):
        a, b = (legend.place(TileRef("pans", 0, n)) for n in (first, second))
        pairs = (layer.cells[:, :-1] == a) & (layer.cells[:, 1:] == b)
        return int(pairs.sum())

    assert beside(0, 0) > 0  # the first tile is brine all over
    seen = []

    def forbid(dialog):
        done()
        assert dialog.tiles.count() > 40
        dialog.tiles.setCurrentRow(0)
        item = dialog.right.item(0)
        assert not item.icon().isNull()
        seen.append(item.text())
        before = dialog.right.grab().toImage()
        dialog.show()
        settle()
        QTest.mouseClick(
            dialog.right.viewport(), LEFT, Qt.KeyboardModifier.NoModifier,
            dialog.right.visualItemRect(item).center(),
        )  # fmt: skip
        settle()
        assert dialog.right.grab().toImage() != before
        seen.extend((item.text(), dialog.words.text().partition(" · ")[2]))
        QTest.keyClick(dialog.right, Qt.Key.Key_Space)
        seen.append(item.text())
        session.doc.undo()
        dialog.close()
        return False

    monkeypatch.setattr("knitground.ui.stages.grow.bench.answered", forbid)
    bench.cards[place].pairs.click()
    done()
    step = session.map.recipe.steps[place]
    assert step.forbidden == ((0, 0, 0, 0, False),)
    assert seen == ["#0", "#0 no", "1 forbidden", "#0"]
    assert beside(0, 0) == 0
    assert "all join" in bench.told[place].words
    bench.cards[place].pairs.click()
    done()
    assert seen[4:] == ["#0 no", "#0", "", "#0 no"]
    assert session.map.recipe.steps[place].forbidden == ()
    assert beside(0, 0) > 0


def test_a_tile_is_laid_so_often_at_most(window, solving, monkeypatch):
    session, bench, layer, place = solving
    number = session.map.legend.place(TileRef("pans", 0, 0))
    assert (layer.cells == number).sum() > 20

    def limit(dialog):
        done()
        dialog.tiles.setCurrentRow(0)
        assert dialog.most.value() == -1
        dialog.most.setFocus()
        dialog.most.selectAll()
        QTest.keyClicks(dialog.most, "3")
        dialog.show()
        QTest.keyClick(dialog.most, Qt.Key.Key_Return)
        assert dialog.isVisible()
        assert dialog.words.text().endswith("limited tiles: 1")
        dialog.tiles.setCurrentRow(1)
        assert dialog.most.value() == -1
        dialog.tiles.setCurrentRow(0)
        assert dialog.most.value() == 3
        dialog.close()
        return False

    monkeypatch.setattr("knitground.ui.stages.grow.bench.answered", limit)
    bench.cards[place].pairs.click()
    done()
    assert session.map.recipe.steps[place].most == ((0, 0, 3),)
    assert (layer.cells == number).sum() <= 3
    assert (layer.cells > 0).all()
    assert "all join" in bench.told[place].words


def test_steps_that_can_not_run_say_so_and_the_rest_runs(window, coast):
    session = window.session
    mixes = [each for each in session.project.mixes if each.name != "salt heaps"]
    session.project.mixes[:] = mixes
    session.map.layers[5].cells[:] = 0
    coast.run_new()
    done()
    assert "“salt heaps”, which is not there" in window.notices.text.text()
    assert "not there" in coast.cards[9].words.text()
    assert (session.map.layers[5].cells > 0).all()


def test_recipes_are_copied_between_maps_and_kept_as_files(window, coast, tmp_path, monkeypatch):
    session = window.session
    coast.copy_all()
    count = len(session.map.recipe.steps)
    session.choose_map(session.project.maps[0])
    done()
    before = len(session.map.recipe.steps)
    monkeypatch.setattr(QMessageBox, "exec", presses("Instead of it"))  # that one is painted
    coast.paste()
    done()
    assert len(session.map.recipe.steps) == before + count
    assert "can" in window.notices.text.text() or "which" in window.notices.text.text()
    path = tmp_path / "coast.recipe.json"
    monkeypatch.setattr(
        "knitground.ui.common.filedialogs.QFileDialog.getSaveFileName",
        lambda *_: (str(path), ""),
    )
    coast.ask_save()
    assert path.exists()
    coast.read_file(path)
    done()
    assert len(session.map.recipe.steps) == 2 * (before + count)
    path.write_text("{")
    coast.read_file(path)
    assert "coast.recipe.json" in window.notices.text.text()


def test_every_kind_has_a_card_whose_fields_change_the_step(window, coast):
    session = window.session
    for kind in (RegionsStep, RouteStep, RewriteStep, SolveStep):
        if kind not in kinds(window):
            coast.add_kind(kind)
            done()
    for place, step in enumerate(session.map.recipe.steps):
        card = coast.cards[place]
        coast.open_card(place) if not card.is_open else None
        assert card.step == step
        for name, field in card.fields.items():
            if isinstance(field, QComboBox) and field.count() and field.isVisible():
                assert field.currentIndex() >= 0 or field.isEditable(), (type(step), name)
    window.stages["grow"].grab()
    place = kinds(window).index(RouteStep)
    coast.open_card(place) if not coast.cards[place].is_open else None
    settle()
    before = session.map.recipe.steps[place]
    coast.cards[place].fields["wobble"].setValue(77)
    done()
    assert session.map.recipe.steps[place].wobble == 0.77 != before.wobble
    chip = coast.cards[place].chips["never"]["blush"]
    QTest.mouseClick(chip, LEFT)
    done()
    assert session.map.recipe.steps[place].never == ("blush",)
    assert chip.toolTip()
    assert coast.cards[place].fields["wobble"].focusPolicy() != Qt.FocusPolicy.NoFocus


def test_chunks_that_fit_are_shown_shuffled_and_added_as_maps(window, coast, monkeypatch):
    session = window.session
    count = len(session.project.maps)

    def answer(dialog):
        for _ in range(40):
            done(1)
            if dialog.chunks:
                break
        before = dialog.picture.pixmap().cacheKey()
        dialog.shuffle()
        done()
        assert dialog.picture.pixmap().cacheKey() != before
        dialog.grab()
        return True

    monkeypatch.setattr("knitground.ui.stages.grow.bench.answered", answer)
    coast.ask_chunks()
    settle()
    assert len(session.project.maps) == count + 3
    assert session.project.maps[-1].name == "Salt coast 4"
    window.files.save()
    settle()
    session.undo()
    assert len(session.project.maps) == count


def notice_buttons(window):
    kind = type(window.stages["grow"].run_button)
    return {each.text(): each for each in window.notices.findChildren(kind) if each.isVisible()}


def test_an_impossible_solve_leaves_gaps_or_leads_to_the_missing_tiles(window, monkeypatch):
    session, bench = window.session, window.stages["grow"]
    window.show_stage("grow")
    window.mapside.strip.layers.add_kind("Grown")
    layer = session.layer
    pin_apart(session, 9, (4, 6))
    bench.add_kind(SolveStep)
    done()
    asked = []
    monkeypatch.setattr(window.stages["terrains"], "ask_make", lambda: asked.append(1))
    QTest.mouseClick(notice_buttons(window)["Make the tile…"], LEFT)
    assert asked == [1]
    window.show_stage("grow")
    bench.run_new()
    done()
    QTest.mouseClick(notice_buttons(window)["Leave gaps"], LEFT)
    done()
    assert session.map.recipe.steps[-1].gaps
    empty = int((layer.cells == 0).sum())
    assert 0 < empty <= 6
    assert f"nothing fits in {empty} cell" in bench.told[len(bench.cards) - 1].words
    card = bench.cards[-1]
    assert card.fields["gaps"].isChecked()
    card.fields["gaps"].click()
    done()
    assert not session.map.recipe.steps[-1].gaps


def test_a_solve_learns_blocks_and_reaches_all_with_a_tag_from_its_card(window, solving):
    session, bench, layer, place = solving
    pans = session.project.tilesets[0]
    session.apply(add_tag(pans, [(0, n) for n in range(4)], "deep"))
    bench.run_new()
    done()
    card = bench.cards[place]
    box = card.fields["reach"]
    assert [box.itemText(n) for n in range(box.count())] == ["", "deep"]
    box.setCurrentIndex(1)
    box.activated.emit(1)
    done()
    assert session.map.recipe.steps[place].reach == "deep"
    words = bench.told[place].words
    assert "“deep”" in words
    props = next(each for each in session.map.layers if each.name == "Props")
    legend = [session.map.legend.place(TileRef("pans", 0, n)) for n in range(2)]
    props.cells[:] = legend[0]
    props.cells[::4, ::3] = props.cells[2::4, 1::6] = legend[1]
    source = card.fields["source"]
    source.setCurrentIndex(source.findText(str(SolveFrom.EXAMPLE)))
    source.activated.emit(source.currentIndex())
    done()
    assert card.fields["blocks"].isVisible()
    blocks = card.fields["blocks"]
    assert [blocks.itemText(n) for n in range(3)] == ["pairs", "blocks of 2 × 2", "blocks of 3 × 3"]
    blocks.setCurrentIndex(1)
    blocks.activated.emit(1)
    example = card.fields["example"]
    example.setCurrentIndex(example.findText("Props"))
    example.activated.emit(example.currentIndex())
    done()
    step = session.map.recipe.steps[place]
    assert (step.blocks, step.source) == (2, SolveFrom.EXAMPLE)
    assert step.source is SolveFrom.EXAMPLE  # and not its text: steps ask by identity
    windows = [np.lib.stride_tricks.sliding_window_view(each, (2, 2)).reshape(-1, 4).tolist()
               for each in (props.cells, layer.cells)]  # fmt: skip
    known, laid = ({tuple(each) for each in every} for every in windows)
    assert laid <= known
    assert len(laid) > 2


def test_a_long_run_fills_a_picture_and_is_called_off(window, solving, qtbot, monkeypatch):
    from knitground.core.grow import solver

    session, bench, layer, _ = solving
    before = layer.cells.copy()
    steps = session.map.recipe.steps
    laid = []

    def slow(self, part):
        if self.show is not None:
            self.show(np.array(self.done, np.int32).reshape(self.size))
            laid.append(part)
        for _ in range(30):
            self.progress(part)
            time.sleep(0.01)

    monkeypatch.setattr(solver.Solver, "_tell", slow)
    bench.roll()
    qtbot.waitUntil(bench.running.isVisible)
    qtbot.waitUntil(lambda: bench.running.picture.isVisible())
    assert not bench.running.picture.pixmap().isNull()
    assert laid
    QTest.mouseClick(bench.running.stop, LEFT)
    qtbot.waitUntil(lambda: bench.runs.job is None)
    done()
    assert not bench.running.isVisible()
    assert "called off" in window.notices.text.text()
    assert (layer.cells == before).all()
    assert session.map.recipe.steps == steps


def test_a_run_from_a_step_on_uses_nothing_that_is_kept(window, coast):
    session = window.session
    count = len(session.map.recipe.steps)
    coast.run_new()
    done()
    ran = []

    def watched(work, step, kept=None, **more):
        ran.append((work.place, more["fresh"]))
        return real(work, step, kept, **more)

    from knitground.core.grow import runner

    real = runner.run_step
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(runner, "run_step", watched)
        cells = snapshot(session.project)
        coast.cards[count - 3].wanted.emit("from here")
        done()
    assert ran == [(n, n >= count - 3) for n in range(count)]
    assert snapshot(session.project) == cells


def test_each_choice_of_each_kind_of_step_is_what_it_says_and_not_its_text(window):
    window.show_stage("grow")
    settle()
    session, bench = window.session, window.stages["grow"]
    seen = 0
    for kind, fields in ((each, about.settings) for each, about in STEP_KINDS.items()):
        if not any(each.shown is As.CHOICE for each in fields):
            continue
        card = StepCard(session, session.map, 0, kind)
        step = next((each for each in session.map.recipe.steps if type(each) is kind), None)
        step = step or step_of(session, kind)
        card.show_step(step, Told())
        card.open(True)
        taken = []
        card.changed.connect(lambda new, _, taken=taken: taken.append(new))
        for each in fields:
            if each.shown is not As.CHOICE:
                continue
            box = card.fields[each.of]
            for n, option in enumerate(each.options):
                box.setCurrentIndex(n)
                box.activated.emit(n)
                value = getattr(taken[-1] if taken else step, each.of)
                assert type(value) is type(option)
                assert value == option
                seen += 1
        card.deleteLater()
    assert seen > 15
    assert bench is not None


def step_of(session, kind):
    """A step of a kind, as the menu adds it to the map with layers of all kinds."""
    map_ = next(each for each in session.project.maps if each.name == "Salt coast")
    edit = add_step(session.project, map_, kind, None)
    steps = next(atom.new for atom in edit.atoms if atom.name == "recipe").steps
    return steps[-1]


# What is painted


def presses(words, asked=None):
    """Answer a question with a button; what was asked is noted."""

    def answer(box):
        if asked is not None:
            asked.append(box.text())
        next(each for each in box.buttons() if each.text() == words).click()

    return answer


def painted_map(window):
    """A map of one ground layer with a lake painted on it, and no recipe yet."""
    session = window.session
    project = session.project
    map_ = Map("Painted", 20, 24, 16, 16)
    layer = map_.new_ground_layer("Ground", "pans", project.tilesets[0].sets[0].name)
    layer.terrain[:] = 2
    layer.terrain[5:9, 5:12] = 1
    map_.layers.append(layer)
    session.apply(add_map(project, map_))
    session.choose_map(map_)
    window.show_stage("grow")
    settle()
    return map_, layer, window.stages["grow"]


def test_painted_terrain_is_never_replaced_by_a_step_unasked(window, monkeypatch):
    map_, layer, bench = painted_map(window)
    before, asked = layer.terrain.copy(), []

    def answers(words):
        monkeypatch.setattr(QMessageBox, "exec", presses(words, asked))

    answers("Cancel")
    bench.add_kind(NoiseStep)
    done()
    assert "terrain painted by hand in" in asked[0]
    assert map_.recipe.steps == ()
    assert (layer.terrain == before).all()
    answers("Grow on a layer of its own")
    bench.add_kind(NoiseStep)
    done()
    assert (layer.terrain == before).all()
    assert [each.name for each in map_.layers] == ["Ground", "Ground, grown"]
    assert len(np.unique(map_.layers[1].terrain)) > 1
    window.session.undo()
    while map_.recipe.steps:
        window.session.undo()
    window.session.choose_layer(layer)
    answers("Round what is painted")
    bench.add_kind(NoiseStep)
    done()
    assert (layer.terrain[5:9, 5:12] == 1).all()
    assert len(np.unique(layer.terrain)) > 1
    assert (layer.terrain != before).any()
    count = len(asked)
    bench.add_kind(SmoothStep)
    done()
    assert len(asked) == count, "steps make the layer by now"
    while map_.recipe.steps:
        window.session.undo()
    assert (layer.terrain == before).all()
    answers("Instead of it")
    bench.add_kind(NoiseStep)
    done()
    assert not (layer.terrain[5:9, 5:12] == 1).all()


def test_what_is_painted_on_grown_terrain_is_asked_about(window, monkeypatch):
    map_, layer, bench = painted_map(window)
    layer.terrain[:] = 2
    bench.add_kind(NoiseStep)
    done()
    asked = []

    def answers(words):
        monkeypatch.setattr(QMessageBox, "exec", presses(words, asked))

    def paint(value):
        box, every = Box(6, 6, 7, 8), np.ones((1, 2), bool)
        doc = window.session.doc
        window.session.apply(plan_terrain(doc, map_, layer, box, every, value, "Paint").edit)

    paint(1)
    window.session.undo()
    answers("Cancel")
    bench.run_new()
    done()
    assert asked == [], "it was taken back"
    paint(1)
    kept, painted = layer.terrain.copy(), int(cells_painted(layer).sum())
    assert painted >= 6
    bench.seed.setValue(77)
    done()
    assert asked == [f"“Ground” was painted in {painted} cells since it was grown."]
    assert (layer.terrain == kept).all()
    answers("Round what is painted")
    bench.run_new()
    done()
    assert (layer.terrain[6, 6:8] == 1).all()
    assert map_.recipe.steps[0].where[-1].negated
    paint(3)
    answers("Instead of it")
    bench.run_new()
    done()
    assert len(asked) == 3
    bench.run_new()
    done()
    assert len(asked) == 3
    paint(1)
    kept = layer.terrain.copy()
    answers("Grow on a layer of its own")
    bench.run_new()
    done()
    made = map_.layers[map_.layers.index(layer) + 1]
    assert (layer.terrain == kept).all()
    assert {each.layer for each in map_.recipe.steps} == {made.number}
    assert len(np.unique(made.terrain)) > 1


def test_what_was_painted_before_the_project_was_saved_is_asked_about_too(
    window, monkeypatch, tmp_path
):
    map_, layer, bench = painted_map(window)
    layer.terrain[:] = 2
    bench.add_kind(NoiseStep)
    done()
    box, session = Box(6, 6, 7, 8), window.session
    value = 1 if (layer.terrain[6, 6:8] != 1).all() else 3
    every = np.ones((1, 2), bool)
    session.apply(plan_terrain(session.doc, map_, layer, box, every, value, "Paint").edit)
    kept, painted = layer.terrain.copy(), int(cells_painted(layer).sum())
    window.files.save_to(tmp_path / "kept")
    wait_for_jobs()
    window.files.open_project(tmp_path / "kept")
    wait_for_jobs()
    settle()
    map_ = next(each for each in session.project.maps if each.name == "Painted")
    layer = map_.layers[0]
    session.choose_map(map_)
    window.show_stage("grow")
    settle()
    assert (layer.terrain == kept).all()
    assert int(cells_painted(layer).sum()) == painted
    asked = []
    monkeypatch.setattr(QMessageBox, "exec", presses("Round what is painted", asked))
    bench.run_new()
    done()
    assert asked == [f"“Ground” was painted in {painted} cells since it was grown."]
    assert (layer.terrain[6, 6:8] == value).all()


def test_what_was_only_filled_is_not_painted(window, monkeypatch):
    map_, layer, bench = painted_map(window)
    layer.terrain[:] = 2
    monkeypatch.setattr(QMessageBox, "exec", lambda _: pytest.fail("asked"))
    bench.add_kind(NoiseStep)
    done()
    assert len(map_.recipe.steps) == 1


def test_a_terrain_without_a_plain_tile_is_told_once_with_cures(window):
    map_, layer, bench = painted_map(window)
    layer.terrain[:] = 2
    _, kit = window.session.project.set_of(layer.tileset, layer.set_name)
    marks = kit.marks.reshape(-1, 9)
    own = marks[:, list(kit.kind.slots)]
    name = kit.terrains[2].name
    marks[(own == 3).sum(axis=1) >= 3] = 0  # no plain tile, and none that would do instead
    shares = tuple((each.name, 1.0) for each in kit.terrains[:3])
    window.session.apply(put_steps(map_, [NoiseStep(layer.number, 8.0, 3, shares)]))
    bench.run_new()
    done()
    cures = [each.text() for each in window.notices.cures]
    assert cures == ["Mark one…", "Make one…", f"Leave “{name}” out"]
    assert "has no plain tile" in window.notices.text.text()
    window.notices.cures[0].click()
    settle()
    assert window.stage.key == "terrains"
    assert (window.stage.kit, window.stage.sheet.value) == (kit, 3)
    window.show_stage("grow")
    window.notices.hide()
    bench.run_new()
    done()
    assert not window.notices.isVisible(), "once, while it has none"
    bench.offers._plainless = []
    bench.run_new()
    done()
    window.notices.cures[2].click()
    done()
    assert [each for each, _ in map_.recipe.steps[0].shares] == [e.name for e in kit.terrains[:2]]


# A map without a recipe


def without_recipe(window):
    session = window.session
    map_ = session.map
    session.apply(set_recipe(map_, Recipe(4)))
    window.show_stage("grow")
    bench = window.stages["grow"]
    for _ in range(100):
        done(1)
        if bench.starters.offers.buttons and not bench.starters.offers.is_busy:
            break
    return bench, map_


def bare_map(window):
    project = window.session.project
    cell = project.maps[0]
    made = Map("Bare", 30, 40, cell.cell_height, cell.cell_width)
    window.session.apply(add_map(project, made))
    window.session.choose_map(made)
    return made


def test_a_map_without_a_recipe_offers_pictures_and_a_click_takes_one(window):
    made = bare_map(window)
    bench, map_ = without_recipe(window)
    assert map_ is made
    offers = bench.starters.offers
    assert offers.isVisible()
    assert len(offers.buttons) >= 7
    assert all(each.picture is not None for each in offers.buttons)
    first = [each.picture.toImage() for each in offers.buttons]
    QTest.mouseClick(bench.starters.reroll, LEFT)
    done(12)
    again = [each.picture.toImage() for each in offers.buttons]
    assert any(a != b for a, b in zip(first, again))
    seed = bench.starters.seed
    title = offers.buttons[1].text()
    QTest.mouseClick(offers.buttons[1], LEFT)
    done(6)
    assert title == "Islands"
    assert [type(each) for each in map_.recipe.steps] == [NoiseStep, SmoothStep]
    assert map_.recipe.seed == seed
    assert (map_.layers[0].cells > 0).all()
    assert not bench.starters.isVisible()
    window.session.undo()
    window.session.undo()
    sets = {each.name: each.sets for each in window.session.project.tilesets}
    for each in window.session.project.tilesets:
        each.sets = []
    bench.starters._shown = None
    bench.starters.show_map(map_)
    assert "Make such a set" in bench.starters.words.text()
    assert not bench.starters.offers.isVisible()
    for each in window.session.project.tilesets:
        each.sets = sets[each.name]
    bench.starters._shown = None
    bench.starters.show_map(map_)
    assert bench.starters.offers.isVisible()
    done(12)
    assert not map_.layers
    assert bench.starters.isVisible()
    offers.buttons[0].setFocus()
    QTest.keyClick(offers.buttons[0], Qt.Key.Key_Space)
    done(6)
    assert map_.recipe.steps


def test_what_is_painted_is_asked_about_before_a_starter_lays_over_it(window, monkeypatch):
    bench, map_ = without_recipe(window)
    ground = next(each for each in map_.layers if each.name == "Causeway")
    before, count = ground.terrain.copy(), len(map_.layers)
    answers = ["Cancel", "Grow on a layer of its own"]

    def answer(box):
        wanted = answers.pop(0)
        next(each for each in box.buttons() if each.text() == wanted).click()

    monkeypatch.setattr(QMessageBox, "exec", answer)
    ways = bench.starters.offers.buttons[0]
    assert "ways" in ways.text()
    QTest.mouseClick(ways, LEFT)
    done(3)
    assert not map_.recipe.steps  # called off: nothing came
    assert len(map_.layers) == count
    QTest.mouseClick(ways, LEFT)
    done(6)
    assert (ground.terrain == before).all()
    assert len(map_.layers) == count + 1
    assert map_.recipe.steps[-1].layer == map_.layers[map_.layers.index(ground) + 1].number


def test_a_recipe_that_is_kept_is_offered_on_the_next_map(window, monkeypatch):
    bench = window.stages["grow"]
    window.show_stage("grow")
    done()
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("My pans", True))
    window.session.choose_map(window.session.project.map_named("Salt coast"))
    done()
    bench.ask_keep()
    assert [path.name for path in window.memory.recipes.iterdir()] == ["my-pans.recipe.json"]
    bench, _ = without_recipe(window)
    assert bench.starters.offers.buttons[-1].text() == "My pans"
    (window.memory.recipes / "spoilt.recipe.json").write_text("{")
    bench.starters.roll()
    done(12)
    assert bench.starters.offers.buttons[-1].text() == "My pans"
    asked = []
    monkeypatch.setattr(
        QMessageBox, "exec", lambda box: (asked.append(box.text()), box.buttons()[0].click())
    )
    old = (window.memory.recipes / "my-pans.recipe.json").read_bytes()
    bench.ask_keep()  # there is no recipe now
    assert not asked
    assert (window.memory.recipes / "my-pans.recipe.json").read_bytes() == old
