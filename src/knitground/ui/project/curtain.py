"""What is seen while a large project is read: the middle of its first map, as it will stand."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QRect, Qt, QTimer, Signal
from PySide6.QtGui import QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from knitground.core.base.tongue import say
from knitground.core.edit.firstlook import first_picture
from knitground.core.files.opening import FirstLook
from knitground.core.model.lattice import Rect
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.ui.common.painting import image_of, painting
from knitground.ui.common.theme import theme

_LEFT = 24
"""Pixels from the left at which the words begin."""
_AGAIN_MS, _MOST_TRIES = 15, 100
"""How often it is asked whether the map is drawn, and how long at most."""


class Curtain(QWidget):
    """Hangs before the window's work from the first look at a project until it is shown.

    Parameters
    ----------
    before : what it hangs before
    place : tells where in that the map will be seen
    ready : whether the map itself is drawn there by now
    """

    _seen = Signal(object, object, str)  # from the thread that reads

    def __init__(
        self, before: QWidget, place: Callable[[], QRect], ready: Callable[[], bool]
    ) -> None:
        super().__init__(before)
        self._place, self._ready = place, ready
        self._image: QImage | None = None
        self._words = ""
        self._reading: object = None
        self._tries = 0
        self._seen.connect(self._show_picture)
        self._later = QTimer(self, singleShot=True, interval=_AGAIN_MS)
        self._later.timeout.connect(self._draw_back)
        self.hide()

    def look(self) -> FirstLook | None:
        """Give who is shown what is in view of a project that is now being read.

        None where no map is in view.
        """
        mine, size = object(), self._place().size()
        self._reading = mine
        if size.isEmpty():
            return None

        def seen(project: Project, map_: Map, rect: Rect) -> None:
            image = image_of(first_picture(project, map_, rect)).copy()
            self._seen.emit(mine, image, project.name)

        return FirstLook(size.width(), size.height(), seen)

    def draw_back(self) -> None:
        """Show what is behind it as soon as that is drawn: the project is open, or will not be."""
        self._reading, self._tries = None, 0
        if self._image is not None:
            self._later.start()

    def _draw_back(self) -> None:
        self._tries += 1
        if self._ready() or self._tries > _MOST_TRIES:
            self._image = None
            self.hide()
        else:
            self._later.start()

    def _show_picture(self, mine: object, image: QImage, name: str) -> None:
        parent = self.parentWidget()
        if mine is not self._reading or parent is None:
            return  # it came when all was over
        self._later.stop()
        self._image, self._words = image, say("{name} — being read…", name=name)
        self.setGeometry(parent.rect())
        self.raise_()
        self.show()

    def paintEvent(self, event: QPaintEvent) -> None:
        with painting(self) as painter:
            painter.fillRect(event.rect(), theme().colour("window"))
            place = self._place()
            painter.fillRect(place, theme().colour("canvas"))
            if self._image is not None:
                size = self._image.size()
                middle = QRect(0, 0, size.width(), size.height()).center()
                painter.setClipRect(place)
                painter.drawImage(place.center() - middle, self._image)
                painter.setClipping(False)
            self._write(painter, place)

    def _write(self, painter: QPainter, place: QRect) -> None:
        painter.setPen(theme().colour("ink"))
        room = QRect(_LEFT, 0, max(0, place.left() - 2 * _LEFT), self.height())
        if room.width() < 120:  # the map takes all of it
            room = QRect(_LEFT, 0, self.width() - 2 * _LEFT, max(28, place.top()))
        middle = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(room, int(middle | Qt.TextFlag.TextWordWrap), self._words)
