"""A first map in seven steps: a slim card at the foot of the bench that ticks itself off."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QEvent, QPointF, QSize, Qt, Signal
from PySide6.QtGui import QHelpEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QFrame, QToolTip, QWidget

from knitground.core.base.tongue import say
from knitground.core.edit.changed import Changed, What
from knitground.core.model.project import Project
from knitground.ui.common.painting import painting
from knitground.ui.common.theme import theme
from knitground.ui.common.widgets import button, column, head, icon_button, note, plain, row
from knitground.ui.common.words import tip_of
from knitground.ui.project.memory import Memory
from knitground.ui.session import Session

_AWAY, _DONE = "first map put away", "first map done"
_FEW_MARKS = 2
_LOW = 700
"""Pixels of the window's height below which only the title stands there."""


@dataclass(frozen=True)
class FirstStep:
    """A step.

    Parameters
    ----------
    key : under which it is remembered that it was done
    title, words : what is to be done, and how
    stage : where; "" where all stages do
    holds : whether a project shows that it is done; None: it is seen only while it is done
    then : the stage to go on to, where looking is all that is to be done
    """

    key: str
    title: str
    words: str
    stage: str
    holds: Callable[[Project], bool] | None = None
    then: str = ""


def _is_marked(project: Project) -> bool:
    return any(
        np.count_nonzero(kit.marks.any(axis=2)) >= _FEW_MARKS
        for tileset in project.tilesets for kit in tileset.sets
    )  # fmt: skip


FIRST_STEPS = (
    FirstStep(
        "sheet",
        say("Open a sheet"),
        say("Drop a PNG with tiles anywhere on the window."),
        "slice",
        lambda project: bool(project.tilesets),
    ),
    FirstStep(
        "cut",
        say("See how it is cut"),
        say(
            "Lines should run between the tiles; if not, take another grid of the list. Then go "
            "on to Terrains."
        ),
        "slice",
        then="terrains",
    ),
    FirstStep(
        "marks",
        say("Say what the tiles show"),
        say("Take a card under “It looks like”, or choose a kind of set and mark corners."),
        "terrains",
        _is_marked,
    ),
    FirstStep(
        "map",
        say("Make a map"),
        say("The + beside the map tabs; the sizes offered are fine."),
        "draw",
        lambda project: bool(project.maps),
    ),
    FirstStep(
        "paint",
        say("Paint on it"),
        say("Click a terrain at the left, then draw on the map: the tiles knit themselves."),
        "draw",
    ),
    FirstStep(
        "grow",
        say("Let it grow"),
        say("Click one of the pictures, or run the recipe with another seed."),
        "grow",
    ),
    FirstStep(
        "ship",
        say("Ship it"),
        say("Choose PNG or JSON and a folder. That is what a game loads."),
        "ship",
    ),
)


