"""The list of rules: one card a rule, in the order in which they are tried."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QFontMetricsF,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from knitground.core.base.tongue import say
from knitground.core.edit.rulehome import RuleHome, rule_words
from knitground.core.model.rules import NeighbourRule, RewriteRule, Rule, Ways
from knitground.ui.common.painting import painting, write_in
from knitground.ui.common.theme import theme
from knitground.ui.common.widgets import keeps_key
from knitground.ui.common.words import tip_of
from knitground.ui.stages.rules.blockpictures import draw_block
from knitground.ui.stages.rules.pictures import Pictures, draw_result, draw_stencil

CARD, GAP, HEAD = 88, 6, 22
_TEXT = 168
_STENCIL = 76
WAY_WORDS = {
    Ways.AS_DRAWN: "", Ways.TURNED: say("turns, 4 ways"), Ways.MIRRORED: say("mirrors, 2 ways"),
    Ways.BOTH: say("8 ways"),
}  # fmt: skip


@dataclass(frozen=True)
class RuleNote:
    """What is told of a rule on its card.

    Parameters
    ----------
    words : what it takes
    warning : why it does nothing
    cells : how many cells of the map it took
    can_lift : whether “move above them” helps
    """

    words: str = ""
    warning: str = ""
    cells: int = 0
    can_lift: bool = False


class RuleListView(QWidget):
    """Shows the rules of a list; a click chooses one, a drag moves it or a group by its heading."""

    chosen = Signal(int)
    moved = Signal(object, int)
    """Rules were moved: their numbers, and the place before which they are to stand."""
    stepped = Signal(int, int)
    """Step to the next (1) or last (-1) cell that a rule took: its number, the step."""
    lifted = Signal(int)
    toggled = Signal(int)
    group_toggled = Signal(str)
    """The heading of a group was clicked."""
    deleted = Signal(int)

    def __init__(self, pictures: Pictures) -> None:
        super().__init__()
        self.pictures = pictures
        self.home: RuleHome | None = None
        self.number = 0
        """Number of the chosen rule, 0 if none is."""
        self.notes: dict[int, RuleNote] = {}
        self._rules: tuple[Rule, ...] = ()
        self._tops: list[int] = []
        self._press: tuple[range, QPointF, bool] | None = None
        """Places of the rules pressed, the point, and whether it was the heading of a group."""
        self._drop: int | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(say("Rules"))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    # What is shown

    def show_rules(self, home: RuleHome | None, notes: dict[int, RuleNote]) -> None:
        """Show the rules of a list as they are, and what is told of them."""
        self.home = home
        self.notes = notes
        rules = home.rules.rules if home else ()
        if [each.number for each in rules] != [each.number for each in self._rules]:
            self.cancel()  # the places that a drag began with are others now
        self._rules = rules
        self._tops, top, group = [], 0, ""
        for rule in self._rules:
            top += HEAD if rule.group and rule.group != group else 0
            group = rule.group
            self._tops.append(top)
            top += CARD + GAP
        if all(each.number != self.number for each in self._rules):
            self.number = self._rules[0].number if self._rules else 0
        self.setFixedHeight(max(40, top))
        self.update()

    @property
    def rule(self) -> Rule | None:
        """The chosen rule."""
        return next((each for each in self._rules if each.number == self.number), None)

    def choose(self, number: int) -> None:
        """Choose a rule."""
        if number != self.number:
            self.number = number
            self.update()
            self.chosen.emit(number)

    def place_of(self, number: int) -> int:
        """Place of a rule in the list, from 0; -1 if it is not there."""
        return next((n for n, each in enumerate(self._rules) if each.number == number), -1)

    def card_rect(self, place: int) -> QRectF:
        """Where a card lies."""
        return QRectF(1, self._tops[place] + 1, self.width() - 2, CARD - 2)

    def sizeHint(self) -> QSize:
        return QSize(520, max(40, self.height()))

    # Painting

    def paintEvent(self, event: QPaintEvent) -> None:
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            if self.home is None:
                return
            for place, rule in enumerate(self._rules):
                rect = self.card_rect(place)
                if rect.adjusted(0, -HEAD, 0, 0).intersects(QRectF(event.rect())):
                    self._draw_head(painter, place, rule)
                    self._draw_card(painter, rect, place, rule)
            if self._drop is not None:
                self._draw_drop(painter)

    def _draw_head(self, painter: QPainter, place: int, rule: Rule) -> None:
        if self._heads(place):
            rect = QRectF(4, self._tops[place] - HEAD, self.width() - 8, HEAD)
            off = not any(each.on for each in self._rules if each.group == rule.group)
            words = say("{group} · off", group=rule.group) if off else rule.group
            _text(painter, rect, words, 12, bold=True, role="ink2")

    def _draw_drop(self, painter: QPainter) -> None:
        assert self._drop is not None
        last = self._drop >= len(self._rules)
        y = self.height() - 3 if last else self._tops[self._drop] - GAP / 2 + 1
        painter.setPen(QPen(theme().colour("madder"), 3))
        painter.drawLine(QPointF(4, y), QPointF(self.width() - 4, y))

    def _draw_card(self, painter: QPainter, rect: QRectF, place: int, rule: Rule) -> None:
        assert self.home is not None
        t = theme()
        here = rule.number == self.number
        painter.setPen(QPen(t.colour("madder" if here else "line"), 2 if here else 1))
        painter.setBrush(t.colour("panel" if here else "window"))
        painter.drawRoundedRect(rect, 4, 4)
        painter.setOpacity(1.0 if rule.on else 0.45)
        self._draw_words(painter, rect, place, rule)
        spot = QRectF(rect.left() + _TEXT + 12, rect.top() + 6, _STENCIL, _STENCIL)
        right = QRectF(spot.right() + 34, rect.top() + 14, rect.right() - spot.right() - 116, 56)
        if isinstance(rule, NeighbourRule):
            draw_stencil(painter, spot, rule, self.home, self.pictures)
            draw_result(painter, right, rule.result, self.pictures, self.home.project)
        else:
            spot.moveTop(rect.top() + 8)
            draw_block(painter, spot, rule, self.home, self.pictures)
            self._draw_outcomes(painter, right, rule)
        _text(painter, QRectF(spot.right() + 8, rect.top() + 30, 22, 24), "→", 17, role="ink2")
        more = QRectF(rect.right() - 80, rect.top() + 8, 76, 30)
        _text(painter, more, _way_words(rule), 11, role="ink2", wraps=True)
        self._draw_steps(painter, rect, rule)
        painter.setOpacity(1.0)

    def _draw_outcomes(self, painter: QPainter, rect: QRectF, rule: RewriteRule) -> None:
        assert self.home is not None
        if not rule.outcomes:
            _text(painter, rect, say("writes nothing yet"), 11, role="ink2")
        for n in range(min(2, len(rule.outcomes))):
            at = QRectF(rect.left() + n * 72, rect.top() - 6, 66, 70)
            draw_block(painter, at, rule, self.home, self.pictures, n)

    def _draw_words(self, painter: QPainter, rect: QRectF, place: int, rule: Rule) -> None:
        note = self.notes.get(rule.number, RuleNote())
        left = rect.left() + 10
        _text(painter, QRectF(left, rect.top() + 7, 22, 18), str(place + 1), 12, bold=True,
              role="ink2")  # fmt: skip
        name = QRectF(left + 22, rect.top() + 7, _TEXT - 22, 18)
        _text(painter, name, rule_words(rule), 13, bold=True)
        words = note.warning or (say("off") if not rule.on else note.words)
        area = QRectF(left, rect.top() + 27, _TEXT, 58)
        _text(painter, area, words, 11, role="warning" if note.warning else "ink2", wraps=True)

    def _draw_steps(self, painter: QPainter, rect: QRectF, rule: Rule) -> None:
        note = self.notes.get(rule.number, RuleNote())
        if note.can_lift:
            _pill(painter, self._lift_rect(rect), say("move above them"))
        elif note.cells:
            for step, at in self._step_rects(rect).items():
                _pill(painter, at, "◂" if step < 0 else "▸")

    def _step_rects(self, rect: QRectF) -> dict[int, QRectF]:
        return {
            -1: QRectF(rect.right() - 62, rect.bottom() - 27, 26, 21),
            1: QRectF(rect.right() - 32, rect.bottom() - 27, 26, 21),
        }

    def _lift_rect(self, rect: QRectF) -> QRectF:
        return QRectF(rect.right() - 118, rect.bottom() - 27, 112, 21)

    # Pointer and keys

    def _place_at(self, at: QPointF) -> int:
        return next((n for n in range(len(self._rules)) if self.card_rect(n).contains(at)), -1)

    def _head_at(self, at: QPointF) -> int:
        """Give the place under the heading that is there, -1 if none is."""
        found = (
            place for place in range(len(self._rules))
            if self._heads(place) and 0 <= self._tops[place] - at.y() <= HEAD
        )  # fmt: skip
        return next(found, -1)

    def _run(self, place: int) -> range:
        """Give the places of the rules that stand together with one under a heading."""
        group, start, stop = self._rules[place].group, place, place + 1
        while group and start and self._rules[start - 1].group == group:
            start -= 1
        while group and stop < len(self._rules) and self._rules[stop].group == group:
            stop += 1
        return range(start, stop)

    def _heads(self, place: int) -> bool:
        """Tell whether a heading stands above a card."""
        group = self._rules[place].group
        return bool(group) and (place == 0 or self._rules[place - 1].group != group)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        place = self._place_at(event.position())
        if event.button() != Qt.MouseButton.LeftButton:
            return
        head = self._head_at(event.position())
        if head >= 0:
            self._press = (self._run(head), event.position(), True)
        if place < 0:
            return
        rule = self._rules[place]
        rect, note = self.card_rect(place), self.notes.get(rule.number, RuleNote())
        self.choose(rule.number)
        if note.can_lift and self._lift_rect(rect).contains(event.position()):
            self.lifted.emit(rule.number)
            return
        if note.cells and not note.can_lift:
            for step, at in self._step_rects(rect).items():
                if at.contains(event.position()):
                    self.stepped.emit(rule.number, step)
                    return
        self._press = (range(place, place + 1), event.position(), False)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._press is None:
            return
        if (event.position() - self._press[1]).manhattanLength() > 8:
            y = event.position().y()
            middles = [top + CARD / 2 for top in self._tops]
            self._drop = sum(y > middle for middle in middles)
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        press, drop = self._press, self._drop
        self._press = self._drop = None
        self.update()
        if press is None:
            return
        run, _, heading = press
        if drop is None and heading:
            self.group_toggled.emit(self._rules[run.start].group)
        elif drop is not None and drop not in (*run, run.stop):
            self._move(run, drop)

    def _move(self, run: range, to: int) -> None:
        self.moved.emit([self._rules[place].number for place in run], to)

    def cancel(self) -> bool:
        """Call a drag off; returns whether there was one."""
        was, self._press, self._drop = self._drop is not None, None, None
        self.update()
        return was

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, place = Qt.Key(event.key()), self.place_of(self.number)
        if place < 0 or key not in _KEYS:
            super().keyPressEvent(event)
            return
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(key, 0)
        if step and event.modifiers() & Qt.KeyboardModifier.AltModifier:
            whole = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self._move_by(place, step, whole=whole)
        elif step and 0 <= place + step < len(self._rules):
            self.choose(self._rules[place + step].number)
        elif key == Qt.Key.Key_Space:
            self.toggled.emit(self.number)
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.deleted.emit(self.number)
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.stepped.emit(self.number, 1 if key == Qt.Key.Key_Right else -1)

    def _move_by(self, place: int, step: int, *, whole: bool) -> None:
        """Move a rule past its neighbour, or its group past the group or rule beside it."""
        run = self._run(place) if whole else range(place, place + 1)
        beside = run.stop if step > 0 else run.start - 1
        if 0 <= beside < len(self._rules):
            other = self._run(beside) if whole else range(beside, beside + 1)
            self._move(run, other.stop if step > 0 else other.start)

    def event(self, event: QEvent) -> bool:
        if keeps_key(event, _KEYS):
            return True
        if isinstance(event, QHelpEvent):
            place = self._place_at(QPointF(event.pos()))
            if place >= 0:
                rule = self._rules[place]
                note = self.notes.get(rule.number, RuleNote())
                parts = [rule_words(rule), note.warning or note.words]
                keys = say(
                    "Alt+↑ ↓ moves it, with Shift its group; Space switches it; "
                    "← → step through its cells"
                )
                said = "\n".join([*filter(None, parts), keys])
                QToolTip.showText(event.globalPos(), tip_of(said), self)
            elif self._head_at(QPointF(event.pos())) >= 0:
                words = say("A click switches the group on or off, a drag moves it")
                QToolTip.showText(event.globalPos(), words, self)
            return True
        return super().event(event)


_KEYS = {
    Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Space, Qt.Key.Key_Delete, Qt.Key.Key_Backspace,
    Qt.Key.Key_Left, Qt.Key.Key_Right,
}  # fmt: skip


def _way_words(rule: Rule) -> str:
    parts = [WAY_WORDS[rule.ways]]
    if rule.chance < 1:
        parts.append(f"{rule.chance:.0%}")
    if isinstance(rule, NeighbourRule) and rule.every[:2] != (1, 1):
        parts.append(say("every {every} × {every2}", every=rule.every[1], every2=rule.every[0]))
    return "\n".join(each for each in parts if each)


def _pill(painter: QPainter, rect: QRectF, words: str) -> None:
    t = theme()
    painter.setPen(QPen(t.colour("line"), 1))
    painter.setBrush(t.colour("panel"))
    painter.drawRoundedRect(rect, 4, 4)
    _text(painter, rect, words, 11, role="accent", centred=True)


def _text(
    painter: QPainter, rect: QRectF, words: str, size: int, *, bold: bool = False,
    role: str = "ink", wraps: bool = False, centred: bool = False,
) -> None:  # fmt: skip
    write_in(painter, size, bold=bold)
    painter.setPen(theme().colour(role))
    if wraps:
        painter.drawText(rect, int(Qt.TextFlag.TextWordWrap), words)
        return
    shown = QFontMetricsF(painter.font()).elidedText(
        words, Qt.TextElideMode.ElideRight, rect.width() + 1
    )
    flags = Qt.AlignmentFlag.AlignCenter if centred else Qt.AlignmentFlag.AlignVCenter
    painter.drawText(rect, flags, shown)
