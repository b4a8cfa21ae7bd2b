"""Walk: with one key a figure goes about on the map as it stands, while it is drawn on."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace
from enum import Enum
from time import perf_counter

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QEvent, QObject, QSize, Qt, QTimer
from PySide6.QtGui import QKeyEvent, QResizeEvent
from PySide6.QtWidgets import (
    QBoxLayout,
    QFrame,
    QLabel,
    QMenu,
    QSizePolicy,
    QToolButton,
)

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import later, say
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.markers import Outlines
from knitground.core.model.lattice import Cell, Rect
from knitground.core.model.layers import MarkerLayer
from knitground.core.model.map import Map
from knitground.core.model.marker import SPAWN, Marker
from knitground.core.walk.camera import screen_at
from knitground.core.walk.cover import covered
from knitground.core.walk.figure import MOST_PX, TICK, Figure, Keys, Stand, View, Walk
from knitground.core.walk.places import arrival, met
from knitground.core.walk.solids import ONE_WAY, SOLID, Solids
from knitground.ui.common.commands import Commands
from knitground.ui.common.form import Check, Choice, whole_box
from knitground.ui.common.numbers import WholeBox
from knitground.ui.common.widgets import button, note, row
from knitground.ui.mapside.canvas.view import MapView
from knitground.ui.session import Session

_MS = 16
_MOST_TICKS = 6
"""Ticks that are made up for at once: after a long frame the figure does not leap."""
_MARGIN = 6
_WHO = "walk"
_KEYS = {
    Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1),
}  # fmt: skip
_DRAWN = (What.CELLS, What.TERRAIN)


class Screen(Enum):
    """How much is shown while a figure walks."""

    ALL = say("the whole view")
    FRAME = say("screen frame")
    BOX = later("letter-box")


class FigureBar(QFrame):
    """The figure's numbers, in place of the tools while it walks."""

    def __init__(self, session: Session, stop: Callable[[], object]) -> None:
        super().__init__()
        self.session = session
        self.setProperty("panel", "true")
        self.changed: Callable[[], object] = lambda: None
        self.screen_chosen: Callable[[], object] = lambda: None
        self.view = Choice(
            say("From above it goes eight ways; from the side it runs and jumps"),
            [(say(each.value), each) for each in View],
        )
        self.view.currentIndexChanged.connect(self._choose_view)
        self.wide = self._number(say("wide "), 1, MOST_PX, say("Pixels that it is wide"))
        self.high = self._number(
            say("high "),
            1,
            MOST_PX,
            say("Pixels that it is high; from above walls stop the lower half of it"),
        )
        self.speed = self._number(say("speed "), 1, 4000, say("Pixels a second"))
        self.jump = self._number(
            say("jump "), 0, 4000, say("Pixels that it jumps up, from the side")
        )
        self.jump.setEnabled(False)
        self.kinds = QToolButton()
        self.kinds.setText(say("stopped by "))
        self.kinds.setToolTip(say("Kinds of shapes that it can not go through"))
        self.kinds.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.framing = Choice(
            say(
                "What a player sees: the map's screen (Map > Screen size…) goes with the "
                "figure, stops "
                "at the map's edges and stays within an area of the kind “camera”"
            ),
            [(say(each.value), each) for each in Screen],
        )
        self.framing.currentIndexChanged.connect(lambda _: self.screen_chosen())
        self.shapes = Check(say("shapes"), say("Show the shapes of tiles (Shift+C)"))
        self.shapes.toggled.connect(lambda on: session.show(shapes=on))
        session.sight_changed.connect(lambda: self.shapes.setChecked(session.sight.shapes))
        self.told = note()
        self.told.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        head = QLabel(say("Walk"))
        bold = head.font()
        bold.setBold(True)
        head.setFont(bold)
        stop_button = button(say("Stop"), stop, say("Give the tools back"), "Esc")
        self._parts = (
            row(head, self.view, self.kinds, self.framing, self.shapes, self.told, spacing=6),
            row(self.wide, self.high, self.speed, self.jump, 1, stop_button, spacing=6),
        )
        self._rows = QBoxLayout(QBoxLayout.Direction.LeftToRight, self)
        self._rows.setContentsMargins(_MARGIN, _MARGIN, _MARGIN, _MARGIN)
        self._rows.setSpacing(_MARGIN)
        for part in self._parts:
            self._rows.addLayout(part)
        self._parts[0].setStretch(5, 1)
        self._rows.setStretch(0, 1)
        self.hide()

    def minimumSizeHint(self) -> QSize:
        """Give the size that it has with its numbers beneath the rest: it never widens a window."""
        wide = max(part.sizeHint().width() for part in self._parts) + 2 * _MARGIN
        return QSize(wide, super().minimumSizeHint().height())

    def resizeEvent(self, event: QResizeEvent) -> None:
        room = sum(part.sizeHint().width() for part in self._parts) + 3 * _MARGIN
        way = QBoxLayout.Direction
        self._rows.setDirection(way.LeftToRight if self.width() >= room else way.TopToBottom)
        super().resizeEvent(event)

    def _number(self, prefix: str, least: int, most: int, hint: str) -> WholeBox:
        made = whole_box(least, most, hint, prefix=prefix, wide=96, at_once=False)
        made.valueChanged.connect(lambda _: self.changed())
        return made

    @property
    def shows(self) -> Screen:
        """How much is to be shown."""
        shown: Screen = self.framing.value
        return shown

    def figure(self) -> Figure:
        """Give the figure that the fields describe."""
        return Figure(self.wide.value(), self.high.value(), float(self.speed.value()),
                      float(self.jump.value()), self.view.value)  # fmt: skip

    def begin(self, map_: Map) -> None:
        """Describe a figure that fits the cells of a map."""
        side, now = map_.lattice.shorter, self.figure()
        high = min(MOST_PX, round(side * 1.2))
        self.show_figure(replace(now, wide=max(1, round(side * 0.6)), high=max(1, high),
                                 speed=side * 6.0, jump=side * 2.5))  # fmt: skip

    def _choose_view(self, place: int) -> None:
        self.jump.setEnabled(list(View)[place] is View.SIDE)
        self.changed()

    def show_figure(self, figure: Figure) -> None:
        """Show the numbers of a figure."""
        for box, value in ((self.wide, figure.wide), (self.high, figure.high),
                           (self.speed, figure.speed), (self.jump, figure.jump)):  # fmt: skip
            box.show_value(round(value))
        self.view.blockSignals(True)  # it is told what is, not asked for another
        self.view.setCurrentIndex(list(View).index(figure.view))
        self.view.blockSignals(False)
        self.jump.setEnabled(figure.view is View.SIDE)

    def stopped_by(self) -> list[str]:
        """List the kinds of shapes that stop the figure."""
        menu = self.kinds.menu()
        actions = menu.actions() if menu is not None else []
        return [each.text() for each in actions if each.isChecked()]

    def fill_kinds(self) -> None:
        """Offer the project's kinds of shapes; what was chosen stays chosen."""
        chosen = self.stopped_by() or [SOLID]
        menu = QMenu(self.kinds)
        for kind in self.session.project.shape_kinds:
            if kind.name != ONE_WAY:
                action = menu.addAction(kind.name)
                action.setCheckable(True)
                action.setChecked(kind.name in chosen)
                action.toggled.connect(lambda _: self.changed())
        self.kinds.setMenu(menu)


