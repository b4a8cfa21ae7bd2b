"""Animations of the chosen tiles: frames by hand, by blocks, by sheets, from files."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QScrollArea, QWidget

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.base.window import Box
from knitground.core.edit.document import Edit
from knitground.core.edit.frames import (
    add_frames,
    frames_of_files,
    give_frames,
    move_blocks,
    move_through_sheets,
    next_sheets,
    set_apart,
    set_frames,
    stand_still,
    time_frames,
)
from knitground.core.files.sheetreading import ReadSheets, read_sheets
from knitground.core.model.tileset import PLAIN, At, Frame, Tileset
from knitground.ui.common.form import Check, Choice, whole_box
from knitground.ui.common.widgets import button, column, note, primary, row
from knitground.ui.session import Session
from knitground.ui.stages.tiles.bigtile import BigTile
from knitground.ui.stages.tiles.framestrip import FrameStrip

WAYS = (say("side by side"), say("one below the other"), say("on the next sheets"))
_SHEETS = len(WAYS) - 1
_MS = 160


class MovesPage(QWidget):
    """What moves: the frames of the first chosen tile, and acts for all of them."""

    def __init__(self, session: Session, big: BigTile) -> None:
        super().__init__()
        self.session, self.big = session, big
        self.tileset: Tileset | None = None
        self.tiles: frozenset[At] = frozenset()
        self.strip = FrameStrip()
        self._make()
        self.strip.dropped_tiles.connect(self._drop_tiles)
        self.strip.dropped_files.connect(self.drop_files)
        self.strip.moved.connect(self._move)
        self.strip.removed.connect(self._remove)
        self.strip.picked.connect(self._pick)

    def begin_anew(self) -> None:
        """Become as at first."""
        self.play.show_value(True)
        self.big.play(True)
        self.ms.show_value(_MS)
        self.way.show_value(WAYS[0])

    def _make(self) -> None:
        self.blocks = whole_box(
            2, 256, say("How many blocks there are, the chosen one included"), value=4, wide=64
        )
        self.ms = whole_box(
            1, 600_000, say("How long the chosen frame shows; without one, all of them"), value=_MS,
            suffix=" ms",
        )  # fmt: skip
        self.ms.valueChanged.connect(self._time_one)
        self.way = Choice(say("Where the next block lies"), [(each, each) for each in WAYS])
        go = primary(say("Let them move"), self.move_blocks,
                     say("The chosen block moves through those beside it"))  # fmt: skip
        self.play = Check(say("play"), say("Let the large tile move"))
        self.play.show_value(True)
        self.play.clicked.connect(self._play)
        step = button(say("Step"), self._step, say("Show the next frame"))
        times = button(
            say("For all"), self._time, say("All frames of all chosen tiles show for that time")
        )
        still = button(say("Stand still"), self._still, say("Take the animations away"))
        self.apart = Check(
            say("each cell begins at another frame"),
            say("By the cell's number; else all same animations keep step"),
        )
        self.apart.clicked.connect(self._set_apart)
        self.words = note()
        area = QScrollArea()
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setWidget(self.strip)
        area.setWidgetResizable(True)
        area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setFixedHeight(72)
        self.setLayout(column(
            area, row(self.play, step, self.ms, times, 1, spacing=4),
            row(self.blocks, QLabel(say("blocks")), self.way, 1, spacing=4),
            row(go, still, 1, spacing=4), self.apart, self.words, 1, spacing=4,
        ))  # fmt: skip

    def show_tiles(self, tileset: Tileset | None, tiles: frozenset[At]) -> None:
        """Show how other tiles move, or the same ones as they are now."""
        if tiles != self.tiles or tileset is not self.tileset:
            self.strip.number = None
        self.tileset, self.tiles = tileset, tiles
        facts = [tileset.facts.get(at, PLAIN) for at in tiles] if tileset else []
        frames = tileset.fact(*min(tiles)).frames if tileset and tiles else ()
        self.strip.show_frames(self.session.project, tileset, frames)
        moving = [fact for fact in facts if fact.frames]
        self.apart.setEnabled(bool(moving))
        self.apart.setChecked(bool(moving) and all(fact.apart for fact in moving))
        self.words.setText(
            say(
                "{count} of {count2} move; the first in {count3} frames.",
                count=len(moving),
                count2=len(facts),
                count3=len(frames),
            )
            if moving
            else say("None of them moves.")
        )
        number = self.strip.number
        if number is not None:
            self.ms.show_value(frames[number].ms)

    # Changing

    def _do(self, build: Callable[[Tileset], Edit], key: object = None) -> bool:
        tileset = self.tileset
        if tileset is None or not self.tiles:
            return False
        return self.session.do(lambda: build(tileset), key)

    def _set(self, frames: tuple[Frame, ...], key: object = None) -> None:
        at, project = min(self.tiles), self.session.project
        self._do(lambda t: set_frames(t, *at, frames, project), key)

    def _drop_tiles(self, name: str, tiles: list[At], place: int) -> None:
        """Take tiles that were dragged from a sheet as frames."""
        tileset, project, ms = self.tileset, self.session.project, self.ms.value()
        if tileset is None or not self.tiles:
            self.session.warn(say("Choose the tile that is to move, then drag its frames here"))
            return
        own = "" if name == tileset.name else name
        if len(self.tiles) > 1:
            self._do(lambda t: give_frames(project, t, self.tiles, tiles, own, ms))
            return
        new = [Frame(*at, ms, own) for at in tiles]
        at = min(self.tiles)
        self._do(lambda t: add_frames(project, t, at, new, place))

    def drop_files(self, paths: list[Path]) -> None:
        """Take picture files as frames: of one tile, or of a whole sheet for all chosen tiles."""
        tileset, tiles, ms = self.tileset, self.tiles, self.ms.value()
        if tileset is None or not tiles:
            self.session.warn(say("Choose the tiles that are to move, then drop their frames here"))
            return

        def done(found: ReadSheets) -> None:
            if found.said:
                self.session.warn(" · ".join(found.said))
            if found.read:
                project = self.session.project
                self.session.do(lambda: frames_of_files(project, tileset, tiles, found.read, ms))

        room = self.session.project.sheets_room
        self.session.run_long(
            say("Reading frames…"), lambda progress: read_sheets(paths, room, progress), done
        )

    def _move(self, number: int, place: int) -> None:
        frames = list(self.strip.frames)
        each = frames.pop(number)
        new = place - (place > number)
        frames.insert(new, each)
        self.strip.number = new
        self._set(tuple(frames))

    def _remove(self, number: int) -> None:
        frames = self.strip.frames
        rest = (*frames[:number], *frames[number + 1 :])
        self._set(rest if len(rest) > 1 else ())

    def _pick(self) -> None:
        number = self.strip.number
        if number is not None:
            self.ms.show_value(self.strip.frames[number].ms)
            self.play.setChecked(False)
            self.big.show_frame(number)

    def _play(self, on: bool) -> None:
        self.big.play(on)

    def _step(self) -> None:
        self.play.setChecked(False)
        self.big.step()
        if self.strip.frames:
            self.strip.number = self.big.number()
            self.strip.update()

    def _time_one(self, ms: int) -> None:
        number, frames = self.strip.number, self.strip.frames
        if number is None:
            return
        new = replace(frames[number], ms=ms)
        self._set((*frames[:number], new, *frames[number + 1 :]), ("ms", number))

    def _time(self) -> None:
        ms = self.ms.value()
        self._do(lambda t: time_frames(t, self.tiles, ms))

    def _still(self) -> None:
        self._do(lambda t: stand_still(t, self.tiles))

    def _set_apart(self, on: bool) -> None:
        self._do(lambda t: set_apart(t, self.tiles, on))

    def move_blocks(self) -> None:
        """Let the chosen block move through those beside it, or on the next sheets."""
        rows, cols = [r for r, _ in self.tiles], [c for _, c in self.tiles]
        if not rows:
            return
        count, ms, way = self.blocks.value(), self.ms.value(), self.way.currentIndex()
        if way == _SHEETS:
            self._do(lambda t: self._through_sheets(t, count, ms))
            return
        box = Box(min(rows), min(cols), max(rows) + 1, max(cols) + 1)
        self._do(lambda t: move_blocks(t, box, count, below=way == 1, ms=ms))

    def _through_sheets(self, tileset: Tileset, count: int, ms: int) -> Edit:
        project = self.session.project
        names = next_sheets(project, tileset, count - 1)
        if len(names) < count - 1:
            raise EditError(
                say(
                    "{count} sheets with tiles of that size stand after “{name}”, {count2} are "
                    "needed: add them, or give fewer blocks",
                    count=len(names),
                    name=tileset.name,
                    count2=count - 1,
                )
            )
        return move_through_sheets(project, tileset, self.tiles, names, ms)
