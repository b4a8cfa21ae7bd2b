"""Nine seeds side by side: each grown beside the interface, one to be chosen."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QSize
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QDialogButtonBox, QGridLayout, QWidget

from knitground.core.base.progress import Progress
from knitground.core.grow.preview import grown_picture
from knitground.core.model.map import Map
from knitground.ui.common.dialog import Dialog
from knitground.ui.common.painting import image_of
from knitground.ui.common.pictureoffers import PictureButton
from knitground.ui.common.tasks import Job
from knitground.ui.common.widgets import button, column, note, row
from knitground.ui.session import Session

_COUNT = 9
_WIDE, _HIGH = 236, 156


class NineDialog(Dialog):
    """Shows what nine seeds make; a click takes one."""

    def __init__(
        self, session: Session, map_: Map, seed: int, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Nine seeds for “{map_.name}”")
        self.session, self.map = session, map_
        self.chosen: int | None = None
        self.first = seed
        self.ready = 0
        self._job: Job[object] | None = None
        self._goes = True
        self.grid = QGridLayout()
        self.grid.setSpacing(6)
        self.cells: list[PictureButton] = []
        for n in range(_COUNT):
            cell = PictureButton(QSize(_WIDE, _HIGH))
            cell.clicked.connect(lambda *_, n=n: self.take(n))
            self.cells.append(cell)
            self.grid.addWidget(cell, n // 3, n % 3)
        self.words = note("Each seed is grown on the map as it is; pins stay. A click takes one.")
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.buttons.rejected.connect(self.reject)
        more = button("Nine more", self.show_more, "The next nine seeds")
        self.setLayout(column(self.words, self.grid, row(more, 1, self.buttons), margins=12))
        self._begin()

    def _begin(self) -> None:
        self.ready = 0
        for n, cell in enumerate(self.cells):
            cell.setText(f"seed {self.first + n}" + (" · now" if n == 0 else ""))
            cell.show_picture(None)
        self._next()

    def _next(self) -> None:
        if not self._goes or self.ready >= _COUNT:
            return
        map_, project = self.map, self.session.project
        recipe = replace(map_.recipe, seed=self.first + self.ready)
        number, first = self.ready, self.first

        def work(progress: Progress) -> object:
            return grown_picture(project, map_, recipe, (_HIGH, _WIDE), progress)

        def done(found: object) -> None:
            if self._goes and first == self.first and found is not None:
                image = image_of(found).copy()  # type: ignore[arg-type]
                self.cells[number].show_picture(QPixmap.fromImage(image))
                self.ready = number + 1

        def step(found: object) -> None:
            done(found)
            self._next()

        self._job = Job(work, step, self._fail, owner=self, ended=lambda: None)
        self._job.start()

    def _fail(self, error: Exception) -> None:
        self._goes = False
        self.words.setText(str(error))

    def show_more(self) -> None:
        """Show the next nine seeds."""
        self.first += _COUNT
        self._begin()

    def take(self, number: int) -> None:
        """Take the n-th of the seeds."""
        self.chosen = self.first + number
        self.accept()

    def done(self, result: int) -> None:
        self._goes = False
        super().done(result)
