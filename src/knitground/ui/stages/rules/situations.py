"""Situations that nobody takes, as pictures, most frequent on the maps first."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QToolTip, QWidget

from knitground.core.base.tongue import say, say_many
from knitground.core.edit.rulehome import RuleHome
from knitground.core.edit.rulestats import Situation, Situations
from knitground.core.knit.missing import key_words
from knitground.ui.common.painting import painting, write_in
from knitground.ui.common.theme import theme
from knitground.ui.common.widgets import button, column, note, row, scrolled
from knitground.ui.common.words import tip_of
from knitground.ui.stages.rules.pictures import Pictures, draw_key

_WIDE, _HIGH, _SIDE = 84, 98, 70


class SituationsView(QWidget):
    """A field of situations; a click chooses one, a double click shows a cell that has it."""

    chosen = Signal()
    shown = Signal(object)

    def __init__(self, pictures: Pictures) -> None:
        super().__init__()
        self.pictures = pictures
        self.home: RuleHome | None = None
        self.at = -1
        self._all: tuple[Situation, ...] = ()
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(say("Situations that nobody takes"))

    def show_situations(self, home: RuleHome | None, found: tuple[Situation, ...]) -> None:
        """Show other situations."""
        self.home, self._all = home, found
        self.at = min(max(self.at, 0), len(found) - 1)
        self._fit()
        self.update()

    @property
    def situation(self) -> Situation | None:
        """The chosen situation."""
        return self._all[self.at] if 0 <= self.at < len(self._all) else None

    def _columns(self) -> int:
        return max(1, self.width() // _WIDE)

    def _fit(self) -> None:
        rows = -(-len(self._all) // self._columns())
        self.setFixedHeight(max(40, rows * _HIGH))

    def resizeEvent(self, event: object) -> None:
        self._fit()

    def _rect(self, place: int) -> QRectF:
        row, col = divmod(place, self._columns())
        return QRectF(col * _WIDE, row * _HIGH, _WIDE, _HIGH)

    def _place_at(self, at: QPointF) -> int:
        place = int(at.y() // _HIGH) * self._columns() + int(at.x() // _WIDE)
        inside = at.x() < self._columns() * _WIDE and 0 <= place < len(self._all)
        return place if inside else -1

    def paintEvent(self, event: QPaintEvent) -> None:
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            if self.home is None or self.home.kit is None:
                return
            for place, each in enumerate(self._all):
                rect = self._rect(place)
                if rect.intersects(QRectF(event.rect())):
                    self._draw(painter, rect, place, each)

    def _draw(self, painter: QPainter, rect: QRectF, place: int, each: Situation) -> None:
        assert self.home is not None
        t = theme()
        if place == self.at:
            painter.setPen(QPen(t.colour("madder"), 2))
            painter.setBrush(t.colour("panel"))
            painter.drawRoundedRect(rect.adjusted(2, 2, -2, -2), 4, 4)
        spot = QRectF(rect.left() + 7, rect.top() + 6, _SIDE, _SIDE)
        draw_key(painter, spot, each.key, self.home, self.pictures)
        write_in(painter, 11)
        painter.setPen(t.colour("warning" if each.cells else "ink2"))
        words = say("{cells} cells", cells=each.cells) if each.cells else say("not on a map")
        below = QRectF(rect.left(), spot.bottom() + 3, rect.width(), 15)
        painter.drawText(below, Qt.AlignmentFlag.AlignCenter, words)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        place = self._place_at(event.position())
        if place >= 0:
            self.at = place
            self.update()
            self.chosen.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self.situation is not None:
            self.shown.emit(self.situation)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {
            Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1,
            Qt.Key.Key_Up: -self._columns(), Qt.Key.Key_Down: self._columns(),
        }  # fmt: skip
        key = Qt.Key(event.key())
        if key in steps and 0 <= self.at + steps[key] < len(self._all):
            self.at += steps[key]
            self.update()
            self.chosen.emit()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.situation is not None:
            self.shown.emit(self.situation)
        else:
            super().keyPressEvent(event)

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent):
            place = self._place_at(QPointF(event.pos()))
            if place >= 0 and self.home is not None and self.home.kit is not None:
                words = key_words(self.home.kit, self._all[place].key)
                QToolTip.showText(event.globalPos(), tip_of(words), self)
            return True
        return super().event(event)


class SituationsPage(QWidget):
    """The field of situations, what it says in words, and what can be done with one."""

    shown = Signal(object)
    rule_asked = Signal()
    tile_asked = Signal()

    def __init__(self, pictures: Pictures) -> None:
        super().__init__()
        self.view = SituationsView(pictures)
        self.words = note()
        self.make_rule = button(
            say("Make a rule"),
            self.rule_asked.emit,
            say("A rule for this situation, with the tile in hand"),
        )
        self.make_tile = button(say("Make the tile…"), self.tile_asked.emit,
                                say("Make missing tiles of the set, in Terrains"))  # fmt: skip
        self.view.shown.connect(self.shown)
        buttons = row(self.make_rule, self.make_tile, 1)
        self.setLayout(column(self.words, scrolled(self.view), buttons, spacing=4))

    @property
    def situation(self) -> Situation | None:
        """The chosen situation."""
        return self.view.situation

    def show_found(self, home: RuleHome | None, found: Situations | None) -> None:
        """Show what nobody takes."""
        self.view.show_situations(home, found.untaken if found else ())
        some = bool(found and found.untaken)
        if found is None:
            self.words.setText(say("Not counted yet."))
        elif not found.untaken:
            self.words.setText(say("Rules and marks take every situation."))
        else:
            cells = sum(each.cells for each in found.untaken)
            self.words.setText(
                say(
                    "No tile for {count}, shown by {count2} of the maps. Double-click leads to a "
                    "cell.",
                    count=say_many("{count} situation", "{count} situations", len(found.untaken)),
                    count2=say_many("{count} cell", "{count} cells", cells),
                )
            )
        for each in (self.make_rule, self.make_tile):
            each.setEnabled(some)
