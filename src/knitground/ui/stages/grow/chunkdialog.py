"""Chunks that fit: grown beside the interface, shown laid out at random, then added as maps."""

from __future__ import annotations

from typing import cast

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QComboBox, QLabel, QWidget

from knitground.core.base.progress import Progress
from knitground.core.base.tongue import say
from knitground.core.grow.chunks import COUNTS, grow_chunks, laid_out
from knitground.core.grow.preview import Pixels
from knitground.core.model.map import Map
from knitground.ui.common.dialog import Dialog
from knitground.ui.common.painting import image_of
from knitground.ui.common.tasks import Job
from knitground.ui.common.widgets import button, column, note, row
from knitground.ui.session import Session

_WIDE, _HIGH, _SIDE = 820, 540, 4


class ChunkDialog(Dialog):
    """Asks how many chunks, and shows them side by side, again and again in another order."""

    def __init__(self, session: Session, map_: Map, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(say("Chunks of “{name}”", name=map_.name))
        self.session, self.map = session, map_
        self.chunks: list[Map] = []
        self.order = 1
        self._job: Job[object] | None = None
        self.count = QComboBox()
        for each in COUNTS:
            self.count.addItem(say("{each} maps", each=each), each)
        self.count.setToolTip(say("How many maps, this one included"))
        self.count.activated.connect(self.grow)
        self.picture = QLabel(say("growing…"))
        self.picture.setMinimumSize(_WIDE, _HIGH)
        self.picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.words = note(say("All have the border of this map, so any of them fits any other."))
        shuffle = button(say("Shuffle"), self.shuffle, say("Lay them out in another order"))
        self.buttons = self.make_buttons(say("Add the maps"))
        self.setLayout(column(
            row(self.count, shuffle, 1), self.picture, self.words, self.buttons, margins=12,
        ))  # fmt: skip
        self.grow()

    def _begin(self, fresh: bool) -> None:
        project, map_, order = self.session.project, self.map, self.order
        count, known = int(self.count.currentData()), self.chunks
        self.ok.setEnabled(False)

        def work(progress: Progress) -> object:
            chunks = grow_chunks(project, map_, count, progress) if fresh else known
            return chunks, laid_out(project, chunks, _SIDE, order, (_HIGH, _WIDE))

        def done(found: object) -> None:
            self.chunks, pixels = cast("tuple[list[Map], Pixels]", found)
            shown = QPixmap.fromImage(image_of(pixels).copy()).scaled(
                QSize(_WIDE, _HIGH), Qt.AspectRatioMode.KeepAspectRatio,
                Qt.TransformationMode.SmoothTransformation,
            )  # fmt: skip
            self.picture.setPixmap(shown)
            self.ok.setEnabled(True)

        self._job = Job(work, done, lambda e: self.words.setText(str(e)), owner=self,
                        ended=lambda: None)  # fmt: skip
        self._job.start()

    def grow(self) -> None:
        """Grow as many chunks as are asked for."""
        self._begin(fresh=True)

    def shuffle(self) -> None:
        """Lay the chunks out in another order."""
        if self.chunks:
            self.order += 1
            self._begin(fresh=False)
