"""Ship: write what a game reads."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterable
from pathlib import Path

from PySide6.QtCore import QFile, QProcess, Qt, QTimer, QUrl
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFrame,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QScrollArea,
    QTabBar,
    QWidget,
)

from knitground.core.base.errors import KnitError, PlaceError
from knitground.core.base.progress import Progress
from knitground.core.base.tongue import say
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.profiles import put_profile, remove_profile
from knitground.core.files.made import NotOursError
from knitground.core.files.ship.kinds import Kept, ShipJob
from knitground.core.files.ship.names import ship_names
from knitground.core.files.ship.ship import (
    FORMATS,
    USUAL_FORMATS,
    Shipped,
    check,
    maps_of,
    profile_folder,
    ship,
)
from knitground.core.model.map import Map
from knitground.core.model.profile import Profile, ShipPart
from knitground.ui.common.asking import ask_text
from knitground.ui.common.commands import Commands
from knitground.ui.common.filedialogs import ask_folder
from knitground.ui.common.question import Question
from knitground.ui.common.tasks import run_with_progress
from knitground.ui.common.theme import theme
from knitground.ui.common.widgets import button, column, head, primary, row, set_role
from knitground.ui.common.words import bytes_text, on_button, tip_of
from knitground.ui.session import Session
from knitground.ui.stages.ship.options import OptionForm
from knitground.ui.stages.ship.outcome import Outcome, Sample, sample_of
from knitground.ui.stages.stage import Stage

_BY_HAND = say("by hand")
_FOLLOWS_MS = 150
"""How long nothing must change before files follow."""
_LOOKS_MS = 250
"""How long nothing must change before what comes out is shown."""
_ALL = say("all maps")


def _to_trash(path: Path) -> None:
    """Put a file into the desktop's trash; where there is none it goes for good."""
    if not QFile.moveToTrash(str(path)):
        path.unlink()


