"""What an empty project shows: ways to begin."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QLabel, QPushButton, QWidget

from knitground.ui.widgets import button, clear, column, head, note, panel, primary, row


class EmptyPage(QWidget):
    """Open a sheet, open the demo, open a project; and the projects that were open lately."""

    sheet_asked = Signal()
    demo_asked = Signal()
    project_asked = Signal()
    recent_asked = Signal(Path)

    def __init__(self) -> None:
        super().__init__()
        title = QLabel("Knit Ground")
        title.setStyleSheet("font-size: 26px; font-weight: 600;")
        ways = row(
            self._way(
                "Open a sheet", "A PNG with tiles; drop it on the window, too.",
                primary("Open sheet…", self.sheet_asked.emit, "Begin with one", "Ctrl+Shift+O"),
            ),
            self._way(
                "See it at work", "Harl Pans: two finished maps to change as you like.",
                button("Open the demo", self.demo_asked.emit, "Write the demo project and open it"),
            ),
            self._way(
                "Go on", "A folder with a project.knit.json.",
                button("Open project…", self.project_asked.emit, "Open a project", "Ctrl+O"),
            ),
            spacing=16,
        )  # fmt: skip
        self.recent = column(spacing=4)
        middle = QWidget()
        middle.setMaximumWidth(860)
        subtitle = note("From a sprite sheet to seamless maps that a game can load.")
        middle.setLayout(column(1, title, subtitle, ways, self.recent, 2, spacing=14))
        self.setLayout(row(1, middle, 1))
        self.layout().setStretch(1, 8)  # type: ignore[union-attr]

    def _way(self, name: str, text: str, action: QPushButton) -> QWidget:
        card = panel()
        card.setLayout(column(head(name), note(text), 1, row(action, 1), margins=16))
        card.setMinimumHeight(150)
        return card

    def show_recent(self, folders: Sequence[Path]) -> None:
        """List the projects that were open lately."""
        clear(self.recent)
        if folders:
            self.recent.addWidget(head("Lately"))
        for folder in folders[:6]:
            link = QPushButton(f"{folder.name}   —   {folder.parent}")
            link.setFlat(True)
            link.setStyleSheet("text-align: left;")
            link.setCursor(Qt.CursorShape.PointingHandCursor)
            link.clicked.connect(lambda *_, f=folder: self.recent_asked.emit(f))
            self.recent.addWidget(link)
