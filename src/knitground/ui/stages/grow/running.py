"""A recipe that runs: how far it is, what a long step has made so far, and Cancel."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QLabel, QProgressBar, QWidget

from knitground.core.base.tongue import say
from knitground.core.edit.document import Document
from knitground.core.grow.looks import step_picture
from knitground.core.grow.work import Grown
from knitground.core.model.map import Map
from knitground.ui.common.painting import image_of
from knitground.ui.common.tasks import SHOW_AFTER_MS
from knitground.ui.common.widgets import button, column, row

_LOOK_MS = 150
_WIDE, _HIGH = 360, 220


class RunLine(QWidget):
    """Comes into sight once a run takes long, with a picture that fills as far as there is one."""

    def __init__(self, cancel: Callable[[], object]) -> None:
        super().__init__()
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.setTextVisible(False)
        self.bar.setFixedHeight(8)
        self.bar.setAccessibleName(say("How far the recipe is"))
        self.stop = button(say("Cancel"), cancel, say("Stop growing; nothing changes"))
        self.picture = QLabel()
        self.picture.setAccessibleName(say("What the step has made so far"))
        line = row(self.bar, self.stop, spacing=8)
        line.setStretch(0, 1)
        self.setLayout(column(line, self.picture, spacing=4))
        self.hide()
        self._late = QTimer(self, singleShot=True, interval=SHOW_AFTER_MS)
        self._late.timeout.connect(self.show)
        self._look = QTimer(self, interval=_LOOK_MS)
        self._look.timeout.connect(self._draw)
        self._map: Map | None = None
        self._doc: Document | None = None
        self._made: Grown | None = None

    def begin(self, doc: Document, map_: Map) -> None:
        """Take note that a run begins."""
        self._doc, self._map, self._made = doc, map_, None
        self.bar.setValue(0)
        self.picture.hide()
        self._late.start()
        self._look.start()

    def tell(self, part: float) -> None:
        """Say how far it is, 0 to 1."""
        self.bar.setValue(round(1000 * part))

    def take(self, made: Grown) -> None:
        """Take what a step has made so far; called from the thread that makes it."""
        self._made = made

    def end(self) -> None:
        """Go out of sight."""
        self._late.stop()
        self._look.stop()
        self._made = None
        self.hide()

    def _draw(self) -> None:
        made, self._made = self._made, None
        if made is None or self._map is None or self._doc is None or not self.isVisible():
            return
        scale = max(1, min(_WIDE // self._map.width, _HIGH // self._map.height))
        high, wide = min(_HIGH, self._map.height), min(_WIDE, self._map.width)
        small = step_picture(self._doc.project, self._map, made, high, wide, tiles=True)
        shown = QPixmap.fromImage(image_of(small).copy())
        self.picture.setPixmap(shown.scaled(
            wide * scale, high * scale, Qt.AspectRatioMode.KeepAspectRatio,
        ))  # fmt: skip
        self.picture.show()
