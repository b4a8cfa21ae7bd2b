"""Slice: cut a sheet by numbers, with lines and a swatch that follow while typing."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any
from weakref import WeakKeyDictionary, WeakSet

import numpy as np
from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QColor
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QSpinBox,
    QToolButton,
    QWidget,
)

from knitground.core.base.errors import KnitError, SlicingError
from knitground.core.base.filenames import file_stem
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.edit.reslice import Losses, cut_areas, reskin, use_relaid, use_slicing
from knitground.core.edit.sheets import add_region, leave_out, remove_tileset, set_anchor
from knitground.core.edit.uses import count_uses
from knitground.core.files.images import SUFFIXES, read_sheet
from knitground.core.model.limits import MAX_SIDE_PX
from knitground.core.model.slicing import Area, Slicing
from knitground.core.model.tileset import Picture, SheetFile, Tileset
from knitground.core.slicing.areas import AreaGuess, in_area, likely_areas
from knitground.core.slicing.facts import GridFacts, grid_facts
from knitground.core.slicing.grid import Grid, lay_grid
from knitground.core.slicing.likely import GridGuess, likely_in_area
from knitground.core.slicing.pieces import find_pieces
from knitground.ui.common.asking import Role, answered, ask
from knitground.ui.common.commands import Commands
from knitground.ui.common.tasks import Job
from knitground.ui.common.theme import theme
from knitground.ui.common.widgets import (
    Swatch,
    button,
    clear,
    column,
    head,
    note,
    panel,
    pixel_box,
    primary,
    row,
    set_role,
)
from knitground.ui.session import Session
from knitground.ui.stages.slice.guesses import SURE, GuessList
from knitground.ui.stages.slice.relaydialog import RelayDialog, ReskinDialog
from knitground.ui.stages.slice.slicesheet import SliceSheet
from knitground.ui.stages.slice.swatches import repeated_pixels, swatch_pixels
from knitground.ui.stages.stage import Stage


def _facts_line(facts: QLabel, find: QWidget) -> QHBoxLayout:
    line = row(facts, find)
    line.setStretch(0, 1)
    return line


_QUIET_CELLS = 2_000_000
Guessed = tuple[Picture, list[GridGuess]]
"""A picture, and the grids that were found likely on it."""


def _pieces_line(slicing: Slicing) -> str:
    widths = [area[2] for area in slicing.pieces]
    heights = [area[3] for area in slicing.pieces]
    return (
        f"{len(widths)} loose pieces, {min(widths)} … {max(widths)} px wide, {min(heights)} … "
        f"{max(heights)} px high · Shift+drag joins or adds, the right button takes away, "
        "drag a foot mark to move an anchor"
    )


_USUAL = (8, 16, 24, 32, 48, 64)
_PAIRS = {"tile_width": "tile_height", "margin_x": "margin_y", "spacing_x": "spacing_y",
          "start_x": "start_y"}  # fmt: skip
"""By the number that is typed: the one that follows while both are the same."""


class SliceBench(Stage):
    """The stage: the sheet, its numbers, what is left over. A trial until “Use this slicing”."""

    key = "slice"
    shows_map = False

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.trial: Slicing | None = None
        self._filling = False
        self._anchor_key: object = None
        self.sheet = SliceSheet()
        self.swatch, self.repeated = Swatch(), Swatch()
        self.guesses = GuessList()
        self._guessed: WeakKeyDictionary[Tileset, dict[Area | None, Guessed]] = WeakKeyDictionary()
        self._areas: WeakKeyDictionary[Tileset, tuple[Picture, list[AreaGuess]]] = (
            WeakKeyDictionary()
        )
        self._fresh: WeakSet[Tileset] = WeakSet()
        self._uses: tuple[object, dict[tuple[int, int], int]] = (None, {})
        self._facts_later = QTimer(self, singleShot=True, interval=300)
        self._facts_later.timeout.connect(self._find_facts)
        self._make_parts()
        self._lay_out()
        self.sheet.zoomed.connect(self.zoomed)
        session.choice.tileset_changed.connect(self.refresh_later)
        session.opened.connect(self._reopen)
        session.changed.connect(self._follow)
        session.dressed.connect(self.guesses.rebuild)
        self.sheet.hovered.connect(self._point)
        self.sheet.picked_colour.connect(self._add_colour)
        self.sheet.reshaped.connect(self._show)
        self.sheet.region_drawn.connect(self.add_region)
        self.sheet.anchor_moved.connect(self._move_anchor)
        self.sheet.anchor_left.connect(self._leave_anchor)
        self.sheet.tiles_crossed.connect(self._leave_out)
        self.sheet.hovered.connect(lambda _: self._show_repeated())
        self.guesses.tried.connect(self._show_guess)
        self.guesses.areas_wanted.connect(self.cut_areas)

    def _make_parts(self) -> None:
        self.sheets = QComboBox()
        self.sheets.setToolTip("The sheet that is being sliced")
        self.sheets.activated.connect(self._choose_sheet)
        self.boxes: dict[str, QSpinBox] = {}
        for key, low, hint in (
            ("tile_width", 1, "Tile width"),
            ("tile_height", 1, "Tile height"),
            ("margin_x", 0, "Margin left"),
            ("margin_y", 0, "Margin above"),
            ("spacing_x", 0, "Spacing across"),
            ("spacing_y", 0, "Spacing down"),
            ("start_x", 0, "Start x"),
            ("start_y", 0, "Start y"),
        ):
            box = pixel_box(low, MAX_SIDE_PX, hint)
            other = _PAIRS.get(key)
            if other is not None:
                box.setToolTip(f"{hint}; the one beside it follows while both are the same")
                box.valueChanged.connect(lambda _, a=key, d=other: self._typed_across(a, d))
            else:
                box.valueChanged.connect(self._typed)
            self.boxes[key] = box
        self.tolerance = QSpinBox()
        self.tolerance.setRange(0, 64)
        self.tolerance.setToolTip("How near to a see-through colour a pixel must be")
        self.tolerance.valueChanged.connect(self._typed)
        self.colours = QHBoxLayout()
        self.pick = button("Pick", self._toggle_pick, "Click a colour on the sheet")
        self.pick.setCheckable(True)
        self.use = primary("Use this slicing", self.commit, "Cut the sheet so", "Ctrl+Return")
        self.revert = button("Back to what was", self.reset, "Forget the numbers that were tried")
        self.facts = QLabel()
        self.facts.setWordWrap(True)
        self.find_button = button(
            "Find the sheet…", self._find, "Choose the picture that is missing"
        )
        self.draw = button(
            "Draw a tile", self._toggle_draw, "Draw one tile on the sheet (Shift+drag)"
        )
        self.draw.setCheckable(True)
        self.loose = button(
            "Find pieces", self._toggle_loose, "Find separate pictures by their outline"
        )
        self.loose.setCheckable(True)
        self.gap = QSpinBox()
        self.gap.setRange(0, 64)
        self.gap.setValue(1)
        self.gap.setPrefix("gap ")
        self.gap.setSuffix(" px")
        self.gap.setKeyboardTracking(False)
        self.gap.setToolTip("See-through pixels inside a piece that do not part it")
        self.gap.valueChanged.connect(self.find_pieces)
        self.more = QPushButton("Sheet…")
        self.more.setToolTip("Lay the sheet out anew, or give it another picture")
        menu = QMenu(self.more)
        menu.addAction("New region: draw it on the sheet", self.begin_region)
        menu.addAction("Remove this sheet or region", self.remove)
        menu.addSeparator()
        menu.addAction("Re-lay: other margin, spacing, columns, borders…", self.ask_relay)
        menu.addAction("Reskin: another picture…", self.ask_reskin)
        self.more.setMenu(menu)
        self.swatch_note = note("The sliced tiles laid edge to edge: a wrong grid shows here.")

    def _lay_out(self) -> None:
        numbers = QGridLayout()
        numbers.setHorizontalSpacing(8)
        numbers.setVerticalSpacing(6)
        self.size_label = QLabel()
        for place, (label, x, y) in enumerate(
            (
                ("Tile  w × h", "tile_width", "tile_height"),
                ("Margin  x, y", "margin_x", "margin_y"),
                ("Spacing  x, y", "spacing_x", "spacing_y"),
                ("Start  x, y", "start_x", "start_y"),
            )
        ):
            at, down = (place % 2) * 3, place // 2
            numbers.addWidget(self.size_label if place == 0 else QLabel(label), down, at)
            numbers.addWidget(self.boxes[x], down, at + 1)
            numbers.addWidget(self.boxes[y], down, at + 2)
        numbers.addLayout(self._usual_sizes(), 2, 0, 1, 6)
        numbers.setColumnMinimumWidth(2, 96)
        numbers.setColumnStretch(6, 1)
        see_through = row(
            QLabel("See-through"),
            self.colours,
            self.pick,
            QLabel("tolerance"),
            self.tolerance,
            self.draw,
            self.loose,
            self.gap,
            1,
        )
        left = panel()
        left.setLayout(
            column(
                row(head("Slice the sheet"), 1, self.sheets,
                    button("Open sheet…", self.sheet_asked.emit, "Add a picture", "Ctrl+Shift+O")),
                note("Click a likely grid, drag a line or a tile's corner, draw one, or type."),
                self.sheet,
                row(column(numbers, see_through), 1, column(self.use, self.revert, self.more, 1)),
                _facts_line(self.facts, self.find_button),
                margins=14,
            )
        )  # fmt: skip
        left.layout().setStretch(2, 1)  # type: ignore[union-attr]
        right = panel()
        right.setFixedWidth(340)
        self.repeated.setMaximumHeight(150)
        right.setLayout(
            column(
                head("Likely grids"), self.guesses, head("Swatch"), self.swatch_note, self.swatch,
                note("The tile under the pointer, three by three:"), self.repeated, margins=14,
            )
        )  # fmt: skip
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
        commands.add("Edit", "Use this slicing", self.commit, "Ctrl+Return")
        commands.add("Edit", "Re-lay the sheet…", self.ask_relay)
        commands.add("Edit", "Reskin the sheet…", self.ask_reskin)

    def _reopen(self) -> None:
        self.trial = None
        self.refresh_later()

    def refresh(self) -> None:
        names = [each.name for each in self.session.project.tilesets]
        if [self.sheets.itemText(n) for n in range(self.sheets.count())] != names:
            self.sheets.clear()
            self.sheets.addItems(names)
        tileset = self.session.tileset
        if tileset is not None:
            self.sheets.setCurrentText(tileset.name)
        if tileset is not self.sheet.tileset or self.trial is None:
            self.sheet.show_tileset(tileset)
            self.reset()
            self._guess()

    def _follow(self, change: Changed) -> None:
        new = change.tileset is not None and not change.tileset.sets
        if change.what is What.TILESETS and change.tileset is not None and new:
            self._fresh.add(change.tileset)
        if (
            change.what in (What.SLICING, What.LOOKS, What.TILESETS)
            and change.tileset is self.session.tileset
        ):
            self.trial = None
            self.refresh_later()
        elif change.what is What.TILESETS:
            self.refresh_later()

    def _choose_sheet(self, place: int) -> None:
        self.session.choose_tileset(self.session.project.tilesets[place])

    # The trial

    def reset(self) -> None:
        """Show the slicing in use."""
        tileset = self.session.tileset
        self.setEnabled(tileset is not None)
        if tileset is None:
            self.sheet.show_tileset(None)
            self.swatch.show_pixels(None)
            return
        self._show(tileset.slicing)

    def _show(self, slicing: Slicing) -> None:
        self._filling = True
        for key, box in self.boxes.items():
            box.setValue(getattr(slicing, key))
        self.tolerance.setValue(slicing.tolerance)
        self._filling = False
        self._try(slicing)

    def _usual_sizes(self) -> QHBoxLayout:
        """Make a button for each usual size of tiles."""
        sizes = row(note("usual sizes"), spacing=4)
        self.usual: dict[int, QToolButton] = {}
        for side in _USUAL:
            made = QToolButton()
            made.setText(str(side))
            made.setToolTip(f"Tiles of {side} × {side} px")
            made.setAccessibleName(f"Tiles of {side} × {side} px")
            made.clicked.connect(partial(self.use_size, side))
            sizes.addWidget(made)
            self.usual[side] = made
        sizes.addStretch(1)
        return sizes

    def use_size(self, side: int) -> None:
        """Try square tiles of a usual size."""
        if self.trial is not None:
            self._show(replace(self.trial, tile_width=side, tile_height=side, pieces=()))

    def _typed_across(self, across: str, down: str) -> None:
        """Take a number that was typed; where both were the same, the other one follows."""
        if self._filling or self.trial is None:
            return
        if getattr(self.trial, across) == getattr(self.trial, down):
            self._filling = True
            self.boxes[down].setValue(self.boxes[across].value())
            self._filling = False
        self._typed()

    def _typed(self) -> None:
        if self._filling or self.trial is None:
            return
        numbers: dict[str, Any] = {key: box.value() for key, box in self.boxes.items()}
        colours, near = self.trial.see_through, self.tolerance.value()
        self._try(replace(self.trial, see_through=colours, tolerance=near, **numbers))

    def _try(self, slicing: Slicing) -> None:
        tileset = self.session.tileset
        if tileset is None:
            return
        self.trial = slicing
        self._show_colours()
        self._show_loose(slicing)
        missing = tileset.picture is None
        self.find_button.setVisible(missing)
        try:
            grid = lay_grid(slicing, tileset.width, tileset.height)
        except SlicingError as error:
            self.sheet.show_grid(None)
            self.swatch.show_pixels(None)
            self._say(str(error), "warning")
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
            self._facts_later.start()
        self.guesses.mark(slicing)
        self._say_facts(tileset, grid)
        different = slicing != tileset.slicing
        self.use.setEnabled(different)
        self.revert.setEnabled(different)

    # Loose pieces

    def _toggle_loose(self) -> None:
        if self.loose.isChecked():
            self.find_pieces()
        elif self.trial is not None:
            self._show(replace(self.trial, pieces=()))

    def find_pieces(self) -> None:
        """Find the sheet's separate pieces by their outline and try them."""
        tileset, trial = self.session.tileset, self.trial
        if tileset is None or tileset.picture is None or trial is None:
            return
        picture, gap = tileset.picture, self.gap.value()
        plain = replace(trial, pieces=())

        def take(found: tuple[Area, ...]) -> None:
            if tileset is not self.session.tileset:
                return
            if found:
                self._show(replace(plain, pieces=found))
            else:
                self._show(plain)
                self.session.warn("No pieces found: say which colour of the sheet is see-through")

        self.session.run_long("Finding pieces…", lambda _: find_pieces(picture, plain, gap), take)

    def _show_loose(self, slicing: Slicing) -> None:
        loose = slicing.is_loose
        self.loose.setChecked(loose)
        self.gap.setVisible(loose)
        self.size_label.setText("Cell  w × h" if loose else "Tile  w × h")
        for key, box in self.boxes.items():
            box.setEnabled(not loose or key.startswith("tile_"))
        self.boxes["tile_width"].setToolTip("Cell width" if loose else "Tile width")
        self.boxes["tile_height"].setToolTip("Cell height" if loose else "Tile height")

    def _move_anchor(self, number: int, x: int, y: int) -> None:
        tileset = self.session.tileset
        if tileset is not None:
            self._anchor_key = self._anchor_key or object()
            self.session.apply(set_anchor(tileset, 0, number, (x, y)), self._anchor_key)

    def _leave_anchor(self) -> None:
        self._anchor_key = None

    def _say_facts(self, tileset: Tileset, grid: Grid) -> None:
        text = (
            f"{grid.columns} × {grid.rows} = {grid.count} tiles · "
            f"leftover: {grid.leftover_x} px right, {grid.leftover_y} px below"
        )
        if grid.slicing.pieces:
            text = _pieces_line(grid.slicing)
        facts = self.sheet.facts
        if facts is not None:
            text += f" · {int(facts.empty.sum())} empty, {int(facts.doubles.sum())} double"
            crossed = int(facts.crossed.sum())
            if facts.mostly_crossed:
                text += ", pictures span several tiles"
            elif crossed:
                text += f", {crossed} cut by a line (ticked)"
        if tileset.picture is None:
            self._say(f"{text} · {tileset.sheet} is missing", "warning")
        else:
            self._say(text, "warning" if grid.leftover_x or grid.leftover_y else "good")

    def _say(self, text: str, role: str) -> None:
        self.facts.setText(text)
        set_role(self.facts, role)

    def commit(self) -> None:
        """Cut the sheet as tried: one step that can be undone."""
        tileset, trial = self.session.tileset, self.trial
        if tileset is None or trial is None or trial == tileset.slicing:
            return
        project = self.session.project
        cells = sum(each.height * each.width * len(each.layers) for each in project.maps)
        if cells > _QUIET_CELLS:  # every cell laid by hand is looked at: not in this thread
            self.session.run_long(
                "Slicing…",
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

    def _use(self, tileset: Tileset, trial: Slicing, edit: Edit, losses: Losses) -> None:
        if losses.lines() and not self.confirm(losses.lines()):
            return
        if self.session.apply(edit):
            cut = f"{tileset.columns} × {tileset.rows} tiles"
            cut = f"{tileset.count} loose pieces" if trial.pieces else cut
            self.session.note(
                f"“{tileset.name}” is cut into {cut}; "
                "marks, weights and cells follow the same pixels"
            )

    def confirm(self, lost: list[str]) -> bool:
        """List what can not follow a new slicing and ask whether to go on."""
        buttons = {
            "Slice anyway": ("go on", Role.AcceptRole),
            "Cancel": ("stay", Role.RejectRole),
        }
        text = "No tile of the new slicing covers the same pixels for:"
        more = "\n".join(lost) + "\n\nUndo brings them back."
        return ask(self, "Slice anew", text, buttons, more) == "go on"

    # Regions and tiles that are left out

    def begin_region(self) -> None:
        """Let the next drag on the sheet draw a region."""
        self.sheet.drawing_region = True
        self.session.note("Drag on the sheet: the region gets a slicing of its own")

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
            doc.begin_stroke("Leave tiles out" if out else "Take tiles in again")
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

    # Another sheet

    def ask_relay(self) -> None:
        """Ask how to lay the sheet out anew, and do it."""
        tileset = self.session.tileset
        if tileset is not None:
            dialog = RelayDialog(tileset, self)
            if answered(dialog):
                self.relay_with(dialog)

    def relay_with(self, dialog: RelayDialog) -> None:
        """Take the sheet that a dialog describes; its file is written on the next save."""
        tileset = dialog.tileset
        name = f"{file_stem(tileset.name)}-relaid.png"

        def take(made: tuple[Picture, Slicing]) -> None:
            if self.session.apply(use_relaid(self.session.project, tileset, *made, name)):
                self.session.note(
                    f"“{tileset.name}” is laid out anew; saving writes {tileset.sheet}"
                )

        self.session.run_long("Laying the sheet out…", lambda _: dialog.make(), take)

    def ask_reskin(self) -> None:
        """Ask for another picture, show what it makes, and take it."""
        tileset = self.session.tileset
        kinds = " ".join(f"*{suffix}" for suffix in SUFFIXES)
        name, _ = QFileDialog.getOpenFileName(self, "Another picture", "", f"Pictures ({kinds})")
        if not name or tileset is None:
            return
        path = Path(name)
        self.session.run_long(
            f"Reading {path.name}…",
            lambda _: read_sheet(path),
            lambda sheet: self.reskin_with(tileset, sheet),
        )

    def reskin_with(self, tileset: Tileset, sheet: SheetFile) -> None:
        """Show what another picture makes of a tileset, and take it if that is wanted."""
        if answered(ReskinDialog(tileset, sheet.picture, sheet.path, self)):
            self.session.apply(reskin(self.session.project, tileset, sheet))

    # Likely grids and facts, beside the interface thread

    def _guess(self) -> None:
        tileset = self.session.tileset
        if tileset is None or tileset.picture is None:
            self.guesses.show_guesses([], np.zeros((1, 1, 4), np.uint8))
            return
        picture = tileset.picture
        area = tileset.slicing.area
        known = self._guessed.get(tileset, {}).get(area)
        if known is not None and known[0] is picture:
            self._show_guesses(tileset, known[1])
            return
        self.guesses.wait()
        job: Job[list[GridGuess]] = Job(
            lambda _: likely_in_area(picture, area),
            lambda found: self._take_guesses(tileset, picture, area, found),
            lambda error: self.session.warn(str(error)),
            owner=self,
        )
        job.start()

    def _take_guesses(
        self, tileset: Tileset, picture: Picture, area: Area | None, found: list[GridGuess]
    ) -> None:
        self._guessed.setdefault(tileset, {})[area] = (picture, found)
        if tileset is self.session.tileset:
            self._show_guesses(tileset, found)
        if area is None and not tileset.slicing.is_loose:
            Job(
                lambda _: likely_areas(picture, found),
                lambda areas: self._take_areas(tileset, picture, areas),
                lambda error: self.session.warn(str(error)),
                owner=self,
            ).start()

    def _take_areas(self, tileset: Tileset, picture: Picture, areas: list[AreaGuess]) -> None:
        self._areas[tileset] = (picture, areas)
        if tileset is self.session.tileset:
            self._show_areas(tileset)

    def _show_areas(self, tileset: Tileset) -> None:
        known = self._areas.get(tileset)
        whole = tileset.slicing.area is None and not tileset.sets  # marks would be lost
        fits = known is not None and whole and known[0] is tileset.picture
        self.guesses.show_areas(known[1] if known is not None and fits else [])

    def cut_areas(self, areas: list[AreaGuess]) -> None:
        """Cut the sheet into areas, each with its likely grid; those without one are left."""
        tileset = self.session.tileset
        cuts = [each.slicing for area in areas if (each := in_area(area)) is not None]
        if tileset is None or not cuts:
            return
        self.trial = None
        if self.session.do(lambda: cut_areas(self.session.project, tileset, cuts)):
            self.session.note(f"{len(cuts)} areas, each a sheet of its own in the list above")

    def _show_guesses(self, tileset: Tileset, found: list[GridGuess]) -> None:
        assert tileset.picture is not None
        self.guesses.show_guesses(found, tileset.picture)
        self._show_areas(tileset)
        if tileset in self._fresh and found and found[0].score >= SURE:
            self._show_guess(found[0].slicing)
        self._fresh.discard(tileset)
        self.guesses.mark(self.trial)

    def _show_guess(self, slicing: Slicing) -> None:
        if self.trial is not None:
            kept = (self.trial.see_through, self.trial.tolerance)
            self._show(replace(slicing, see_through=kept[0], tolerance=kept[1]))

    def _find_facts(self) -> None:
        tileset, grid = self.session.tileset, self.sheet.grid
        if tileset is None or tileset.picture is None or grid is None:
            return
        if self.sheet.tileset is not tileset:
            return  # it is hidden, and shows the sheet that was chosen before
        picture = tileset.picture
        job: Job[GridFacts] = Job(
            lambda _: grid_facts(picture, grid),
            lambda facts: self._take_facts(tileset, grid, facts),
            lambda error: self.session.warn(str(error)),
            owner=self,
        )
        job.start()

    def _take_facts(self, tileset: Tileset, grid: Grid, facts: GridFacts) -> None:
        if grid is self.sheet.grid and tileset is self.session.tileset:
            self.sheet.show_facts(facts)
            self._say_facts(tileset, grid)

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
            words += f" · {self.uses(tileset, at)} cells use it"
        self.session.pointed.emit(words)

    def uses(self, tileset: Tileset, at: tuple[int, int]) -> int:
        """Count the cells of all maps that show a tile, any way it is turned."""
        key = (self.session.doc.revision, tileset.name)
        if self._uses[0] != key:
            self._uses = (key, count_uses(self.session.project, tileset.name))
        return self._uses[1].get(at, 0)

    def _toggle_draw(self) -> None:
        self.sheet.drawing = self.draw.isChecked()

    # See-through colours

    def _toggle_pick(self) -> None:
        self.sheet.picking = self.pick.isChecked()
        shape = Qt.CursorShape.CrossCursor if self.sheet.picking else Qt.CursorShape.ArrowCursor
        self.sheet.setCursor(shape)

    def _add_colour(self, colour: tuple[int, int, int]) -> None:
        self.pick.setChecked(False)
        self._toggle_pick()
        if self.trial is not None and colour not in self.trial.see_through:
            self._try(replace(self.trial, see_through=(*self.trial.see_through, colour)))

    def _remove_colour(self, colour: tuple[int, int, int]) -> None:
        if self.trial is not None:
            kept = tuple(each for each in self.trial.see_through if each != colour)
            self._try(replace(self.trial, see_through=kept))

    def _show_colours(self) -> None:
        clear(self.colours)
        colours = self.trial.see_through if self.trial else ()
        if not colours:
            self.colours.addWidget(note("none"))
        for colour in colours:
            chip = button("×", partial(self._remove_colour, colour))
            ink = "#000" if sum(colour) > 380 else "#fff"
            name = QColor(*colour).name()
            chip.setStyleSheet(
                f"background: {name}; color: {ink}; border: 1px solid {theme().line};"
                "padding: 2px 8px;"
            )
            chip.setToolTip(f"{name}: click to take it away")
            self.colours.addWidget(chip)

    def _find(self) -> None:
        if self.session.tileset is not None:
            self.missing_asked.emit(self.session.tileset)
