"""A stand-in for the game: reads shipped files only, walks, follows what is shipped anew."""

from __future__ import annotations

from math import floor
from pathlib import Path
from time import perf_counter

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QFocusEvent, QKeyEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QLabel, QVBoxLayout, QWidget

from knitground.core.base.errors import EditError, KnitError
from knitground.core.base.tongue import quoted, say
from knitground.core.base.window import Box
from knitground.core.edit.document import Document
from knitground.core.edit.markers import Outlines
from knitground.core.files.ship.loading import Loaded, load_shipped, shipped_names
from knitground.core.model.lattice import Rect
from knitground.core.model.layers import Layer
from knitground.core.model.map import Map, grid_of
from knitground.core.model.marker import Marker
from knitground.core.render.atlas import Atlas
from knitground.core.render.pixels import over
from knitground.core.render.stack import draw_map, stack_of
from knitground.core.shapes.light import lamps_of, lit
from knitground.core.shapes.maplight import MapLight, drawn_layers
from knitground.core.walk.camera import screen_at
from knitground.core.walk.cover import covered, in_front
from knitground.core.walk.figure import TICK, Figure, Keys, Stand, View, Walk
from knitground.core.walk.places import arrival, met
from knitground.core.walk.solids import Solids
from knitground.ui.common.figure import figure_picture
from knitground.ui.common.painting import image_of

_MS, _LOOKS_MS = 16, 200
_MOST_TICKS = 6
_ROUND = 96
"""Pixels beyond the screen that are drawn with it, where nothing moves by itself."""
_NIGHT = QColor(18, 16, 24)
_KEYS = {
    Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1),
}  # fmt: skip


