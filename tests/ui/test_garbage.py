"""Nothing of the window is let go of beside the interface thread, where that would be a crash."""

import gc
import sys
import threading
import time
import weakref

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget

from knitground.ui.common import tasks
from knitground.ui.common.garbage import Sweeper, set_aside
from knitground.ui.common.tasks import Job, wait_for_jobs


class Thing:
    """Something that can be followed."""


def follow(thing, threads):
    """Note the thread in which a thing goes."""
    weakref.finalize(thing, lambda: threads.append(threading.current_thread()))


def litter(rounds=200_000):
    """Make what Python would look for garbage for, and some."""
    kept = []
    for n in range(rounds):
        loop = [n]
        loop.append(loop)
        if n % 2:
            kept.append(loop)
    return len(kept)


def test_work_beside_the_window_never_looks_for_garbage(qapp):
    threads, looks = [], []
    thing = Thing()
    thing.me = thing
    follow(thing, threads)
    del thing
    gc.callbacks.append(lambda *_: looks.append(threading.current_thread()))
    try:
        Job(lambda _: litter(), lambda _: None, lambda _: None).start()
        wait_for_jobs()
        gc.collect()
    finally:
        gc.callbacks.pop()
    assert set(looks) == {threading.main_thread()}
    assert threads == [threading.main_thread()]


def test_the_interface_thread_looks_for_it_between_other_things(qapp, qtbot):
    threads = []
    dialog = QWidget()
    dialog.me = dialog
    follow(dialog, threads)
    del dialog
    litter(10_000)
    qtbot.waitUntil(lambda: bool(litter(10_000) and threads), timeout=60_000)
    assert threads == [threading.main_thread()]


def test_the_longest_look_waits_for_the_mouse_to_be_let_go(qapp, qtbot):
    looks = []

    def note(phase, info):
        if phase == "start":
            looks.append(info["generation"])

    widget = QWidget()
    qtbot.addWidget(widget)
    Sweeper(widget, every_ms=1)
    for left_down in (Qt.MouseButton.RightButton, Qt.MouseButton.MiddleButton):
        QTest.mouseRelease(widget, left_down)  # by tests of drags that never end
    gc.callbacks.append(note)
    try:
        QTest.mousePress(widget, Qt.MouseButton.LeftButton)
        assert QApplication.mouseButtons() == Qt.MouseButton.LeftButton
        qtbot.waitUntil(lambda: bool(litter(6_000) and len(looks) > 110), timeout=60_000)
        assert {0, 1} == set(looks)
        QTest.mouseRelease(widget, Qt.MouseButton.LeftButton)
        qtbot.waitUntil(lambda: bool(litter(6_000) and 2 in looks), timeout=10_000)
    finally:
        gc.callbacks.remove(note)


def test_what_work_holds_is_let_go_of_in_the_interface_thread(qapp, qtbot, monkeypatch):
    """Even if the thread is slow to go on when it has handed over what it has."""
    threads, told = [], []
    leave = tasks._Bell.leave

    def leave_and_rest(bell, call):
        leave(bell, call)
        time.sleep(0.1)

    monkeypatch.setattr(tasks._Bell, "leave", leave_and_rest)

    def begin(fails):
        thing = Thing()
        follow(thing, threads)

        def work(_progress):
            assert thing is not None
            if fails:
                raise ZeroDivisionError
            return Thing()

        def done(result):
            follow(result, threads)
            told.append("done")

        Job(work, done, lambda error: told.append(str(error))).start()

    faults = []
    before, sys.excepthook = sys.excepthook, lambda kind, *_: faults.append(kind)
    try:
        for n in range(8):
            begin(fails=n % 2 == 0)
        qtbot.waitUntil(lambda: len(told) == 8)
    finally:
        sys.excepthook = before
    gc.collect()
    assert (len(told), faults) == (8, [ZeroDivisionError] * 4)
    assert len(threads) == 12
    assert set(threads) == {threading.main_thread()}


def test_after_a_project_is_opened_what_is_there_is_left_out_of_later_looks(window):
    frozen = gc.get_freeze_count()
    try:
        set_aside()
        assert gc.get_freeze_count() > frozen + 10_000
        loop = []
        loop.append(loop)
        del loop
        assert gc.collect() >= 1  # what is made later is still collected
    finally:
        gc.unfreeze()
