"""Slice: cut a sheet by numbers, with lines and a swatch that follow while typing."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import replace

from PySide6.QtCore import Qt
from PySide6.QtGui import QHideEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QWidget,
)

from knitground.core.base.errors import KnitError, SlicingError
from knitground.core.base.tongue import say
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.edit.reslice import Losses, nothing_hangs_on, use_slicing
from knitground.core.edit.sheets import add_region, leave_out, remove_tileset, set_anchor
from knitground.core.edit.uses import count_uses
from knitground.core.model.project import Project
from knitground.core.model.slicing import Area, Slicing
from knitground.core.model.tileset import Tileset
from knitground.core.slicing.grid import lay_grid
from knitground.core.slicing.pieces import find_pieces
from knitground.ui.common.asking import Role, ask
from knitground.ui.common.commands import Commands
from knitground.ui.common.form import Choice
from knitground.ui.common.widgets import (
    Swatch,
    button,
    column,
    head,
    note,
    panel,
    primary,
    row,
)
from knitground.ui.session import Session
from knitground.ui.stages.slice.factsline import FactsLine
from knitground.ui.stages.slice.finding import GridFinder
from knitground.ui.stages.slice.guesses import GuessList
from knitground.ui.stages.slice.newpictures import NewPictures
from knitground.ui.stages.slice.numbers import SliceNumbers
from knitground.ui.stages.slice.slicesheet import SliceSheet
from knitground.ui.stages.slice.swatches import repeated_pixels, swatch_pixels
from knitground.ui.stages.stage import Stage


def _facts_line(facts: QLabel, find: QWidget) -> QHBoxLayout:
    line = row(facts, find)
    line.setStretch(0, 1)
    return line


_LOW_SWATCH = 96
_QUIET_CELLS = 2_000_000


class SliceBench(Stage):
    """The stage: the sheet, its numbers, what is left over. A trial until “Use this slicing”."""

    key = "slice"
    shows_map = False

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.trial: Slicing | None = None
        self.anchor_key: object = None
        self.sheet = SliceSheet()
        self.numbers = SliceNumbers()
        self.swatch, self.repeated = Swatch(), Swatch()
        self.guesses = GuessList()
        self.pictures = NewPictures(session, self)
        self.finder = GridFinder(session, self.guesses)
        self._uses: tuple[object, dict[tuple[int, int], int]] = (None, {})
        self._make_parts()
        self._lay_out()
        self.sheet.zoomed.connect(self.zoomed)
        session.choice.tileset_changed.connect(self.refresh_later)
        session.changed.connect(self._follow)
        session.dressed.connect(self.guesses.rebuild)
        self.sheet.hovered.connect(self._point)
        self.sheet.picked_colour.connect(self._add_colour)
        self.sheet.reshaped.connect(self.show_trial)
        self.sheet.region_drawn.connect(self.add_region)
        self.sheet.anchor_moved.connect(self.move_anchor)
        self.sheet.anchor_left.connect(self.leave_anchor)
        self.sheet.tiles_crossed.connect(self._leave_out)
        self.sheet.hovered.connect(lambda _: self._show_repeated())
        self._follow_numbers()
        self.guesses.tried.connect(self._show_guess)
        self.finder.sure.connect(self._show_guess)
        self.finder.shown.connect(lambda: self.guesses.mark(self.trial))

    def _follow_numbers(self) -> None:
        numbers = self.numbers
        numbers.typed.connect(self._typed)
        numbers.size_wanted.connect(self.use_size)
        numbers.colour_gone.connect(self._remove_colour)
        numbers.pieces_wanted.connect(self.find_pieces)
        numbers.pick.clicked.connect(self._toggle_pick)
        numbers.draw.clicked.connect(self._toggle_draw)
        numbers.loose.clicked.connect(self.toggle_loose)

    def _make_parts(self) -> None:
        self.sheets = Choice(say("The sheet that is being sliced"), letters=20)
        self.sheets.chosen.connect(self.session.choose_tileset)
        self.use = primary(
            say("Use this slicing"), self.commit, say("Cut the sheet so"), "Ctrl+Return"
        )
        self.revert = button(
            say("Back to what was"), self.reset, say("Forget the numbers that were tried")
        )
        self.facts = FactsLine(self.session, self.sheet)
        self.find_button = button(
            say("Find the sheet…"), self._find, say("Choose the picture that is missing")
        )
        self.more = QPushButton(say("Sheet…"))
        self.more.setToolTip(say("Lay the sheet out anew, or give it another picture"))
        menu = QMenu(self.more)
        menu.addAction(say("New region: draw it on the sheet"), self.begin_region)
        menu.addAction(say("Remove this sheet or region"), self.remove)
        menu.addSeparator()
        menu.addAction(
            say("Re-lay: other margin, spacing, columns, borders…"), self.pictures.ask_relay
        )
        menu.addAction(say("Reskin: another picture…"), self.pictures.ask_reskin)
        self.more.setMenu(menu)
        self.swatch_note = note(say("The sliced tiles laid edge to edge: a wrong grid shows here."))

    def _lay_out(self) -> None:
        left = panel()
        left.setLayout(
            column(
                row(
                    head(say("Slice the sheet")),
                    1,
                    self.sheets,
                    button(
                        say("Open sheet…"),
                        self.session.file_wanted.emit,
                        say("Add a picture"),
                        "Ctrl+Shift+O",
                    ),
                ),
                note(
                    say("Click a likely grid, drag a line or a tile's corner, draw one, or type.")
                ),
                self.sheet,
                row(self.numbers, 1, column(self.use, self.revert, self.more, 1)),
                _facts_line(self.facts, self.find_button),
                margins=14,
            )
        )
        left.layout().setStretch(2, 1)  # type: ignore[union-attr]
        right = panel()
        right.setFixedWidth(340)
        self.repeated.setMaximumHeight(150)
        for each in (self.swatch, self.repeated):  # beside the first map in seven steps, too
            each.setMinimumHeight(_LOW_SWATCH)
        right.setLayout(
            column(
                head(say("Likely grids")),
                self.guesses,
                head(say("Swatch")),
                self.swatch_note,
                self.swatch,
                note(say("The tile under the pointer, three by three:")),
                self.repeated,
                margins=14,
            )
        )
        right.layout().setStretch(4, 1)  # type: ignore[union-attr]
        self.setLayout(row(left, right))
        self.layout().setStretch(0, 1)  # type: ignore[union-attr]

    # Following the session

    @property
    def zoom_words(self) -> str:
        return self.sheet.camera.text()

    def focus_first(self) -> bool:
        self.sheet.setFocus()
        return True

    def cancel(self) -> bool:
        return self.sheet.cancel()

    def add_commands(self, commands: Commands) -> None:
        commands.add("Use this slicing", self.commit, "Ctrl+Return")
        commands.add("Re-lay the sheet…", self.pictures.ask_relay)
        commands.add("Reskin the sheet…", self.pictures.ask_reskin)
        commands.add("Relief of the sheet…", self.pictures.ask_relief)

    def begin_anew(self) -> None:
        self.trial = None
        self.numbers.begin_anew()
        self.sheet.picking = self.sheet.drawing = self.sheet.drawing_region = False
        self.sheet.unsetCursor()
        super().begin_anew()

    def refresh(self) -> None:
        tileset = self.session.tileset
        self.sheets.offer((each.name, each) for each in self.session.project.tilesets)
        self.sheets.show_value(tileset)
        if tileset is not self.sheet.tileset or self.trial is None:
            self._use_shown()
            self.sheet.show_tileset(tileset)
            self.reset()
            self.finder.look()

    def _follow(self, change: Changed) -> None:
        self.finder.follow(change)
        if (
            change.what in (What.SLICING, What.LOOKS, What.TILESETS)
            and change.tileset is self.session.tileset
        ):
            self.trial = None
            self.refresh_later()
        elif change.what is What.TILESETS:
            self.refresh_later()

    # The trial

    def reset(self) -> None:
        """Show the slicing in use."""
        tileset = self.session.tileset
        self.setEnabled(tileset is not None)
        if tileset is None:
            self.sheet.show_tileset(None)
            self.swatch.show_pixels(None)
            return
        self.show_trial(tileset.slicing)

    def show_trial(self, slicing: Slicing) -> None:
        self.numbers.show_slicing(slicing)
        self._try(slicing)

    def use_size(self, side: int) -> None:
        """Try square tiles of a usual size."""
        if self.trial is not None:
            self.show_trial(replace(self.trial, tile_width=side, tile_height=side, pieces=()))

    def _typed(self) -> None:
        if self.trial is not None:
            self._try(self.numbers.slicing(self.trial))

    def _try(self, slicing: Slicing) -> None:
        tileset = self.session.tileset
        if tileset is None:
            return
        self.trial = slicing
        self.numbers.show_kind(slicing)
        missing = tileset.picture is None
        self.find_button.setVisible(missing)
        try:
            grid = lay_grid(slicing, tileset.width, tileset.height)
        except SlicingError as error:
            self.sheet.show_grid(None)
            self.swatch.show_pixels(None)
            self.facts.say(str(error), "warning")
            self.use.setEnabled(False)
            return
        self.sheet.look_as = slicing
        self.sheet.others = [
            (each.name, each.slicing)
            for each in self.session.project.tilesets
            if each is not tileset and each.picture is tileset.picture
        ]
        self.sheet.show_grid(grid)
        if tileset.picture is not None:
            self.swatch.show_pixels(swatch_pixels(tileset.picture, grid))
            self._show_repeated()
            self.facts.count_later()
        self.guesses.mark(slicing)
        self.facts.say_facts(tileset, grid)
        different = slicing != tileset.slicing
        self.use.setEnabled(different)
        self.revert.setEnabled(different)

    # Loose pieces

    def commit(self) -> None:
        """Cut the sheet as tried: one step that can be undone."""
        tileset, trial = self.session.tileset, self.trial
        if tileset is None or trial is None or trial == tileset.slicing:
            return
        project = self.session.project
        cells = sum(each.height * each.width * len(each.layers) for each in project.maps)
        if cells > _QUIET_CELLS:  # every cell laid by hand is looked at: not in this thread
            self.session.run_long(
                say("Slicing…"),
                lambda _: use_slicing(project, tileset, trial),
                lambda made: self._use(tileset, trial, *made),
            )
            return
        try:
            made = use_slicing(project, tileset, trial)
        except SlicingError as error:
            self.session.warn(str(error))
            return
        self._use(tileset, trial, *made)

    def hideEvent(self, event: QHideEvent) -> None:
        if not event.spontaneous():  # minimised, one comes back to it
            self._use_shown()
        super().hideEvent(event)

    def _use_shown(self) -> None:
        """Cut a sheet as it is shown when it is left, where nothing hangs on it yet.

        Else one who goes on without a click works with another grid than was seen.
        """
        tileset, trial, project = self.sheet.tileset, self.trial, self.session.project
        if tileset not in project.tilesets or trial is None or tileset is None:
            return
        if trial == tileset.slicing or not nothing_hangs_on(project, tileset):
            return
        with suppress(SlicingError):  # what can not be cut so stays as it was
            # Nothing of it lies on a map: none is looked through, however large it is.
            edit, _ = use_slicing(Project(project.name, None, project.tilesets), tileset, trial)
            if self.session.apply(edit):
                self.session.note(
                    say(
                        "“{name}” is cut as it was shown: {name2}",
                        name=tileset.name,
                        name2=edit.name,
                    )
                )

    def _use(self, tileset: Tileset, trial: Slicing, edit: Edit, losses: Losses) -> None:
        if losses.lines() and not self.confirm(losses.lines()):
            return
        if self.session.apply(edit):
            cut = say("{columns} × {rows} tiles", columns=tileset.columns, rows=tileset.rows)
            cut = say("{count} loose pieces", count=tileset.count) if trial.pieces else cut
            self.session.note(
                say(
                    "“{name}” is cut into {cut}; marks, weights and cells follow the same pixels",
                    name=tileset.name,
                    cut=cut,
                )
            )

    def confirm(self, lost: list[str]) -> bool:
        """List what can not follow a new slicing and ask whether to go on."""
        buttons = {
            say("Slice anyway"): ("go on", Role.AcceptRole),
            say("Cancel"): ("stay", Role.RejectRole),
        }
        text = say("No tile of the new slicing covers the same pixels for:")
        more = "\n".join(lost) + say("\n\nUndo brings them back.")
        return ask(self, say("Slice anew"), text, buttons, more) == "go on"

    # Regions and tiles that are left out

    def _leave_out(self, places: list[tuple[int, int]], out: bool) -> None:
        tileset, doc = self.session.tileset, self.session.doc
        if tileset is None:
            return
        if not places:
            self.session.end_gesture(self)
            self.finish_gesture()
            return
        if not doc.in_stroke:
            self.session.begin_gesture(self)
            name = say("Leave tiles out") if out else say("Take tiles in again")
            if not self.session.attempt(lambda: doc.begin_stroke(name)):
                self.session.end_gesture(self)
                self.sheet.stop_crossing()
                return
        self.session.attempt(lambda: doc.apply(leave_out(tileset, places, out)))
        self.sheet.update()

    def finish_gesture(self) -> None:
        """End leaving tiles out: one step."""
        self.sheet.stop_crossing()
        self.session.doc.commit_stroke()

    def cancel_gesture(self) -> None:
        """Take the tiles in again that this drag has left out."""
        self.sheet.stop_crossing()
        self.session.doc.cancel_stroke()

    # Likely grids and facts, beside the interface thread

    def _show_guess(self, slicing: Slicing) -> None:
        if self.trial is not None:
            kept = (self.trial.see_through, self.trial.tolerance)
            self.show_trial(replace(slicing, see_through=kept[0], tolerance=kept[1]))

    def _show_repeated(self) -> None:
        tileset, grid = self.session.tileset, self.sheet.grid
        if tileset is None or tileset.picture is None or grid is None or grid.count == 0:
            self.repeated.show_pixels(None)
            return
        at = self.sheet.pointed_tile() or (0, 0)
        self.repeated.show_pixels(repeated_pixels(tileset.picture, grid, *at))

    def _point(self, words: str) -> None:
        tileset, at = self.session.tileset, self.sheet.pointed_tile()
        if tileset is not None and at is not None and self.trial == tileset.slicing:
            words += say(" · {uses} cells use it", uses=self.uses(tileset, at))
        self.session.pointed.emit(words)

    def uses(self, tileset: Tileset, at: tuple[int, int]) -> int:
        """Count the cells of all maps that show a tile, any way it is turned."""
        key = (self.session.doc.revision, tileset.name)
        if self._uses[0] != key:
            self._uses = (key, count_uses(self.session.project, tileset.name))
        return self._uses[1].get(at, 0)

    def _toggle_draw(self) -> None:
        self.sheet.drawing = self.numbers.draw.isChecked()

    # See-through colours

    def _toggle_pick(self) -> None:
        self.sheet.picking = self.numbers.pick.isChecked()
        shape = Qt.CursorShape.CrossCursor if self.sheet.picking else Qt.CursorShape.ArrowCursor
        self.sheet.setCursor(shape)

    def _add_colour(self, colour: tuple[int, int, int]) -> None:
        self.numbers.pick.setChecked(False)
        self._toggle_pick()
        if self.trial is not None and colour not in self.trial.see_through:
            self._try(replace(self.trial, see_through=(*self.trial.see_through, colour)))

    def _remove_colour(self, colour: tuple[int, int, int]) -> None:
        if self.trial is not None:
            kept = tuple(each for each in self.trial.see_through if each != colour)
            self._try(replace(self.trial, see_through=kept))

    def _find(self) -> None:
        if self.session.tileset is not None:
            self.session.place_wanted.emit(self.session.tileset)

    def toggle_loose(self) -> None:
        if self.numbers.loose.isChecked():
            self.find_pieces()
        elif self.trial is not None:
            self.show_trial(replace(self.trial, pieces=()))

    def find_pieces(self) -> None:
        """Find the sheet's separate pieces by their outline and try them."""
        tileset, trial = self.session.tileset, self.trial
        if tileset is None or tileset.picture is None or trial is None:
            return
        picture, gap = tileset.picture, self.numbers.gap.value()
        plain = replace(trial, pieces=())

        def take(found: tuple[Area, ...]) -> None:
            if tileset is not self.session.tileset:
                return
            if found:
                self.show_trial(replace(plain, pieces=found))
            else:
                self.show_trial(plain)
                self.session.warn(
                    say("No pieces found: say which colour of the sheet is see-through")
                )

        self.session.run_long(
            say("Finding pieces…"), lambda _: find_pieces(picture, plain, gap), take
        )

    def move_anchor(self, number: int, x: int, y: int) -> None:
        tileset = self.session.tileset
        if tileset is not None:
            self.anchor_key = self.anchor_key or object()
            self.session.apply(set_anchor(tileset, 0, number, (x, y)), self.anchor_key)

    def leave_anchor(self) -> None:
        self.anchor_key = None

    def begin_region(self) -> None:
        """Let the next drag on the sheet draw a region."""
        self.sheet.drawing_region = True
        self.session.note(say("Drag on the sheet: the region gets a slicing of its own"))

    def add_region(self, area: tuple[int, int, int, int]) -> None:
        """Make a region of the sheet and go on with its slicing."""
        tileset = self.session.tileset
        if tileset is None:
            return
        try:
            edit, made = add_region(self.session.project, tileset, area)
        except KnitError as error:
            self.session.warn(str(error))
            return
        if self.session.apply(edit):
            self.session.choose_tileset(made)

    def remove(self) -> None:
        """Take the sheet or region out of the project; undo brings it back."""
        tileset = self.session.tileset
        if tileset is not None:
            self.session.do(lambda: remove_tileset(self.session.project, tileset))
