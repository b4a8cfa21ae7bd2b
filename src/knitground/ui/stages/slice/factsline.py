"""What a trial slicing makes of a sheet, in words: tiles, leftover, empty, double and cut ones."""

from __future__ import annotations

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QLabel

from knitground.core.base.errors import SlicingError
from knitground.core.base.tongue import say
from knitground.core.model.slicing import Slicing
from knitground.core.model.tileset import Picture, Tileset
from knitground.core.slicing.facts import GridFacts, grid_facts
from knitground.core.slicing.grid import Grid, lay_grid
from knitground.ui.common.tasks import Job
from knitground.ui.common.widgets import set_role
from knitground.ui.session import Session
from knitground.ui.stages.slice.slicesheet import SliceSheet


def _pieces_line(slicing: Slicing) -> str:
    widths = [area[2] for area in slicing.pieces]
    heights = [area[3] for area in slicing.pieces]
    return say(
        "{count} loose pieces, {number} … {number2} px wide, {number3} … {number4} "
        "px high · Shift+drag joins or adds, the right button takes away, drag a "
        "foot mark to move an anchor",
        count=len(widths),
        number=min(widths),
        number2=max(widths),
        number3=min(heights),
        number4=max(heights),
    )


def _lies_on(grid: Grid, picture: Picture) -> bool:
    """Whether a grid is what its slicing gives on a picture of that size."""
    height, width = picture.shape[:2]
    try:
        return lay_grid(grid.slicing, width, height) == grid
    except SlicingError:
        return False


class FactsLine(QLabel):
    """Says what is told at once, and soon after what has to be counted beside the window."""

    def __init__(self, session: Session, sheet: SliceSheet) -> None:
        super().__init__()
        self.session, self.sheet = session, sheet
        self.setWordWrap(True)
        self._later = QTimer(self, singleShot=True, interval=300)
        self._later.timeout.connect(self._find_facts)

    def count_later(self) -> None:
        """Count what takes time once no more is typed."""
        self._later.start()

    def say_facts(self, tileset: Tileset, grid: Grid) -> None:
        """Say what a grid makes of a sheet."""
        text = say(
            "{columns} × {rows} = {count} tiles · leftover: {leftover_x} px right, "
            "{leftover_y} px below",
            columns=grid.columns,
            rows=grid.rows,
            count=grid.count,
            leftover_x=grid.leftover_x,
            leftover_y=grid.leftover_y,
        )
        if grid.slicing.pieces:
            text = _pieces_line(grid.slicing)
        facts = self.sheet.facts
        if facts is not None:
            text += say(
                " · {number} empty, {number2} double",
                number=int(facts.empty.sum()),
                number2=int(facts.doubles.sum()),
            )
            crossed = int(facts.crossed.sum())
            if facts.mostly_crossed:
                text += say(", pictures span several tiles")
            elif crossed:
                text += say(", {crossed} cut by a line (ticked)", crossed=crossed)
        if tileset.picture is None:
            self.say(say("{text} · {sheet} is missing", text=text, sheet=tileset.sheet), "warning")
        else:
            self.say(text, "warning" if grid.leftover_x or grid.leftover_y else "good")

    def say(self, text: str, role: str) -> None:
        """Show a text in the colour of its role."""
        self.setText(text)
        set_role(self, role)

    def _find_facts(self) -> None:
        tileset, grid = self.session.tileset, self.sheet.grid
        if tileset is None or tileset.picture is None or grid is None:
            return
        picture = tileset.picture
        if self.sheet.tileset is not tileset or not _lies_on(grid, picture):
            return  # it is hidden, and shows the sheet that was chosen before, or as it was
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
            self.say_facts(tileset, grid)
