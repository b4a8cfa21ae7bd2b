"""A map from a picture: the grid that was found, the tiles in it, and what is made of them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt, QTimer
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import (
    QComboBox,
    QFormLayout,
    QLabel,
    QLineEdit,
    QWidget,
)

from knitground.core.base.errors import KnitError
from knitground.core.base.progress import Progress
from knitground.core.base.tongue import say
from knitground.core.base.window import Box
from knitground.core.edit.document import Edit
from knitground.core.edit.likelysets import guess_words
from knitground.core.edit.mockup import map_from_mockup, mockup_lattice, mockup_sets
from knitground.core.knit.laidsets import KNITTED_FROM, LaidSet
from knitground.core.model.lattice import Grid, GridKind
from knitground.core.model.map import Map
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Picture, Tileset
from knitground.core.render.pixels import premultiplied
from knitground.core.slicing.mapgrid import MapGrid, find_map_grid
from knitground.core.slicing.mockup import Mockup, lay_with, read_mockup, sheet_of
from knitground.ui.common.dialog import Dialog
from knitground.ui.common.form import Check, Choice, pixel_box, whole_box
from knitground.ui.common.painting import image_of
from knitground.ui.common.question import Question
from knitground.ui.common.theme import LINEN
from knitground.ui.common.widgets import Swatch, column, head, note, row, set_role
from knitground.ui.session import Session

NEW, ALL = say("a new sheet of its tiles"), say("the sheets of this project")
_SHOWN = 256
_LINES_FROM = 5.0
"""Pixels of a cell on the screen from which on lines are drawn between cells."""
_MARKED = 40_000
_PREVIEW_PX = 1600


@dataclass(frozen=True, eq=False)
class _Read:
    """What a look at the picture found."""

    mockup: Mockup
    known: dict[int, TileRef]
    sheet: Picture
    sets: list[LaidSet]


def _not_knitted(found: _Read) -> NDArray[np.bool_]:
    """Tell which cells of the picture, as they are counted, do not follow from its first set."""
    knitted = mockup_lattice(found.mockup).unfolded(found.sets[0].knitted)
    return np.asarray(~knitted & (found.mockup.tile_of_cell > 0))


class MockupView(QWidget):
    """The picture with the grid over it; cells whose tile is not known are marked."""

    def __init__(self, picture: Picture) -> None:
        super().__init__()
        self._size = picture.shape[:2]
        step = max(1, max(self._size) // _PREVIEW_PX)
        self._pixels = premultiplied(np.ascontiguousarray(picture[::step, ::step]))
        self._image = image_of(self._pixels)
        self._grid: MapGrid | None = None
        self._strange: NDArray[np.bool_] | None = None
        self.setMinimumSize(420, 260)

    def show_grid(self, grid: MapGrid, strange: NDArray[np.bool_] | None) -> None:
        """Show another grid, and which cells (rows, columns) are not known."""
        self._grid, self._strange = grid, strange
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        high, wide = self._size
        scale = min(self.width() / wide, self.height() / high)
        scale = float(int(scale)) if scale >= 1 else scale
        rect = QRectF(0, 0, wide * scale, high * scale)
        painter.translate(int((self.width() - rect.width()) / 2), 0)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, scale < 1)
        painter.drawImage(rect, self._image)
        if self._grid is not None:
            self._draw_cells(painter, self._grid, scale, rect)
        painter.end()

    def _draw_cells(self, painter: QPainter, grid: MapGrid, scale: float, rect: QRectF) -> None:
        if grid.diamonds:
            self._draw_diamonds(painter, grid, scale)
            return
        across, down = grid.tile_width * scale, grid.tile_height * scale
        left, top = grid.start_x * scale, grid.start_y * scale
        if self._strange is not None:
            veil = QColor(LINEN.madder)
            veil.setAlpha(150)
            for row_, col in np.argwhere(self._strange)[:_MARKED].tolist():
                painter.fillRect(QRectF(left + col * across, top + row_ * down, across, down), veil)
        if min(across, down) < _LINES_FROM:
            return
        painter.setPen(QPen(QColor(43, 42, 51, 110), 1))
        for n in range(int((rect.width() - left) / across) + 1):
            painter.drawLine(QLineF(left + n * across, 0, left + n * across, rect.height()))
        for n in range(int((rect.height() - top) / down) + 1):
            painter.drawLine(QLineF(0, top + n * down, rect.width(), top + n * down))

    def _draw_diamonds(self, painter: QPainter, grid: MapGrid, scale: float) -> None:
        rows, cols = grid.size(np.empty((*self._size, 0), np.uint8))
        if rows < 1 or cols < 1:
            return
        how = Grid.of(GridKind.STAGGERED, rows, cols)
        lattice = how.lattice(rows, cols, grid.tile_height, grid.tile_width)
        veil = QColor(LINEN.madder)
        veil.setAlpha(150)
        lined = min(grid.tile_width, grid.tile_height) * scale >= _LINES_FROM
        painter.setPen(QPen(QColor(43, 42, 51, 110), 1) if lined else Qt.PenStyle.NoPen)
        marked = self._strange if self._strange is not None else np.zeros((rows, cols), np.bool_)
        for row_, col in np.argwhere(marked | lined)[:_MARKED].tolist():
            at = lattice.cell_named(row_, col)
            corners = lattice.outline(Box(*at, at[0] + 1, at[1] + 1))
            painter.setBrush(veil if marked[row_, col] else Qt.BrushStyle.NoBrush)
            painter.drawPolygon(QPolygonF([
                QPointF((grid.start_x + x) * scale, (grid.start_y + y - lattice.rise) * scale)
                for x, y in corners
            ]))  # fmt: skip


class MockupDialog(Dialog):
    """Shows what a picture would become; every number can be changed, and the view follows."""

    def __init__(self, session: Session, picture: Picture, name: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.session, self.picture = session, picture
        self.setWindowTitle(say("Map from a picture"))
        self.grids: list[MapGrid] = []
        self.found: _Read | None = None
        self._finding = Question(lambda: session.doc, self)
        self._reading = Question(lambda: session.doc, self)
        self._make_fields(name)
        self._lay_out()
        self._later = QTimer(self, singleShot=True, interval=150)
        self._later.timeout.connect(self.look)
        self._find()

    def _make_fields(self, name: str) -> None:
        self.name = QLineEdit(name)
        self.likely = QComboBox()
        self.likely.setToolTip(say("Grids that the picture may be made of, the likeliest first"))
        self.likely.activated.connect(self._take_grid)
        self.form = Choice(
            say("How the picture's cells stand"),
            [(say("Upright"), False), (say("Diamonds, in rows"), True)],
        )
        self.form.chosen.connect(lambda _: self.look())
        self.tile_width = pixel_box(1, 1024, say("Width of a tile"))
        self.tile_height = pixel_box(1, 1024, say("Height of a tile"))
        self.start_x = pixel_box(0, 1024, say("Pixels left of the first tile"))
        self.start_y = pixel_box(0, 1024, say("Pixels above the first tile"))
        self.tolerance = whole_box(
            0, 128, say("Tiles are the same if no colour of any pixel differs by more; 0 is exact")
        )
        self.turns = Check(
            say("Turned and mirrored tiles are the same"),
            say("Each such tile stands on the sheet once"),
        )
        sheets = [each.name for each in self.session.project.tilesets]
        uses = [NEW, *((ALL, *sheets) if sheets else ())]
        self.use = Choice(say("What the map takes its tiles from"), [(each, each) for each in uses])
        self.rest = Check(
            say("Tiles that are not there become a new sheet"), say("Else their cells stay empty")
        )
        self.sets = Check(
            say("Terrains too, so that it can be painted on"),
            say(
                "Looks for terrain sets among the tiles, with their marks by what lies "
                "beside what; "
                "tiles are then not turned"
            ),
        )
        for check in (self.turns, self.rest, self.sets):
            check.setChecked(True)
        self.sets.toggled.connect(lambda _: self._later.start())
        for box in (self.tile_width, self.tile_height, self.start_x, self.start_y, self.tolerance):
            box.setValue(16 if box in (self.tile_width, self.tile_height) else 0)
            box.valueChanged.connect(lambda _: self._later.start())
        self.turns.toggled.connect(lambda _: self._later.start())
        self.use.chosen.connect(lambda _: self.look())
        self.rest.toggled.connect(lambda _: self._say())

    def _lay_out(self) -> None:
        high, wide = self.picture.shape[:2]
        self.view = MockupView(self.picture)
        self.shown = Swatch()
        self.shown.setMinimumSize(420, 140)
        self.facts = QLabel()
        self.facts.setWordWrap(True)
        self.facts.setMinimumHeight(52)
        self.buttons = self.make_buttons(say("Make map"))
        self.ok.setEnabled(False)
        form = QFormLayout()
        form.addRow(say("Name"), self.name)
        form.addRow(say("Likely grids"), self.likely)
        form.addRow(say("Cells"), self.form)
        form.addRow(say("Tile"), row(self.tile_width, QLabel("×"), self.tile_height, 1))
        form.addRow(say("Start"), row(self.start_x, QLabel(","), self.start_y, 1))
        form.addRow(say("Tolerance"), self.tolerance)
        form.addRow("", self.turns)
        form.addRow(say("Tiles from"), self.use)
        form.addRow("", self.rest)
        form.addRow("", self.sets)
        left = column(
            note(say("The picture is {wide} × {high} px.", wide=wide, high=high)),
            form,
            self.facts,
            1,
            self.buttons,
        )
        right = column(self.view, head(say("Its different tiles")), self.shown)
        right.setStretch(0, 3)
        right.setStretch(2, 2)
        body = row(left, right, margins=12, spacing=16)
        body.setStretch(1, 1)
        self.setLayout(body)
        self.resize(960, 640)

    # Looking at the picture, beside the interface thread

    def _find(self) -> None:
        self.facts.setText(say("looking for the grid…"))
        begun = self.grid()

        def done(grids: list[MapGrid]) -> None:
            self.grids = grids
            for each in grids:
                self.likely.addItem(
                    say(
                        "{tile_width} × {tile_height} from {start_x}, {start_y}",
                        tile_width=each.tile_width,
                        tile_height=each.tile_height,
                        start_x=each.start_x,
                        start_y=each.start_y,
                    )
                )
            if grids and self.grid() != begun:
                self.look()  # somebody was quicker, and knows better
            elif grids:
                self._take_grid(0)
            else:
                self.likely.addItem(say("none: nothing repeats"))
                self.likely.setEnabled(False)
                self.look()

        self._finding.ask(lambda progress: find_map_grid(self.picture, progress), done, self._fail)

    def _take_grid(self, place: int) -> None:
        grid = self.grids[place]
        for box, value in (
            (self.tile_width, grid.tile_width), (self.tile_height, grid.tile_height),
            (self.start_x, grid.start_x), (self.start_y, grid.start_y),
        ):  # fmt: skip
            box.setValue(value)
        self.look()

    def grid(self) -> MapGrid:
        """Give the grid that the fields ask for."""
        return MapGrid(
            self.tile_height.value(), self.tile_width.value(), self.start_y.value(),
            self.start_x.value(), diamonds=self.form.value,
        )  # fmt: skip

    def look(self) -> None:
        """Read the picture as the fields ask; the latest wish wins."""
        self._later.stop()
        grid, tolerance = self.grid(), self.tolerance.value()
        turns, use = self.turns.isChecked(), self.use.currentText()
        project, picture = self.session.project, self.picture
        sheets = [each for each in project.tilesets if use in (ALL, each.name)]
        wanted = use == NEW and self.sets.isChecked()
        turns = turns and not wanted

        def work(progress: Progress) -> _Read:
            mockup = read_mockup(picture, grid, tolerance=tolerance, turns=turns, progress=progress)
            known = lay_with(mockup, sheets, tolerance=tolerance, turns=turns) if sheets else {}
            sets = mockup_sets(mockup, progress) if wanted else []
            return _Read(mockup, known, sheet_of(mockup.tiles[:_SHOWN]), sets)

        def done(found: _Read) -> None:
            self.found = found
            self.shown.show_pixels(premultiplied(found.sheet) if found.sheet.size else None)
            self._say()

        self._reading.ask(work, done, self._fail)

    def _fail(self, error: KnitError) -> None:
        self.found = None
        self.facts.setText(str(error))
        set_role(self.facts, "warning")
        self.ok.setEnabled(False)

    def _say(self) -> None:
        """Tell what the map would be."""
        found = self.found
        if found is None:
            return
        rows, cols = found.mockup.tile_of_cell.shape
        count = len(found.mockup.tiles)
        words = [
            say(
                "{cols} × {rows} cells of {count} different tiles",
                cols=cols,
                rows=rows,
                count=count,
            )
        ]
        turned = int((found.mockup.turn_of_cell > 0).sum())
        if turned:
            words.append(say("{turned} cells with a turned tile", turned=turned))
        grid = found.mockup.grid
        high, wide = self.picture.shape[:2]
        frame = mockup_lattice(found.mockup).frame
        right = wide - grid.start_x - round(frame.width)
        below = high - grid.start_y - round(frame.height)
        if grid.start_x or grid.start_y or right or below:
            words.append(
                say(
                    "left out: {start_x} px left, {start_y} above, {right} right, {below} below",
                    start_x=grid.start_x,
                    start_y=grid.start_y,
                    right=right,
                    below=below,
                )
            )
        strange = [n for n in range(1, count + 1) if n not in found.known]
        uses_sheets = self.use.currentText() != NEW
        unknown = np.isin(found.mockup.tile_of_cell, strange) if uses_sheets else None
        self.sets.setVisible(not uses_sheets)
        self.turns.setEnabled(uses_sheets or not self.sets.isChecked())
        if not uses_sheets and self.sets.isChecked():
            words += self._set_words(found)
            if found.sets and found.sets[0].share >= KNITTED_FROM:
                unknown = _not_knitted(found)
        self.view.show_grid(found.mockup.grid, unknown)
        self.rest.setVisible(uses_sheets)
        if uses_sheets:
            cells = int(unknown.sum()) if unknown is not None else 0
            words.append(
                say(
                    "{count} tiles are there, {count2} are not: their {cells} cells are marked",
                    count=count - len(strange),
                    count2=len(strange),
                    cells=cells,
                )
            )
        self.facts.setText(" · ".join(words))
        empty = uses_sheets and strange and not self.rest.isChecked()
        set_role(self.facts, "warning" if empty else "note")
        self.ok.setEnabled(bool(count) and (bool(found.known) or not empty))

    @staticmethod
    def _set_words(found: _Read) -> list[str]:
        """Say which sets there are; cells that will be pinned are marked in the view."""
        if not found.sets:
            return [say("no terrain set was found among them: the map would be a layer of tiles")]
        first = found.sets[0]
        pinned = int(_not_knitted(found).sum())
        words = [guess_words(first.guess)]
        if first.share < KNITTED_FROM:
            words.append(
                say(
                    "{share:.0%} of the cells follow from it: the sheet is marked, the map is a "
                    "layer of tiles",
                    share=first.share,
                )
            )
        elif pinned:
            words.append(
                say(
                    "{pinned} cells do not follow from terrain: they are pinned, and marked",
                    pinned=pinned,
                )
            )
        if len(found.sets) > 1:
            more = ", ".join(guess_words(each.guess) for each in found.sets[1:])
            words.append(say("and {sets}", sets=more))
        return words

    def done(self, result: int) -> None:
        self._finding.forget()
        self._reading.forget()
        super().done(result)

    def make(self) -> None:
        """Add the map, and the sheet that it needs, as one step; show them."""
        found, session = self.found, self.session
        if found is None:
            return
        name = self.name.text().strip() or say("Picture")
        rest = self.rest.isChecked() or self.use.currentText() == NEW

        def lay(made: tuple[Edit, Map, Tileset | None]) -> None:
            edit, map_, tileset = made
            if session.apply(edit):
                session.choose_map(map_)
                if tileset is not None:
                    session.choose_tileset(tileset)

        session.run_long(
            say("Making the map…"),
            lambda _: map_from_mockup(
                session.project, name, found.mockup, found.known, rest=rest, sets=found.sets
            ),
            lay,
        )
