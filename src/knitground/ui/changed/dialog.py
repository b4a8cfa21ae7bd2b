"""What changed: the project against its last save, another folder or a revision, as pictures."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import datetime
from functools import partial
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import Qt
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import (
    QDialogButtonBox,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QToolButton,
    QWidget,
)

from knitground.core.base.errors import EditError
from knitground.core.base.progress import Progress
from knitground.core.base.tongue import say, say_many
from knitground.core.compare.differences import Difference, differences
from knitground.core.compare.takeback import taken_back, whole_back
from knitground.core.edit.document import Document
from knitground.core.files.copies import Copy
from knitground.core.files.opening import open_project
from knitground.core.files.revision import write_revision
from knitground.ui.changed.pictures import PICTURE, fitted, map_picture, part_picture
from knitground.ui.common.asking import ask_text
from knitground.ui.common.dialog import Dialog
from knitground.ui.common.filedialogs import ask_folder
from knitground.ui.common.question import Question
from knitground.ui.common.widgets import button, column, note, row
from knitground.ui.common.words import on_button
from knitground.ui.session import Session


def put_picture(label: QLabel, picture: QPixmap | None, difference: Difference | None) -> None:
    """Show a picture, or say that there is none."""
    if picture is not None:
        label.setPixmap(picture)
    else:
        label.setPixmap(QPixmap())
        label.setText(say("nothing to be seen") if difference is not None else "")


class ChangedDialog(Dialog):
    """Lists what is different; what is chosen is shown as it was and as it is."""

    def __init__(
        self, session: Session, parent: QWidget, copies: Callable[[], Sequence[Copy]] = tuple
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.setWindowTitle(say("What changed"))
        self.before: Document | None = None
        self.found: list[Difference] = []
        self._question = Question(lambda: session.doc, self)
        folder = session.project.folder
        self.saved = button(say("Since the last save"), lambda: self.compare(folder),
                            say("Against the files of this project as they are now"))  # fmt: skip
        self.other = button(
            say("Against a folder…"), self._ask_folder, say("Against another project")
        )
        hint = say("Against a revision of the git repository that it lies in")
        self.revision = button(say("Against a revision…"), self._ask_revision, hint)
        self.kept = QToolButton()
        self.kept.setText(say("Against a kept copy "))
        self.kept.setToolTip(say("Against work that was not saved when the program ended"))
        self.kept.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(self.kept)
        for copy in copies():
            when = datetime.fromtimestamp(copy.saved_at).strftime("%d %B, %H:%M")
            menu.addAction(on_button(say("“{name}” of {when}", name=copy.name, when=when)),
                           partial(self.compare, copy.folder))  # fmt: skip
        self.kept.setMenu(menu)
        self.kept.setEnabled(bool(menu.actions()))
        self.saved.setEnabled(folder is not None)
        self.revision.setEnabled(folder is not None)
        self.list = QListWidget()
        self.list.setMinimumSize(300, 340)
        self.list.setWordWrap(True)
        self.list.setSpacing(3)
        self.list.currentRowChanged.connect(self._show)
        self.told = note()
        self.old, self.new = QLabel(), QLabel()
        for each in (self.old, self.new):
            each.setFixedSize(PICTURE)
            each.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.take = button(
            say("Take this back"), self.take_back, say("As it was before, as one step")
        )
        self.whole = button(
            say("The whole map"),
            lambda: self.take_back(all_of_it=True),
            say("Take back whatever is different of this map, as one step"),
        )
        self.go = button(
            say("Go there"), self._go, say("Show the map, the first cell in the middle")
        )
        close = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        close.rejected.connect(self.reject)
        pictures = row(
            column(note(say("before")), self.old), column(note(say("now")), self.new), spacing=8
        )
        right = column(pictures, 1, row(self.take, self.whole, self.go, 1), spacing=6)
        self.setLayout(column(
            row(self.saved, self.other, self.revision, self.kept, 1), self.told,
            row(self.list, right, spacing=10), row(1, close), margins=12,
        ))  # fmt: skip
        self._fill([], say("Choose what the project is to be compared with."))

    # Comparing

    def _ask_folder(self) -> None:
        folder = ask_folder(self, say("Compare with the project in…"), "compared projects")
        if folder is not None:
            self.compare(folder)

    def _ask_revision(self) -> None:
        revision = ask_text(
            self, say("Compare with a revision"), say("Revision, as git names it (HEAD~1)")
        )
        if revision and self.session.project.folder is not None:
            self.compare(self.session.project.folder, revision)

    def compare(self, folder: Path | None, revision: str = "") -> None:
        """Compare with what lies in a folder, or lay there in a revision."""
        if folder is None:
            return
        now = self.session.doc

        def work(progress: Progress) -> tuple[Document, list[Difference]]:
            if not revision:
                before = Document(open_project(folder).project)
                return before, differences(before, now, progress)
            with TemporaryDirectory(prefix="knitground-") as room:
                before = Document(
                    open_project(write_revision(folder, revision, Path(room))).project
                )
                return before, differences(before, now, progress)

        def done(made: tuple[Document, list[Difference]]) -> None:
            self.before, found = made
            where = (
                say("{folder} in “{revision}”", folder=folder, revision=revision)
                if revision
                else str(folder)
            )
            count = len(found)
            self._fill(
                found,
                say_many(
                    "{count} difference against {where}",
                    "{count} differences against {where}",
                    count,
                    where=where,
                ),
            )

        self.session.run_long(say("Comparing…"), work, done)

    def _fill(self, found: list[Difference], words: str) -> None:
        self.found = found
        self.told.setText(words)
        self.list.clear()
        for each in found:
            QListWidgetItem(f"{each.name}\n{each.words}", self.list)
        if found:
            self.list.setCurrentRow(0)
        else:
            self._show(-1)

    # Showing

    def _show(self, place: int) -> None:
        chosen = self.chosen
        of_map = chosen is not None and chosen.part == "map"
        self.take.setEnabled(chosen is not None)
        self.whole.setEnabled(of_map)
        self.go.setEnabled(of_map and chosen is not None
                           and self.session.project.map_named(chosen.name) is not None)  # fmt: skip
        self._question.forget()
        before, now = self.before, self.session.doc
        if chosen is None or before is None or not of_map:
            states = ((self.old, before, now), (self.new, now, before))
            for label, doc, other in states:
                shown = None
                if chosen is not None and doc is not None and other is not None:
                    shown = part_picture(doc.project, other.project, chosen)
                put_picture(label, shown, chosen)
            return
        for label in (self.old, self.new):
            put_picture(label, None, None)
        self._question.ask(
            lambda _: [map_picture(doc, chosen) for doc in (before, now)],
            lambda drawn: self._put(drawn or [None, None], chosen),
        )

    def _put(self, drawn: list[NDArray[np.uint32] | None], difference: Difference) -> None:
        for label, pixels in zip((self.old, self.new), drawn):
            put_picture(label, fitted(pixels) if pixels is not None else None, difference)

    @property
    def chosen(self) -> Difference | None:
        """The difference that is chosen."""
        place = self.list.currentRow()
        return self.found[place] if 0 <= place < len(self.found) else None

    # Acting

    def take_back(self, *, all_of_it: bool = False) -> None:
        """Take the chosen difference back as it was before, or the whole map that it is of."""
        before, difference = self.before, self.chosen
        if before is None or difference is None:
            return
        now, back = self.session.project, whole_back if all_of_it else taken_back
        try:
            edit = back(before.project, now, difference)
        except EditError as error:
            self.told.setText(str(error))
            return
        self.session.apply(edit)
        map_ = now.map_named(difference.name)
        if difference.part == "map" and map_ is not None:
            self.session.choose_map(map_)
        doc, words = self.session.doc, say("{name}: Ctrl+Z undoes it", name=edit.name)
        self.session.run_long(
            say("Comparing…"),
            lambda progress: differences(before, doc, progress),
            lambda found: self._fill(found, words),
        )

    def _go(self) -> None:
        difference = self.chosen
        map_ = self.session.project.map_named(difference.name) if difference else None
        if map_ is None or difference is None:
            return
        self.session.choose_map(map_)
        if difference.cells is not None and difference.cells.any():
            row_, col = np.argwhere(difference.cells)[0].tolist()
            self.session.cell_wanted.emit(row_, col)
        self.accept()
