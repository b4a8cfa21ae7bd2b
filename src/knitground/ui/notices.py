"""The quiet strip: one line of notes and warnings, with a cure to click where there is one."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, Qt, QTimer
from PySide6.QtWidgets import QFrame, QLabel, QPushButton, QWidget

from knitground.ui.theme import theme
from knitground.ui.widgets import button, row

_NOTE_MS = 7000
_RAIL_PX = 76


class Notices(QFrame):
    """Shows the last note until it is clicked away; mere notes go by themselves."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.text = QLabel()
        self.text.setWordWrap(True)
        self.text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.cure = QPushButton()
        self.cure.hide()
        self._cure: Callable[[], object] | None = None
        self.cure.clicked.connect(self._run_cure)
        dismiss = button("Dismiss", self.hide, "Put this note away")
        line = row(self.text, self.cure, dismiss, margins=1)
        line.setStretch(0, 1)
        self.setLayout(line)
        self.setAutoFillBackground(True)
        self._over: QWidget | None = None
        self._timer = QTimer(self, singleShot=True, interval=_NOTE_MS)
        self._timer.timeout.connect(self.hide)
        self.hide()

    def tell(
        self,
        text: str,
        kind: str = "note",
        cure: str = "",
        action: Callable[[], object] | None = None,
    ) -> None:
        """Show a note; `cure` is the text of a button that runs `action`."""
        t = theme()
        edge = {"warning": t.warning, "good": t.good}.get(kind, t.accent)
        self.setStyleSheet(
            f"Notices {{ background: {t.panel}; border: 1px solid {t.line}; "
            f"border-left: 4px solid {edge}; }}"
        )
        self.text.setText(text)
        self._cure = action
        self.cure.setText(cure)
        self.cure.setVisible(action is not None)
        self._place()
        self.show()
        self._timer.stop()
        if kind == "note" and action is None:
            self._timer.start()

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

    def _run_cure(self) -> None:
        self.hide()
        if self._cure is not None:
            self._cure()
