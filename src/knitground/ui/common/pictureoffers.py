"""Offers as pictures: made beside the window one after another, one taken by a click."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPixmap
from PySide6.QtWidgets import QAbstractButton, QWidget

from knitground.core.base.errors import KnitError
from knitground.core.base.progress import Progress
from knitground.core.render.pixels import Pixels
from knitground.ui.common.flow import Flow
from knitground.ui.common.painting import image_of, painting
from knitground.ui.common.tasks import Job
from knitground.ui.common.theme import theme
from knitground.ui.common.widgets import column


class PictureButton(QAbstractButton):
    """A picture with its words beneath; pixels are kept square where it is drawn larger."""

    def __init__(self, size: QSize, text: str = "", hint: str = "") -> None:
        super().__init__()
        self.picture: QPixmap | None = None
        self._room = size
        self.setText(text)
        self.setToolTip(hint)
        self.setAccessibleName(f"{text}: {hint}" if hint else text)
        self.setFixedSize(size.width() + 12, size.height() + 30)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def sizeHint(self) -> QSize:
        return self.minimumSize()

    def show_picture(self, picture: QPixmap | None) -> None:
        """Show another picture, as large as fits."""
        self.picture = picture
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        wide, high = self._room.width(), self._room.height()
        with painting(self) as painter:
            frame = QRectF(5, 4, wide, high)
            painter.fillRect(frame, theme().colour("sunken"))
            if self.picture is not None:
                size = self.picture.size().scaled(self._room, Qt.AspectRatioMode.KeepAspectRatio)
                shown = QRectF(0, 0, size.width(), size.height())
                shown.moveCenter(frame.center())
                smaller = size.width() < self.picture.width()
                painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, smaller)
                painter.drawPixmap(shown, self.picture, QRectF(self.picture.rect()))
            over = self.underMouse() or self.hasFocus()
            painter.setPen(QPen(theme().colour("madder" if over else "line"), 2 if over else 1))
            painter.drawRect(frame)
            painter.setPen(theme().colour("ink"))
            below = QRectF(0, high + 6, self.width(), 20)
            right = Qt.TextElideMode.ElideRight
            words = self.fontMetrics().elidedText(self.text(), right, self.width())
            painter.drawText(below, Qt.AlignmentFlag.AlignCenter, words)


@dataclass(frozen=True)
class PictureOffer:
    """Something that can be taken.

    Parameters
    ----------
    draw : makes its picture, in another thread; a KnitError leaves the offer out
    """

    title: str
    hint: str
    draw: Callable[[Progress], Pixels]


class PictureOffers(QWidget):
    """Pictures beside and below each other, as many in a row as there is room for."""

    taken = Signal(int)
    """The number of the offer that was clicked."""
    drawn = Signal()
    """All pictures are there."""
    failed = Signal(str)
    """Why one of them could not be made, and was left out."""

    def __init__(self, size: QSize, name: str) -> None:
        super().__init__()
        self._size = size
        self._job: Job[Pixels] | None = None
        self._waiting: list[tuple[PictureButton, PictureOffer]] = []
        self.flow = Flow()
        self.setAccessibleName(name)
        self.setLayout(column(self.flow))

    @property
    def buttons(self) -> list[PictureButton]:
        """The pictures that can be taken, in the offers' order."""
        return [e for e in self.flow.parts if isinstance(e, PictureButton) and not e.isHidden()]

    @property
    def is_busy(self) -> bool:
        """Whether pictures are still made."""
        return self._job is not None

    def show_offers(self, offers: Sequence[PictureOffer]) -> None:
        """Offer other things; their pictures come one after another."""
        self.stop()
        buttons = []
        for number, each in enumerate(offers):
            made = PictureButton(self._size, each.title, each.hint)
            made.clicked.connect(lambda *_, n=number: self.taken.emit(n))
            buttons.append(made)
        self.flow.put(buttons)
        self._waiting = list(zip(buttons, offers))
        self._next()

    def stop(self) -> None:
        """Make no more pictures."""
        self._waiting = []
        if self._job is not None:
            self._job.cancel()
            self._job = None

    def _next(self) -> None:
        self._job = None
        if not self._waiting:
            self.drawn.emit()
            return
        button, offer = self._waiting.pop(0)

        def done(pixels: Pixels) -> None:
            if job is self._job:
                button.show_picture(QPixmap.fromImage(image_of(pixels).copy()))
                self._next()

        def fail(error: KnitError) -> None:
            if job is self._job:
                self.flow.take(button)
                self.failed.emit(str(error))
                self._next()

        job: Job[Pixels] = Job(offer.draw, done, fail, owner=self)
        self._job = job
        job.start()