class Walking(QObject):
    """Lets a figure walk: its clock, the keys that are held, what it meets.

    Is what `Session.walker` asks for: where the figure is, and what of it is hidden.
    """

    def __init__(self, session: Session, view: Callable[[], MapView], parent: QObject) -> None:
        super().__init__(parent)
        self.session, self._view = session, view
        self.bar = FigureBar(session, self.stop)
        self.bar.changed = self._refit
        self.bar.screen_chosen = self._reframe
        self.map: Map | None = None
        self.at = Stand(0, 0)
        self.hidden: NDArray[np.bool_] = np.zeros((1, 1), np.bool_)
        self.seen: Rect | None = None
        self._step: int | None = None
        """The zoom step from before nothing but the screen was shown, while that is so."""
        self.caught: set[Cell] = set()
        """Cells in which an edge has caught the figure."""
        self._walk: Walk | None = None
        self._fitted: Map | None = None
        """The map to whose cells the figure was fitted last, or that it came to through a door."""
        self._held: set[Qt.Key] = set()
        self._watched: MapView | None = None
        self._within: set[int] = set()
        self._outlines = Outlines()
        self._last = 0.0
        self._clock = QTimer(self, interval=_MS)
        self._clock.setTimerType(Qt.TimerType.PreciseTimer)
        self._clock.timeout.connect(self._on_clock)
        session.changed.connect(self._follow)
        session.opened.connect(self.stop)
        session.choice.map_changed.connect(self._follow_map)

    @property
    def figure(self) -> Figure:
        """The figure that walks."""
        assert self._walk is not None
        return self._walk.figure

    @property
    def boxed(self) -> bool:
        """Whether nothing but the map's screen is shown."""
        return self.bar.shows is Screen.BOX

    @property
    def is_on(self) -> bool:
        """Whether a figure walks."""
        return self._walk is not None

    def add_commands(self, commands: Commands) -> None:
        """Add the command that begins and ends it."""
        commands.add("Walk", self.toggle, "F6")

    def toggle(self) -> None:
        """Begin to walk, or end it."""
        if self.is_on:
            self.stop()
        else:
            self.start()

    def start(self, place: tuple[float, float] | None = None) -> None:
        """Let a figure walk from a place of the map.

        By default from the chosen marker, else from the pointer, else from a spawn point, else
        from the middle of what is seen.
        """
        map_, view = self.session.map, self._view()
        if map_ is None:
            self.session.warn(say("there is no map to walk on: make one first (Ctrl+N)"))
            return
        if not view.isVisible():
            self.session.stage_wanted.emit("draw")
        if not self.is_on and self._fitted is not map_:
            self.bar.begin(map_)
            self._fitted = map_
        self.bar.fill_kinds()
        try:
            walk = self._make(map_)
            at = walk.begin(*(place or self._first_place(map_, view)))
        except EditError as error:
            self.session.warn(str(error))
            return
        self._walk, self.map, self.at, self.caught = walk, map_, at, set()
        self._within = {each.number for each in self._met()}
        self.session.walker = self
        self._watch(view)
        self.bar.show()
        self.session.walk_changed.emit()
        view.setFocus()
        self._last = perf_counter()
        self._clock.start()
        self._look()
        QTimer.singleShot(0, self, self._look)  # the ribbon gives the view another size
        if not walk.solids.kinds & {
            shape.kind for owner in self.session.project.tilesets
            for fact in owner.facts.values() for shape in fact.shapes
        }:  # fmt: skip
            self.session.note(say("No tile has a shape of that kind: nothing stops the figure. "
                              "Give tiles shapes in Tiles"))  # fmt: skip

    def stop(self) -> None:
        """End it: the tools have the ribbon again."""
        if not self.is_on:
            return
        self._clock.stop()
        self._watch(None)
        self._unbox()
        self._walk, self.map = None, None
        self._held.clear()
        self.session.walker = None
        self.bar.hide()
        self.session.mark_cells(_WHO, None)
        self.session.walk_changed.emit()

    def _make(self, map_: Map) -> Walk:
        return Walk(Solids(self.session.doc, map_, self.bar.stopped_by()), self.bar.figure())

    def _first_place(self, map_: Map, view: MapView) -> tuple[float, float]:
        markers = [each for layer in map_.layers if isinstance(layer, MarkerLayer)
                   for each in layer.markers]  # fmt: skip
        layer = self.session.layer
        if isinstance(layer, MarkerLayer):
            for each in layer.markers:
                if each.number in self.session.markers:
                    return each.middle
        if view.at is not None and view.underMouse():
            return view.at.x, view.at.y
        return next((each.middle for each in markers if each.kind == SPAWN), view.middle)

    def _watch(self, view: MapView | None) -> None:
        if self._watched is not None:
            self._watched.removeEventFilter(self)
        self._watched = view
        if view is not None:
            view.installEventFilter(self)

    # Keys

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.FocusOut:
            self._held.clear()
        if not isinstance(event, QKeyEvent) or event.modifiers() & ~(
            Qt.KeyboardModifier.KeypadModifier
        ):  # fmt: skip
            return False
        key = Qt.Key(event.key())
        if key not in (*_KEYS, Qt.Key.Key_Space, Qt.Key.Key_Escape):
            return False
        if event.type() == QEvent.Type.ShortcutOverride:
            event.accept()
        elif event.type() == QEvent.Type.KeyRelease and not event.isAutoRepeat():
            self._held.discard(key)
        elif event.type() == QEvent.Type.KeyPress and key == Qt.Key.Key_Escape:
            if self.session.in_gesture:
                return False  # what is drawn is called off first
            self.stop()
        elif event.type() == QEvent.Type.KeyPress and not event.isAutoRepeat():
            self._held.add(key)
        return True

    def _keys(self) -> Keys:
        ways = [_KEYS[key] for key in self._held if key in _KEYS]
        across, down = (sum(way[n] for way in ways) for n in (0, 1))
        side = self.figure.view is View.SIDE
        jump = Qt.Key.Key_Space in self._held or (side and Qt.Key.Key_Up in self._held)
        return Keys(across, down, jump)

    # Going on

    def _on_clock(self) -> None:
        now = perf_counter()
        ticks = min(_MOST_TICKS, int((now - self._last) / TICK))
        if ticks:
            self._last = now if ticks == _MOST_TICKS else self._last + ticks * TICK
            self.go_on(ticks)

    def go_on(self, ticks: int = 1) -> None:
        """Go on by some ticks, and show where it is."""
        if self._walk is None:
            return
        begun, map_, keys = self.at, self.map, self._keys()
        for _ in range(ticks):
            before, self.at = self.at, self._walk.step(self.at, keys)
            if self.at.caught:
                self._note_caught()
            if (self.at.x, self.at.y) != (before.x, before.y):
                self._meet()
            if self._walk is None or self.map is not map_:
                return  # through a door
        if self.at != begun:
            self._look()

    def _look(self) -> None:
        """Show where it is, and keep it in view."""
        if self._walk is None or self.map is None:
            return
        atlas = self.session.atlases.of(self.map)
        self.hidden = covered(self.session.doc, self.map, atlas, self.figure, self.at)
        view, shows = self._view(), self.bar.shows
        self.seen = screen_at(self.map, self.figure, self.at) if shows is not Screen.ALL else None
        if self.boxed and self.seen is not None:
            self._step = view.camera.step if self._step is None else self._step
            view.show_only(self.seen)
        else:
            self._unbox()
            view.keep_in_view(self.at.x, self.at.y, min(view.width(), view.height()) // 3)
        self.session.figure_moved.emit()

    def _reframe(self) -> None:
        """Show more or less of the map round the figure."""
        if self.is_on:
            self._look()

    def _unbox(self) -> None:
        """Show as much as before nothing but the screen was shown."""
        if self._step is None:
            return
        view, step, self._step = self._view(), self._step, None
        view.zoom_to(step)
        if self.is_on:
            view.camera.centre(self.at.x, self.at.y, view.width(), view.height())

    def _note_caught(self) -> None:
        assert self.map is not None
        cell = self.map.lattice.cell_at(self.at.x, self.at.y - 1)
        if cell not in self.caught:
            self.caught.add(cell)
            self.session.mark_cells(_WHO, self)

    def cells(self, map_: Map) -> Iterable[tuple[Cell, str]]:
        """Mark the cells in which an edge has caught it."""
        return [(cell, "knot") for cell in sorted(self.caught)] if map_ is self.map else []

    # What it meets

    def _met(self) -> list[Marker]:
        if self.map is None:
            return []
        return met(self.session.project, self.map, self._outlines, self.figure, self.at)

    def _meet(self) -> None:
        here = self._met()
        self.bar.told.setText(" · ".join(each.title for each in here))
        fresh = [each for each in here if each.number not in self._within]
        self._within = {each.number for each in here}
        for each in fresh:
            if to := each.leads_to:
                self._go_through(each, to)
                return

    def _go_through(self, door: Marker, name: str) -> None:
        map_ = self.session.project.map_named(name)
        if map_ is None:
            self.session.warn(
                say(
                    "the door “{title}” leads to the map “{name}”, which is not there: correct "
                    "its property “map”",
                    title=door.title,
                    name=name,
                )
            )
            return
        self._fitted = map_  # the figure stays as large as it is
        self.map = map_
        self.session.choose_map(map_)
        self.start(arrival(map_, door.name))

    # Following

    def _follow_map(self) -> None:
        if self.is_on and self.session.map is not self.map:
            self.stop()

    def _follow(self, change: Changed) -> None:
        if change.what in (What.SLICING, What.TILESETS):
            self._outlines.forget()
        if self._walk is None or self.map is None:
            return
        if change.what in (What.MAPS, What.SIZE) and self.map not in self.session.project.maps:
            self.stop()
            return
        if change.what is What.SIZE and change.map is self.map:
            try:
                self._walk = self._make(self.map)
            except EditError as error:
                self.session.warn(str(error))
                self.stop()
                return
        elif change.what in _DRAWN and change.map is self.map and change.box is not None:
            far = 3 * self.map.lattice.longer
            rect = self.map.lattice.bounds(change.box)
            self._walk.solids.forget(
                Rect(rect.x - far, rect.y - far, rect.width + 2 * far, rect.height + 2 * far)
            )
        else:
            self._walk.solids.forget()
        self._stand_again()

    def _refit(self) -> None:
        """Take another figure: it stands where there is room for it."""
        if self._walk is None or self.map is None:
            return
        try:
            walk = self._make(self.map)
            if not walk.is_free(self.at.x, self.at.y):
                self.at = walk.begin(self.at.x, self.at.y)
        except EditError as error:
            self.session.warn(str(error))
            self.bar.show_figure(self.figure)
            return
        self._walk = walk
        self._look()

    def _stand_again(self) -> None:
        assert self._walk is not None
        if not self._walk.is_free(self.at.x, self.at.y):
            try:
                self.at = self._walk.begin(self.at.x, self.at.y)
            except EditError as error:
                self.session.warn(str(error))
                self.stop()
                return
        self._look()
