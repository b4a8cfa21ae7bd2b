"""The window: puts the parts together and carries the commands that concern all of them."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

from PySide6.QtCore import QEvent, QObject, Qt, QTimer
from PySide6.QtGui import (
    QCloseEvent,
    QColor,
    QKeyEvent,
    QKeySequence,
    QShortcut,
)
from PySide6.QtWidgets import (
    QApplication,
    QColorDialog,
    QFileDialog,
    QInputDialog,
    QLabel,
    QMessageBox,
    QSplitter,
    QStackedWidget,
    QWidget,
)

from knitground.core.base.errors import KnitError
from knitground.core.base.progress import Progress
from knitground.core.edit.maps import add_map, set_background, set_screen, set_wrap
from knitground.core.edit.sizes import duplicate_map
from knitground.core.files.images import SUFFIXES, read_picture
from knitground.core.files.places import PROJECT_NAME
from knitground.core.files.project_io import (
    Opened,
    open_project,
    save_project,
    settle_after_save,
)
from knitground.core.model.layers import GroundLayer
from knitground.core.model.project import Project
from knitground.core.model.terrain import ANY, TerrainSet
from knitground.core.model.tileset import Picture, Tileset
from knitground.demo.project import write_demo
from knitground.ui.bench.draw import DrawBench
from knitground.ui.bench.grow import GrowBench
from knitground.ui.bench.ship import ShipBench
from knitground.ui.bench.slice import SliceBench
from knitground.ui.bench.terrains import TerrainsBench
from knitground.ui.commands import Commands
from knitground.ui.crash import (
    CrashHandler,
    forget_recovery,
    recovery_home,
    waiting_recovery,
)
from knitground.ui.dialogs import NewMapDialog, ResizeDialog
from knitground.ui.emptypage import EmptyPage
from knitground.ui.finder import Finder
from knitground.ui.gaps import GapButton
from knitground.ui.hand import TerrainInHand
from knitground.ui.mapside import MapSide
from knitground.ui.memory import Memory, demo_folder
from knitground.ui.menus import add_commands
from knitground.ui.mockupdialog import MockupDialog
from knitground.ui.notices import Notices
from knitground.ui.planning import release_pins
from knitground.ui.session import Session
from knitground.ui.sheetadding import SheetAdder
from knitground.ui.shell import Shell
from knitground.ui.tasks import run_with_progress, wait_for_jobs, warm_up
from knitground.ui.theme import THEMES, theme, use
from knitground.ui.watch import SheetWatcher
from knitground.ui.widgets import column

_WIDTHS = {"terrains": 560, "draw": 320, "grow": 420, "ship": 380}
_QUIET_SAVE_CELLS = 512 * 512


class Window(QObject):
    """The parts of the window inside a `Shell`, and the commands on the whole project."""

    def __init__(self, shell: Shell, memory: Memory | None = None) -> None:
        super().__init__(shell)
        self.shell = shell
        self.memory = memory or Memory()
        app = QApplication.instance()
        chosen = THEMES.get(self.memory.get("theme", theme().name), theme())
        if isinstance(app, QApplication) and chosen is not theme():
            use(app, chosen)
        self.session = Session()
        self.session.runner = self._run_long
        self.stage = "draw"
        self.sheets = SheetAdder(self.session, shell)
        self._make_parts()
        self._lay_out()
        self.commands = Commands(shell)
        add_commands(self, self.commands)
        self._connect()
        self.watcher = SheetWatcher(self.session)
        self.crash = CrashHandler(lambda: self.session.project, self.session.warn)
        warm_up()
        self._idle = QTimer(self, interval=30)
        self._idle.timeout.connect(self._work_off)
        self.session.open(Project())
        shell.installEventFilter(self)
        self.show_stage("draw")

    # Building

    def _make_parts(self) -> None:
        s = self.session
        self.slice = SliceBench(s)
        self.terrains = TerrainsBench(s)
        self.draw = DrawBench(s)
        self.grow = GrowBench(s)
        self.ship = ShipBench(s)
        self.benches: dict[str, QWidget] = {
            "slice": self.slice,
            "terrains": self.terrains,
            "draw": self.draw,
            "grow": self.grow,
            "ship": self.ship,
        }
        self.mapside = MapSide(s)
        self.empty = EmptyPage()
        self.notices = Notices()

    def _lay_out(self) -> None:
        self.bench = QStackedWidget()
        for widget in self.benches.values():
            self.bench.addWidget(widget)
        self.bench.setMinimumWidth(250)
        self.splitter = QSplitter(Qt.Orientation.Horizontal)
        self.splitter.addWidget(self.bench)
        self.splitter.addWidget(self.mapside)
        self.splitter.setStretchFactor(1, 1)
        self.splitter.setChildrenCollapsible(False)
        self.splitter.splitterMoved.connect(self._keep_width)
        work = QWidget()
        layout = column(self.splitter)
        layout.setContentsMargins(6, 6, 6, 2)
        work.setLayout(layout)
        self.notices.float_over(self.shell)
        self.shell.pages.addWidget(self.empty)
        self.shell.pages.addWidget(work)
        self.work = work
        self.title = QLabel()
        self.title.setProperty("role", "note")
        self.title.setFixedWidth(320)
        self.title.setMinimumHeight(26)
        self.title.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.shell.menuBar().setCornerWidget(self.title)
        self.title.show()  # the menu bar is on the screen already, and shows no late-comers
        self.under = QLabel()
        self.under.setIndent(76)
        self.under.setTextFormat(Qt.TextFormat.PlainText)
        self.gaps = GapButton(self.session, self.notices, self._make_missing)
        self.zoom = QLabel()
        bar = self.shell.statusBar()
        bar.setSizeGripEnabled(False)
        bar.addWidget(self.under, 1)
        bar.addPermanentWidget(self.gaps)
        bar.addPermanentWidget(self.zoom)

    def _connect(self) -> None:
        s = self.session
        self.shell.rail.chosen.connect(self.show_stage)
        self.shell.dropped.connect(self._drop)
        s.stage_wanted.connect(self.show_stage)
        s.pointed.connect(self._point)
        s.noticed.connect(lambda text, kind: self.notices.tell(text, kind))
        s.offered.connect(lambda text, cures: self.notices.tell(text, "warning", cures))
        s.steps.connect(self._show_state)
        s.opened.connect(self._show_state)
        s.changed.connect(lambda _: self._on_changed())
        s.picked.connect(self._show_page)
        s.map_wanted.connect(self.map_from_picture)
        s.sheet_wanted.connect(self.sheets.add_picture)
        s.cell_wanted.connect(self.mapside.view.show_cell)
        self.mapside.zoomed.connect(self._show_zoom)
        self.slice.sheet.zoomed.connect(self._show_zoom)
        self.mapside.new_map_asked.connect(self.new_map)
        self.slice.open_asked.connect(self.sheets.ask_sheet)
        self.slice.find_asked.connect(self.sheets.ask_missing)
        self.grow.repeat_wanted.connect(self.set_repeat)
        self.empty.sheet_asked.connect(self.sheets.ask_sheet)
        self.empty.demo_asked.connect(lambda: self.open_demo(None))
        self.empty.project_asked.connect(self.ask_project)
        self.empty.recent_asked.connect(self.open_project)
        for digit in range(10):
            keys = QShortcut(QKeySequence(str(digit)), self.shell)
            keys.activated.connect(lambda n=digit: self.take_terrain(n))

    # Showing

    def show_stage(self, key: str) -> None:
        """Go to a stage."""
        self.stage = key
        self.shell.rail.show_stage(key)
        # Before anything is hidden: else the focus would wander along the window.
        (self.slice.sheet if key == "slice" else self.mapside.view).setFocus()
        self.bench.setCurrentWidget(self.benches[key])
        self.mapside.setVisible(key != "slice")
        if key != "slice":
            width = self.memory.get(f"width {key}", _WIDTHS[key])
            self.splitter.setSizes([width, max(300, self.splitter.width() - width)])
        self.session.pointed.emit("")
        self._show_zoom()
        self._show_page()

    def _keep_width(self) -> None:
        if self.stage != "slice":
            self.memory.keep(f"width {self.stage}", self.splitter.sizes()[0])

    def _show_page(self) -> None:
        project = self.session.project
        empty = not project.tilesets and not project.maps
        self.shell.pages.setCurrentWidget(self.empty if empty else self.work)
        if empty:
            self.empty.show_recent(self.memory.recent)

    def _show_state(self) -> None:
        history = self.session.doc.history
        for name, step in (("Undo", history.undo_name), ("Redo", history.redo_name)):
            action = self.commands.named(name).action
            action.setEnabled(step is not None)
            action.setText(f"{name} {step}" if step else name)
        saved = "" if history.is_saved else " — not saved"
        self.title.setText(f"{self.session.project.name}{saved or ' — saved'}  ")
        self.shell.setWindowTitle(f"{self.session.project.name}{saved} — Knit Ground")
        self._show_page()
        self._on_changed()

    def _on_changed(self) -> None:
        self._idle.start()

    def _show_zoom(self) -> None:
        shown = self.slice.sheet if self.stage == "slice" else self.mapside.active
        self.zoom.setText(f"zoom {shown.camera.text()} · Ctrl+K commands  ")

    def _point(self, text: str) -> None:
        width = max(100, self.under.width() - 80)
        shown = self.under.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, width)
        self.under.setText(shown)
        self.under.setToolTip(text)

    def _work_off(self) -> None:
        """Knit, in idle moments, what nobody has looked at; then tell the gaps."""
        if self.session.doc.in_stroke or not self.shell.isEnabled():
            return
        if self.session.doc.work_off(8):
            return
        self._idle.stop()
        self.gaps.refresh()

    def _make_missing(self, owner: Tileset, kit: TerrainSet) -> None:
        """Go to Terrains with a set and offer to make its missing tiles."""
        self.show_stage("terrains")
        self.terrains.choose_set(owner, kit)
        self.terrains.ask_make()

    def set_repeat(self, on: bool) -> None:
        """Show the map nine times or once."""
        self.mapside.view.set_repeat(on)
        self.mapside.view.fit()
        self.grow.repeat.setChecked(on)
        self.commands.named("Repeat 3 × 3").action.setChecked(on)

    def set_theme(self, name: str) -> None:
        """Dress the window in another theme; it is remembered."""
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        use(app, THEMES[name])
        self.memory.keep("theme", name)
        self.session.dressed.emit()
        for widget in self.shell.findChildren(QWidget):
            widget.update()

    def _run_long(
        self, title: str, work: Callable[[Progress], Any], done: Callable[[Any], object]
    ) -> None:
        run_with_progress(self.shell, title, work, done, lambda e: self.session.warn(str(e)))

    def find_command(self) -> Finder:
        """Show the command finder."""
        finder = Finder(self.commands, self.shell)
        finder.show()
        return finder

    def take_terrain(self, number: int) -> None:
        """Take the n-th terrain of the chosen layer's set in hand (keys 1 to 9)."""
        if self.stage == "terrains":
            kit = self.terrains.kit
            if number == 0:
                self.terrains.choose(ANY)
            elif kit is not None and number <= len(kit.terrains):
                self.terrains.choose(number)
            return
        layer = self.session.layer
        found = None
        if isinstance(layer, GroundLayer):
            found = self.session.project.set_of(layer.tileset, layer.set_name)
        if found is not None and 0 < number <= len(found[1].terrains):
            tileset, kit = found
            self.session.take(TerrainInHand(tileset.name, kit.name, number, kit.name_of(number)))

    # The project

    def new_project(self) -> None:
        """Begin an empty project."""
        if self.may_leave():
            self.session.open(Project())
            self.session.doc.mark_saved()

    def ask_project(self) -> None:
        """Ask for a project and open it."""
        name, _ = QFileDialog.getOpenFileName(
            self.shell, "Open project", "", "Knit Ground project (project.knit.json)"
        )
        if name:
            self.open_project(Path(name))

    def open_project(self, path: Path) -> None:
        """Open a project, with progress if it takes long; an error leaves all as it was."""
        if not self.may_leave():
            return

        def done(opened: Opened) -> None:
            self._take(opened)
            folder = opened.project.folder
            if folder is not None:
                self.memory.add_recent(folder.absolute())

        run_with_progress(
            self.shell,
            f"Opening {path.name}…",
            lambda progress: open_project(path, progress),
            done,
            lambda error: self.session.warn(f"Not opened: {error}"),
        )

    def _take(self, opened: Opened) -> None:
        self.session.open(opened.project)
        self.session.doc.mark_saved()
        self.notices.hide()
        if opened.warnings:
            missing = next((t for t in opened.project.tilesets if t.picture is None), None)
            text = " · ".join(opened.warnings)
            if missing is not None:
                cure = {"Find it…": lambda: self.sheets.ask_missing(missing)}
                self.notices.tell(text, "warning", cure)
            else:
                self.notices.tell(text, "warning")

    def open_demo(
        self, folder: Path | None, then: Callable[[list[Path]], object] = lambda _: None
    ) -> None:
        """Write the demo project and open it; one that is there already is kept as it is.

        `then` gets the project's files.
        """
        target = folder or demo_folder()

        def written(_: object) -> None:
            then(sorted(target.iterdir()))
            self.open_project(target)

        if (target / PROJECT_NAME).exists():
            written(None)
        else:
            self.session.run_long("Drawing the demo…", lambda _: write_demo(target), written)

    def save(self) -> bool:
        """Save the project where it lies, or ask where; returns whether it is saved."""
        folder = self.session.project.folder
        return self.save_to(folder) if folder is not None else self.save_as()

    def save_as(self) -> bool:
        """Ask for a folder and save the project there."""
        name = QFileDialog.getExistingDirectory(self.shell, "Save project in a folder")
        if not name:
            return False
        folder = Path(name)
        if self.session.project.name == "Untitled":
            self.session.project.name = folder.name
        return self.save_to(folder)

    def save_to(self, folder: Path) -> bool:
        """Save the project in a folder; large ones with progress and Cancel."""
        project = self.session.project
        cells = sum(each.height * each.width * len(each.layers) for each in project.maps)
        saved = [False]

        def done(_: object) -> None:
            settle_after_save(project, folder)
            self.session.doc.mark_saved()
            self.memory.add_recent(folder.absolute())
            forget_recovery()
            self.session.noticed.emit(f"Saved in {folder}", "note")
            saved[0] = True

        def failed(error: KnitError) -> None:
            self.session.warn(f"Not saved: {error}")

        if cells <= _QUIET_SAVE_CELLS:
            try:
                done(save_project(project, folder))
            except KnitError as error:
                failed(error)
        else:
            run_with_progress(
                self.shell,
                "Saving…",
                lambda progress: save_project(project, folder, progress),
                done,
                failed,
            )
            while not self.shell.isEnabled():
                QApplication.processEvents()
        return saved[0]

    def may_leave(self) -> bool:
        """Ask what to do with unsaved changes; returns whether to go on."""
        project = self.session.project
        nothing = not project.tilesets and not project.maps
        if self.session.doc.history.is_saved or nothing:
            return True
        box = QMessageBox(self.shell)
        box.setWindowTitle("Unsaved changes")
        box.setText(f"“{project.name}” has changes that are not saved.")
        save = box.addButton("Save", QMessageBox.ButtonRole.AcceptRole)
        drop = box.addButton("Don't save", QMessageBox.ButtonRole.DestructiveRole)
        stay = box.addButton("Cancel", QMessageBox.ButtonRole.RejectRole)
        box.setDefaultButton(save)
        box.setEscapeButton(stay)
        box.exec()
        if box.clickedButton() is save:
            return self.save()
        return box.clickedButton() is drop

    def offer_recovery(self) -> bool:
        """Offer the copy that the last run saved at a bad end; returns whether it is open now."""
        folder = waiting_recovery()
        if folder is None:
            return False
        box = QMessageBox(self.shell)
        box.setWindowTitle("A copy was saved")
        box.setText("The last run came to a bad end. A copy of the project was saved first.")
        take = box.addButton("Take up the copy", QMessageBox.ButtonRole.AcceptRole)
        drop = box.addButton("Throw it away", QMessageBox.ButtonRole.DestructiveRole)
        box.addButton("Later", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        if box.clickedButton() is take:
            self.recover(folder)
            return True
        if box.clickedButton() is drop:
            forget_recovery(folder)
        return False

    def recover(self, folder: Path) -> None:
        """Open a saved copy as the project that it was, with changes not saved."""
        try:
            opened = open_project(folder)
        except KnitError as error:
            self.session.warn(f"The copy can not be opened: {error}")
            return
        home = recovery_home(folder)
        for tileset in opened.project.tilesets:
            if home is None or not (home / tileset.sheet).exists():
                tileset.origin = folder / tileset.sheet
        opened.project.folder = home
        self._take(opened)
        self.session.doc.history.mark_unsaved()
        self._show_state()

    # Maps

    def new_map(self) -> None:
        """Ask for a size and add a map."""
        dialog = NewMapDialog(self.session, self.shell)
        if dialog.exec():
            self.session.attempt(lambda: self.add_map(dialog))

    def add_map(self, dialog: NewMapDialog) -> None:
        """Add the map that a dialog describes and show it."""
        map_ = dialog.map()
        self.session.doc.apply(add_map(self.session.project, map_))
        self.session.choose_map(map_)
        if self.stage == "slice":
            self.show_stage("draw")

    def ask_picture(self) -> None:
        """Ask for a finished mock-up and make a map of it."""
        kinds = " ".join(f"*{suffix}" for suffix in SUFFIXES)
        name, _ = QFileDialog.getOpenFileName(
            self.shell, "Map from a picture", "", f"Pictures ({kinds})"
        )
        if name:
            self.map_from_file(Path(name))

    def map_from_file(self, path: Path) -> None:
        """Read a picture and show what map it would be."""
        self.session.run_long(
            f"Reading {path.name}…",
            lambda _: read_picture(path),
            lambda picture: self.map_from_picture(picture, path.stem),
        )

    def map_from_picture(self, picture: Picture, name: str) -> None:
        """Show what map a picture would be; make it if that is wanted."""
        dialog = MockupDialog(self.session, picture, name, self.shell)
        dialog.accepted.connect(dialog.make)
        dialog.accepted.connect(lambda: self.show_stage("draw"))
        dialog.open()

    def resize_map(self) -> None:
        """Ask for another size of the map and give it that."""
        map_ = self.session.map
        if map_ is not None:
            dialog = ResizeDialog(map_, self.shell)
            if dialog.exec():
                self.session.resize_map(map_, dialog.margins())

    def toggle_wrap(self) -> None:
        """Let the map wrap at its borders, or not."""
        map_ = self.session.map
        if map_ is not None:
            self.session.apply(set_wrap(map_, not map_.wrap))

    def go_to_cell(self) -> None:
        """Ask for a column and a row, and bring that cell to the middle."""
        map_ = self.session.map
        if map_ is None:
            return
        text, ok = QInputDialog.getText(
            self.shell, "Go to cell", f"Column, row (0, 0 to {map_.width - 1}, {map_.height - 1})"
        )
        if ok:
            self.show_cell(text)

    def show_cell(self, text: str) -> None:
        """Show the cell that “column, row” names."""
        map_ = self.session.map
        numbers = re.findall(r"-?\d+", text)
        if map_ is None or len(numbers) != 2:
            self.session.warn(f"“{text}” is not a cell: give a column and a row, as in 12, 7")
            return
        col, row = (int(each) for each in numbers)
        if not (0 <= col < map_.width and 0 <= row < map_.height):
            self.session.warn(
                f"cell {col}, {row} is outside the map: give 0 to {map_.width - 1} and 0 to "
                f"{map_.height - 1}"
            )
            return
        self.mapside.view.show_cell(row, col)

    def release_pins(self) -> None:
        """Let the selected cells, else the cell under the pointer, be made again."""
        plan = release_pins(self.session, self.mapside.active.at)
        if plan is None:
            self.session.note("No pin there: point at a pinned cell of the chosen layer, or select")
        else:
            self.session.apply(plan.edit)

    def find_in_bench(self) -> None:
        """Go to the field that finds tiles, mixes and patches."""
        self.show_stage("draw")
        self.draw.search_field.setFocus()
        self.draw.search_field.selectAll()

    def ask_background(self) -> None:
        """Ask for the colour behind all layers of the map."""
        map_ = self.session.map
        if map_ is not None:
            old = QColor(map_.background or "#84898a")
            colour = QColorDialog.getColor(old, self.shell, "Background of the map")
            if colour.isValid():
                self.set_background(colour.name())

    def set_background(self, colour: str | None) -> None:
        """Put a colour behind all layers of the map, or none."""
        if self.session.map is not None:
            self.session.apply(set_background(self.session.map, colour))

    def ask_screen(self) -> None:
        """Ask how many pixels a player sees at a time, and show the frame."""
        map_ = self.session.map
        if map_ is None:
            return
        old = f"{map_.screen[0]} × {map_.screen[1]}"
        text, ok = QInputDialog.getText(self.shell, "Screen size", "Width × height in px", text=old)
        if ok:
            self.set_screen(text)

    def set_screen(self, text: str) -> None:
        """Give the map the screen that “width × height” names."""
        map_ = self.session.map
        numbers = re.findall(r"-?\d+", text)
        if map_ is None or len(numbers) != 2:
            self.session.warn(f"“{text}” is not a size: give width × height, as in 320 × 180")
            return
        width, height = (int(each) for each in numbers)
        done = self.session.attempt(lambda: self.session.doc.apply(set_screen(map_, width, height)))
        if done:
            self.mapside.view.set_screen(True)
            self.commands.named("Screen frame").action.setChecked(True)

    def duplicate_map(self) -> None:
        """Add a copy of the map and show it."""
        if self.session.map is not None:
            edit, made = duplicate_map(self.session.project, self.session.map)
            if self.session.apply(edit):
                self.session.choose_map(made)

    def step_map(self, by: int) -> None:
        """Show the next or the previous map."""
        maps = self.session.project.maps
        if self.session.map in maps:
            self.session.choose_map(maps[(maps.index(self.session.map) + by) % len(maps)])

    def cancel(self) -> None:
        """Esc: call off what is being drawn."""
        views = [each for each in (self.mapside.view, self.mapside.second) if each is not None]
        if not any(each.cancel() for each in views) and not self.slice.sheet.cancel():
            self.terrains.sheet.cancel()

    # Events of the shell

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QCloseEvent):
            if not self.may_leave():
                event.ignore()
                return True
            wait_for_jobs()
        elif (
            event.type() is QEvent.Type.KeyPress
            and isinstance(event, QKeyEvent)
            and event.key() == Qt.Key.Key_Escape
        ):
            self.cancel()
        return super().eventFilter(watched, event)

    def _drop(self, paths: list[Path]) -> None:
        projects = [
            path
            for path in paths
            if (path / PROJECT_NAME).exists() or path.name.endswith(".knit.json")
        ]
        if projects:
            self.open_project(projects[0])
        else:
            self.sheets.add_sheets(paths)
