"""Cards in a column, moved by drag and by keys."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, QPoint, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent
from PySide6.QtWidgets import QApplication, QFrame, QPushButton, QScrollArea, QWidget

from knitground.ui.common.theme import theme

_THICK = 3


class CardDrag(QObject):
    """Watches the handles of cards: a drag moves one to between two others, Alt+↑ ↓ by one.

    A line shows where it would go; Esc calls the drag off.
    """

    moved = Signal(int, int)
    """From which place to which."""
    wanted = Signal(int, str)
    """Another act by key: “remove”."""

    def __init__(self, holder: QWidget) -> None:
        super().__init__(holder)
        self.holder = holder
        self.cards: list[QWidget] = []
        self.line = QFrame(holder)
        self.line.hide()
        self._handles: dict[QObject, int] = {}
        self._pressed: tuple[int, QPoint] | None = None
        self._gap: int | None = None

    def watch(self, cards: list[QWidget], handles: list[tuple[QWidget, ...]]) -> None:
        """Follow other cards, each dragged by any of its handles."""
        self._handles = {}  # those before may be gone by now
        self.call_off()
        self.cards = cards
        for place, group in enumerate(handles):
            for handle in group:
                self._handles[handle] = place
                handle.installEventFilter(self)

    @property
    def is_dragging(self) -> bool:
        """Whether a card is on its way."""
        return self._gap is not None

    def call_off(self) -> None:
        """Let the dragged card stay where it is."""
        for handle in self._handles:
            if isinstance(handle, QPushButton):
                handle.setDown(False)  # it does not hear that it was let go: no click either
        self._pressed = self._gap = None
        self.line.hide()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        place = self._handles.get(watched)
        if place is None:
            return False
        if isinstance(event, QMouseEvent):
            return self._mouse(place, event)
        if isinstance(event, QKeyEvent):
            return self._key(place, event)
        return False

    def _mouse(self, place: int, event: QMouseEvent) -> bool:
        at = event.globalPosition().toPoint()
        if event.type() is QEvent.Type.MouseButtonPress:
            if event.button() is Qt.MouseButton.LeftButton:
                self._pressed = (place, at)
        elif event.type() is QEvent.Type.MouseMove and self._pressed is not None:
            far = (at - self._pressed[1]).manhattanLength() >= QApplication.startDragDistance()
            if far or self.is_dragging:
                self._show_gap(at)
                return True
        elif event.type() is QEvent.Type.MouseButtonRelease and self._pressed is not None:
            if event.button() is not Qt.MouseButton.LeftButton:
                return self.is_dragging
            begun, gap = self._pressed[0], self._gap
            if gap is None:
                self._pressed = None
                return False
            self.call_off()
            to = gap - (gap > begun)
            if to != begun:
                self.moved.emit(begun, to)
            return True
        return False

    def _key(self, place: int, event: QKeyEvent) -> bool:
        key, pressed = event.key(), event.type() is QEvent.Type.KeyPress
        if key == Qt.Key.Key_Escape and self.is_dragging:
            if not pressed:
                event.accept()  # it is meant for the drag, not for a command of that key
                return event.type() is QEvent.Type.ShortcutOverride
            self.call_off()
            return True
        alt = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(key), 0) if alt else 0
        gone = key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace)
        if not (step or gone):
            return False
        if event.type() is QEvent.Type.ShortcutOverride:
            event.accept()
            return True
        if not pressed:
            return False
        if gone:
            self.wanted.emit(place, "remove")
        elif 0 <= place + step < len(self.cards):
            self.moved.emit(place, place + step)
        return True

    def _show_gap(self, at: QPoint) -> None:
        y = self.holder.mapFromGlobal(at).y()
        self._gap = gap = sum(y > card.geometry().center().y() for card in self.cards)
        below = self.cards[min(gap, len(self.cards) - 1)].geometry()
        line_at = below.top() - _THICK - 1 if gap < len(self.cards) else below.bottom() + 2
        self.line.setStyleSheet(f"background: {theme().accent}; border: none;")
        self.line.setGeometry(below.left(), line_at, below.width(), _THICK)
        self.line.show()
        self.line.raise_()
        area: QWidget | None = self.holder
        while area is not None and not isinstance(area, QScrollArea):
            area = area.parentWidget()
        if area is not None:
            area.ensureVisible(below.center().x(), y, 0, 24)