class ShipBench(Stage):
    """The stage: which maps, which formats, where to, and what was written."""

    key = "ship"
    wide = 380

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.maps = QComboBox()
        self.maps.setToolTip(say("The map to ship"))
        self.profiles = QTabBar()
        self.profiles.setExpanding(False)
        self.profiles.setToolTip(
            say("What is shipped together: maps, formats, folder; kept with the project")
        )
        self.profiles.currentChanged.connect(self._show_profile)
        self.keep = button("+", self._ask_profile, say("Keep this as a profile of the project"))
        self.lose = button(say("Delete"), self._delete_profile, say("Delete this profile"))
        self.boxes: dict[str, QCheckBox] = {}
        self.forms: dict[str, OptionForm] = {}
        self.outcomes: dict[str, Outcome] = {}
        for key, each in FORMATS.items():
            box = self.boxes[key] = QCheckBox(each.title)
            box.setToolTip(tip_of(each.hint))
            box.setChecked(each.usual)
            form = self.forms[key] = OptionForm(each)
            form.setVisible(False)
            form.changed.connect(self._edited)
            form.changed.connect(self._look_soon)
            out = self.outcomes[key] = Outcome()
            out.setVisible(each.usual)
            box.toggled.connect(out.setVisible)
            box.toggled.connect(self._look_soon)
            box.toggled.connect(lambda on, form=form: form.setVisible(on and bool(form.inputs)))
            box.toggled.connect(self._show_state)
            box.toggled.connect(self._ask_anew)
            box.toggled.connect(self._edited)
            form.setVisible(each.usual and bool(form.inputs))
        self._filling = False
        self._elsewhere: dict[str, str] = {}
        """Folders outside of the project's, by profile: they are this run's, not the project's."""
        self.folder = QLineEdit()
        self.folder.setPlaceholderText(say("a folder for the files"))
        self.folder.textChanged.connect(self._show_state)
        self.folder.textChanged.connect(self._ask_anew)
        self.folder.editingFinished.connect(self._edited)
        self.maps.currentTextChanged.connect(self._ask_anew)
        self.maps.currentTextChanged.connect(self._look_soon)
        self.maps.currentTextChanged.connect(self._edited)
        self.go = primary(say("Ship"), self.ship_now, say("Write the files"), "Ctrl+E")
        self.compare = button(say("Compare"), self.compare_now,
                              say("Tell which files would be written, and write none"))  # fmt: skip
        self.follow = QCheckBox(say("follow"))
        self.follow.setToolTip(say("Ship again by itself after each change"))
        self.follow.toggled.connect(self._follow_soon)
        self.on_save = QCheckBox(say("on save"))
        self.on_save.setToolTip(say("Ship this profile each time that the project is saved"))
        self.on_save.toggled.connect(self._edited)
        self.on_save.setEnabled(False)
        self.play = button(
            say("Play"),
            self.play_now,
            say(
                "Ship, and walk on it in a window of its own: a stand-in for the game "
                "that reads shipped files only. What follows is seen there"
            ),
        )
        self._kept = Kept()
        self._plays = False
        """Whether what is being shipped is to be played."""
        self._question = Question(lambda: session.doc, self)
        self._saving = Question(lambda: session.doc, self)
        self._timer = QTimer(self, singleShot=True, interval=_FOLLOWS_MS)
        self._timer.timeout.connect(self._ship_beside)
        self._looking = Question(lambda: session.doc, self)
        self._look_timer = QTimer(self, singleShot=True, interval=_LOOKS_MS)
        self._look_timer.timeout.connect(self._look)
        self.state = QLabel()
        self.state.setWordWrap(True)
        self.anyway = button(
            say("Overwrite them"), lambda: self.ship_now(overwrite=True),
            say("Write over the files there that were not shipped from here"),
        )  # fmt: skip
        self.anyway.hide()
        self.drop = button(
            say("Take them away"),
            lambda: self.ship_now(drop=True),
            say("Take away what this profile shipped before, and no longer"),
        )
        self.drop.hide()
        self.files = QListWidget()
        self.files.setToolTip(say("Double-click opens the file"))
        self.files.itemActivated.connect(lambda item: self._open(item.text()))
        self.hint = QLabel(say("The files that are written will be listed here."))
        self.hint.setProperty("role", "note")
        self._written: dict[str, Path] = {}
        self._lay_out()
        session.changed.connect(self._follow)
        session.saved.connect(self._ship_saved)

    def _lay_out(self) -> None:
        to = row(self.folder, button(say("Choose…"), self._choose, say("Choose the folder")))
        to.setStretch(0, 1)
        lines: list[QWidget] = []
        for key in FORMATS:
            lines += [self.boxes[key], self.forms[key], self.outcomes[key]]
        room = QWidget()
        room.setLayout(column(*lines, 1, spacing=4))
        scroll = QScrollArea()
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setWidget(room)
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        layout = column(
            head(say("Ship")),
            row(self.profiles, self.keep, 1, self.lose),
            row(QLabel(say("What")), self.maps, 1),
            scroll,
            row(QLabel(say("To")), to),
            row(self.go, self.compare, self.play, self.follow, self.on_save, 1),
            self.state,
            row(self.anyway, self.drop, 1),
            self.hint,
            self.files,
            margins=14,
        )
        layout.setStretch(3, 5)
        layout.setStretch(layout.count() - 1, 2)
        self.setLayout(layout)

    # Profiles

    @property
    def profile(self) -> Profile | None:
        """The profile that is chosen; None if it is shipped by hand."""
        name = self.profiles.tabData(self.profiles.currentIndex())
        return next((each for each in self.session.project.profiles if each.name == name), None)

    def _fill_profiles(self) -> None:
        chosen = self.profile.name if self.profile is not None else None
        names = [each.name for each in self.session.project.profiles]
        shown = [self.profiles.tabData(n) for n in range(self.profiles.count())]
        if shown != [None, *names]:
            self.profiles.blockSignals(True)
            while self.profiles.count():
                self.profiles.removeTab(0)
            for name in (None, *names):
                n = self.profiles.addTab(on_button(name or _BY_HAND))
                self.profiles.setTabData(n, name)
            self.profiles.setCurrentIndex(names.index(chosen) + 1 if chosen in names else 0)
            self.profiles.blockSignals(False)
        self.lose.setEnabled(self.profile is not None)

    def _show_profile(self) -> None:
        """Show the fields as the chosen profile has them."""
        profile = self.profile
        self.lose.setEnabled(profile is not None)
        self.on_save.setEnabled(profile is not None)
        self._ask_anew()
        if profile is None:
            return
        self._filling = True
        self.on_save.setChecked(profile.on_save)
        self._show_parts(profile.parts)
        one = profile.maps[0] if len(profile.maps) == 1 else _ALL
        if self.maps.findText(one) >= 0:
            self.maps.setCurrentText(one)
        home = self.session.project.folder
        if profile.name in self._elsewhere:
            self.folder.setText(self._elsewhere[profile.name])
        elif home is not None:
            try:
                self.folder.setText(str(profile_folder(home, profile)))
            except PlaceError as error:
                self.folder.clear()
                self.session.warn(str(error))
        self._filling = False
        self._show_state()

    def _as_profile(self, name: str) -> Profile:
        parts = tuple(ShipPart(key, self.forms[key].values()) for key in self._formats())
        chosen = self.maps.currentText()
        maps = (chosen,) if chosen != _ALL and self.maps.count() > 1 else ()
        home, folder = self.session.project.folder, Path(self.folder.text()).expanduser()
        kept = self.profile.folder if self.profile is not None else "shipped"
        if home is not None and folder.is_relative_to(home) and folder != home:
            kept = folder.relative_to(home).as_posix()
            self._elsewhere.pop(name, None)
        else:
            self._elsewhere[name] = self.folder.text()
        return Profile(name, maps, parts, kept, self.on_save.isChecked())

    def _edited(self) -> None:
        """Keep what was changed with the profile that is chosen."""
        profile = self.profile
        if profile is None or self._filling:
            return
        new = self._as_profile(profile.name)
        if new != profile:
            self.session.do(lambda: put_profile(self.session.project, new, profile.name))
        self._follow_soon()

    def _ask_profile(self) -> None:
        name = ask_text(self, say("Keep as a profile"), say("Name, such as “game” or “print”"))
        if name:
            self.keep_profile(name)

    def keep_profile(self, name: str) -> None:
        """Keep what is asked for here as a profile of the project, and choose it."""
        made = self._as_profile(name)
        if self.session.do(lambda: put_profile(self.session.project, made)):
            self._fill_profiles()
            names = [each.name for each in self.session.project.profiles]
            self.profiles.setCurrentIndex(names.index(name) + 1)

    def _delete_profile(self) -> None:
        profile = self.profile
        if profile is not None:
            self.session.do(lambda: remove_profile(self.session.project, profile.name))

    def _follow(self, change: Changed) -> None:
        if change.what is What.MAPS:
            self.refresh_later()
        elif change.what is What.SHIPPING:
            self._fill_profiles()
            self._show_profile()
        self._follow_soon()
        if change.what not in (What.PROOF, What.LOCK, What.TRAY):
            self._look_soon()

    def showEvent(self, event: object) -> None:
        super().showEvent(event)
        self._look_soon()

    def _look_soon(self, *_: object) -> None:
        self._look_timer.start()

    def _look(self) -> None:
        """Show what comes out of the formats as they are asked for; beside the window."""
        if self.session.in_gesture:
            self._look_timer.start()
            return
        project, doc, maps = self.session.project, self.session.doc, self._maps()
        parts = [ShipPart(key, self.forms[key].values()) for key in self._formats()]
        if not self.isVisible() or not maps or not parts:
            return

        def work(progress: Progress) -> dict[str, Sample]:
            doc.ensure_all(maps[0])
            job = ShipJob(project, ship_names(project, maps))
            out = {}
            for n, each in enumerate(parts):
                progress(n / len(parts))
                out[each.format] = sample_of(job, maps, each)
            return out

        self._looking.ask(work, self._show_samples)

    def _show_samples(self, found: dict[str, Sample] | None) -> None:
        for key, each in (found or {}).items():
            self.outcomes[key].show_sample(each)

    def _follow_soon(self) -> None:
        if self.follow.isChecked():
            self._timer.start()

    def _ship_beside(self) -> None:
        """Ship beside the window; what is drawn meanwhile ships again."""
        if self.session.in_gesture:
            self._timer.start()
        elif self._problem() is None:
            self._question.ask(self._work(), self._done_beside, self._failed)

    def _ship_saved(self) -> None:
        """Ship the profiles that are shipped whenever the project is saved, beside the window."""
        project, doc, home = self.session.project, self.session.doc, self.session.project.folder
        asked = [each for each in project.profiles if each.on_save]
        if not asked or home is None:
            return

        def work(progress: Progress) -> list[str]:
            told = []
            for each in asked:
                parts = each.parts or USUAL_FORMATS
                done = ship(project, maps_of(project, each), profile_folder(home, each), parts,
                            progress, doc.ensure_all, profile=each.name)  # fmt: skip
                told.append(
                    say(
                        "“{name}” {count} of {count2} files",
                        name=each.name,
                        count=len(done.fresh),
                        count2=len(done.files),
                    )
                )
            return told

        self._saving.ask(
            work,
            lambda told: self.session.note(
                say("Shipped with it: {words}", words=", ".join(told or ()))
            ),
            lambda error: self.session.warn(say("Saved, but not shipped: {error}", error=error)),
        )

    def _done_beside(self, done: Shipped | None) -> None:
        if done is not None:
            self._done(done)

    def add_commands(self, commands: Commands) -> None:
        commands.add("Ship", self.ship_now, "Ctrl+E")

    def _show_parts(self, wanted: Iterable[ShipPart]) -> None:
        """Show what is shipped; without any, what is shipped if nobody says what."""
        parts = {each.format: each.options for each in wanted}
        for key, box in self.boxes.items():
            box.setChecked(key in parts if parts else FORMATS[key].usual)
            self.forms[key].show_values(parts.get(key, {}))

    def begin_anew(self) -> None:
        # First: what is shown from here on would be kept with a profile that has the same name.
        self.profiles.setCurrentIndex(0)
        self._show_parts(())
        self.files.clear()
        self.hint.show()
        self._written = {}
        folder = self.session.project.folder
        self.folder.setText(str(folder / "shipped") if folder else "")
        self.follow.setChecked(False)
        self._elsewhere.clear()
        self._kept = Kept()
        self.maps.clear()  # those of this project are offered, and all chosen
        self._fill_profiles()
        super().begin_anew()

    def refresh(self) -> None:
        """Show the maps there are."""
        names = [each.name for each in self.session.project.maps]
        items = [*names, _ALL] if len(names) > 1 else names
        if [self.maps.itemText(n) for n in range(self.maps.count())] != items:
            self._filling = True  # what is shown meanwhile is nobody's choice
            self.maps.clear()
            self.maps.addItems(items)
            if len(names) > 1:
                self.maps.setCurrentText(_ALL)
            self._filling = False
            self._show_profile()
        self._fill_profiles()
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
        self.drop.hide()

    def _problem(self) -> str | None:
        if not self.session.project.maps:
            return say("There is no map to ship yet: make one in Draw.")
        if not self._formats():
            return say("Choose at least one format.")
        if not self.folder.text().strip():
            return say("Choose a folder.")
        return None

    def _formats(self) -> list[str]:
        return [key for key, box in self.boxes.items() if box.isChecked()]

    def _choose(self) -> None:
        folder = ask_folder(self, say("Ship to"), "shipped files", self.folder.text())
        if folder is not None:
            self.folder.setText(str(folder))
            self._edited()

    def _work(self, *, overwrite: bool = False, drop: bool = False) -> Callable[..., Shipped]:
        """Give what ships all that is asked for now."""
        project, doc = self.session.project, self.session.doc
        maps, profile = self._maps(), self.profile
        folder = Path(self.folder.text()).expanduser()
        parts = [ShipPart(key, self.forms[key].values()) for key in self._formats()]
        name = profile.name if profile is not None else ""
        kept = self._kept

        def work(progress: Progress) -> Shipped:
            return ship(
                project, maps, folder, parts, progress, doc.ensure_all, kept=kept,
                overwrite=overwrite, drop=drop, profile=name, discard=_to_trash,
            )  # fmt: skip

        return work

    def _maps(self) -> list[Map]:
        name, project = self.maps.currentText(), self.session.project
        return project.maps if name == _ALL else [m for m in project.maps if m.name == name]

    def ship_now(self, *, overwrite: bool = False, drop: bool = False) -> None:
        """Write the files that are different, with progress and Cancel if it takes long.

        Those that were not shipped from here are written over only if somebody has said so.
        """
        self.catch_up()
        problem = self._problem()
        if problem is not None:
            self.session.warn(problem)
            return
        work = self._work(overwrite=overwrite, drop=drop)
        self._ask_anew()
        self.session.finish_gesture()
        doc = self.session.doc
        run_with_progress(self.window(), say("Shipping…"), work, self._done, self._failed, doc)

    def play_now(self) -> None:
        """Ship, then walk on what was shipped in a process of its own; files follow from now on."""
        if not self.boxes["json"].isChecked():
            self.session.warn(say("Play reads the JSON and the sheets: tick JSON to ship them too"))
            return
        self._plays = True
        self.ship_now()

    def _start_play(self, folder: Path) -> None:
        maps, shown = self._maps(), self.session.map
        map_ = shown if shown in maps else maps[0]
        words = ["-m", "knitground", "play", str(folder)]
        QProcess.startDetached(sys.executable, [*words, "--map", map_.name] if map_ else words)
        self.follow.setChecked(True)

    def compare_now(self) -> None:
        """Tell which files would be written and which are left over, and write none."""
        self.catch_up()
        problem = self._problem()
        if problem is not None:
            self.session.warn(problem)
            return
        project, doc, maps = self.session.project, self.session.doc, self._maps()
        folder = Path(self.folder.text()).expanduser()
        parts = [ShipPart(key, self.forms[key].values()) for key in self._formats()]
        name = self.profile.name if self.profile is not None else ""
        self.session.finish_gesture()
        run_with_progress(
            self.window(), say("Comparing…"),
            lambda progress: check(project, maps, folder, parts, progress, doc.ensure_all,
                                   profile=name),
            lambda found: self._list(found, say("would be written")), self._failed, doc,
        )  # fmt: skip

    def _list(self, done: Shipped, fresh: str) -> None:
        """List the files, what of them is new, and what is left over."""
        self.files.clear()
        self._written = {}
        self.hint.hide()
        for path in (*done.files, *(done.files[0].parent / name for name in done.left_over)):
            left = path.name in done.left_over
            size = bytes_text(path.stat().st_size) if path.exists() else ""
            state = (
                say("left over") if left else fresh if path.name in done.fresh else say("as it was")
            )
            line = f"{path.name}   {size}   {state}".replace("      ", "   ")
            self._written[line] = path
            item = QListWidgetItem(line, self.files)
            if left or path.name in done.fresh:
                item.setForeground(theme().colour("madder" if left else "good"))
        count = len(done.fresh)
        words = say(
            "{count} files in {parent}, {count2} {fresh}",
            count=len(done.files),
            parent=done.files[0].parent,
            count2=count,
            fresh=fresh,
        )
        if done.left_over:
            words += say("; {count} of before are not shipped any more", count=len(done.left_over))
        gaps = [
            say("“{name}” has {count}", name=name, count=count) for name, count in done.gaps.items()
        ]
        if gaps:
            words += say(". Cells without a tile that fits: {words}", words=", ".join(gaps))
        self.state.setText(words)
        self.drop.setVisible(bool(done.left_over))
        set_role(self.state, "warning" if gaps else "good")

    def _done(self, done: Shipped) -> None:
        self._list(done, say("written"))
        if self._plays:
            self._plays = False
            self._start_play(done.files[0].parent)
        self.session.shipped.emit()

    def _failed(self, error: KnitError) -> None:
        self._plays = False
        self.state.setText(say("Nothing written: {error}", error=error))
        set_role(self.state, "warning")
        self.anyway.setVisible(isinstance(error, NotOursError))

    def _open(self, line: str) -> None:
        path = self._written.get(line)
        if path is not None:
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(path)))
