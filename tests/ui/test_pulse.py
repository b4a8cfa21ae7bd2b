"""What can wait gives way in a pulse in which much has been done."""

from itertools import pairwise
from time import perf_counter, thread_time

import pytest
from PySide6.QtCore import QEventLoop, QTimer
from PySide6.QtWidgets import QApplication
from tests.ui.conftest import draw_thumbs, settle_view, wake

from knitground.ui.common import pulse
from knitground.ui.common.pulse import begin_pulse, pulse_is_full, until_in_pulse
from knitground.ui.common.widgets import show_when_laid_out


def work(ms):
    """Take the interface's own time."""
    until = thread_time() + ms / 1000
    while thread_time() < until:
        pass


@pytest.fixture(autouse=True)
def fresh(qapp):
    begin_pulse()
    yield
    begin_pulse()


def left(seconds):
    return until_in_pulse(seconds) - perf_counter()


def test_work_gets_what_is_left_of_the_turn_and_a_bit_at_least(monkeypatch):
    monkeypatch.setattr(pulse, "_FULL_S", 0.2)
    assert left(0.05) == pytest.approx(0.05, abs=0.02)
    work(180)
    assert 0 < left(0.05) < 0.03
    assert not pulse_is_full()
    work(30)
    assert pulse_is_full()
    assert left(0.05) < 0.001


def test_a_turn_ends_where_a_loop_of_events_looks_for_input():
    work(30)
    assert pulse_is_full()
    QApplication.processEvents()
    assert not pulse_is_full()
    loop, full = QEventLoop(), []

    def second():
        full.append(pulse_is_full())
        loop.quit()

    def first():
        work(30)
        full.append(pulse_is_full())
        QTimer.singleShot(1, second)

    QTimer.singleShot(0, first)
    loop.exec()
    assert full == [True, False]


def test_in_a_full_turn_a_map_comes_bit_by_bit_and_comes_whole(window):
    view = window.mapside.view
    wake(window)
    view.fit()
    settle_view(view)
    view.store.touch_all()
    begin_pulse()
    work(40)
    view.repaint()
    left = view.cold
    assert left > 1, "it goes on in the next pulse"
    for _ in range(left + 2):  # and were all turns full, it would come to an end
        work(30)
        view.repaint()
    assert view.cold == 0
    settle_view(view)


def test_small_pictures_of_layers_wait_for_a_turn_with_room(window):
    strip = window.mapside.strip
    strip._to_draw = list(strip.cards)
    begin_pulse()
    work(40)
    strip._draw_one_thumb()
    assert strip._to_draw == strip.cards
    draw_thumbs(strip)
    assert strip._to_draw == []


def test_two_views_of_a_map_are_painted_in_turns_of_their_own(window, monkeypatch):
    side = window.mapside
    side.session.show(second=True)
    for view in (side.view, side.second):
        view.session.show(playing=False)
        settle_view(view)
    for active, other in ((side.view, side.second), (side.second, side.view)):
        active.entered.emit()
        turns = []
        for view in (active, other):
            monkeypatch.setattr(view, "paintEvent", _noting(view, turns))
        window.session.tools.options_changed.emit()
        for _ in range(8):
            turns.append([])
            QApplication.processEvents()
        assert [each for each in turns if each][:2] == [[active], [other]]
        assert all(len(each) < 2 for each in turns)
        monkeypatch.undo()


def _noting(view, turns):
    paint = type(view).paintEvent

    def noted(event):
        turns[-1].append(view)
        paint(view, event)

    return noted


def test_much_that_is_new_is_painted_in_another_turn_but_not_put_off_for_ever(window):
    wake(window)
    part, seen = window.work, []
    show_when_laid_out(part)
    for _ in range(6):
        seen.append(part.updatesEnabled())
        QApplication.processEvents()
    assert seen[:2] == [False, False], "a pulse to lay it out"
    assert seen[-1] is True
    enabled = []
    for _ in range(30):  # a key that is held asks in every pulse
        show_when_laid_out(part)
        enabled.append(part.updatesEnabled())
        QApplication.processEvents()
    assert any(one and two for one, two in pairwise(enabled)), "there is time for a paint"
    for _ in range(6):
        QApplication.processEvents()
    assert part.updatesEnabled()