class Stitches(QWidget):
    """The steps as stitches on a thread: those that are done are filled."""

    def __init__(self) -> None:
        super().__init__()
        self.done: tuple[bool, ...] = (False,) * len(FIRST_STEPS)
        self.now = 0
        self.setFixedSize(QSize(18 * len(FIRST_STEPS), 16))
        self.setMouseTracking(True)

    def show_done(self, done: tuple[bool, ...], now: int) -> None:
        """Show which steps are done, and which is to be done now."""
        self.done, self.now = done, now
        self.setAccessibleName(
            say("{number} of {count} steps done", number=sum(done), count=len(done))
        )
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        t = theme()
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(QPen(t.colour("ink2"), 1, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(9, 8), QPointF(self.width() - 9, 8))
            for n, done in enumerate(self.done):
                now = n == self.now
                painter.setPen(QPen(t.colour("madder" if now else "ink2"), 2 if now else 1))
                painter.setBrush(t.colour("good" if done else "panel"))
                painter.drawEllipse(QPointF(9 + 18 * n, 8), 5.5, 5.5)

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent):
            n = min(len(FIRST_STEPS) - 1, max(0, int(event.pos().x() // 18)))
            words = f"{n + 1} {FIRST_STEPS[n].title}" + (say(" — done") if self.done[n] else "")
            QToolTip.showText(event.globalPos(), tip_of(words), self)
            return True
        return super().event(event)


class FirstMap(QFrame):
    """Shows the step that comes next; put away it does nothing, and remembers that."""

    stage_wanted = Signal(str)

    def __init__(self, session: Session, memory: Memory) -> None:
        super().__init__()
        self.session, self.memory = session, memory
        self.setProperty("panel", "true")
        self.stage = ""
        self.stitches = Stitches()
        self.title, self.words = head(""), note()
        self.count = plain()
        self.count.setProperty("role", "note")
        self.show_me = button(say("Go there"), self._go, say("Go to the stage where it is done"))
        self.away = icon_button("mdi6.close", self.put_away, say("Put it away; Help calls it back"))
        self.setLayout(column(
            row(self.stitches, self.count, 1, self.show_me, self.away, spacing=8),
            self.title, self.words, margins=10, spacing=4,
        ))  # fmt: skip
        session.changed.connect(self._follow)
        session.shipped.connect(lambda: self._tick("ship"))
        session.opened.connect(self.refresh)
        self.setVisible(self.is_wanted)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._make_slim()
        super().resizeEvent(event)

    def _make_slim(self) -> None:
        """In a low window the bench needs the room: the words are a tooltip there."""
        low = self.window().height() < _LOW
        self.words.setVisible(not low)
        self.setToolTip(tip_of(self.words.text()) if low else "")

    @property
    def is_wanted(self) -> bool:
        """Whether it is shown: to whom has no projects yet, or has called it back."""
        return not self.memory.get(_AWAY, bool(self.memory.recent))

    def call_back(self) -> None:
        """Begin at the first step again."""
        self.memory.keep(_AWAY, value=False)
        self.memory.keep(_DONE, [])
        self.show()
        self.refresh()

    def put_away(self) -> None:
        """Show it no more."""
        self.memory.keep(_AWAY, value=True)
        self.hide()

    def at_stage(self, key: str) -> None:
        """Note at which stage the person is; who leaves Slice has seen how the sheet is cut."""
        left, self.stage = self.stage, key
        if left == "slice" and key != "slice" and self.session.project.tilesets:
            self._tick("cut")
        self.refresh()

    def _follow(self, change: Changed) -> None:
        if self.isHidden():
            return
        if change.what in (What.TERRAIN, What.CELLS):
            # In Grow it may be a recipe that lays; by keys one lays without a gesture.
            if self.session.in_gesture or self.stage == "draw":
                self._tick("paint")
        elif change.what is What.RECIPE and change.map is not None and change.map.recipe.steps:
            self._tick("grow")
        elif change.what in (What.MARKS, What.MAPS, What.TILESETS, What.SLICING):
            self.refresh()

    def _tick(self, key: str) -> None:
        done = self.memory.get(_DONE, [])
        if self.is_wanted and key not in done:
            self.memory.keep(_DONE, [*done, key])
            self.refresh()

    @property
    def done(self) -> tuple[bool, ...]:
        """Which steps are done: seen in the project, or seen while they were done."""
        seen, project = self.memory.get(_DONE, []), self.session.project
        out = [each.key in seen or (each.holds is not None and each.holds(project))
               for each in FIRST_STEPS]  # fmt: skip
        marks = next(n for n, each in enumerate(FIRST_STEPS) if each.key == "marks")
        if out[marks]:  # what is marked has been cut
            out[marks - 1] = True
        return tuple(out)

    def refresh(self) -> None:
        """Show the first step that is not done."""
        if self.isHidden():
            return
        done = self.done
        now = done.index(False) if False in done else len(done)
        self.stitches.show_done(done, now)
        self.count.setText(say("{number} of {count}", number=sum(done), count=len(done)))
        if now == len(done):
            self.title.setText(say("That is a map"))
            self.words.setText(
                say("A game can load it. F1 tells about whatever is under the pointer.")
            )
            self.show_me.hide()
            return
        step = FIRST_STEPS[now]
        self.title.setText(f"{now + 1}  {step.title}")
        self.words.setText(step.words)
        self._make_slim()
        goes_on = step.then and step.stage == self.stage
        self.show_me.setText(say("It is right: go on") if goes_on else say("Go there"))
        self.show_me.setVisible(bool(goes_on) or step.stage != self.stage)

    def _go(self) -> None:
        done = self.done
        if False in done:
            step = FIRST_STEPS[done.index(False)]
            here = step.stage == self.stage
            self.stage_wanted.emit(step.then if here and step.then else step.stage)
