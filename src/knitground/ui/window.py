"""The window: puts the parts together, and shows one stage at a time."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from time import perf_counter
from typing import Any, TypeVar

from PySide6.QtCore import QEvent, QObject, QPoint, QRect, Qt, QTimer
from PySide6.QtGui import QCloseEvent, QCursor, QGuiApplication, QKeyEvent, QKeySequence, QShortcut
from PySide6.QtWidgets import QApplication, QLabel, QSplitter, QStackedWidget, QWidget
from shiboken6 import isValid

from knitground import __version__
from knitground.core.base.progress import Progress
from knitground.core.base.tongue import say
from knitground.core.files.places import PROJECT_NAME
from knitground.core.model.limits import MAX_SIDE
from knitground.ui.changed.dialog import ChangedDialog
from knitground.ui.common.commands import Commands
from knitground.ui.common.filedialogs import file_places
from knitground.ui.common.finder import Finder
from knitground.ui.common.helping import help_bell
from knitground.ui.common.language import KEY as LANGUAGE
from knitground.ui.common.language import NAMES as LANGUAGES
from knitground.ui.common.language import of_desktop
from knitground.ui.common.menus import MENUS
from knitground.ui.common.notices import Notices
from knitground.ui.common.pulse import pulse_is_full, until_in_pulse
from knitground.ui.common.tasks import (
    call_off_jobs,
    run_with_progress,
    wait_for_jobs,
    warm_up,
    work_title,
)
from knitground.ui.common.theme import (
    LINEN,
    LOOM,
    TEXT_PX,
    TEXT_SIZES,
    THEMES,
    Theme,
    set_text_size,
    text_px,
    theme,
    use,
)
from knitground.ui.common.widgets import Roomy, column, show_when_laid_out
from knitground.ui.common.words import on_button, tip_of
from knitground.ui.help.pages import KEYS
from knitground.ui.help.window import HelpWindow
from knitground.ui.mapside import clipboard, scatter
from knitground.ui.mapside.gaps import GapButton
from knitground.ui.mapside.side import MapSide
from knitground.ui.project.crash import CrashHandler
from knitground.ui.project.curtain import Curtain
from knitground.ui.project.files import ProjectFiles
from knitground.ui.project.firstmap import FirstMap
from knitground.ui.project.memory import Memory
from knitground.ui.project.savedialog import UNNAMED
from knitground.ui.project.sheetadding import SheetAdder
from knitground.ui.project.startpage import StartPage
from knitground.ui.project.watch import SheetWatcher
from knitground.ui.session import Session
from knitground.ui.shell import Shell
from knitground.ui.stagekinds import STAGES
from knitground.ui.stages import make_stages
from knitground.ui.stages.stage import Stage

_AS_DESKTOP = "of the desktop"
_IDLE_S = 0.01
"""How long is knitted in one idle moment."""
Kind = TypeVar("Kind", bound=Stage)
_TITLE_PX = 228
_ROUND_MAP = (88, -6, -118)
"""Pixels above, right of and below the map, by which it is told where it will be."""
"""Room for the project's name beside the menus: at 900 px both are there."""


def _sizes(kept: list[object]) -> list[tuple[int, int]]:
    """Read sizes of maps as they were kept; what is none is left out."""
    return [
        (each[0], each[1]) for each in kept
        if isinstance(each, list) and len(each) == 2
        and all(type(side) is int and 1 <= side <= MAX_SIDE for side in each)
    ]  # fmt: skip


