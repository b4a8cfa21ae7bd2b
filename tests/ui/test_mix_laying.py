"""Mixes in the real window: patches in them, kept apart, kept off borders, fills laid anew."""

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QSpinBox
from tests.ui.conftest import click, move, props_view, settle

from knitground.core.edit.hand import MixInHand
from knitground.core.model.mix import Fall, FallWay
from knitground.ui.common.tasks import wait_for_jobs
from knitground.ui.stages.draw.bench import TABS

SHIFT, ALT = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.AltModifier


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
    settle()
    assert (layer.cells != first).any()
    assert session.doc.history.undo_name == "Lay “salt flat” anew"
    session.undo()
    assert (layer.cells == first).all()
    QTest.keyClick(view, Qt.Key.Key_F, SHIFT)
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
    border = next(each for each in mixes.findChildren(QSpinBox)
                  if each.isVisible() and each.text() == "anywhere")  # fmt: skip
    border.setValue(-3)
    settle()
    assert mix_named(window, "salt heaps").fall.border == -3
    again = next(each for each in mixes.findChildren(QSpinBox) if "from borders" in each.text())
    assert again.valueFromText("3 from borders") == -3
    assert again.valueFromText("2 off borders") == 2
