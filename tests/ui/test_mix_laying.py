"""Mixes in the real window: patches in them, kept apart, kept off borders, fills laid anew."""

from dataclasses import replace

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QColor
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox, QDoubleSpinBox, QLabel, QSpinBox, QToolButton
from tests.strangers import times
from tests.ui.conftest import click, drag, move, props_view, settle

from knitground.core.base.window import Box
from knitground.core.edit.hand import MixInHand
from knitground.core.edit.layers import delete_layer, rename_layer
from knitground.core.edit.maps import put_mix
from knitground.core.edit.planning import refusal
from knitground.core.edit.selecting import select_box
from knitground.core.edit.tint import tint_value
from knitground.core.model.limits import MAX_WEIGHT
from knitground.core.model.mix import Fall, FallWay, Mix, MixEntry, weight_of_share
from knitground.core.model.tile import TileRef
from knitground.ui.common.tasks import wait_for_jobs
from knitground.ui.common.theme import LINEN
from knitground.ui.common.widgets import ShareGrip, TakeButton
from knitground.ui.stages.draw.bench import TABS
from knitground.ui.stages.draw.mixentries import PAGE

CTRL, SHIFT, ALT = (
    Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
)  # fmt: skip


def take(window, name):
    session, bench = window.session, window.stages["draw"]
    mix = next(each for each in session.project.mixes if each.name == name)
    bench.tabs.setCurrentIndex(TABS.index("Mixes"))
    session.take(MixInHand(mix.name, mix))
    settle()
    return bench.mixes


def mix_named(window, name):
    return next(each for each in window.session.project.mixes if each.name == name)


def test_a_patch_of_the_tray_joins_a_mix_and_is_laid_whole(window):
    view = props_view(window, "fill")
    session = window.session
    mixes = take(window, "marsh")
    patch = session.project.tray[0]
    mixes.add_patch(mix_named(window, "marsh"), patch)
    settle()
    mix = mix_named(window, "marsh")
    assert mix.entries[-1].patch == patch
    assert session.doc.history.undo_name == "Change mix “marsh”"
    session.take(MixInHand(mix.name, mix))
    layer = session.layer
    layer.cells[:] = 0
    click(view, view.screen_at(30, 40))
    wait_for_jobs()
    settle()
    assert (layer.cells > 0).all()
    places = [[session.map.legend.place(t) for t in row] for row in patch.rows]
    anchors = np.argwhere(layer.cells == places[0][0])
    assert len(anchors) > 20
    for row, col in anchors:
        assert layer.cells[row + 1, col + 1] == places[1][1]
    shown = mixes._laid(mix)
    assert abs(sum(shown) - 1) < 0.01
    assert len(shown) == 3


def test_a_fill_is_laid_anew_by_keys_and_rerolled_by_keys(window):
    view = props_view(window, "fill")
    session = window.session
    take(window, "salt flat")
    layer = session.layer
    layer.cells[:] = 0
    click(view, view.screen_at(30, 40))
    wait_for_jobs()
    settle()
    first = layer.cells.copy()
    assert len(layer.laid) == 1
    move(view, view.screen_at(20, 20))
    QTest.keyClick(view, Qt.Key.Key_F, SHIFT | ALT)
    wait_for_jobs()
    settle()
    assert (layer.cells != first).any()
    assert session.doc.history.undo_name == "Lay “salt flat” anew"
    session.undo()
    assert (layer.cells == first).all()
    QTest.keyClick(view, Qt.Key.Key_F, SHIFT)
    wait_for_jobs()
    settle()
    assert (layer.cells == first).all()  # the same mix, the same seed
    session.choose_layer(session.map.layers[0])
    QTest.keyClick(view, Qt.Key.Key_F, SHIFT)
    assert "Choose a layer of tiles" in window.notices.text.text()


def test_how_a_mix_falls_is_set_on_its_card(window):
    window.show_stage("draw")
    mixes = take(window, "salt heaps")
    mix = mix_named(window, "salt heaps")
    mixes._change_fall(mix, way=FallWay.APART)
    settle()
    boxes = mixes.findChildren(QSpinBox)
    steps = next(each for each in boxes if "apart" in each.suffix() and each.isVisible())
    steps.setValue(2)
    settle()
    assert mix_named(window, "salt heaps").fall == Fall(FallWay.APART, steps=2)
    mixes._falls.more.click()  # what is wanted more rarely
    border = next(each for each in mixes.findChildren(QSpinBox)
                  if each.isVisible() and each.text() == "anywhere")  # fmt: skip
    border.setValue(-3)
    settle()
    assert mix_named(window, "salt heaps").fall.border == -3
    again = next(each for each in mixes.findChildren(QSpinBox) if "within" in each.text())
    assert again.valueFromText("within 3 of") == -3
    assert again.valueFromText("2 off") == 2


