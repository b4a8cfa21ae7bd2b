"""The quiet strip: one line of notes and warnings, with a cure to click where there is one."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial

from PySide6.QtCore import QEvent, QObject, Qt, QTimer
from PySide6.QtGui import QPaintEvent
from PySide6.QtWidgets import QFrame, QPushButton, QWidget

from knitground.core.base.tongue import say
from knitground.ui.common.painting import painting
from knitground.ui.common.theme import theme
from knitground.ui.common.widgets import button, plain, row

_NOTE_MS = 7000
_RAIL_PX = 76
_EDGE = 4


class Notices(QFrame):
    """Shows the last note until it is clicked away; mere notes go by themselves."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.text = plain()
        self.text.setWordWrap(True)
        self.text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.cures: list[QPushButton] = []
        self._line = row(self.text, button(say("Dismiss"), self.hide, say("Put this note away")))
        self._line.setContentsMargins(_EDGE + 8, 2, 2, 2)
        self._line.setStretch(0, 1)
        self.setLayout(self._line)
        self._role = "accent"
        self._over: QWidget | None = None
        self._timer = QTimer(self, singleShot=True, interval=_NOTE_MS)
        self._timer.timeout.connect(self.hide)
        self.hide()

    def tell(
        self,
        text: str,
        kind: str = "note",
        cures: Mapping[str, Callable[[], object]] | None = None,
    ) -> None:
        """Show a note; `cures` are texts of buttons and what each does."""
        self._role = kind if kind in ("warning", "good") else "accent"
        self.update()
        self.text.setText(text)
        for old in self.cures:
            self._line.removeWidget(old)
            old.hide()
            old.deleteLater()
        self.cures = [button(name, partial(self._run, act)) for name, act in (cures or {}).items()]
        for n, made in enumerate(self.cures, 1):
            self._line.insertWidget(n, made)
        self._place()
        self.show()
        self._timer.stop()
        if kind == "note" and not cures:
            self._timer.start()

    def paintEvent(self, event: QPaintEvent) -> None:
        t = theme()
        with painting(self) as painter:
            painter.fillRect(self.rect(), t.colour("panel"))
            painter.setPen(t.colour("line"))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
            painter.fillRect(0, 0, _EDGE, self.height(), t.colour(self._role))

    def float_over(self, widget: QWidget) -> None:
        """Lie over the status line at the lower edge of the window; nothing else is hidden."""
        self._over = widget
        self.setParent(widget)
        widget.installEventFilter(self)
        self.hide()

    def _place(self) -> None:
        if self._over is not None:
            wide = max(200, self._over.width() - _RAIL_PX)
            layout = self.layout()
            asked = layout.heightForWidth(wide) if layout is not None else -1
            high = asked if asked > 0 else self.sizeHint().height()
            self.setGeometry(_RAIL_PX, self._over.height() - high, wide, high)
            self.raise_()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize:
            self._place()
        return super().eventFilter(watched, event)

    def _run(self, cure: Callable[[], object]) -> None:
        self.hide()
        cure()
