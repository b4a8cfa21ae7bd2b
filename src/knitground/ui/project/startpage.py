"""What an empty project shows: ways to begin, and the projects that were open lately."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QIcon, QPainter, QPixmap
from PySide6.QtWidgets import QGridLayout, QLabel, QPushButton, QToolButton, QWidget

from knitground.core.base.tongue import say
from knitground.ui.common.theme import theme
from knitground.ui.common.widgets import button, clear, column, head, note, panel, primary, row
from knitground.ui.common.words import on_button, tip_of
from knitground.ui.project.memory import Memory

_SHOWN, _ACROSS = 8, 4
_PICTURE = (180, 116)
_PICTURES = Path(__file__).parents[1] / "pictures"
"""What each way begins with; made by `tools/start_pictures.py`."""


class StartPage(QWidget):
    """Open a sheet, open the demo, open a project; and the projects that were open lately."""

    sheet_asked = Signal()
    demo_asked = Signal()
    project_asked = Signal()
    recent_asked = Signal(Path)

    def __init__(self, memory: Memory) -> None:
        super().__init__()
        self.memory = memory
        title = QLabel("Knit Ground")
        title.setStyleSheet("font-size: 26px; font-weight: 600;")
        ways = row(
            self._way(
                "sheet",
                say("Open a sheet"),
                say("A PNG with tiles; drop it anywhere on the window, too."),
                primary(
                    say("Open sheet…"), self.sheet_asked.emit, say("Begin with one"), "Ctrl+Shift+O"
                ),
            ),
            self._way(
                "demo",
                say("See it at work"),
                say("Harl Pans: finished maps to change as you like."),
                button(
                    say("Open the demo"),
                    self.demo_asked.emit,
                    say("Write the demo project and open it"),
                ),
            ),
            self._way(
                "map",
                say("Go on"),
                say("A folder with a project.knit.json."),
                button(
                    say("Open project…"), self.project_asked.emit, say("Open a project"), "Ctrl+O"
                ),
            ),
            spacing=16,
        )
        self.recent = column(spacing=4)
        middle = QWidget()
        middle.setMaximumWidth(860)
        subtitle = note(say("From a sprite sheet to seamless maps that a game can load."))
        middle.setLayout(column(1, title, subtitle, ways, self.recent, 2, spacing=14))
        self.setLayout(row(1, middle, 1))
        self.layout().setStretch(1, 8)  # type: ignore[union-attr]

    def showEvent(self, event: object) -> None:
        self.refresh()

    def _way(self, picture: str, name: str, text: str, action: QPushButton) -> QWidget:
        card, shown = panel(), QLabel()
        shown.setPixmap(QPixmap(str(_PICTURES / f"start-{picture}.png")))
        card.setLayout(column(shown, head(name), note(text), 1, row(action, 1), margins=14))
        return card

    def refresh(self) -> None:
        """Show the projects that were open lately, each with a picture."""
        clear(self.recent)
        folders = self.memory.recent[:_SHOWN]
        if not folders:
            return
        self.recent.addWidget(head(say("Lately")))
        cards = QWidget()
        grid = QGridLayout(cards)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(12)
        for place, folder in enumerate(folders):
            grid.addWidget(self._card(folder), place // _ACROSS, place % _ACROSS)
        grid.setColumnStretch(_ACROSS, 1)
        self.recent.addWidget(cards)

    def _card(self, folder: Path) -> QToolButton:
        card = QToolButton()
        card.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
        card.setIconSize(QSize(*_PICTURE))
        card.setIcon(QIcon(self._picture(folder)))
        card.setFixedSize(_PICTURE[0] + 20, _PICTURE[1] + 34)
        name = card.fontMetrics().elidedText(folder.name, Qt.TextElideMode.ElideMiddle, _PICTURE[0])
        card.setText(on_button(name))
        card.setToolTip(tip_of(say("Open {folder}", folder=folder)))
        card.setAccessibleName(say("Open {name}", name=folder.name))
        card.setCursor(Qt.CursorShape.PointingHandCursor)
        card.clicked.connect(lambda *_: self.recent_asked.emit(folder))
        return card

    def _picture(self, folder: Path) -> QPixmap:
        """Give a project's picture on paper of one size, so that all cards line up."""
        out = QPixmap(*_PICTURE)
        out.fill(theme().colour("sunken"))
        path = self.memory.picture(folder)
        shown = QPixmap(str(path)) if path is not None else QPixmap()
        if not shown.isNull():
            keep = Qt.AspectRatioMode.KeepAspectRatio
            larger = shown.width() < _PICTURE[0] and shown.height() < _PICTURE[1]
            how = Qt.TransformationMode.FastTransformation  # pixels stay hard where they grow
            if not larger:
                how = Qt.TransformationMode.SmoothTransformation
            shown = shown.scaled(QSize(*_PICTURE), keep, how)
            painter = QPainter(out)
            painter.drawPixmap(
                (_PICTURE[0] - shown.width()) // 2, (_PICTURE[1] - shown.height()) // 2, shown
            )
            painter.end()
        return out
