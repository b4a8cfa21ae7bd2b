"""The base on a picture that stands on it: dragged by its corners, or moved with keys."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from knitground.core.base.tongue import say
from knitground.core.render.pixels import Pixels
from knitground.ui.common.checkers import checkers
from knitground.ui.common.painting import image_of, painting
from knitground.ui.common.theme import LINEN, theme

_LEAST = 2
_NEAR = 9.0
"""Screen pixels from a corner within which it is gripped."""
_KEYS = {
    Qt.Key.Key_Left: (-2, 0), Qt.Key.Key_Right: (2, 0), Qt.Key.Key_Up: (0, 2),
    Qt.Key.Key_Down: (0, -2),
}  # fmt: skip


class BasePad(QWidget):
    """Shows a picture with the diamond it stands on: width, height, and pixels below it.

    The left and right corner are dragged apart, the upper one up and down, all else moves the
    diamond over the picture's foot. Arrow keys do the same, with Shift they move it.
    """

    changed = Signal(int, int, int)
    """Another base was asked for: its width, its height, and how far it is over the foot."""

    def __init__(self) -> None:
        super().__init__()
        self.width_px, self.height_px, self.below = 64, 32, 0
        self.pixels: Pixels | None = None
        self._grip, self._at = "", QPointF()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName(say("Base on a picture"))
        self.setToolTip(
            say(
                "The diamond that pictures stand on: drag its corners, or it as a whole "
                "(arrow keys; with Shift up and down)"
            )
        )

    def show_base(self, pixels: Pixels | None, width: int, height: int, below: int) -> None:
        """Show another picture, or another base on it."""
        self.pixels, self.width_px, self.height_px, self.below = pixels, width, height, below
        self.update()

    # Where things are

    def _size(self) -> tuple[int, int]:
        """Give the height and width of what is shown: the picture, and what sticks out of it."""
        high, wide = self.pixels.shape if self.pixels is not None else (64, 64)
        return max(high, self.below + self.height_px), max(wide, self.width_px)

    def _zoom(self) -> float:
        high, wide = self._size()
        zoom = min((self.width() - 24) / wide, (self.height() - 16) / high)
        return max(1.0, float(int(zoom))) if zoom >= 1 else max(0.05, zoom)

    def _foot(self) -> QPointF:
        """Where the middle of the picture's lower side is."""
        high, _ = self._size()
        return QPointF(self.width() // 2, (self.height() + high * self._zoom()) // 2)

    def corners(self) -> dict[str, QPointF]:
        """Give the corners of the base in the widget, by their names."""
        zoom, foot = self._zoom(), self._foot()
        down = foot.y() - self.below * zoom
        half, middle = self.width_px / 2 * zoom, down - self.height_px / 2 * zoom
        return {
            "upper": QPointF(foot.x(), down - self.height_px * zoom),
            "right": QPointF(foot.x() + half, middle),
            "lower": QPointF(foot.x(), down),
            "left": QPointF(foot.x() - half, middle),
        }

    # Pointer and keys

    def _gripped(self, at: QPointF) -> str:
        away = {name: (spot - at).manhattanLength() for name, spot in self.corners().items()}
        near = min(away, key=lambda name: away[name])
        return near if away[near] <= _NEAR else "all"

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._grip, self._at = self._gripped(event.position()), event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if not self._grip:
            self._show_cursor(self._gripped(at))
            return
        zoom, foot = self._zoom(), self._foot()
        width, height, below = self.width_px, self.height_px, self.below
        if self._grip in ("left", "right"):
            width = 2 * round(abs(at.x() - foot.x()) / zoom)
        elif self._grip == "upper":
            height = round((foot.y() - at.y()) / zoom) - below
        elif self._grip == "lower":
            top = below + height
            below = max(0, min(round((foot.y() - at.y()) / zoom), top - _LEAST))
            height = top - below
        else:
            step = round((self._at.y() - at.y()) / zoom)
            if step:
                self._at = QPointF(at.x(), self._at.y() - step * zoom)
                below += step
        self._ask(width, height, below)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._grip = ""

    def _show_cursor(self, grip: str) -> None:
        shapes = {"left": Qt.CursorShape.SizeHorCursor, "right": Qt.CursorShape.SizeHorCursor}
        self.setCursor(shapes.get(grip, Qt.CursorShape.SizeVerCursor))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        wider, higher = _KEYS.get(Qt.Key(event.key()), (0, 0))
        if not (wider or higher):
            super().keyPressEvent(event)
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self._ask(self.width_px, self.height_px, self.below + higher // 2)
        else:
            self._ask(self.width_px + wider, self.height_px + higher, self.below)

    def _ask(self, width: int, height: int, below: int) -> None:
        wanted = max(_LEAST, width), max(_LEAST, height), max(0, below)
        if wanted != (self.width_px, self.height_px, self.below):
            self.changed.emit(*wanted)

    # Painting

    def paintEvent(self, event: QPaintEvent) -> None:
        with painting(self) as painter:
            zoom, foot, corners = self._zoom(), self._foot(), self.corners()
            if self.pixels is not None:
                high, wide = self.pixels.shape
                rect = QRectF(foot.x() - wide // 2 * zoom, foot.y() - high * zoom, wide * zoom,
                              high * zoom)  # fmt: skip
                checkers(painter, rect)
                painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, zoom < 1)
                painter.drawImage(rect, image_of(self.pixels))
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            for colour, width in ((LINEN.panel, 4.0), (LINEN.madder, 2.0)):
                painter.setPen(QPen(QColor(colour), width))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawPolygon(QPolygonF(list(corners.values())))
            painter.setPen(QPen(QColor(LINEN.madder), 1.5))
            painter.setBrush(QColor(LINEN.panel))
            for spot in corners.values():
                painter.drawRect(QRectF(spot.x() - 3.5, spot.y() - 3.5, 7, 7))
            if self.hasFocus():
                painter.setPen(QPen(theme().colour("accent"), 2))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 4, 4)
