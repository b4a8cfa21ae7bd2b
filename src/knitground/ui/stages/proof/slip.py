"""A slip: the picture of a fault, what is wrong in one line, and what can be done about it."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QEnterEvent, QKeyEvent, QMouseEvent, QPixmap
from PySide6.QtWidgets import QFrame, QLabel

from knitground.core.base.tongue import say
from knitground.core.proof.finding import Finding
from knitground.core.proof.proof import CHECKS
from knitground.ui.common.widgets import button, column, note, plain, row

PICTURE = QSize(126, 84)


class Slip(QFrame):
    """Shows one finding; its place is gone to by a click, or with Enter."""

    wanted = Signal(object)
    """The finding's next place is to be shown."""
    cured, all_cured, excused = Signal(object), Signal(object), Signal(object)
    pointed = Signal(object)
    """The pointer is over it, or has left it (None)."""
    stepped = Signal(object, int)
    """The slip before or behind is wanted."""

    def __init__(self, finding: Finding, picture: QPixmap | None, alike: int, why: str) -> None:
        super().__init__()
        self.finding, self.place = finding, -1
        check = CHECKS[finding.check]
        self.setProperty("panel", "true")
        self.setFrameShape(QFrame.Shape.StyledPanel)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(finding.words)
        self.setToolTip(
            say("Click (Enter): go there, again: the next place · C: mend · N: not a fault")
        )
        self.picture = QLabel()
        self.picture.setFixedSize(PICTURE)
        if picture is not None:
            self.picture.setPixmap(picture)
        self.words = plain(finding.words)
        self.words.setWordWrap(True)
        self.count = note(self._count_words() + (say(" · no fault: {why}", why=why) if why else ""))
        self.is_excused = bool(why)
        self.cure = button(
            check.cure_words or say("Mend"),
            lambda: self.cured.emit(finding),
            say("Mend this one (C)"),
        )
        self.every = button(
            say("all {alike}", alike=alike),
            lambda: self.all_cured.emit(finding),
            say("Mend all that this check found"),
        )
        words = say("a fault after all") if why else say("not a fault")
        self.excuse = button(words, lambda: self.excused.emit(finding), f"{words.capitalize()} (N)")
        self.excuse.setProperty("quiet", "true")
        for act in (self.cure, self.every, self.excuse):
            act.setAccessibleName(f"{act.text()}: {finding.words}")
        acts = row(self.cure, self.every, 1, self.excuse, spacing=4)
        text = column(self.words, self.count, 1, acts, spacing=2)
        body = row(self.picture, text, margins=6, spacing=8)
        body.setStretch(1, 1)
        self.setLayout(body)
        can = check.cure is not None and not why
        shown = {self.picture: picture is not None, self.count: bool(self.count.text()),
                 self.cure: can, self.every: can and alike > 1}  # fmt: skip
        for each, on in shown.items():
            each.setVisible(on)  # once they lie in here: before, each would be a window

    def _count_words(self) -> str:
        count = self.finding.count
        return (
            say("{count} places", count=count) if count > 1 and len(self.finding.places) > 1 else ""
        )

    def go(self) -> None:
        """Ask for the next place."""
        self.place = (self.place + 1) % max(1, len(self.finding.places))
        if len(self.finding.places) > 1:
            self.count.setText(
                say("{place} of {count} places", place=self.place + 1, count=self.finding.count)
            )
        self.wanted.emit(self)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self.setFocus()
            self.go()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.go()
        elif key in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            self.stepped.emit(self, 1 if key == Qt.Key.Key_Down else -1)
        elif key == Qt.Key.Key_C and not event.modifiers() and self.cure.isVisibleTo(self):
            self.cured.emit(self.finding)
        elif key == Qt.Key.Key_N and not event.modifiers():
            self.excused.emit(self.finding)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: object) -> None:
        self.setProperty("chosen", "true")
        self.style().polish(self)
        self.pointed.emit(self.finding)
        super().focusInEvent(event)  # type: ignore[arg-type]

    def focusOutEvent(self, event: object) -> None:
        self.setProperty("chosen", "false")
        self.style().polish(self)
        super().focusOutEvent(event)  # type: ignore[arg-type]

    def enterEvent(self, event: QEnterEvent) -> None:
        self.pointed.emit(self.finding)

    def leaveEvent(self, event: object) -> None:
        self.pointed.emit(None)