class Window(QObject):
    """The parts of the window inside a `Shell`. It knows of a stage what `Stage` says."""

    def __init__(self, shell: Shell, memory: Memory | None = None) -> None:
        super().__init__(shell)
        self.shell = shell
        self.memory = memory or Memory()
        app = QApplication.instance()
        if isinstance(app, QApplication):
            chosen = self._theme_called(self.memory.get("theme", theme().name))
            if chosen is not theme():
                use(app, chosen)
            size = self.memory.get("text size", TEXT_PX)
            if size != text_px():
                set_text_size(app, size)
            app.styleHints().colorSchemeChanged.connect(self._follow_desktop)
        self.session = Session()
        self.session.runner = self._run_long
        self.session.recipes = self.memory.recipes
        self.session.sizes = _sizes(self.memory.get("map sizes", []))
        self.session.sizes_changed.connect(
            lambda: self.memory.keep("map sizes", [list(each) for each in self.session.sizes])
        )
        tools = self.session.tools
        tools.set(pen_size=self.memory.get("pen size", False))
        tools.options_changed.connect(lambda: self.memory.keep("pen size", tools.options.pen_size))
        places = file_places()
        places.get = lambda key: self.memory.get(key, "")
        places.keep = lambda key, value: self.memory.keep(key, value)
        self.sheets = SheetAdder(self.session, shell)
        self.files = ProjectFiles(self.session, self.memory, self.sheets, shell)
        self.stages = make_stages(self.session)
        self.stage = self.stages["draw"]
        self.mapside = MapSide(self.session)
        self.start = StartPage(self.memory)
        self.notices = Notices()
        self._lay_out()
        self.commands = Commands(shell)
        self._help: HelpWindow | None = None
        self._add_commands()
        self._connect()
        self.watcher = SheetWatcher(self.session)
        self.crash = CrashHandler(
            lambda: self.files.keeper.keep_at_fault(), self.session.warn, None
        )
        warm_up()
        self._idle = QTimer(self, interval=30)
        self._idle.timeout.connect(self._work_off)
        self._show_state()
        shell.installEventFilter(self)
        self.show_stage("draw")

    # Building

    def _lay_out(self) -> None:
        self.bench = QStackedWidget()
        self.rooms = {key: Roomy(stage) for key, stage in self.stages.items()}
        for room in self.rooms.values():
            self.bench.addWidget(room)
        self.bench.setMinimumWidth(250)
        self.splitter = QSplitter(Qt.Orientation.Horizontal)
        self.first = FirstMap(self.session, self.memory)
        left = QWidget()
        left.setLayout(column(self.bench, self.first, spacing=6))
        self.splitter.addWidget(left)
        self.splitter.addWidget(self.mapside)
        self.splitter.setStretchFactor(1, 1)
        self.splitter.setChildrenCollapsible(False)
        self.splitter.splitterMoved.connect(self._keep_width)
        self.work = QWidget()
        layout = column(self.splitter)
        layout.setContentsMargins(6, 6, 6, 2)
        self.work.setLayout(layout)
        self.notices.float_over(self.shell)
        self.shell.pages.addWidget(self.start)
        self.shell.pages.addWidget(self.work)
        self.files.curtain = Curtain(self.shell.pages, self._map_place, self._map_is_drawn)
        self.title = QLabel()
        self.title.setProperty("role", "note")
        self.title.setFixedWidth(_TITLE_PX)
        self.title.setMinimumHeight(26)
        self.title.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.shell.menuBar().setCornerWidget(self.title)
        self.title.show()  # the menu bar is on the screen already, and shows no late-comers
        self._lay_out_bar()

    def _map_place(self) -> QRect:
        """Tell where on the window's pages the map is, or will be when the work is shown.

        Empty at a stage that shows none.
        """
        view, pages = self.mapside.view, self.shell.pages
        if not self.stage.shows_map:
            return QRect()
        if view.isVisible():
            return QRect(view.mapTo(pages, QPoint(0, 0)), view.size())
        return pages.rect().adjusted(round(self.stage.wide), *_ROUND_MAP)

    def _map_is_drawn(self) -> bool:
        drawn = self.mapside.view.drawn is self.session.map
        return self.work.updatesEnabled() and (drawn or not self.mapside.view.isVisible())

    def _lay_out_bar(self) -> None:
        self.under = QLabel()
        self.under.setIndent(76)
        self.under.setTextFormat(Qt.TextFormat.PlainText)
        self.gaps = GapButton(self.session, self.notices)
        self.zoom = QLabel()
        bar = self.shell.statusBar()
        bar.setSizeGripEnabled(False)
        bar.addWidget(self.under, 1)
        bar.addPermanentWidget(self.gaps)
        bar.addPermanentWidget(self.zoom)

    def _add_commands(self) -> None:
        """Fill the menus; each part adds its own."""
        commands = self.commands
        self.files.add_commands(commands)
        commands.add(
            "What changed…",
            lambda: ChangedDialog(self.session, self.shell, self.files.kept_copies).exec(),
        )
        clipboard.add_commands(self.session, commands)
        scatter.add_commands(self.session, commands, self.shell, lambda: self.mapside.active.at)
        for number, each in enumerate(STAGES, 1):
            show = partial(self.show_stage, each.key)
            commands.add(f"Stage {each.name}", show, f"Ctrl+{number}")
        self.mapside.add_commands(commands)
        commands.add("Release pins here",
            lambda: self.mapside.strip.layers.release_here(self.mapside.active.at), "U",
        )  # fmt: skip
        for stage in self.stages.values():
            stage.add_commands(commands)
        for name in THEMES:
            commands.add(f"Theme {name}", partial(self.set_theme, name))
        commands.add("Theme of the desktop", partial(self.set_theme, _AS_DESKTOP))
        for text, step in (
            ("Text larger", 1),
            ("Text smaller", -1),
            ("Text as at first", 0),
        ):
            commands.add(text, partial(self.set_text, step))
        commands.add("Language of the desktop", partial(self.set_language, ""))
        for language, name in LANGUAGES.items():
            commands.add(f"Language {name}", partial(self.set_language, language))
        commands.add("Find a command…", self.find_command, "Ctrl+K")
        commands.add("Close window", self.shell.close, "Ctrl+Q")
        commands.add("Help for what is here", self.help_here, "F1")
        commands.add("All pages of the help", lambda: self.show_help("begin"), "Shift+F1")
        commands.add("Keys and mouse", lambda: self.show_help(KEYS), "Ctrl+F1")
        commands.add("First map in seven steps", self.first.call_back)
        about = say(
            "Knit Ground {version}: from a sprite sheet to seamless maps", version=__version__
        )
        commands.add("About Knit Ground", lambda: self.session.note(about))
        commands.arrange(MENUS)

    def _connect(self) -> None:
        s = self.session
        self.shell.rail.chosen.connect(self.show_stage)
        self.shell.dropped.connect(self._drop)
        s.stage_wanted.connect(self.show_stage)
        self.first.stage_wanted.connect(self.show_stage)
        help_bell().wanted.connect(self.help_here)
        s.stage_counted.connect(self.shell.rail.show_count)
        s.file_wanted.connect(self.sheets.ask_sheet)
        s.place_wanted.connect(self.sheets.ask_missing)
        s.pointed.connect(self._point)
        s.choice.tileset_changed.connect(lambda: self._point(""))
        s.noticed.connect(lambda text, kind: self.notices.tell(text, kind))
        s.offered.connect(lambda text, cures: self.notices.tell(text, "warning", cures))
        s.steps.connect(self._show_state)
        s.opened.connect(self._reopen)
        s.choice.map_changed.connect(lambda *_: show_when_laid_out(self.work))
        s.choice.map_changed.connect(lambda *_: self._show_zoom())
        s.changed.connect(lambda _: self._idle.start())
        s.map_wanted.connect(self.mapside.maps.map_from_picture)
        s.sheet_wanted.connect(self.sheets.add_picture)
        s.cell_wanted.connect(self.mapside.view.show_cell)
        self.mapside.zoomed.connect(self._show_zoom)
        self.mapside.maps.made.connect(self._show_some_map)
        for stage in self.stages.values():
            stage.zoomed.connect(self._show_zoom)
        self.start.sheet_asked.connect(self.sheets.ask_sheet)
        self.start.demo_asked.connect(lambda: self.files.open_demo(None))
        self.start.project_asked.connect(self.files.ask_project)
        self.start.recent_asked.connect(self.files.open_project)
        for digit in range(10):
            keys = QShortcut(QKeySequence(str(digit)), self.shell)
            keys.activated.connect(partial(self._digit, digit))

    def _digit(self, number: int) -> None:
        self.stage.digit(number)

    def stage_of(self, kind: type[Kind]) -> Kind:
        """Give the stage of a class."""
        return next(each for each in self.stages.values() if isinstance(each, kind))

    # Showing

    def show_stage(self, key: str) -> None:
        """Go to a stage; a gesture that is open is ended as it stands."""
        self.session.finish_gesture()
        self.stage = self.stages[key]
        self.shell.rail.show_stage(key)
        # Before anything is hidden: else the focus would wander along the window.
        if not self.stage.focus_first():
            self.mapside.view.setFocus()
        show_when_laid_out(self.bench)
        self.bench.setCurrentIndex(list(self.stages).index(key))
        self.mapside.setVisible(self.stage.shows_map)
        if self.stage.shows_map:
            least = self.rooms[key].least_width(self.bench.height())
            wide = round(self.stage.wide * text_px() / TEXT_PX)  # larger words want more room
            width = self.memory.get(f"width {key}", max(wide, least))
            width = max(width, wide) if wide > self.stage.wide else width
            self.splitter.setSizes([width, max(300, self.splitter.width() - width)])
        self.session.pointed.emit("")
        self._show_zoom()
        self._show_page()
        self.first.at_stage(key)

    def _show_some_map(self) -> None:
        if not self.stage.shows_map:
            self.show_stage("draw")

    def _keep_width(self) -> None:
        if self.stage.shows_map:
            self.memory.keep(f"width {self.stage.key}", self.splitter.sizes()[0])

    def _show_page(self) -> None:
        project = self.session.project
        empty = not project.tilesets and not project.maps
        page = self.start if empty else self.work
        if self.shell.pages.currentWidget() is not page:
            self.shell.pages.setCurrentWidget(page)

    def _reopen(self) -> None:
        self.notices.hide()
        show_when_laid_out(self.work)
        if self.start.isVisible():
            self.start.refresh()  # when it is hidden, it does so as it comes up
        self._show_state()

    def _show_state(self) -> None:
        history = self.session.doc.history
        for name, step in (("Undo", history.undo_name), ("Redo", history.redo_name)):
            action = self.commands.named(name).action
            action.setEnabled(step is not None or (name == "Undo" and self.session.in_gesture))
            action.setText(on_button(f"{say(name)} {step}") if step else say(name))
        saved = "" if self.session.doc.is_saved else say(" — not saved")
        name = self.session.project.name
        name = say(name) if name == UNNAMED else name
        words = f"{name}{saved or say(' — saved')}  "
        room = self.title.fontMetrics()
        self.title.setText(room.elidedText(words, Qt.TextElideMode.ElideMiddle, _TITLE_PX))
        self.title.setToolTip(words.strip())
        self.shell.setWindowTitle(say("{name}{saved} — Knit Ground", name=name, saved=saved))
        self._show_page()
        self._idle.start()

    def _show_zoom(self) -> None:
        sheet = self.stage.zoom_words
        shown = (
            ""
            if self.session.map is None
            else say("zoom {scale}", scale=self.mapside.active.camera.text())
        )
        keys = self.commands.named("Find a command…").keys
        words = [
            say("sheet zoom {sheet}", sheet=sheet) if sheet else shown,
            say("{keys} commands", keys=keys),
        ]
        self.zoom.setText(" · ".join(filter(None, words)) + "  ")

    def _point(self, text: str) -> None:
        width = max(100, self.under.width() - 80)
        shown = self.under.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, width)
        self.under.setText(shown)
        self.under.setToolTip(tip_of(text))

    def _work_off(self) -> None:
        """Knit, in idle moments, what nobody has looked at; then tell the gaps."""
        if self.session.doc.in_stroke or work_title() or pulse_is_full():
            return
        until = until_in_pulse(_IDLE_S)
        while self.session.doc.work_off(1):
            if perf_counter() > until:
                return
        self._idle.stop()
        self.gaps.refresh()
        self.files.keep_first_picture()

    def set_theme(self, name: str) -> None:
        """Dress the window in another theme, or as the desktop is; it is remembered."""
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        use(app, self._theme_called(name))
        self.memory.keep("theme", name)
        self.session.dressed.emit()

    def set_language(self, language: str) -> None:
        """Speak another language, "" for that of the desktop, from the next start on."""
        self.memory.keep(LANGUAGE, language)
        name = LANGUAGES[language or of_desktop()]
        self.session.note(say("The window speaks {name} when it is started again", name=name))

    def _theme_called(self, name: str) -> Theme:
        if name == _AS_DESKTOP:
            dark = QGuiApplication.styleHints().colorScheme() is Qt.ColorScheme.Dark
            return LOOM if dark else LINEN
        return THEMES.get(name, theme())

    def _follow_desktop(self) -> None:
        if self.memory.get("theme", "") == _AS_DESKTOP:
            self.set_theme(_AS_DESKTOP)

    def set_text(self, step: int) -> None:
        """Write all text one step larger or smaller, or (0) as at first; it is remembered."""
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        at = TEXT_SIZES.index(text_px()) + step
        size = TEXT_SIZES[max(0, min(len(TEXT_SIZES) - 1, at))] if step else TEXT_PX
        if size == text_px():
            return  # all of the window would be laid out anew for nothing
        app.setOverrideCursor(Qt.CursorShape.WaitCursor)  # all parts are laid out anew: seconds
        try:
            set_text_size(app, size)
        finally:
            app.restoreOverrideCursor()
        self.memory.keep("text size", size)
        self.session.dressed.emit()
        self.show_stage(self.stage.key)

    def _run_long(
        self, title: str, work: Callable[[Progress], Any], done: Callable[[Any], object]
    ) -> None:
        self.session.finish_gesture()
        run_with_progress(
            self.shell, title, work, done, lambda e: self.session.warn(str(e)), self.session.doc
        )

    def find_command(self) -> Finder:
        """Show the command finder."""
        finder = Finder(self.commands, self.shell)
        finder.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        finder.show()
        return finder

    def show_help(self, place: str) -> HelpWindow:
        """Show a page of the help, perhaps a heading of it: “map#layers”."""
        window = self._help_window(self.shell)
        window.tell_of(None, place)
        return window

    def help_here(self, widget: QWidget | None = None) -> HelpWindow:
        """Show the page about a part of the window: that under the pointer, if none is named."""
        about = widget or QApplication.widgetAt(QCursor.pos())
        if about is None or (about.window() is not self.shell and widget is None):
            about = None
        over = about.window() if about is not None else self.shell
        window = self._help_window(over)
        page = self.stage.key if self.shell.pages.currentWidget() is self.work else "begin"
        window.tell_of(about, page)
        return window

    def _help_window(self, over: QWidget) -> HelpWindow:
        """Give the window of the help: one of its own over a dialog, which blocks all others."""
        if self._help is None or not isValid(self._help) or self._help.parentWidget() is not over:
            if self._help is not None and isValid(self._help):
                self._help.close()
                self._help.deleteLater()
            self._help = HelpWindow(self.commands.all, over)
        return self._help

    def cancel(self) -> None:
        """Esc: call off what goes on."""
        if not self.session.cancel_gesture():
            self.stage.cancel()

    # Events of the shell

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QCloseEvent):
            if not self.files.may_leave():
                event.ignore()
                return True
            call_off_jobs()  # a recipe may go on for minutes
            wait_for_jobs()
            self.files.leave()
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
            self.files.open_project(projects[0])
        else:
            self.sheets.add_sheets(paths)
