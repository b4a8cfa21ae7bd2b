"""What one step has made, by itself and large."""

from __future__ import annotations

from typing import cast

from PySide6.QtCore import Qt
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QDialogButtonBox, QLabel, QWidget

from knitground.core.base.progress import Progress
from knitground.core.base.tongue import say
from knitground.core.edit.recipes import step_title
from knitground.core.grow.preview import Pixels, alone_picture
from knitground.core.model.map import Map
from knitground.ui.common.dialog import Dialog
from knitground.ui.common.painting import image_of
from knitground.ui.common.tasks import Job
from knitground.ui.common.widgets import column, note
from knitground.ui.session import Session

_WIDE, _HIGH = 900, 560


class AloneDialog(Dialog):
    """Runs the recipe up to a step and shows only what that step made."""

    def __init__(
        self, session: Session, map_: Map, place: int, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        step = map_.recipe.steps[place]
        self.setWindowTitle(f"{place + 1}  {step_title(step)}")
        self.picture = QLabel(say("growing…"))
        self.picture.setMinimumSize(_WIDE, _HIGH)
        self.picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.words = note()
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        self.buttons.rejected.connect(self.reject)
        self.setLayout(column(self.picture, self.words, self.buttons, margins=12))
        project = session.project

        def work(progress: Progress) -> object:
            return alone_picture(project, map_, place, (_HIGH, _WIDE), progress)

        def done(found: object) -> None:
            pixels, words = cast("tuple[Pixels, str]", found)
            self.picture.setPixmap(QPixmap.fromImage(image_of(pixels).copy()))
            self.words.setText(words)

        self._job = Job(work, done, lambda e: self.words.setText(str(e)), owner=self,
                        ended=lambda: None)  # fmt: skip
        self._job.start()
