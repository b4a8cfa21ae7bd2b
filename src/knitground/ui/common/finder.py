"""The command finder: type a few letters of any command, Enter runs it."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from knitground.core.base.tongue import say
from knitground.ui.common.commands import Command, Commands
from knitground.ui.common.dialog import Dialog


def match(letters: str, title: str) -> int | None:
    """Rate how well letters fit a title: lower is better, None if they do not.

    All letters must stand in the title in order; letters together and at starts of words count
    for more.

    Examples
    --------
    >>> match("und", "Edit › Undo") < match("und", "Layer › Unlock and draw")
    True
    >>> match("xyz", "Edit › Undo") is None
    True
    """
    text, wanted = title.lower(), letters.lower().replace(" ", "")
    if wanted in text.replace(" ", ""):
        at = text.find(letters.lower())
        return max(0, at) + (0 if at >= 0 else 5)
    place, cost = 0, 100
    for letter in wanted:
        found = text.find(letter, place)
        if found < 0:
            return None
        cost += found - place
        place = found + 1
    return cost


class Finder(Dialog):
    """A list of all commands that can be run now, narrowed by what is typed."""

    def __init__(self, commands: Commands, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self._commands = commands
        self.setWindowTitle(say("Commands"))
        self.setMinimumSize(460, 320)
        self.field = QLineEdit()
        self.field.setPlaceholderText(say("Type what you want to do…"))
        self.field.textChanged.connect(self.narrow)
        self.field.installEventFilter(self)
        self.list = QListWidget()
        self.list.itemClicked.connect(lambda *_: self.run())
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 10, 10, 10)
        layout.addWidget(self.field)
        layout.addWidget(self.list)
        self.narrow("")
        self.field.setFocus()
        middle = parent.geometry().center()
        self.move(middle.x() - 230, parent.geometry().top() + 90)

    def narrow(self, letters: str) -> None:
        """Show the commands that fit, best first."""
        self.list.clear()
        rated = []
        for place, command in enumerate(self._commands.all):
            cost = match(letters, command.title) if letters else place
            if cost is not None and command.action.isEnabled():
                rated.append((cost, place, command))
        for _, _, command in sorted(rated, key=lambda each: each[:2]):
            item = QListWidgetItem(f"{command.title}\t{command.keys}".strip())
            item.setData(Qt.ItemDataRole.UserRole, command)
            self.list.addItem(item)
        self.list.setCurrentRow(0)

    def run(self) -> None:
        """Run the command that is chosen."""
        item = self.list.currentItem()
        self.accept()
        if item is not None:
            command: Command = item.data(Qt.ItemDataRole.UserRole)
            command.action.trigger()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self.field and isinstance(event, QKeyEvent):
            if event.type() == QEvent.Type.KeyPress and event.key() in (
                Qt.Key.Key_Up,
                Qt.Key.Key_Down,
            ):
                step = 1 if event.key() == Qt.Key.Key_Down else -1
                count = max(1, self.list.count())
                self.list.setCurrentRow((self.list.currentRow() + step) % count)
                return True
            if event.type() == QEvent.Type.KeyPress and event.key() in (
                Qt.Key.Key_Return,
                Qt.Key.Key_Enter,
            ):
                self.run()
                return True
        return super().eventFilter(watched, event)
