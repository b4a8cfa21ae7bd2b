"""What changed: the project against its last save, another folder or a revision, as pictures."""

from __future__ import annotations

from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPixmap
from PySide6.QtWidgets import (
    QDialogButtonBox,
    QFileDialog,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QWidget,
)

from knitground.core.base.errors import EditError
from knitground.core.base.progress import Progress
from knitground.core.compare.differences import Difference, differences, taken_back
from knitground.core.compare.pictures import drawn_small, marked
from knitground.core.edit.document import Document
from knitground.core.files.opening import open_project
from knitground.core.files.revision import write_revision
from knitground.core.render.pixels import premultiplied
from knitground.core.render.tiles import tile_pixels
from knitground.ui.common.asking import ask_text
from knitground.ui.common.dialog import Dialog
from knitground.ui.common.marks import Face, draw_marks
from knitground.ui.common.painting import image_of
from knitground.ui.common.question import Question
from knitground.ui.common.widgets import button, column, note, row, tile_pixmap
from knitground.ui.session import Session

_PICTURE = QSize(380, 300)
_TAKES = {"map": "the whole map", "set": "its marks", "mix": "the mix", "rules": "the rules"}
"""What is taken back with a difference, by its part."""
_IN_A_ROW, _TILES = 5, 20


def map_picture(doc: Document | None, difference: Difference) -> NDArray[np.uint32] | None:
    """Draw the map of a difference small, its cells marked; it may take a while."""
    map_ = doc.project.map_named(difference.name) if doc and difference.part == "map" else None
    if doc is None or map_ is None:
        return None
    picture = drawn_small(doc, map_, _PICTURE.width())
    if difference.cells is not None:
        picture = marked(picture, map_, difference.cells)
    return premultiplied(picture)


def put_picture(label: QLabel, picture: QPixmap | None, difference: Difference | None) -> None:
    """Show a picture, or say that there is none."""
    if picture is not None:
        label.setPixmap(picture)
    else:
        label.setPixmap(QPixmap())
        label.setText("nothing to be seen" if difference is not None else "")


class ChangedDialog(Dialog):
    """Lists what is different; what is chosen is shown as it was and as it is."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.session = session
        self.setWindowTitle("What changed")
        self.before: Document | None = None
        self.found: list[Difference] = []
        self._question = Question(lambda: session.doc, self)
        folder = session.project.folder
        self.saved = button("Since the last save", lambda: self.compare(folder),
                            "Against the files of this project as they are now")  # fmt: skip
        self.other = button("Against a folder…", self._ask_folder, "Against another project")
        hint = "Against a revision of the git repository that it lies in"
        self.revision = button("Against a revision…", self._ask_revision, hint)
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
            each.setFixedSize(_PICTURE)
            each.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.take = button("Take this back", self.take_back, "As it was before, as one step")
        self.go = button("Go there", self._go, "Show the map, the first cell in the middle")
        close = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        close.rejected.connect(self.reject)
        pictures = row(column(note("before"), self.old), column(note("now"), self.new), spacing=8)
        right = column(pictures, 1, row(self.take, self.go, 1), spacing=6)
        self.setLayout(column(
            row(self.saved, self.other, self.revision, 1), self.told,
            row(self.list, right, spacing=10), row(1, close), margins=12,
        ))  # fmt: skip
        self._fill([], "Choose what the project is to be compared with.")

    # Comparing

    def _ask_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Compare with the project in…")
        if name:
            self.compare(Path(name))

    def _ask_revision(self) -> None:
        revision = ask_text(self, "Compare with a revision", "Revision, as git names it (HEAD~1)")
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
            where = f"{folder} in “{revision}”" if revision else str(folder)
            count = len(found)
            self._fill(found, f"{count} difference{'' if count == 1 else 's'} against {where}")

        self.session.run_long("Comparing…", work, done)

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
        what = _TAKES.get(chosen.part, "") if chosen is not None else ""
        if chosen is not None and chosen.part == "set" and not chosen.tiles:
            what = ""
        self.take.setText(f"Take {what} back" if what else "Take this back")
        self.take.setEnabled(bool(what))
        self.go.setEnabled(chosen is not None and chosen.part == "map"
                           and self.session.project.map_named(chosen.name) is not None)  # fmt: skip
        self._question.forget()
        if chosen is None or chosen.tiles:
            for label, doc in self._sides():
                put_picture(label, self._tiles(doc, chosen) if doc and chosen else None, chosen)
            return
        for label in (self.old, self.new):
            put_picture(label, None, None)
        before, now = self.before, self.session.doc
        self._question.ask(
            lambda _: [map_picture(doc, chosen) for doc in (before, now)],
            lambda drawn: self._put(drawn or [None, None], chosen),
        )

    def _sides(self) -> tuple[tuple[QLabel, Document | None], ...]:
        return (self.old, self.before), (self.new, self.session.doc)

    def _put(self, drawn: list[NDArray[np.uint32] | None], difference: Difference) -> None:
        for (label, _), pixels in zip(self._sides(), drawn):
            shown = None
            if pixels is not None:
                shown = QPixmap.fromImage(image_of(pixels).copy()).scaled(
                    _PICTURE, Qt.AspectRatioMode.KeepAspectRatio
                )
            put_picture(label, shown, difference)

    @property
    def chosen(self) -> Difference | None:
        """The difference that is chosen."""
        place = self.list.currentRow()
        return self.found[place] if 0 <= place < len(self.found) else None

    def _tiles(self, doc: Document, difference: Difference) -> QPixmap | None:
        """Show the first tiles side by side; those of a set with their marks."""
        owner, _, name = difference.name.partition(" · ")
        found = doc.project.set_of(owner, name) if difference.part == "set" else None
        side = _PICTURE.width() // _IN_A_ROW
        out = QPixmap(_PICTURE)
        out.fill(Qt.GlobalColor.transparent)
        painter = QPainter(out)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for n, tile in enumerate(difference.tiles[:_TILES]):
            home = doc.project.tileset_named(tile.tileset)
            pixels = tile_pixels(home, tile) if home is not None else None
            if pixels is None:
                continue
            shown = tile_pixmap(pixels, side - 6)
            left, top = n % _IN_A_ROW * side, n // _IN_A_ROW * side
            painter.drawPixmap(left, top, shown)
            if found is not None and home is not None:
                guest = tile.tileset if tile.tileset != owner else None
                marks = found[1].marks_within(home.rows, home.columns, guest)
                face = Face(QRectF(left, top, shown.width(), shown.height()))
                draw_marks(painter, face, marks[tile.row, tile.col].tolist(), found[1])
        painter.end()
        return out

    # Acting

    def take_back(self) -> None:
        """Take the chosen part back as it was before."""
        before, difference = self.before, self.chosen
        if before is None or difference is None:
            return
        try:
            edit = taken_back(before.project, self.session.project, difference)
        except EditError as error:
            self.told.setText(str(error))
            return
        self.session.apply(edit)
        map_ = self.session.project.map_named(difference.name)
        if difference.part == "map" and map_ is not None:
            self.session.choose_map(map_)
        gone = (difference.part, difference.name) if difference.part != "set" else None
        kept = [each for each in self.found
                if each is not difference and (each.part, each.name) != gone]  # fmt: skip
        self._fill(kept, f"{edit.name}: Ctrl+Z undoes it")

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
