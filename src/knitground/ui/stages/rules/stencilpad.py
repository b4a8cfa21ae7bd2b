"""The pads on which stencils and blocks are painted."""

from __future__ import annotations

from abc import abstractmethod

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QToolTip, QWidget

from knitground.core.base.tongue import say
from knitground.core.edit.rulehome import RuleHome
from knitground.core.model.rules import Ask, NeighbourRule, RewriteRule
from knitground.core.rules.places import REACHES, Place, places_of
from knitground.ui.common.painting import painting
from knitground.ui.common.theme import theme
from knitground.ui.common.widgets import keeps_key
from knitground.ui.common.words import tip_of
from knitground.ui.stages.rules.blockpictures import draw_block_cell
from knitground.ui.stages.rules.pictures import (
    Pictures,
    ask_words,
    draw_stencil,
    place_rect,
    reach_for,
    stencil_span,
)

_SIDE = 168


class Pad(QWidget):
    """A pad of places: painted by drag, the right button clears, keys do all of it."""

    painted = Signal(object, bool)
    """Places of a drag, and whether they are to be cleared."""
    started = Signal()
    """A drag, or a key, begins: what it changes is one step."""

    def __init__(self, pictures: Pictures) -> None:
        super().__init__()
        self.pictures = pictures
        self.home: RuleHome | None = None
        self._clears: bool | None = None
        self._last: Place | None = None
        self._cursor: Place | None = None
        self.setFixedSize(QSize(_SIDE, _SIDE))
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    @abstractmethod
    def places(self) -> list[Place]:
        """List the places that can be painted, row by row."""

    @abstractmethod
    def rect_of(self, place: Place) -> QRectF:
        """Where a place lies."""

    @abstractmethod
    def words_at(self, place: Place) -> str:
        """Say what a place asks for."""

    @abstractmethod
    def draw(self, painter: QPainter) -> None:
        """Draw all places."""

    def forget_cursor(self) -> None:
        """Let the cursor begin in the middle again."""
        self._cursor = None

    def place_at(self, at: QPointF) -> Place | None:
        """Give the place under a point."""
        hits = [each for each in self.places() if self.rect_of(each).contains(at)]
        return hits[0] if hits else None

    def paintEvent(self, event: QPaintEvent) -> None:
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self.draw(painter)
            if self._cursor is not None and self.hasFocus() and self._cursor in self.places():
                painter.setPen(QPen(theme().colour("accent"), 2))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(self.rect_of(self._cursor).adjusted(-2, -2, 2, 2))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() not in (Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton):
            return
        self._clears = event.button() == Qt.MouseButton.RightButton
        self._last = None
        self.started.emit()
        self._paint_at(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._clears is not None:
            self._paint_at(event.position())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._clears = None

    def _paint_at(self, at: QPointF) -> None:
        place = self.place_at(at)
        if place is not None and place != self._last:
            self._last = self._cursor = place
            self.painted.emit([place], bool(self._clears))
            self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        places = self.places()
        if not places:
            super().keyPressEvent(event)
            return
        cursor = self._cursor if self._cursor in places else places[len(places) // 2]
        key = Qt.Key(event.key())
        step = _STEPS.get(key)
        if step is not None:
            self._cursor = cursor if self._cursor is None else _next(places, cursor, step)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self._cursor = cursor
            self.started.emit()
            self.painted.emit([cursor], False)
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self._cursor = cursor
            self.started.emit()
            self.painted.emit([cursor], True)
        else:
            super().keyPressEvent(event)
            return
        self.update()

    def event(self, event: QEvent) -> bool:
        if keeps_key(event, _OWN_KEYS):
            return True
        if isinstance(event, QHelpEvent):
            place = self.place_at(QPointF(event.pos()))
            words = (
                say("{words_at} (right button clears)", words_at=self.words_at(place))
                if place
                else ""
            )
            QToolTip.showText(event.globalPos(), tip_of(words), self)
            return True
        return super().event(event)


_STEPS = {
    Qt.Key.Key_Up: (-1, 0), Qt.Key.Key_Down: (1, 0), Qt.Key.Key_Left: (0, -1),
    Qt.Key.Key_Right: (0, 1),
}  # fmt: skip


_OWN_KEYS = {*_STEPS, Qt.Key.Key_Delete, Qt.Key.Key_Backspace, Qt.Key.Key_Space}


def _next(places: list[Place], at: Place, step: tuple[int, int]) -> Place:
    """Give the nearest place in a direction."""
    down, across = step

    def distance(place: Place) -> tuple[int, int] | None:
        y, x = place[0] - at[0], place[1] - at[1]
        along, aside = y * down + x * across, abs(y * across) + abs(x * down)
        return (along + 2 * aside, aside) if along > 0 and aside <= along else None

    ahead = [(far, place) for place in places if (far := distance(place)) is not None]
    return min(ahead)[1] if ahead else at


class StencilPad(Pad):
    """The stencil of a neighbour rule."""

    def __init__(self, pictures: Pictures) -> None:
        super().__init__(pictures)
        self.rule: NeighbourRule | None = None
        self.reach = 1
        self.setAccessibleName(say("Stencil"))

    def show_rule(self, home: RuleHome | None, rule: NeighbourRule | None) -> None:
        """Show another rule's stencil, as large as it is."""
        if home is not None and rule is not None:
            kind = home.kit.kind if home.kit else None
            other = self.rule is None or self.rule.number != rule.number or home is not self.home
            if other:
                self.forget_cursor()
            least = reach_for(kind, rule.stencil)
            known = self.reach in REACHES[kind]
            self.reach = max(least, REACHES[kind][-2]) if other or not known else max(
                least, self.reach
            )  # fmt: skip
        self.home, self.rule = home, rule
        self.update()

    def resize_by(self, step: int) -> None:
        """Show a larger or smaller stencil; what is painted always stays in sight."""
        if self.home is None or self.rule is None:
            return
        kind = self.home.kit.kind if self.home.kit else None
        sizes = [n for n in REACHES[kind] if n >= reach_for(kind, self.rule.stencil)]
        at = sizes.index(self.reach) if self.reach in sizes else 0
        self.reach = sizes[min(max(at + step, 0), len(sizes) - 1)]
        self.update()

    def places(self) -> list[Place]:
        if self.home is None or self.rule is None:
            return []
        return places_of(self.home.kit.kind if self.home.kit else None, self.reach)

    def rect_of(self, place: Place) -> QRectF:
        kind = self.home.kit.kind if self.home and self.home.kit else None
        span = stencil_span(kind, self.reach)
        pitch = (_SIDE - 8) / span
        start = 4 + (span - (2 * self.reach + 1)) / 2 * pitch + self.reach * pitch
        return place_rect(kind, place, QPointF(start, start), pitch)

    def words_at(self, place: Place) -> str:
        assert self.rule is not None
        asked = {(y, x): ask for y, x, ask in self.rule.stencil}
        return ask_words(asked.get(place))

    def draw(self, painter: QPainter) -> None:
        if self.home is not None and self.rule is not None:
            area = QRectF(4, 4, _SIDE - 8, _SIDE - 8)
            draw_stencil(painter, area, self.rule, self.home, self.pictures, self.reach)


class BlockPad(Pad):
    """A block that a rewrite rule looks for, or writes, on one layer."""

    def __init__(self, pictures: Pictures, *, writes: bool) -> None:
        super().__init__(pictures)
        self.rule: RewriteRule | None = None
        self.writes = writes
        self.outcome = 0
        self.layer = ""
        self.reach = 1
        self.setAccessibleName(say("What to write") if writes else say("What to look for"))

    def show_rule(self, home: RuleHome | None, rule: RewriteRule | None, layer: str) -> None:
        """Show a rule's block on a layer."""
        self.home, self.rule, self.layer = home, rule, layer
        self.update()

    def places(self) -> list[Place]:
        if self.rule is None:
            return []
        span = range(-self.reach, self.reach + 1)
        return [(row, col) for row in span for col in span]

    def rect_of(self, place: Place) -> QRectF:
        side = (_SIDE - 4) / (2 * self.reach + 1)
        row, col = place[0] + self.reach, place[1] + self.reach
        return QRectF(2 + col * side + 1, 2 + row * side + 1, side - 2, side - 2)

    def words_at(self, place: Place) -> str:
        assert self.rule is not None
        if not self.writes:
            found: Ask | None = next(
                (e.ask for e in self.rule.block
                 if (e.row, e.col) == place and e.layer == self.layer), None
            )  # fmt: skip
            return ask_words(found)
        return say("what is laid here") if self._laid(place) else say("stays as it is")

    def _laid(self, place: Place) -> bool:
        assert self.rule is not None
        return self.outcome < len(self.rule.outcomes) and any(
            (c.row, c.col) == place and c.layer == self.layer
            for c in self.rule.outcomes[self.outcome].cells
        )

    def draw(self, painter: QPainter) -> None:
        if self.home is None or self.rule is None:
            return
        which = self.outcome if self.writes else None
        for place in self.places():
            draw_block_cell(
                painter, self.rect_of(place), self.rule, place, self.home, self.pictures, which,
                self.layer,
            )  # fmt: skip
        painter.setPen(QPen(theme().colour("madder"), 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(self.rect_of((0, 0)))
