"""A wanderer: random acts in the real window, with what must always hold looked at in between.

    .venv/bin/python tools/wander.py [ACTS] [SEED]     (by default 2000 acts, seed 1)

It presses, drags and lets go anywhere, presses keys in the middle of drags, runs every command,
pokes every button, slider, field and list of every stage, answers the dialogs that come, undoes,
saves and opens. After each hundred acts it lets go of everything and checks: no fault, no word from
Qt, no stroke left open, the window usable; what is saved opens equal; undoing all gives the start.
Acts that keep the interface from taking input for over 50 ms of its thread's own time are listed.
Exits 1 if anything failed. It speaks the language of the desktop: LANGUAGE=de wanders in German.
"""

from __future__ import annotations

import faulthandler
import os
import random
import sys
import tempfile
import traceback
from collections import Counter
from collections.abc import Callable
from contextlib import ExitStack
from pathlib import Path
from time import thread_time
from typing import Any
from unittest.mock import patch

if __name__ == "__main__":
    sys.path.insert(0, str(Path(__file__).parents[1]))
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    _HOME = tempfile.mkdtemp(prefix="knitground-wander-")
    for _name in ("XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CACHE_HOME"):
        os.environ[_name] = str(Path(_HOME) / _name.lower())
    from knitground.ui.common.language import begin_to_speak

    begin_to_speak()

from bench.run import QUIET_PACE_MS, pace_ms
from PySide6.QtCore import (
    QAbstractEventDispatcher,
    QEvent,
    QPoint,
    QPointF,
    QProcess,
    Qt,
    QTimer,
    QtMsgType,
    qInstallMessageHandler,
)
from PySide6.QtGui import QColor, QMouseEvent, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractSlider,
    QApplication,
    QColorDialog,
    QComboBox,
    QDialog,
    QDoubleSpinBox,
    QFileDialog,
    QInputDialog,
    QLineEdit,
    QMenu,
    QMessageBox,
    QSpinBox,
    QTabBar,
    QToolButton,
    QWidget,
)
from shiboken6 import isValid
from tests.maps import snapshot

from knitground.core.files.opening import open_project
from knitground.ui.common.tasks import call_off_jobs, wait_for_jobs, work_title
from knitground.ui.project.savedialog import SaveDialog
from knitground.ui.touracts import settle
from knitground.ui.window import Window

_LETTERS = "PLBFEKSUGORMWIJVXYZQADC0123.,[]+-"
KEYS = (
    *_LETTERS, "Left", "Right", "Up", "Down", "Return", "Escape", "Space", "Home", "PageUp",
    "PageDown", "Delete", "Tab", "Backspace", "F2",
)  # fmt: skip
NAMES = (
    "a",
    "",
    "ß",
    "東京",
    "x" * 250,
    "../x",
    "5",
    "12, 7",
    "16 × 16",
    "0",
    "-3, 999999",
    "a, b",
)
QUIET = ("This plugin does not support", "propagateSizeHints", "not accepted by receiving widget",
         "outside target window")  # fmt: skip
NOT_RUN = ("Close window", "New project")
BUTTONS = (Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton, Qt.MouseButton.MiddleButton)
SLOW_MS = 50.0
_PATIENCE_MS = 15_000
_STUCK_S, _ACT_S = 300, 0.2
"""A walk that takes longer than this, and this an act, stands still: it tells where, and ends."""
_POPUP_MS = 150
_KEY_OF = {".": "Period", ",": "Comma", "[": "BracketLeft", "]": "BracketRight", "+": "Plus",
           "-": "Minus"}  # fmt: skip


class Stretch:
    """The longest stretch of the interface thread's own time in which it takes no input.

    A stretch ends where a loop of events begins its next turn: that of the act's caller, or one
    that the act runs itself, say while a project is being saved.
    """

    def __init__(self) -> None:
        self.longest = 0.0
        self.begun = thread_time()
        dispatcher = QAbstractEventDispatcher.instance()
        dispatcher.aboutToBlock.connect(self.end)
        dispatcher.awake.connect(self.end)

    def begin(self) -> None:
        """Measure anew from here."""
        self.longest, self.begun = 0.0, thread_time()

    def end(self) -> None:
        """Another turn begins."""
        now = thread_time()
        self.longest, self.begun = max(self.longest, (now - self.begun) * 1000), now

    def leave_out(self, work: Callable[[], object]) -> None:
        """Do what is the wanderer's own and no part of the program."""
        begun = thread_time()
        work()
        self.begun += thread_time() - begun