class World:
    """One shipped map that is walked on."""

    def __init__(self, loaded: Loaded, view: View) -> None:
        self.loaded, self.map = loaded, loaded.map
        self.doc = Document(loaded.project)
        self.atlas = Atlas(loaded.project, self.map)
        side = self.map.lattice.shorter
        figure = Figure(max(1, round(side * 0.6)), max(1, round(side * 1.2)), side * 6.0,
                        side * 2.5, view)  # fmt: skip
        self.walk = Walk(Solids(self.doc, self.map), figure)
        self.outlines = Outlines()
        self._drawn: tuple[int, Rect, NDArray[np.uint32]] | None = None
        self.light = MapLight(loaded.project, self.map, self._cells)
        self.lamps, self.is_lit = lamps_of(self.map), self.light.is_on
        self._layers = drawn_layers(self.map) if self.is_lit else None

    def hides(self, at: Stand) -> NDArray[np.bool_]:
        """Tell which pixels of the figure something is in front of."""
        front = in_front(self.map)
        if not self.map.lattice.slanted:
            front = [each for each in front if each.number not in self.loaded.ground]
        return covered(self.doc, self.map, self.atlas, self.walk.figure, at, front)

    @property
    def flickers(self) -> bool:
        """Whether any lamp is another one at each moment."""
        return any(each.flicker for each in self.lamps)

    def lit(self, rect: Rect, ms: int) -> NDArray[np.uint32]:
        """Give what is seen of a part, as its lamps and its ambient colour light it."""
        pixels = self.seen(rect)
        if not self.is_lit:
            return np.ascontiguousarray(pixels)
        return lit(pixels, self.light.field(rect, ms, self.lamps))

    def seen(self, rect: Rect) -> NDArray[np.uint32]:
        """Give what is seen of a part; more round it is drawn, and kept until something moves."""
        if self._drawn is not None:
            turns, known, pixels = self._drawn
            if turns == self.atlas.turns and known.joined(rect) == known:
                top, left = int(rect.y - known.y), int(rect.x - known.x)
                return pixels[top : top + int(rect.height), left : left + int(rect.width)]
        far = 0 if self.atlas.moving else _ROUND
        known = rect.grown(far, far, far, far)
        self._drawn = self.atlas.turns, known, self.picture(known)
        return self.seen(rect)

    def begin(self, door: str = "") -> Stand:
        """Stand at the door of that name, else at a spawn point, else in the middle."""
        x, y = arrival(self.map, door)
        wide, high = self.map.lattice.extent
        return self.walk.begin(min(max(x, 0), wide), min(max(y, 0), high), max(64, wide // 2))

    def met(self, at: Stand) -> list[Marker]:
        """List the areas that the figure stands in, and points that it stands on."""
        return met(self.loaded.project, self.map, self.outlines, self.walk.figure, at)

    def picture(self, rect: Rect) -> NDArray[np.uint32]:
        """Draw a part of the map; what lies beyond it is empty."""
        high, wide = int(rect.height), int(rect.width)
        out = np.zeros((high, wide), np.uint32)
        seen = rect
        if not self.map.wrap or self.map.lattice.slanted:
            seen = rect.shared(Rect(0, 0, *self.map.lattice.extent))
        if seen.is_empty:
            return out
        stack = stack_of(self.map, self.atlas, seen, 0, self._cells, self._layers)
        drawn = draw_map(self.map, self.atlas, stack)
        if self.map.background is not None:
            colour = np.uint32(0xFF000000 | int(self.map.background[1:], 16))
            drawn = over(drawn, np.full_like(drawn, colour))
        top, left = int(seen.y - rect.y), int(seen.x - rect.x)
        out[top : top + drawn.shape[0], left : left + drawn.shape[1]] = drawn
        return out

    def _cells(self, layer: Layer, box: Box) -> NDArray[np.int32]:
        return self.doc.cells(grid_of(self.map, layer), layer, box)


class PlayView(QWidget):
    """Shows the map's screen at a whole factor, and lets a figure walk."""

    told = Signal(str)
    """One line: areas that it enters, or why the last good state stays."""

    def __init__(self, folder: Path, name: str = "", view: View = View.ABOVE) -> None:
        super().__init__()
        self.folder, self.view = folder, view
        self.maps = shipped_names(folder)
        if name and name not in self.maps:
            which = ", ".join(quoted(each) for each in self.maps)
            raise KnitError(
                say(
                    "no map “{name}” was shipped to {folder}: there is {which}",
                    name=name[:60],
                    folder=folder,
                    which=which,
                )
            )
        self.world = World(load_shipped(self.maps[name or next(iter(self.maps))]), view)
        self.at = self.world.begin()
        self.hidden: NDArray[np.bool_] = np.zeros((1, 1), np.bool_)
        self._seen = self._state()
        self._within = {each.number for each in self.world.met(self.at)}
        self._held: set[Qt.Key] = set()
        self._last = self._since = perf_counter()
        self._now_ms = 0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(*self.world.map.screen)
        self.clock = QTimer(self, interval=_MS)
        self.clock.setTimerType(Qt.TimerType.PreciseTimer)
        self.clock.timeout.connect(self._on_clock)
        self.clock.start()
        self.looks = QTimer(self, interval=_LOOKS_MS)
        self.looks.timeout.connect(self.look_again)
        self.looks.start()

    @property
    def map(self) -> Map:
        """The map that is played."""
        return self.world.map

    @property
    def screen_rect(self) -> Rect:
        """What is seen of it, in pixels of the map."""
        return screen_at(self.map, self.world.walk.figure, self.at)

    # Going on

    def _on_clock(self) -> None:
        now = perf_counter()
        ticks = min(_MOST_TICKS, int((now - self._last) / TICK))
        if ticks:
            self._last = now if ticks == _MOST_TICKS else self._last + ticks * TICK
            self._now_ms = round((now - self._since) * 1000)
            moved = self.world.atlas.show_time(self._now_ms)
            if self.go_on(ticks) or moved or self.world.flickers:
                self.update()

    def go_on(self, ticks: int = 1) -> bool:
        """Go on by some ticks; returns whether anything is elsewhere now."""
        before = self.at
        ways = [_KEYS[key] for key in self._held if key in _KEYS]
        across, down = (sum(way[n] for way in ways) for n in (0, 1))
        side = self.view is View.SIDE
        jump = Qt.Key.Key_Space in self._held or (side and Qt.Key.Key_Up in self._held)
        world = self.world
        for _ in range(ticks):
            last, self.at = self.at, world.walk.step(self.at, Keys(across, down, jump))
            if (self.at.x, self.at.y) != (last.x, last.y):
                self._meet()
            if self.world is not world:
                return True  # through a door
        return self.at != before

    def _meet(self) -> None:
        here = self.world.met(self.at)
        fresh = [each for each in here if each.number not in self._within]
        self._within = {each.number for each in here}
        self.told.emit(" · ".join(each.title for each in here))
        for each in fresh:
            if to := each.leads_to:
                self._go_through(each.name, to)
                return

    def _go_through(self, door: str, to: str) -> None:
        try:
            self.maps = shipped_names(self.folder)
            if to not in self.maps:
                self.told.emit(
                    say(
                        "the door “{door}” leads to “{to}”, which was not shipped", door=door, to=to
                    )
                )
                return
            world = World(load_shipped(self.maps[to]), self.view)
            at = world.begin(door)
        except KnitError as error:
            self.told.emit(str(error))
            return
        self.world, self.at, self._seen = world, at, self._state(world)
        here = world.met(at)
        self._within = {each.number for each in here}
        self.told.emit(" · ".join(each.title for each in here))

    # Following

    def _state(self, world: World | None = None) -> list[tuple[int, int]]:
        out = []
        for path in (world or self.world).loaded.files:
            try:
                about = path.stat()
                out.append((about.st_mtime_ns, about.st_size))
            except OSError:
                out.append((0, 0))
        return out

    def look_again(self) -> bool:
        """Read the map anew if its files are others; what can not be read leaves all as it is."""
        now = self._state()
        if now == self._seen:
            return False
        self._seen = now
        try:
            world = World(load_shipped(self.world.loaded.files[0]), self.view)
            at = self.at
            if not world.walk.is_free(at.x, at.y):
                at = world.walk.begin(at.x, at.y)
        except (KnitError, EditError) as error:
            self.told.emit(say("as before: {error}", error=error))
            return False
        self.world, self.at, self._seen = world, at, self._state(world)
        self._within = {each.number for each in world.met(at)}
        self.update()
        return True

    # Showing

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        if key in (*_KEYS, Qt.Key.Key_Space):
            if not event.isAutoRepeat():
                self._held.add(key)
        elif key == Qt.Key.Key_Escape:
            self.window().close()
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if not event.isAutoRepeat():
            self._held.discard(Qt.Key(event.key()))

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self._held.clear()

    def paintEvent(self, event: QPaintEvent) -> None:
        rect = self.screen_rect
        factor = max(1, floor(min(self.width() / rect.width, self.height() / rect.height)))
        room = QRectF(0, 0, rect.width * factor, rect.height * factor)
        room.moveCenter(QRectF(self.rect()).center())
        room.moveTo(round(room.x()), round(room.y()))
        painter = QPainter(self)
        painter.fillRect(self.rect(), _NIGHT)
        painter.drawImage(room, image_of(self.world.lit(rect, self._now_ms)))
        figure = self.world.walk.figure
        self.hidden = self.world.hides(self.at)
        x = (self.at.x - figure.wide // 2 - rect.x) * factor + room.x()
        y = (self.at.y - figure.high - rect.y) * factor + room.y()
        painter.setClipRect(room)
        painter.drawImage(QPointF(x, y), figure_picture(figure, self.at, self.hidden, factor))
        painter.end()


class PlayWindow(QWidget):
    """The window: what is seen, and a line beneath it."""

    def __init__(self, view: PlayView) -> None:
        super().__init__()
        self.view = view
        self.setWindowTitle(say("{name} — Play", name=view.map.name))
        self.line = QLabel(
            say("arrows go, space jumps, Esc ends")
            if view.view is View.SIDE
            else say("arrows go, Esc ends")
        )
        self.line.setTextFormat(Qt.TextFormat.PlainText)
        self.line.setMargin(4)
        view.told.connect(self._tell)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(view, 1)
        layout.addWidget(self.line)
        wide, high = view.map.screen
        factor = max(1, min(960 // wide, 640 // high))
        self.resize(wide * factor, high * factor + 28)

    def _tell(self, words: str) -> None:
        self.line.setText(words)
        self.setWindowTitle(say("{name} — Play", name=self.view.map.name))


def play(words: list[str]) -> int:
    """Run `knitground play DIR [--map NAME] [--side]`; returns when the window is closed."""
    import argparse
    import sys

    from knitground.ui.start import make_app

    asked = argparse.ArgumentParser(prog="knitground play", description="Walk on shipped maps.")
    asked.add_argument("folder", type=Path)
    asked.add_argument("--map", default="")
    asked.add_argument("--side", action="store_true", help="seen from the side: it jumps")
    given = asked.parse_args(words)
    app = make_app()
    try:
        window = PlayWindow(PlayView(given.folder, given.map,
                                     View.SIDE if given.side else View.ABOVE))  # fmt: skip
    except KnitError as error:
        sys.stderr.write(f"knitground: {error}\n")
        return 2
    window.show()
    window.view.setFocus()
    return app.exec()
