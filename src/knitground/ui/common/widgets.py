"""Small widgets that several stages use."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import TypeVar

import numpy as np
from PySide6.QtCore import QEvent, QObject, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QResizeEvent,
)
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QLayout,
    QPushButton,
    QScrollArea,
    QStyle,
    QStyleOptionButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from knitground.core.render.pixels import Pixels
from knitground.ui.common.checkers import checkers
from knitground.ui.common.icons import icon
from knitground.ui.common.painting import blank, image_of, painting
from knitground.ui.common.theme import theme
from knitground.ui.common.words import tip

_WAITS = "waits to be laid out"
_Layout = TypeVar("_Layout", QVBoxLayout, QHBoxLayout)


def plain(text: str = "") -> QLabel:
    """Words as they are: what looks like a tag in a name is no tag."""
    label = QLabel()
    label.setTextFormat(Qt.TextFormat.PlainText)
    label.setText(text)
    return label


def head(text: str) -> QLabel:
    """Head of a stage or of a part of it."""
    label = plain(text)
    label.setProperty("role", "head")
    return label


def note(text: str = "") -> QLabel:
    """Secondary text."""
    label = plain(text)
    label.setProperty("role", "note")
    label.setWordWrap(True)
    return label


def set_role(label: QLabel, role: str) -> None:
    """Give a label another role: “good”, “warning”, “note” or none."""
    if label.property("role") != role:
        label.setProperty("role", role)
        label.style().unpolish(label)
        label.style().polish(label)


class ElidedButton(QPushButton):
    """A button whose words end in “…” where they do not fit; `text` still gives all of them."""

    def paintEvent(self, event: QPaintEvent) -> None:
        option = QStyleOptionButton()
        self.initStyleOption(option)
        part = QStyle.SubElement.SE_PushButtonContents
        wide = self.style().subElementRect(part, option, self).width()
        right = Qt.TextElideMode.ElideRight
        option.text = self.fontMetrics().elidedText(self.text(), right, wide)
        with painting(self) as painter:
            self.style().drawControl(QStyle.ControlElement.CE_PushButton, option, painter, self)


def button(text: str, action: Callable[[], object], hint: str = "", keys: str = "") -> QPushButton:
    """Make a push button."""
    made = QPushButton(text)
    made.clicked.connect(lambda *_: action())
    made.setToolTip(tip(hint or text, keys))
    return made


def primary(text: str, action: Callable[[], object], hint: str = "", keys: str = "") -> QPushButton:
    """Make the one button of a stage that carries it on."""
    made = button(text, action, hint, keys)
    made.setProperty("primary", "true")
    return made


class TakeButton(QPushButton):
    """A button that takes something in hand: pressed in as long as that is there.

    A second click takes it again; it does not let it go, so the button stays as it is.
    """

    def __init__(self, text: str, *, left: bool = True) -> None:
        super().__init__(text)
        if left:
            self.setProperty("left", "true")
        self.setCheckable(True)

    def nextCheckState(self) -> None:
        self.setChecked(True)


def icon_button(name: str, action: Callable[[], object], hint: str, keys: str = "") -> QToolButton:
    """Make a small button with an icon and a tooltip."""
    made = QToolButton()
    made.setIcon(icon(name, "ink2"))
    made.setIconSize(QSize(16, 16))
    made.setProperty("flat", "true")
    made.setToolTip(tip(hint, keys))
    made.setAccessibleName(hint)
    made.clicked.connect(lambda *_: action())
    return made


def panel() -> QFrame:
    """Make a framed panel."""
    frame = QFrame()
    frame.setProperty("panel", "true")
    return frame


def column(*parts: QWidget | QLayout | int, margins: int = 0, spacing: int = 8) -> QVBoxLayout:
    """Stack parts; an int is a stretch."""
    layout = QVBoxLayout()
    return _filled(layout, parts, margins, spacing)


def row(*parts: QWidget | QLayout | int, margins: int = 0, spacing: int = 8) -> QHBoxLayout:
    """Put parts side by side; an int is a stretch."""
    layout = QHBoxLayout()
    return _filled(layout, parts, margins, spacing)


def _filled(
    layout: _Layout, parts: Iterable[QWidget | QLayout | int], margins: int, spacing: int
) -> _Layout:
    layout.setContentsMargins(margins, margins, margins, margins)
    layout.setSpacing(spacing)
    for part in parts:
        if isinstance(part, int):
            layout.addStretch(part)
        elif isinstance(part, QWidget):
            layout.addWidget(part)
        else:
            layout.addLayout(part)
    return layout


def scrolled(inner: QWidget) -> QScrollArea:
    """Put a widget into an area that scrolls up and down."""
    area = QScrollArea()
    area.setWidget(inner)
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # what lies in it has the keyboard, and is shown
    return area


class Roomy(QScrollArea):
    """Shows a widget in all the room there is; where it needs more than that, it scrolls."""

    def __init__(self, inner: QWidget) -> None:
        super().__init__()
        self._inner = inner
        self.setWidget(inner)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        inner.installEventFilter(self)

    def least_width(self, height: int) -> int:
        """Give the width at which nothing has to be moved sideways, at some height."""
        least = self._inner.minimumSizeHint().expandedTo(self._inner.minimumSize())
        bar = self.verticalScrollBar().sizeHint().width() if least.height() > height else 0
        return least.width() + bar

    def _fit(self) -> None:
        inner, room = self._inner, self.maximumViewportSize()
        least = inner.minimumSizeHint().expandedTo(inner.minimumSize())
        bar = self.verticalScrollBar().sizeHint().width()
        if least.width() > room.width():
            room.setHeight(room.height() - bar)
        layout = inner.layout()
        if layout is not None and layout.hasHeightForWidth():  # lines that are broken need more
            wide = max(least.width(), room.width() - bar)
            least.setHeight(max(least.height(), layout.minimumHeightForWidth(wide)))
        if least.height() > room.height():
            room.setWidth(room.width() - bar)
        inner.resize(room.expandedTo(least))

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._fit()
        super().resizeEvent(event)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() is QEvent.Type.LayoutRequest and watched is self._inner:
            self._fit()
        return super().eventFilter(watched, event)


def keeps_key(event: QEvent, keys: Iterable[Qt.Key]) -> bool:
    """Keep a key for the widget that has the focus, although the window has a shortcut for it."""
    if event.type() != QEvent.Type.ShortcutOverride or not isinstance(event, QKeyEvent):
        return False
    if event.modifiers() & ~(Qt.KeyboardModifier.AltModifier | Qt.KeyboardModifier.KeypadModifier):
        return False
    if Qt.Key(event.key()) not in set(keys):
        return False
    event.accept()
    return True


def clear(layout: QLayout) -> None:
    """Take everything out of a layout."""
    while (item := layout.takeAt(0)) is not None:
        widget = item.widget()
        inner = item.layout()
        if widget is not None:
            widget.hide()
            widget.deleteLater()
        elif inner is not None:
            clear(inner)


def after_turns(turns: int, part: QWidget, action: Callable[[], object]) -> None:
    """Do something when the interface has taken so many turns, if the widget is still there."""
    later = action if turns <= 1 else lambda: after_turns(turns - 1, part, action)
    QTimer.singleShot(0, part, later)


def show_when_laid_out(part: QWidget) -> None:
    """Paint much that is new only when it is laid out: until then it is squeezed in the old room.

    That is in another turn, as both together take long. Whoever asks again in every turn, as a key
    does that is held, hides nothing: what is enabled is painted first.
    """
    if part.property(_WAITS) or not part.updatesEnabled():
        return  # what it lies in waits too
    part.setProperty(_WAITS, True)
    part.setUpdatesEnabled(False)
    after_turns(2, part, lambda: part.setUpdatesEnabled(True))
    after_turns(4, part, lambda: part.setProperty(_WAITS, False))


def tile_pixmap(pixels: Pixels, side: int, *, framed: bool = False) -> QPixmap:
    """Draw a tile as a pixmap of a given side, pixels kept square, see-through parts chequered."""
    out = blank(side, side)
    painter = QPainter(out)
    rect = QRectF(0, 0, side, side)
    checkers(painter, rect)
    painter.drawImage(rect, image_of(np.ascontiguousarray(pixels)))
    if framed:
        painter.setPen(QPen(theme().colour("ink2"), 1))
        painter.drawRect(rect.adjusted(0.5, 0.5, -0.5, -0.5))
    painter.end()
    return out


class ShareBar(QWidget):
    """Two bars: the share asked for, and below it the share laid."""

    def __init__(self, asked: float, laid: float | None, colour: str) -> None:
        super().__init__()
        self.asked, self.laid, self.colour = asked, laid, colour
        self.setFixedHeight(18)
        self.setMinimumWidth(60)

    def show_shares(self, asked: float, laid: float | None) -> None:
        """Show other shares."""
        self.asked, self.laid = asked, laid
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        t = theme()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        parts = [(self.asked, t.ink2)] if self.laid is None else [
            (self.asked, t.ink2), (self.laid, self.colour)
        ]  # fmt: skip
        high = 6 if len(parts) > 1 else 10
        for place, (part, colour) in enumerate(parts):
            top = 2.5 + place * 8
            track = QRectF(0.5, top, self.width() - 1, high)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(t.colour("sunken"))
            painter.drawRoundedRect(track, 2, 2)
            painter.setBrush(QColor(colour))
            painter.setPen(QPen(t.colour("line"), 1))
            filled = QRectF(track.left(), top, track.width() * min(1.0, part), high)
            painter.drawRoundedRect(filled, 2, 2)
        painter.end()


class ShareGrip(ShareBar):
    """A bar whose share is dragged."""

    dragged = Signal(float, object)
    """The share that is asked for, and the key of the drag: all of it is one step."""

    def __init__(self, colour: str, hint: str) -> None:
        super().__init__(0.0, None, colour)
        self._drag: object = None
        self.setToolTip(hint)
        self.setCursor(Qt.CursorShape.SizeHorCursor)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._drag = object()
            self._tell(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is not None:
            self._tell(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._drag = None

    def _tell(self, event: QMouseEvent) -> None:
        part = event.position().x() / max(1, self.width() - 1)
        self.dragged.emit(min(1.0, max(0.0, part)), self._drag)


class Swatch(QWidget):
    """Tiles laid edge to edge: pixels shown in whole steps, as large as fits."""

    def __init__(self) -> None:
        super().__init__()
        self._pixels: Pixels | None = None
        self.setMinimumSize(120, 120)

    def show_pixels(self, pixels: Pixels | None) -> None:
        """Show another picture."""
        self._pixels = None if pixels is None else np.ascontiguousarray(pixels)
        self.update()

    @property
    def pixels(self) -> Pixels | None:
        """What is shown."""
        return self._pixels

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        if self._pixels is not None and self._pixels.size:
            high, wide = self._pixels.shape
            scale = min(self.width() / wide, self.height() / high)
            scale = max(1.0, float(int(scale))) if scale >= 1 else scale
            rect = QRectF(0, 0, wide * scale, high * scale)
            rect.moveCenter(QRectF(self.rect()).center())
            rect.moveTop(0)
            rect.moveLeft(float(int(rect.left())))
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, scale < 1)
            checkers(painter, rect)
            painter.drawImage(rect, image_of(self._pixels))
        painter.end()