class Wanderer:
    """Wanders about in a window that shows a project of its own.

    Parameters
    ----------
    folder : where the project lies, and where copies of it may be saved
    """

    def __init__(self, window: Window, folder: Path, seed: int) -> None:
        self.window = window
        self.folder = folder
        self.chance = random.Random(seed)
        self.log: list[str] = []
        self.faults: list[str] = []
        self.slow: Counter[str] = Counter()
        self.worst: dict[str, float] = {}
        self.quiet: list[float] = []
        """How long the slow ones would have taken at the pace of the benches' quiet machine."""
        self.stretch = Stretch()
        self.pressed: tuple[QWidget, Any] | None = None
        self.start: object = None
        self.closing = QTimer(interval=_POPUP_MS)
        self.closing.timeout.connect(self._close_popup)
        acts: list[tuple[int, Callable[[], str]]] = [
            (30, self.press_or_let_go), (30, self.move), (14, self.key), (12, self.command),
            (16, self.poke), (4, self.wheel), (4, self.stage), (5, self.undo), (1, self.save),
            (1, self.reopen), (4, self.take_in_hand), (3, self.choose_layer), (1, self.resize),
        ]  # fmt: skip
        self.acts = [act for weight, act in acts for _ in range(weight)]
        self.input = (self.press_or_let_go, self.move, self.key, self.wheel, self.resize)

    # Going on

    def run(self, count: int, every: int = 100) -> list[str]:
        """Do so many acts; returns what went wrong, nothing if all is well."""
        with ExitStack() as stack:
            self._answer_dialogs(stack)
            before = qInstallMessageHandler(self._hear)
            hook, sys.excepthook = sys.excepthook, self._caught
            self.window.session.opened.connect(self._opened)
            self.closing.start()
            try:
                self._opened()
                for n in range(count):
                    self.act()
                    if (n + 1) % every == 0 or self.faults:
                        self.check()
                    if self.faults:
                        break
            finally:
                self.closing.stop()
                self.window.session.opened.disconnect(self._opened)
                sys.excepthook = hook
                qInstallMessageHandler(before)
        return self.faults

    def act(self) -> None:
        """Do one act and let the window follow it."""
        act = self.chance.choice(self.acts)
        self.stretch.begin()
        try:
            said = act()
        except Exception:  # noqa: BLE001 - that is what is looked for
            self.faults.append(traceback.format_exc())
            return
        self.log.append(said)
        self.turn()
        self._count(said.split(" @")[0])

    def turn(self) -> None:
        """Let the window take a turn."""
        self.stretch.end()
        QApplication.processEvents()
        self.stretch.end()

    def _count(self, kind: str) -> None:
        if self.stretch.longest > SLOW_MS:
            self.slow[kind] += 1
            self.worst[kind] = max(self.stretch.longest, self.worst.get(kind, 0.0))
            pace = min(pace_ms() for _ in range(3))
            self.quiet.append(self.stretch.longest * QUIET_PACE_MS / pace)

    def check(self) -> None:
        """Let go of everything and look whether all that must hold does."""
        self.let_go()
        session = self.window.session
        session.finish_gesture()
        if not wait_for_jobs(_PATIENCE_MS):
            call_off_jobs()  # a recipe that solves may be set to go on for minutes
        settle(3)
        if session.doc.in_stroke or session.in_gesture:
            self.faults.append("a stroke is left open")
        if work_title() or session.doc.is_leased:
            self.faults.append("the window is not usable")
        if self.window.crash.faults:
            self.faults.append(f"fault: {self.window.notices.text.text()}")
        if self.faults:
            return
        target = self.folder / "checked"
        before = snapshot(session.project)
        if not self.window.files.save_to(target, overwrite=True):
            self.faults.append(f"it can not be saved: {self.window.notices.text.text()}")
            return
        saved, after = snapshot(open_project(target).project), snapshot(session.project)
        if saved not in (before, after):  # a recipe may have grown meanwhile
            self.faults.append(f"what was saved opens as something else: {differs(saved, after)}")
        elif before != after:
            self.log.append(f"changed while it was saved: {differs(before, after)}")
        while session.doc.undo():
            pass
        settle(2)
        if snapshot(session.project) != self.start:
            found = differs(self.start, snapshot(session.project))
            self.faults.append(f"undoing all does not give the start: {found}")

    # Acts

    def somewhere(self, widget: QWidget) -> QPoint:
        """Give a place on a widget, now and then just beside it."""
        wide, high = max(1, widget.width()), max(1, widget.height())
        return QPoint(self.chance.randint(-4, wide + 4), self.chance.randint(-4, high + 4))

    def canvas(self) -> QWidget:
        """Give a view of the map, or a sheet, whatever is shown."""
        window = self.window
        shown = [each for each in (window.mapside.view, window.mapside.second) if each is not None]
        shown += [
            each for name in ("sheet", "tiles")
            if isinstance(each := getattr(window.stage, name, None), QWidget)
        ]  # fmt: skip
        return self.chance.choice([each for each in shown if each.isVisible()] or [window.shell])

    def modifiers(self) -> Qt.KeyboardModifier:
        """Give modifiers, mostly none."""
        some = (Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier)
        none = Qt.KeyboardModifier.NoModifier
        return self.chance.choice((*some, none, none, none, none, none))

    def press_or_let_go(self) -> str:
        """Press a button somewhere, or let the pressed one go."""
        self.forget_gone()
        if self.pressed is not None and self.chance.random() < 0.8:
            return self.let_go()
        widget = self.canvas()
        button = self.chance.choices(BUTTONS, (8, 2, 1))[0]
        at = self.somewhere(widget)
        QTest.mousePress(widget, button, self.modifiers(), at)
        self.pressed = (widget, button)
        return f"press {button.name} @{at.x()},{at.y()}"

    def forget_gone(self) -> None:
        """Hold nothing on a view that was closed meanwhile, as the second one may be."""
        if self.pressed is not None and not isValid(self.pressed[0]):
            self.pressed = None

    def let_go(self) -> str:
        """Let the pressed button go."""
        self.forget_gone()
        if self.pressed is None:
            return "nothing pressed"
        (widget, button), self.pressed = self.pressed, None
        QTest.mouseRelease(widget, button, Qt.KeyboardModifier.NoModifier, self.somewhere(widget))
        return f"release {button.name}"

    def move(self) -> str:
        """Move the pointer, with what is pressed."""
        self.forget_gone()
        widget, button = self.pressed or (self.canvas(), Qt.MouseButton.NoButton)
        at = self.somewhere(widget)
        none = Qt.MouseButton.NoButton
        place, over_all = QPointF(at), QPointF(widget.mapToGlobal(at))
        plain = Qt.KeyboardModifier.NoModifier
        event = QMouseEvent(QEvent.Type.MouseMove, place, over_all, none, button, plain)
        QApplication.sendEvent(widget, event)
        return f"move{' drag' if button != none else ''} @{at.x()},{at.y()}"

    def key(self) -> str:
        """Press a key, perhaps in the middle of a drag."""
        name = self.chance.choice(KEYS)
        target = QApplication.focusWidget() or self.window.shell
        modifiers = self.modifiers()
        if name in ("Q",) and modifiers != Qt.KeyboardModifier.NoModifier:
            return "key none"
        QTest.keyClick(target, getattr(Qt.Key, f"Key_{_KEY_OF.get(name, name)}"), modifiers)
        return f"key {name}"

    def command(self) -> str:
        """Run a command that can be run."""
        can = [
            each for each in self.window.commands.all
            if each.action.isEnabled() and each.text not in NOT_RUN
        ]  # fmt: skip
        chosen = self.chance.choice(can)
        chosen.action.trigger()
        self.close_popups()
        return f"command {chosen.text}"

    def poke(self) -> str:
        """Press, pull or fill in something on the bench, the ribbon or the strip."""
        homes: list[QWidget] = [self.window.stage]
        if self.window.stage.shows_map:
            homes += [self.window.mapside.ribbon, self.window.mapside.strip]
        home = self.chance.choice(homes)
        kinds = (QAbstractButton, QAbstractSlider, QSpinBox, QDoubleSpinBox, QComboBox, QLineEdit,
                 QTabBar)  # fmt: skip
        found = [
            each for kind in kinds for each in home.findChildren(kind)
            if each.isVisible() and each.isEnabled() and each.objectName() != "qt_spinbox_lineedit"
        ]  # fmt: skip
        if not found:
            return "poke nothing"
        widget = self.chance.choice(found)
        self._poke(widget)
        self.close_popups()
        return f"poke {type(widget).__name__} {widget.accessibleName() or widget.toolTip()[:40]}"

    def _poke(self, widget: QWidget) -> None:
        if isinstance(widget, QAbstractButton):
            if isinstance(widget, QToolButton) and widget.menu() is not None:
                QTimer.singleShot(0, self.close_popups)  # its menu waits for an answer
            QTest.mouseClick(widget, Qt.MouseButton.LeftButton)
        elif isinstance(widget, QAbstractSlider | QSpinBox):
            low, high = widget.minimum(), min(widget.maximum(), widget.minimum() + 300)
            widget.setValue(self.chance.randint(low, max(low, high)))
        elif isinstance(widget, QDoubleSpinBox):
            widget.setValue(self.chance.uniform(-5, 60))
        elif isinstance(widget, QComboBox) and widget.count():
            place = self.chance.randrange(widget.count())
            widget.setCurrentIndex(place)
            widget.activated.emit(place)
        elif isinstance(widget, QTabBar) and widget.count():
            widget.setCurrentIndex(self.chance.randrange(widget.count()))
        elif isinstance(widget, QLineEdit):
            widget.setFocus()
            QTest.keyClicks(widget, self.chance.choice(("a", "re", "", "brine")))
            widget.returnPressed.emit()

    def wheel(self) -> str:
        """Turn the wheel."""
        widget = self.canvas()
        at = QPointF(self.somewhere(widget))
        turn = QPoint(0, self.chance.choice((-120, 120)))
        event = QWheelEvent(
            at, QPointF(widget.mapToGlobal(at.toPoint())), QPoint(), turn,
            Qt.MouseButton.NoButton, self.modifiers(), Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        QApplication.sendEvent(widget, event)
        return "wheel"

    def stage(self) -> str:
        """Go to another stage."""
        key = self.chance.choice(list(self.window.stages))
        self.window.show_stage(key)
        return f"stage {key}"

    def undo(self) -> str:
        """Undo or redo a few steps, each of them a key of its own."""
        for n in range(self.chance.randint(1, 4)):
            if n:
                self.turn()
            if self.chance.random() < 0.7:
                self.window.session.undo()
            else:
                self.window.session.redo()
        return "undo"

    def save(self) -> str:
        """Save where it lies."""
        self.window.files.save_to(self.folder / "here", overwrite=True)
        return "save"

    def reopen(self) -> str:
        """Save, and open what was saved: a new start."""
        self.let_go()
        if self.window.files.save_to(self.folder / "here", overwrite=True):
            self.window.files.open_project(self.folder / "here")
            settle(3)
        return "open"

    def take_in_hand(self) -> str:
        """Take some tile, mix, patch, kind of marker or colour in hand."""
        from knitground.core.edit import hand
        from knitground.core.model.tile import TileRef

        session = self.window.session
        project = session.project
        ways: list[hand.Hand] = [hand.MarkerInHand("well"), hand.TintInHand("#80a0c0", 90)]
        for tileset in project.tilesets:
            if tileset.count:
                row, col = divmod(self.chance.randrange(tileset.count), tileset.columns)
                ways.append(hand.TileInHand(TileRef(tileset.name, row, col), 0))
        ways += [hand.MixInHand(mix.name, mix) for mix in project.mixes]
        ways += [hand.PatchInHand(patch) for patch in project.tray]
        session.take(self.chance.choice(ways))
        return "take"

    def choose_layer(self) -> str:
        """Choose another layer, or another map."""
        session = self.window.session
        if self.chance.random() < 0.2 and session.project.maps:
            session.choose_map(self.chance.choice(session.project.maps))
        elif session.map is not None and session.map.layers:
            session.choose_layer(self.chance.choice(session.map.layers))
        return "choose layer"

    def resize(self) -> str:
        """Give the window another size."""
        wide, high = self.chance.choice(((1280, 800), (1000, 640), (1500, 900)))
        self.window.shell.resize(wide, high)
        return "resize"

    # Around it

    def close_popups(self) -> None:
        """Close what popped up and no act would answer."""
        for widget in QApplication.topLevelWidgets():
            if isinstance(widget, QMenu | QDialog) and widget.isVisible():
                widget.close()
        self._close_popup()

    def _close_popup(self) -> None:
        """Close a menu. It may come up later than its click, which waits while work holds input."""
        popup = QApplication.activePopupWidget()
        if popup is not None:
            popup.close()

    def _answer_dialogs(self, stack: ExitStack) -> None:
        """Answer every dialog at random instead of waiting for a person."""
        chance = self.chance

        def press(box: QMessageBox) -> int:
            chance.choice(box.buttons()).click()
            return 0

        pretend: list[tuple[type, str, object]] = [
            (QMessageBox, "exec", press),
            (QDialog, "exec", lambda _: chance.choice((0, 1))),
            (QInputDialog, "getText", self._name),
            (QInputDialog, "getDouble",
             lambda *_, **__: (chance.choice((0.1, 30.0, 100.0)), chance.random() < 0.8)),
            (QInputDialog, "getItem",
             lambda *a, **__: (chance.choice(list(a[3])), chance.random() < 0.8)),
            (QMessageBox, "information", lambda *_, **__: 0),
            (QFileDialog, "getOpenFileName", lambda *_, **__: ("", "")),
            (QFileDialog, "getOpenFileNames", lambda *_, **__: ([], "")),
            (QFileDialog, "getExistingDirectory", lambda *_, **__: ""),
            (SaveDialog, "exec", lambda _: 0),
            (QColorDialog, "getColor", lambda *_, **__: QColor("#336699")),
            (QProcess, "startDetached", lambda *_, **__: True),
        ]  # fmt: skip
        for kind, name, instead in pretend:
            stack.enter_context(patch.object(kind, name, instead))

    def _name(self, *_: object, **__: object) -> tuple[str, bool]:
        return self.chance.choice(NAMES), self.chance.random() < 0.8

    def _opened(self) -> None:
        """Take note of a project that was opened: a new start."""

        def keep() -> None:
            self.start = snapshot(self.window.session.project)

        self.stretch.leave_out(keep)

    def _hear(self, _kind: QtMsgType, _context: object, text: str) -> None:
        if not any(each in text for each in QUIET):
            self.faults.append(f"Qt says: {text}")

    def _caught(self, kind: type[BaseException], error: BaseException, trace: Any) -> None:
        self.faults.append("".join(traceback.format_exception(kind, error, trace)))


def differs(one: Any, two: Any, path: str = "") -> str:
    """Name the first place at which two snapshots differ, and what stands there."""
    if isinstance(one, dict) and isinstance(two, dict):
        keys = [key for key in {*one, *two} if one.get(key) != two.get(key)]
        return differs(one.get(keys[0]), two.get(keys[0]), f"{path}.{keys[0]}") if keys else ""
    if isinstance(one, list | tuple) and isinstance(two, list | tuple) and len(one) == len(two):
        places = [n for n, pair in enumerate(zip(one, two)) if pair[0] != pair[1]]
        if places:
            return differs(one[places[0]], two[places[0]], f"{path}[{places[0]}]")
    return f"{path}: {str(one)[:300]} != {str(two)[:300]}"


def main(words: list[str]) -> int:
    """Wander about in a window on the demo project, and tell what was met."""
    from knitground.demo.project import write_demo
    from knitground.ui.project.memory import Memory
    from knitground.ui.shell import Shell
    from knitground.ui.start import make_app

    count, seed = int(words[0]) if words else 2000, int(words[1]) if len(words) > 1 else 1
    make_app()
    faulthandler.dump_traceback_later(_STUCK_S + count * _ACT_S, exit=True)
    done = 0
    slow: Counter[str] = Counter()
    worst: dict[str, float] = {}
    quiet: list[float] = []
    while done < count:
        part = min(5000, count - done)
        with tempfile.TemporaryDirectory() as home:
            folder = Path(home)
            write_demo(folder / "demo")
            shell = Shell()
            window = Window(shell, Memory(folder / "memory"))
            shell.show()
            window.session.open(open_project(folder / "demo").project)
            settle(5)
            wanderer = Wanderer(window, folder, seed)
            faults = wanderer.run(part)
            done += len(wanderer.log)
            slow += wanderer.slow
            quiet += wanderer.quiet
            for kind, ms in wanderer.worst.items():
                worst[kind] = max(ms, worst.get(kind, 0.0))
            if faults:
                print(f"seed {seed}, after {len(wanderer.log)} acts:")
                print("\n".join(wanderer.log[-30:]))
                print("\n".join(faults))
                return 1
            window.session.doc.mark_saved()
            shell.close()
            shell.deleteLater()
            settle(2)
        seed += 1
        print(f"{done} acts without a fault", flush=True)
    for kind, times in slow.most_common(25):
        print(f"  over {SLOW_MS:.0f} ms: {times} × {kind}, worst {worst[kind]:.0f} ms")
    over = [each for each in quiet if each > SLOW_MS]
    print(f"  at a quiet machine's pace {len(over)}, worst {max(over, default=0):.0f} ms")
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
