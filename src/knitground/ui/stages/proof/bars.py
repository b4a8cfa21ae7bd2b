"""One small bar a check: empty while it waits, filling while it runs, madder if it found some."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFont, QHelpEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QToolTip, QWidget

from knitground.core.base.tongue import say
from knitground.core.proof.proof import CHECKS
from knitground.ui.common.painting import painting
from knitground.ui.common.theme import theme
from knitground.ui.common.words import tip_of
from knitground.ui.stages.proof.prover import Checked, State

_HIGH, _WIDE, _NARROW = 44, 17, 9
"""Pixels: of the bars, and of each where there is room and where there is none."""


class CheckBars(QWidget):
    """Shows how far each check is and what it found; a click shows its findings alone."""

    chosen = Signal(str)
    """Key of the check whose findings are wanted alone; "" for all."""

    def __init__(self) -> None:
        super().__init__()
        self.checks: dict[str, Checked] = {}
        self.counts: dict[str, int] = {}
        self.key = ""
        self.setMinimumSize(QSize(len(CHECKS) * _NARROW, _HIGH))
        self.setFixedHeight(_HIGH)
        self.setAccessibleName(say("Checks"))

    def show_checks(self, checks: dict[str, Checked], counts: dict[str, int], key: str) -> None:
        """Show how far checks are, and how many faults each has found."""
        self.checks, self.counts, self.key = checks, counts, key
        self.update()

    @property
    def wide(self) -> float:
        """Pixels that each bar has."""
        return min(_WIDE, self.width() / len(CHECKS))

    def _key_at(self, at: QPointF) -> str:
        place = int(at.x() // self.wide)
        return list(CHECKS)[place] if 0 <= place < len(CHECKS) else ""

    def words(self, key: str) -> str:
        """Say how far a check is."""
        check, one = CHECKS[key], self.checks.get(key, Checked())
        count = self.counts.get(key, 0)
        state = {
            State.WAITS: "waits", State.RUNS: say("is being checked"),
            State.DONE: say("{count} found", count=count) if count else say("nothing found"),
            State.FAILED: say("could not be made: {words}", words=one.words),
        }[one.state]  # fmt: skip
        return f"{check.title}: {state}\n{check.hint}"

    def event(self, event: object) -> bool:
        if isinstance(event, QHelpEvent):
            key = self._key_at(QPointF(event.pos()))
            QToolTip.showText(event.globalPos(), tip_of(self.words(key)) if key else "", self)
            return True
        return super().event(event)  # type: ignore[arg-type]

    def mousePressEvent(self, event: QMouseEvent) -> None:
        key = self._key_at(event.position())
        self.chosen.emit("" if key == self.key else key)

    def paintEvent(self, event: QPaintEvent) -> None:
        t = theme()
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            font = QFont(self.font())
            font.setPixelSize(10)
            painter.setFont(font)
            for n, key in enumerate(CHECKS):
                one, count = self.checks.get(key, Checked()), self.counts.get(key, 0)
                bar = QRectF(n * self.wide + 0.18 * self.wide, 16, self.wide * 0.64, _HIGH - 22)
                painter.setPen(QPen(t.colour("accent" if key == self.key else "line"),
                                    2 if key == self.key else 1))  # fmt: skip
                painter.setBrush(t.colour("sunken"))
                painter.drawRoundedRect(bar, 2, 2)
                part = {State.WAITS: 0.0, State.RUNS: 0.5}.get(one.state, 1.0)
                role = "madder" if count else "warning" if one.state is State.FAILED else "good"
                role = "ink2" if one.state is State.RUNS else role
                inner = bar.adjusted(2, 2, -2, -2)
                inner.setTop(inner.bottom() - inner.height() * part)
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(t.colour(role))
                if part:
                    painter.drawRoundedRect(inner, 1, 1)
                if count:
                    painter.setPen(t.colour("madder"))
                    above = QRectF(n * self.wide - 3, 0, self.wide + 6, 14)
                    words = str(count) if count < 1000 else "…"
                    painter.drawText(above, Qt.AlignmentFlag.AlignCenter, words)
