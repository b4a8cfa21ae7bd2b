"""Ship: write what a game reads."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QSize, Qt, QUrl, Signal
from PySide6.QtGui import QDesktopServices, QImage, QPixmap
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QWidget,
)

from knitground.core.base.errors import KnitError
from knitground.core.base.progress import Progress
from knitground.core.edit.changed import Changed, What
from knitground.core.files.made import NotOursError
from knitground.core.files.ship.names import ship_names
from knitground.core.files.ship.ship import FORMATS, Shipped, ship
from knitground.core.model.map import Map
from knitground.ui.common.commands import Commands
from knitground.ui.common.tasks import run_with_progress
from knitground.ui.common.widgets import button, column, head, note, primary, row, set_role
from knitground.ui.common.words import bytes_text, tip_of
from knitground.ui.session import Session
from knitground.ui.stages.stage import Stage

_SCALES = ("full size", "1 : 2", "1 : 4", "1 : 8")
_ALL = "all maps"
_PREVIEW_BYTES = 4_000_000


class ShipBench(Stage):
    """The stage: which maps, which formats, where to, and what was written."""

    shipped = Signal(list)

    key = "ship"
    wide = 380

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.maps = QComboBox()
        self.maps.setToolTip("The map to ship")
        self.boxes: dict[str, QCheckBox] = {}
        for key, each in FORMATS.items():
            box = self.boxes[key] = QCheckBox(each.title)
            box.setToolTip(tip_of(each.hint))
            box.setChecked(each.usual)
            box.toggled.connect(self._show_state)
            box.toggled.connect(self._ask_anew)
        self.scale = QComboBox()
        self.scale.addItems(_SCALES)
        self.scale.setToolTip("Scale of the picture")
        self.folder = QLineEdit()
        self.folder.setPlaceholderText("a folder for the files")
        self.folder.textChanged.connect(self._show_state)
        self.folder.textChanged.connect(self._ask_anew)
        self.maps.currentTextChanged.connect(self._ask_anew)
        self.go = primary("Ship", self.ship_now, "Write the files", "Ctrl+E")
        self.state = QLabel()
        self.state.setWordWrap(True)
        self.anyway = button(
            "Overwrite them", lambda: self.ship_now(overwrite=True),
            "Write over the files there that were not shipped from here",
        )  # fmt: skip
        self.anyway.hide()
        self.files = QListWidget()
        self.files.setToolTip("Double-click opens the file")
        self.files.itemActivated.connect(lambda item: self._open(item.text()))
        self.preview = QLabel("The files that are written will be listed here.")
        self.preview.setProperty("role", "note")
        self._written: dict[str, Path] = {}
        self._lay_out()
        session.changed.connect(self._follow)
        session.opened.connect(self._reopen)

    def _lay_out(self) -> None:
        to = row(self.folder, button("Choose…", self._choose, "Choose the folder"))
        to.setStretch(0, 1)
        layout = column(
            head("Ship"),
            note("Write what a game reads. Two runs of the same project give the same bytes."),
            row(QLabel("What"), self.maps, 1),
            *self._format_lines(),
            QLabel("To"),
            to,
            row(self.go, 1),
            self.state,
            row(self.anyway, 1),
            self.preview,
            self.files,
            margins=14,
        )
        layout.setStretch(layout.count() - 1, 1)
        self.setLayout(layout)

    def _format_lines(self) -> list[QWidget | QHBoxLayout]:
        lines: list[QWidget | QHBoxLayout] = []
        for key, each in FORMATS.items():
            lines.append(self.boxes[key])
            if each.has_scale:
                lines.append(row(QLabel("      Scale"), self.scale, 1))
        return lines

    def _follow(self, change: Changed) -> None:
        if change.what is What.MAPS:
            self.refresh_later()

    def add_commands(self, commands: Commands) -> None:
        commands.add("Project", "Ship", self.ship_now, "Ctrl+E")

    def _reopen(self) -> None:
        self.files.clear()
        self.preview.setText("The files that are written will be listed here.")
        self._written = {}
        folder = self.session.project.folder
        self.folder.setText(str(folder / "shipped") if folder else "")
        self.refresh_later()

    def refresh(self) -> None:
        """Show the maps there are."""
        names = [each.name for each in self.session.project.maps]
        items = [*names, _ALL] if len(names) > 1 else names
        if [self.maps.itemText(n) for n in range(self.maps.count())] != items:
            self.maps.clear()
            self.maps.addItems(items)
            if len(names) > 1:
                self.maps.setCurrentText(_ALL)
        self._show_state()

    def _show_state(self) -> None:
        problem = self._problem()
        self.go.setEnabled(problem is None)
        if problem is not None:
            self.state.setText(problem)
            set_role(self.state, "note")
        elif not self._written:
            self.state.setText("")

    def _ask_anew(self) -> None:
        """What may be overwritten was said of other files."""
        self.anyway.hide()

    def _problem(self) -> str | None:
        if not self.session.project.maps:
            return "There is no map to ship yet: make one in Draw."
        if not self._formats():
            return "Choose at least one format."
        if not self.folder.text().strip():
            return "Choose a folder."
        return None

    def _formats(self) -> list[str]:
        return [key for key, box in self.boxes.items() if box.isChecked()]

    def _choose(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, "Ship to", self.folder.text())
        if folder:
            self.folder.setText(folder)

    def ship_now(self, *, overwrite: bool = False) -> None:
        """Write the files, with progress and Cancel if it takes long.

        Those that were not shipped from here are written over only if somebody has said so.
        """
        self.catch_up()
        problem = self._problem()
        if problem is not None:
            self.session.warn(problem)
            return
        name = self.maps.currentText()
        project, doc = self.session.project, self.session.doc
        maps = project.maps if name == _ALL else [m for m in project.maps if m.name == name]
        folder = Path(self.folder.text()).expanduser()
        formats, level = self._formats(), self.scale.currentIndex()
        knit: Callable[[Map], object] = doc.ensure_all

        wide = max(120, self.files.width())
        pictures = [f"{name}.png" for name in ship_names(project, maps).maps.values()]

        def work(progress: Progress) -> tuple[Shipped, QImage | None]:
            shipped = ship(
                project, maps, folder, formats, level, progress, knit, overwrite=overwrite
            )
            return shipped, _preview(shipped.files, pictures, wide)

        self.anyway.hide()
        self.session.finish_gesture()
        doc = self.session.doc
        run_with_progress(self.window(), "Shipping…", work, self._done, self._failed, doc)

    def _done(self, shipped: tuple[Shipped, QImage | None]) -> None:
        done, preview = shipped
        files = done.files
        self.files.clear()
        self._written = {}
        for path in files:
            line = f"{path.name}   {bytes_text(path.stat().st_size)}"
            self._written[line] = path
            self.files.addItem(line)
        words = f"{len(files)} files in {files[0].parent}"
        gaps = [f"“{name}” has {count}" for name, count in done.gaps.items()]
        if gaps:
            words += f". Cells without a tile that fits: {', '.join(gaps)}"
        self.state.setText(words)
        set_role(self.state, "warning" if gaps else "good")
        self.preview.setText("")
        if preview is not None:
            self.preview.setPixmap(QPixmap.fromImage(preview))
        self.shipped.emit(files)

    def _failed(self, error: KnitError) -> None:
        self.state.setText(f"Nothing written: {error}")
        set_role(self.state, "warning")
        self.anyway.setVisible(isinstance(error, NotOursError))

    def _open(self, line: str) -> None:
        path = self._written.get(line)
        if path is not None:
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(path)))


def _preview(files: list[Path], pictures: list[str], wide: int) -> QImage | None:
    """Read the first map's picture small; beside the interface, for it may be large."""
    shown = next((path for path in files if path.name in pictures), None)
    if shown is None or shown.stat().st_size > _PREVIEW_BYTES:
        return None
    keep = Qt.AspectRatioMode.KeepAspectRatio
    smooth = Qt.TransformationMode.SmoothTransformation
    return QImage(str(shown)).scaled(QSize(wide, 220), keep, smooth)
