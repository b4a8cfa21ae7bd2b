"""Asking where a project is to lie: a folder of its own, made when it is saved."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QDialogButtonBox, QFormLayout, QLineEdit, QWidget

from knitground.core.base.filenames import file_stem
from knitground.core.base.tongue import later, say, say_many
from knitground.core.files.places import PROJECT_NAME
from knitground.core.model.limits import MAX_NAME
from knitground.core.model.project import Project
from knitground.ui.common.dialog import Dialog
from knitground.ui.common.filedialogs import ask_folder
from knitground.ui.common.widgets import button, column, note, row

UNNAMED = later("Untitled")


class SaveDialog(Dialog):
    """Asks for a name and a place, and says what will lie there.

    The folder is made if it is not there; a place that is a project already is itself meant.
    """

    def __init__(self, project: Project, place: Path, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(say("Save project"))
        self._counts = (len({each.sheet for each in project.tilesets}), len(project.tilesets),
                        len(project.maps))  # fmt: skip
        self.name = QLineEdit("" if project.name == UNNAMED else project.name)
        self.name.setMaxLength(MAX_NAME)
        self.name.setPlaceholderText(say("name of the project and of its folder"))
        self.name.setToolTip(say("What the project is called; its folder is called so too"))
        self.place = QLineEdit(str(place))
        self.place.setToolTip(say("The folder that the project's own folder is made in"))
        choose = button(
            say("Choose…"), self._choose, say("Choose the folder in which it is to lie")
        )
        self.words = note()
        self.buttons = QDialogButtonBox(
            QDialogButtonBox.StandardButton.Save | QDialogButtonBox.StandardButton.Cancel
        )
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        form = QFormLayout()
        form.addRow(say("Name"), self.name)
        line = row(self.place, choose, spacing=4)
        line.setStretch(0, 1)
        form.addRow(say("In"), line)
        self.setLayout(column(form, self.words, self.buttons, margins=14))
        self.setMinimumWidth(520)
        for field in (self.name, self.place):
            field.textChanged.connect(self._tell)
        self._tell()

    @property
    def folder(self) -> Path:
        """The project's own folder."""
        place = Path(self.place.text().strip()).expanduser()
        if (place / PROJECT_NAME).exists():
            return place
        return place / _folder_name(self.name.text())

    def _choose(self) -> None:
        found = ask_folder(self, say("Where the project is to lie"), "projects", self.place.text())
        if found is not None:
            self.place.setText(str(found))

    def _tell(self) -> None:
        sheets, tilesets, maps = self._counts
        there = self.name.text().strip() and self.place.text().strip()
        self.buttons.button(QDialogButtonBox.StandardButton.Save).setEnabled(bool(there))
        if not there:
            self.words.setText(say("Give it a name and a place."))
            return
        words = [
            PROJECT_NAME,
            say_many("{count} sheet", "{count} sheets", sheets) if sheets else "",
            say_many("{count} tileset", "{count} tilesets", tilesets) if tilesets else "",
            say_many("{count} map", "{count} maps", maps) if maps else "",
        ]  # fmt: skip
        made = "" if self.folder.exists() else say(", which is made")
        self.words.setText(f"{self.folder}{made}: {', '.join(filter(None, words))}.")


def _folder_name(name: str) -> str:
    """Give a folder the project's name where file systems take it, else a plain one."""
    kept = name.strip().strip(".")
    plain = bool(kept) and not set(kept) & set('/\\:*?"<>|\0\n\r\t') and len(kept.encode()) < 200
    return kept if plain else file_stem(name)
