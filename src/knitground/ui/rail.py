"""The rail: the stages of the work, in order, at the left of the window."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFocusEvent, QFont, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QToolTip, QWidget

from knitground.core.base.tongue import say
from knitground.ui.common.knot import draw_knot
from knitground.ui.common.theme import text_px, theme
from knitground.ui.stagekinds import STAGES, StageKind

_WIDTH, _ITEM = 76, 66


class Rail(QWidget):
    """Shows the stages and the present one; painted by hand so that it is there at once."""

    chosen = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedWidth(_WIDTH)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName(say("Stages"))
        self._at = 0
        self._counts: dict[str, int] = {}
        self._hover = -1
        self._by_key = False

    @property
    def stage(self) -> str:
        """Key of the present stage."""
        return STAGES[self._at].key

    def show_stage(self, key: str) -> None:
        """Mark a stage as the present one, without telling anybody."""
        self._at = next(n for n, each in enumerate(STAGES) if each.key == key)
        self.update()

    def show_count(self, key: str, count: int) -> None:
        """Show a knot and a number beside a stage, or with 0 none."""
        if self._counts.get(key, 0) != count:
            self._counts[key] = count
            self.update()

    def sizeHint(self) -> QSize:
        return QSize(_WIDTH, _ITEM * len(STAGES))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        place = self._item_at(event.position())
        if place >= 0:
            self.chosen.emit(STAGES[place].key)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        place = self._item_at(event.position())
        if place != self._hover:
            self._hover = place
            self.update()
            if place >= 0:
                text = say("{tip} (Ctrl+{place})", tip=STAGES[place].tip, place=place + 1)
                QToolTip.showText(event.globalPosition().toPoint(), text, self)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()), 0)
        if step and 0 <= self._at + step < len(STAGES):
            self.chosen.emit(STAGES[self._at + step].key)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        # A ring only for those who came here by the keyboard, not for a window that opens.
        reasons = (Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason)
        self._by_key = event.reason() in reasons
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self._by_key = False
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        t = theme()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), t.colour("sunken"))
        for place, stage in enumerate(STAGES):
            self._draw_item(painter, place, stage)
        if self._by_key:
            painter.setPen(QPen(t.colour("accent"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(self._rect(self._at).adjusted(2, 2, -2, -2), 4, 4)
        painter.end()

    def _draw_item(self, painter: QPainter, place: int, stage: StageKind) -> None:
        t = theme()
        rect, here = self._rect(place), place == self._at
        if here or place == self._hover:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(t.colour("panel" if here else "window"))
            painter.drawRoundedRect(rect.adjusted(4, 2, 4, -2), 4, 4)
        if here:
            painter.fillRect(QRectF(0, rect.top() + 2, 4, rect.height() - 4), t.colour("madder"))
        ink = t.colour("accent" if here else "ink2")
        painter.setPen(QPen(ink, 1.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        middle = QPointF(rect.center().x(), rect.top() + 24)
        painter.drawEllipse(middle, 11, 11)
        font = QFont(self.font())
        font.setPixelSize(11)
        font.setBold(True)
        painter.setFont(font)
        number = QRectF(middle.x() - 11, middle.y() - 11, 22, 22)
        painter.drawText(number, Qt.AlignmentFlag.AlignCenter, str(place + 1))
        font.setPixelSize(min(14, text_px() - 1))
        font.setBold(here)
        painter.setFont(font)
        painter.setPen(t.colour("ink" if here else "ink2"))
        name = QRectF(rect.left(), rect.top() + 38, rect.width(), 20)
        painter.drawText(name, Qt.AlignmentFlag.AlignCenter, say(stage.name))
        count = self._counts.get(stage.key, 0)
        if count:
            draw_knot(painter, QPointF(middle.x() + 16, middle.y() - 7), 4.5)
            painter.setPen(t.colour("madder"))
            font.setPixelSize(11)
            font.setBold(True)
            painter.setFont(font)
            beside = QRectF(middle.x() + 10, middle.y(), 27, 16)
            words = str(count) if count < 1000 else "1k+"
            painter.drawText(beside, Qt.AlignmentFlag.AlignHCenter, words)

    def _rect(self, place: int) -> QRectF:
        return QRectF(0, place * _ITEM, _WIDTH, _ITEM)

    def _item_at(self, at: QPointF) -> int:
        place = int(at.y() // _ITEM)
        return place if 0 <= place < len(STAGES) else -1