def weights_of(mixes):
    return [each for each in mixes.findChildren(QDoubleSpinBox)
            if each.isVisible() and each.toolTip().startswith("Weight")]  # fmt: skip


def test_a_weight_is_changed_where_it_stands_and_its_arrow_may_be_held(window):
    window.show_stage("draw")
    session = window.session
    mixes = take(window, "salt flat")
    before = weights_of(mixes)
    fields = mixes.findChildren(QComboBox)
    start = [each.value() for each in before]
    for _ in range(3):  # as a held arrow does
        before[1].stepUp()
        settle()
    assert mix_named(window, "salt flat").weights[:2] == [start[0], start[1] + 3]
    assert session.hand.mix == mix_named(window, "salt flat")
    assert weights_of(mixes) == before, "the very fields"
    assert mixes.findChildren(QComboBox) == fields, "how it falls is as it was"
    # What was shown first is not what is changed: the other change is kept.
    mixes._with("salt flat", lambda mix: mixes._change_fall(mix, density=0.5))
    settle()
    before[0].setValue(9.0)
    settle()
    mix = mix_named(window, "salt flat")
    assert (mix.weights[:2], mix.fall.density) == ([9.0, start[1] + 3], 0.5)
    field(mixes, QDoubleSpinBox, "Density").setValue(80)
    settle()
    assert mix_named(window, "salt flat").weights[:2] == [9.0, start[1] + 3]
    for _ in range(6):
        session.undo()
    settle()
    assert [each.value() for each in weights_of(mixes)] == start


def test_another_map_and_layer_show_other_figures_in_the_same_lines(window):
    window.show_stage("draw")
    mixes = take(window, "salt flat")
    lines = weights_of(mixes)
    words = [each for each in mixes.findChildren(QLabel) if " laid" in each.text()]
    assert len(words) == len(lines)
    shown = [each.text() for each in words]
    window.session.choose_map(window.session.project.map_named("Salt coast"))
    settle()
    assert weights_of(mixes) == lines
    assert [each.text() for each in words] != shown
    map_ = window.session.map
    assert all(f"of {map_.height * map_.width} cells" in each.text() for each in words)


