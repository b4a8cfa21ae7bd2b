"""Slice: cut a sheet by numbers, with lines and a swatch that follow while typing."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLabel, QSpinBox, QWidget

from knitground.core.base.errors import SlicingError
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.sheets import use_slicing
from knitground.core.model.slicing import Slicing
from knitground.core.model.tileset import Picture, Tileset
from knitground.core.render.pixels import Pixels, premultiplied
from knitground.core.slicing.grid import MAX_SIDE_PX, Grid, clear_see_through, lay_grid
from knitground.ui.session import Session
from knitground.ui.sheetview import SheetView
from knitground.ui.theme import LINEN, theme
from knitground.ui.widgets import (
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

_SWATCH_PX = 150


def _facts_line(facts: QLabel, find: QWidget) -> QHBoxLayout:
    line = row(facts, find)
    line.setStretch(0, 1)
    return line


class SliceSheet(SheetView):
    """The sheet with the lines of a slicing that is being tried."""

    hovered = Signal(str)
    picked_colour = Signal(tuple)

    def __init__(self) -> None:
        super().__init__()
        self.grid: Grid | None = None
        self.picking = False

    def show_grid(self, grid: Grid | None) -> None:
        """Show the lines of another grid."""
        self.grid = grid
        self.update()

    def paint_over(self, painter: QPainter) -> None:
        if self.grid is None or self.tileset is None:
            return
        self._shade_leftover(painter)
        cut, zoom = self.grid.slicing, self.camera.zoom
        colour = QColor(LINEN.madder)
        far = cut.pitch_x * zoom < 4 or cut.pitch_y * zoom < 4
        colour.setAlpha(90 if far else 220)
        painter.setPen(QPen(colour, 1))
        left, top = self.camera.to_screen(cut.left(0), cut.top(0))
        right = left + (self.grid.columns * cut.pitch_x - cut.spacing_x) * zoom
        bottom = top + (self.grid.rows * cut.pitch_y - cut.spacing_y) * zoom
        lines = []
        for x in self._lines(left, cut.pitch_x, cut.tile_width, self.grid.columns, self.width()):
            lines.append(QLineF(x, top, x, bottom))
        for y in self._lines(top, cut.pitch_y, cut.tile_height, self.grid.rows, self.height()):
            lines.append(QLineF(left, y, right, y))
        painter.drawLines(lines)

    def _lines(self, first: float, pitch: int, tile: int, count: int, room: int) -> list[float]:
        zoom = self.camera.zoom
        low = max(0, int(-first // (pitch * zoom)))
        high = min(count, int((room - first) // (pitch * zoom)) + 1)
        out = []
        for n in range(low, high):
            start = first + n * pitch * zoom
            out += [start, start + tile * zoom]
        return out

    def _shade_leftover(self, painter: QPainter) -> None:
        assert self.grid is not None
        assert self.tileset is not None
        cut, zoom = self.grid.slicing, self.camera.zoom
        shade = QColor(LINEN.warning)
        shade.setAlpha(110)
        wide, high = self.tileset.width, self.tileset.height
        for x, y, w, h in (
            (wide - self.grid.leftover_x, 0, self.grid.leftover_x, high),
            (0, high - self.grid.leftover_y, wide, self.grid.leftover_y),
        ):
            if w > 0 and h > 0:
                at = self.camera.to_screen(x - (cut.margin_x if w != wide else 0), y)
                painter.fillRect(QRectF(*at, w * zoom, h * zoom), shade)

    def moved(self, event: QMouseEvent) -> None:
        x, y = self.sheet_at(event.position())
        self.hovered.emit(self.words(x, y))

    def words(self, x: float, y: float) -> str:
        """Say what is under a place of the sheet."""
        if self.tileset is None:
            return ""
        size = f"{self.tileset.sheet} · {self.tileset.width} × {self.tileset.height} px"
        if not (0 <= x < self.tileset.width and 0 <= y < self.tileset.height):
            return size
        at = self.grid.tile_at(x, y) if self.grid else None
        if at is None or self.grid is None:
            return f"{size} · between tiles at {int(x)}, {int(y)}"
        number = at[0] * self.grid.columns + at[1]
        cut = self.grid.slicing
        return (
            f"{size} · tile {number}: column {at[1]}, row {at[0]} at "
            f"{cut.left(at[1])}, {cut.top(at[0])} px"
        )

    def pressed(self, event: QMouseEvent) -> None:
        if not self.picking or self.tileset is None or self.tileset.picture is None:
            return
        x, y = (int(each) for each in self.sheet_at(event.position()))
        if 0 <= x < self.tileset.width and 0 <= y < self.tileset.height:
            red, green, blue = self.tileset.picture[y, x, :3].tolist()
            self.picked_colour.emit((red, green, blue))

    def centre_on(self, at: QPointF) -> None:
        """Bring a place of the sheet to the middle."""
        self.camera.centre(at.x(), at.y(), self.width(), self.height())
        self.update()


def swatch_pixels(picture: Picture, grid: Grid) -> Pixels:
    """Lay a sheet's first tiles edge to edge, so that a wrong grid shows.

    Only the tiles that are shown are cut: the cost does not grow with the sheet.
    """
    cut = grid.slicing
    rows = min(grid.rows, max(1, 2 * _SWATCH_PX // cut.tile_height))
    cols = min(grid.columns, max(1, _SWATCH_PX // cut.tile_width))
    ys = (cut.top(0) + np.arange(rows) * cut.pitch_y)[:, None] + np.arange(cut.tile_height)
    xs = (cut.left(0) + np.arange(cols) * cut.pitch_x)[:, None] + np.arange(cut.tile_width)
    part = picture[ys.ravel()][:, xs.ravel()]
    return premultiplied(clear_see_through(part, cut))


class SliceBench(QWidget):
    """The stage: the sheet, its numbers, what is left over. A trial until “Use this slicing”."""

    open_asked = Signal()
    find_asked = Signal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.trial: Slicing | None = None
        self._filling = False
        self.sheet = SliceSheet()
        self.swatch = Swatch()
        self._make_parts()
        self._lay_out()
        session.picked.connect(self._on_picked)
        session.opened.connect(self._on_picked)
        session.changed.connect(self._follow)
        self.sheet.hovered.connect(session.pointed)
        self.sheet.picked_colour.connect(self._add_colour)

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
            box.valueChanged.connect(self._typed)
            self.boxes[key] = box
        self.tolerance = QSpinBox()
        self.tolerance.setRange(0, 64)
        self.tolerance.setToolTip("How near to a see-through colour a pixel must be")
        self.tolerance.valueChanged.connect(self._typed)
        self.colours = QHBoxLayout()
        self.pick = button("Pick on sheet", self._toggle_pick, "Click a colour on the sheet")
        self.pick.setCheckable(True)
        self.use = primary("Use this slicing", self.commit, "Cut the sheet so", "Ctrl+Return")
        self.revert = button("Back to what was", self.reset, "Forget the numbers that were tried")
        self.facts = QLabel()
        self.facts.setWordWrap(True)
        self.find_button = button(
            "Find the sheet…", self._find, "Choose the picture that is missing"
        )
        self.swatch_note = note("The sliced tiles laid edge to edge: a wrong grid shows here.")

    def _lay_out(self) -> None:
        numbers = QGridLayout()
        numbers.setHorizontalSpacing(8)
        numbers.setVerticalSpacing(6)
        for place, (label, x, y) in enumerate(
            (
                ("Tile  w × h", "tile_width", "tile_height"),
                ("Margin  x, y", "margin_x", "margin_y"),
                ("Spacing  x, y", "spacing_x", "spacing_y"),
                ("Start  x, y", "start_x", "start_y"),
            )
        ):
            at, down = (place % 2) * 3, place // 2
            numbers.addWidget(QLabel(label), down, at)
            numbers.addWidget(self.boxes[x], down, at + 1)
            numbers.addWidget(self.boxes[y], down, at + 2)
        numbers.setColumnMinimumWidth(2, 96)
        numbers.setColumnStretch(6, 1)
        see_through = row(
            QLabel("See-through"), self.colours, self.pick, QLabel("tolerance"), self.tolerance, 1
        )
        left = panel()
        left.setLayout(
            column(
                row(head("Slice the sheet"), 1, self.sheets,
                    button("Open sheet…", self.open_asked.emit, "Add a picture", "Ctrl+Shift+O")),
                note("Type the numbers; lines and swatch follow. Wheel zooms, middle drag pans."),
                self.sheet,
                row(column(numbers, see_through), 1, column(self.use, self.revert, 1)),
                _facts_line(self.facts, self.find_button),
                margins=14,
            )
        )  # fmt: skip
        left.layout().setStretch(2, 1)  # type: ignore[union-attr]
        right = panel()
        right.setFixedWidth(330)
        right.setLayout(column(head("Swatch"), self.swatch_note, self.swatch, margins=14))
        right.layout().setStretch(2, 1)  # type: ignore[union-attr]
        self.setLayout(row(left, right))
        self.layout().setStretch(0, 1)  # type: ignore[union-attr]

    # Following the session

    def _on_picked(self) -> None:
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

    def _follow(self, change: Changed) -> None:
        if change.what in (What.SLICING, What.TILESETS) and change.tileset is self.session.tileset:
            self.sheet.show_tileset(self.session.tileset)
            self.reset()

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

    def _typed(self) -> None:
        if self._filling or self.trial is None:
            return
        numbers = {key: box.value() for key, box in self.boxes.items()}
        colours, near = self.trial.see_through, self.tolerance.value()
        self._try(Slicing(**numbers, see_through=colours, tolerance=near))

    def _try(self, slicing: Slicing) -> None:
        tileset = self.session.tileset
        if tileset is None:
            return
        self.trial = slicing
        self._show_colours()
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
        self.sheet.show_grid(grid)
        if tileset.picture is not None:
            self.swatch.show_pixels(swatch_pixels(tileset.picture, grid))
        self._say_facts(tileset, grid)
        different = slicing != tileset.slicing
        self.use.setEnabled(different)
        self.revert.setEnabled(different)

    def _say_facts(self, tileset: Tileset, grid: Grid) -> None:
        text = (
            f"{grid.columns} × {grid.rows} = {grid.count} tiles · "
            f"leftover: {grid.leftover_x} px right, {grid.leftover_y} px below"
        )
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
        if self.session.attempt(lambda: self.session.doc.apply(use_slicing(tileset, trial))):
            self.session.note(
                f"“{tileset.name}” is cut into {tileset.columns} × {tileset.rows} tiles; "
                "marks and weights keep their row and column"
            )

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
            self.find_asked.emit(self.session.tileset)