def test_a_mix_of_very_many_tiles_is_shown_a_page_at_a_time(window):
    session = window.session
    window.show_stage("draw")
    count = times(300, 3000)
    entries = tuple(MixEntry(TileRef("pans", n // 8 % 6, n % 8), 1.0 + n) for n in range(count))
    session.apply(put_mix(session.project, Mix("very many", entries)))
    mixes = take(window, "very many")
    shown = lambda: [each.value() for each in weights_of(mixes)]  # noqa: E731
    assert shown() == [1.0 + n for n in range(PAGE)]
    back, on = (next(each for each in mixes.findChildren(QToolButton) if words in each.toolTip())
                for words in ("before these", "behind these"))  # fmt: skip
    assert any(each.text() == f"tiles 1 – 16 of {count}" for each in mixes.findChildren(QLabel))
    on.click()
    settle()
    assert shown() == [1.0 + n for n in range(PAGE, 2 * PAGE)]
    weights_of(mixes)[3].setValue(0.5)
    settle()
    assert mix_named(window, "very many").weights[PAGE + 3] == 0.5
    assert shown()[3] == 0.5
    for _ in range(2):
        back.click()
    settle()
    assert shown()[-1] == float(count), "round, to the last ones"
    assert len(shown()) == (count - 1) % PAGE + 1
    take(window, "salt flat")
    assert shown()[0] == mix_named(window, "salt flat").weights[0]
    take(window, "very many")
    assert shown()[0] == 1.0


def test_a_share_is_dragged_and_the_others_keep_theirs_among_each_other(window):
    window.show_stage("draw")
    session = window.session
    mixes = take(window, "marsh")
    before = mix_named(window, "marsh").weights
    steps = len(session.doc.history.names)
    bar = mixes.findChildren(ShareGrip)[0]
    high = bar.height() // 2
    drag(bar, *(QPoint(round(part * (bar.width() - 1)), high) for part in (0.2, 0.9, 0.6)))
    settle()
    after = mix_named(window, "marsh").weights
    assert after[0] / sum(after) == pytest.approx(0.6, abs=0.02)
    assert after[1:] == before[1:]
    assert mixes.findChildren(ShareGrip)[0] is bar, "it is not made anew under the pointer"
    assert bar.asked == pytest.approx(0.6, abs=0.02)
    assert len(session.doc.history.names) == steps + 1, "a drag is one step"
    drag(bar, QPoint(bar.width() + 40, high))
    settle()
    assert max(mix_named(window, "marsh").weights) <= MAX_WEIGHT
    assert mix_named(window, "marsh").weights[0] / sum(mix_named(window, "marsh").weights) < 1
    session.undo()
    session.undo()
    assert mix_named(window, "marsh").weights == before
    assert weight_of_share([5.0], 0, 0.3) is None, "it has all, whatever its weight"


def test_lists_that_nobody_sees_are_built_when_they_are_shown(window):
    window.show_stage("draw")
    bench, session = window.stages["draw"], window.session
    bench.tabs.setCurrentIndex(TABS.index("Terrains"))
    settle()
    mix = mix_named(window, "salt flat")
    before = bench.mixes._shown
    session.take(MixInHand(mix.name, mix))
    other = mix_named(window, "marsh")
    session.apply(put_mix(session.project, replace(other, name="fen"), other))
    settle()
    assert bench.mixes._shown == before
    bench.tabs.setCurrentIndex(TABS.index("Mixes"))
    settle()
    assert any(each.text() == "fen" for each in bench.mixes.findChildren(TakeButton))
    assert weights_of(bench.mixes)


def mixes_are_shown(mixes):
    return lambda: mixes._shown == (mixes.state(), mixes._words)


def field(mixes, kind, words):
    shown = [each for each in mixes.findChildren(kind) if each.isVisible()]
    return next(each for each in shown if words in (each.accessibleName() or each.toolTip()))


def test_density_tint_and_what_it_keeps_off_are_set_on_the_card_and_painted(window, qtbot):
    view = props_view(window)
    session = window.session
    map_, layer = session.map, session.layer
    layer.cells[:] = 0
    mixes = take(window, "salt flat")
    field(mixes, QDoubleSpinBox, "Density").setValue(50)
    settle()
    assert not mixes._falls.tint.isVisible()
    mixes._falls.more.click()
    tint = field(mixes, QComboBox, "Density painted by hand")
    assert [tint.itemText(n) for n in range(tint.count())] == ["evenly", "Evening"]
    tint.setCurrentIndex(1)
    tint.activated.emit(1)
    settle()
    field(mixes, QSpinBox, "Cells off").setValue(1)
    settle()
    of = field(mixes, QComboBox, "What it keeps off")
    names = [of.itemText(n) for n in range(of.count())]
    assert {"borders", "brine", "planks", "Causeway", "Evening"} <= set(names)
    of.setCurrentIndex(names.index("Causeway"))
    of.activated.emit(of.currentIndex())
    settle()
    fall = mix_named(window, "salt flat").fall
    assert (fall.density, fall.tint, fall.border, fall.of) == (0.5, "Evening", 1, "Causeway")
    # Full strength in the left half, none in the right: half of the left is laid, off the planks.
    evening = next(each for each in map_.layers if each.name == "Evening")
    evening.cells[:, :48] = tint_value("#203040", 127)
    evening.cells[:, 48:] = 0
    session.choose_tool("fill")
    click(view, view.screen_at(30, 40))
    wait_for_jobs()
    settle()
    laid = layer.cells > 0
    planks = next(each for each in map_.layers if each.name == "Causeway").cells > 0
    assert not laid[:, 48:].any()
    assert not laid[planks].any()
    assert 0.35 < laid[:, :48].mean() < 0.55
    # The layer's new name is known to the mix; without the layer the pointer says what is wrong.
    session.apply(rename_layer(map_, evening, "Dusk", session.project))
    settle()
    assert mix_named(window, "salt flat").fall.tint == "Dusk"
    session.apply(delete_layer(map_, evening))
    settle()
    move(view, view.screen_at(30, 40))
    assert "no tint layer of that name" in refusal(session.desk(), view.pointer)
    qtbot.waitUntil(mixes_are_shown(mixes))
    # The cards may be made anew once more while a sample is laid beside the window.
    boxes = lambda: [each for each in mixes.findChildren(QComboBox) if each.isVisible()]  # noqa: E731
    qtbot.waitUntil(lambda: any("not on this map" in box.currentText() for box in boxes()))


def test_a_tile_gets_clumps_of_its_own_size_on_the_card(window):
    window.show_stage("draw")
    mixes = take(window, "salt flat")
    mixes._change_fall(mix_named(window, "salt flat"), way=FallWay.CLUMPS)
    settle()
    own = [each for each in mixes.findChildren(QDoubleSpinBox)
           if each.isVisible() and "clumps as the mix" in each.text()]  # fmt: skip
    assert len(own) == len(mix_named(window, "salt flat").entries)
    own[1].setValue(12)
    settle()
    assert [each.size for each in mix_named(window, "salt flat").entries][:3] == [0, 12, 0]
    window.session.undo()
    assert not any(each.size for each in mix_named(window, "salt flat").entries)


def test_the_tile_under_the_pointer_is_replaced_by_a_mix_in_the_selection(window):
    view = props_view(window)
    session = window.session
    layer, map_ = session.layer, session.map
    layer.cells[:] = 0
    stone, other = (map_.legend.place(TileRef("props", 0, n)) for n in (0, 1))
    layer.cells[5:25, 5:45] = stone
    layer.cells[5:25, 20] = other
    take(window, "salt flat")
    session.select(select_box(map_, Box(10, 0, 20, 30)))
    move(view, view.screen_at(12, 8))
    QTest.keyClick(view, Qt.Key.Key_F, CTRL | ALT)
    wait_for_jobs()
    settle()
    changed = layer.cells != stone
    assert (layer.cells[5:25, 20] == other).all()
    assert changed[10:20, 5:20].all()
    assert changed[10:20, 21:30].all()
    assert not changed[5:10, 5:20].any()
    assert not changed[10:20, 30:45].any()
    assert not layer.cells[10:20, :5].any()
    assert "240 cells replaced in the selection" in window.notices.text.text()
    assert layer.laid[-1].mix == "salt flat"
    assert session.doc.history.undo_name == "Replace by Mix · salt flat"
    session.undo()
    assert (layer.cells[10:20, 5:20] == stone).all()
    session.select(None)
    move(view, view.screen_at(2, 2))
    QTest.keyClick(view, Qt.Key.Key_F, CTRL | ALT)
    wait_for_jobs()
    assert "no tile lies under the pointer" in window.notices.text.text()


@pytest.mark.parametrize("turn", range(8))
def test_a_mix_of_turned_tiles_has_a_sample(window, turn):
    session = window.session
    window.show_stage("draw")
    entries = tuple(MixEntry(TileRef("props", 0, n, turn), 1.0) for n in (1, 2))
    session.apply(put_mix(session.project, Mix("turned", entries)))
    mixes = take(window, "turned")
    assert not field(mixes, QLabel, "A sample").pixmap().isNull()
    assert window.crash.faults == 0


def test_a_tile_that_the_eye_catches_is_framed_in_the_sample_with_what_to_change(window):
    window.show_stage("draw")
    mixes = take(window, "salt flat")
    mix = mix_named(window, "salt flat")
    words = [each.text() for each in mixes.findChildren(QLabel) if each.isVisible()]
    assert any("the eye catches nothing" in each for each in words)
    plain = field(mixes, QLabel, "A sample").pixmap().toImage()
    brine = MixEntry(TileRef("pans", 0, 0), 1.0)
    window.session.apply(
        put_mix(window.session.project, replace(mix, entries=(*mix.entries, brine)), mix)
    )
    settle()
    words = [each.text() for each in mixes.findChildren(QLabel) if each.isVisible()]
    assert any("The eye catches the framed one" in each and "Lower its weight" in each
               for each in words)  # fmt: skip
    framed = field(mixes, QLabel, "A sample").pixmap().toImage()
    madder = QColor(LINEN.madder).rgb()

    def count(image):
        every = ((x, y) for x in range(image.width()) for y in range(image.height()))
        return sum(image.pixel(x, y) == madder for x, y in every)

    assert count(plain) == 0
    assert count(framed) > 20
