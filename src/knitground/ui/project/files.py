"""Opening, saving and leaving projects; copies that the last run left."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QWidget

from knitground.core.base.errors import Conflict, KnitError
from knitground.core.base.progress import Progress
from knitground.core.base.tongue import say
from knitground.core.files.copies import Copy, drop_copy, waiting_copies
from knitground.core.files.opening import Opened, open_project
from knitground.core.files.places import PROJECT_NAME
from knitground.core.files.presence import Presence
from knitground.core.files.saving import Saved, save_project, settle_after_save
from knitground.core.model.limits import MAX_NAME
from knitground.core.model.project import Project
from knitground.demo.project import write_demo
from knitground.ui.common.asking import Role, answered, ask
from knitground.ui.common.commands import Commands
from knitground.ui.common.filedialogs import ask_file
from knitground.ui.common.tasks import Job, run_with_progress, wait_for, work_title
from knitground.ui.common.words import on_button
from knitground.ui.project.crash import LOG
from knitground.ui.project.curtain import Curtain
from knitground.ui.project.keeper import Keeper
from knitground.ui.project.memory import Memory, demo_folder, projects_folder
from knitground.ui.project.savedialog import UNNAMED, SaveDialog
from knitground.ui.project.sheetadding import SheetAdder
from knitground.ui.session import Session


class ProjectFiles(QObject):
    """The project of a session as files: asks what is to be asked, loses nothing."""

    def __init__(
        self, session: Session, memory: Memory, sheets: SheetAdder, parent: QWidget
    ) -> None:
        super().__init__(parent)
        self.session, self.memory, self.sheets, self.shell = session, memory, sheets, parent
        self.keeper = Keeper(session, memory.recovery)
        self.keeper.failed.connect(self._tell_no_copy)
        self.presence = Presence(memory.presence)
        self._pictured: Path | None = None
        self.curtain: Curtain | None = None
        """Shows what is in view of a large project while all of it is read."""

    def add_commands(self, commands: Commands) -> None:
        """Add the commands on the project to the menus."""
        add = commands.add
        add("New project", self.new_project)
        add("Open project…", self.ask_project, "Ctrl+O")
        recent = commands.add_menu("Lately")

        def fill() -> None:
            recent.clear()
            for folder in self.memory.recent:
                recent.addAction(on_button(str(folder)), partial(self.open_project, folder))
            if not self.memory.recent:
                recent.addAction(say("none yet")).setEnabled(False)

        recent.aboutToShow.connect(fill)
        add("Open the demo", lambda: self.open_demo(None))
        add("Open sheet…", self.sheets.ask_sheet, "Ctrl+Shift+O")
        add("Save", self.save, "Ctrl+S")
        add("Save as…", self.save_as, "Ctrl+Shift+S")

    # Beginning and opening

    def new_project(self) -> None:
        """Begin an empty project."""
        if self.may_leave():
            self.keeper.forget()
            self.presence.release()
            self.session.open(Project())

    def ask_project(self) -> None:
        """Ask for a project and open it."""
        wanted = say("Knit Ground project (project.knit.json)")
        path = ask_file(self.shell, say("Open project"), "projects", wanted)
        if path is not None:
            self.open_project(path)

    def open_project(self, path: Path) -> None:
        """Open a project, with progress if it takes long; an error leaves all as it was."""
        if not self.may_leave():
            return

        def done(opened: Opened) -> None:
            self.keeper.forget()
            self.take(opened)
            folder = opened.project.folder
            if folder is not None:
                self.memory.add_recent(folder.absolute())
                self._claim(folder)

        curtain = self.curtain
        look = curtain.look() if curtain is not None else None
        job = run_with_progress(
            self.shell,
            say("Opening {name}…", name=path.name),
            lambda progress: open_project(path, progress, look),
            done,
            lambda error: self.session.warn(say("Not opened: {error}", error=error)),
            self.session.doc,  # it is not changed any more: it may be left
        )
        if curtain is not None and job is not None:
            job.when_over(curtain.draw_back)

    def take(self, opened: Opened) -> None:
        """Show a project that was read, and say what could not be found."""
        self.session.open(opened.project)
        if not opened.warnings:
            return
        missing = next((t for t in opened.project.tilesets if t.picture is None), None)
        text = " · ".join(opened.warnings)
        if missing is not None:
            self.session.offer(text, {say("Find it…"): lambda: self.sheets.ask_missing(missing)})
        else:
            self.session.warn(text)

    def keep_first_picture(self) -> None:
        """Keep a picture for the start page of a project that was opened and never saved here.

        To be called when all of it is knitted.
        """
        folder = self.session.project.folder
        if folder is None or not self.session.project.maps or folder == self._pictured:
            return
        self._pictured = folder  # once: it may be that it can not be kept
        if self.memory.picture(folder.absolute()) is None:
            self._keep_picture(folder.absolute())

    def _keep_picture(self, folder: Path) -> None:
        """Keep a small picture of the project for the start page, beside the interface."""
        project = self.session.project
        Job(lambda _: self.memory.keep_picture(folder, project), lambda _: None, _unkept).start()

    def _claim(self, folder: Path) -> None:
        """Say that the project is open here, and tell if it is open elsewhere too."""
        since = self.presence.claim(folder)
        if since is not None:
            self.session.warn(
                say(
                    "“{name}” is open in another window too (since {since}): whichever saves "
                    "second is asked before anything is overwritten",
                    name=self.session.project.name,
                    since=since,
                )
            )

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
            self.session.run_long(say("Drawing the demo…"), lambda _: write_demo(target), written)

    # Saving

    def save(self) -> bool:
        """Save the project where it lies, or ask where; returns whether it is saved."""
        folder = self.session.project.folder
        return self.save_to(folder) if folder is not None else self.save_as()

    def save_as(self) -> bool:
        """Ask for a name and a place, and save the project in a folder of its own there."""
        project = self.session.project
        home = project.folder.parent if project.folder is not None else projects_folder()
        dialog = SaveDialog(project, home, self.shell)
        if not answered(dialog):
            return False
        return self.save_to(dialog.folder, name=dialog.name.text().strip())

    def save_to(self, folder: Path, *, overwrite: bool = False, name: str = "") -> bool:
        """Save the project in a folder, with progress and Cancel; returns whether it is saved.

        What is being drawn is ended first: it is part of what is saved. Files that somebody else
        has changed are overwritten only if that is wanted.
        """
        self.session.finish_gesture()
        doc, project = self.session.doc, self.session.project
        saved = False
        conflict: list[Conflict] = []
        called = project.name
        if name:
            project.name = name
        elif called == UNNAMED and project.folder is None and folder.name:
            project.name = folder.name.encode("utf-8", "replace").decode()[:MAX_NAME]

        def work(progress: Progress) -> Saved:
            return save_project(project, folder, progress, overwrite=overwrite)

        def done(made: Saved) -> None:
            nonlocal saved
            saved = True
            self._settle(made)

        def failed(error: KnitError) -> None:
            project.name = called
            if isinstance(error, Conflict):
                conflict.append(error)
            else:
                self.session.warn(say("Not saved: {error}", error=error))

        wait_for(run_with_progress(self.shell, say("Saving…"), work, done, failed, doc))
        if saved:
            return True
        return bool(conflict) and self._ask_about(folder, conflict[0], name)

    def _settle(self, saved: Saved) -> None:
        project = self.session.project
        settle_after_save(project, saved)
        self.session.doc.mark_saved()
        self.memory.add_recent(saved.folder)
        self._keep_picture(saved.folder)
        self.keeper.forget()
        self._claim(saved.folder)
        if saved.left:
            self.session.warn(
                say(
                    "Saved in {folder}; {words} changed on disk meanwhile and was left as it is",
                    folder=saved.folder,
                    words=", ".join(saved.left),
                )
            )
        else:
            self.session.note(say("Saved in {folder}", folder=saved.folder))
        self.session.saved.emit()

    def _ask_about(self, folder: Path, conflict: Conflict, name: str) -> bool:
        """Ask what to do with files that somebody else has changed, and do it."""
        answer = self.ask_conflict(str(conflict))
        if answer == "overwrite":
            return self.save_to(folder, overwrite=True, name=name)
        if answer == "elsewhere":
            return self.save_as()
        self.session.warn(say("Not saved: {conflict}", conflict=conflict))
        return False

    def ask_conflict(self, text: str) -> str:
        """Ask: “overwrite”, “elsewhere” or “cancel”."""
        buttons = {
            say("Save elsewhere…"): ("elsewhere", Role.ActionRole),
            say("Overwrite"): ("overwrite", Role.DestructiveRole),
            say("Cancel"): ("cancel", Role.RejectRole),
        }
        more = say("Overwriting keeps what is there now as NAME.previous.")
        return ask(self.shell, say("Files on disk have changed"), f"{text}.", buttons, more)

    def may_leave(self) -> bool:
        """Ask what to do with unsaved changes; returns whether to go on."""
        self.session.finish_gesture()
        if work_title():
            self.session.warn(
                say(
                    "“{work_title}” still goes on: wait for it", work_title=work_title().rstrip("…")
                )
            )
            return False
        project = self.session.project
        nothing = not project.tilesets and not project.maps and not self.session.doc.history.names
        if self.session.doc.is_saved or nothing:
            return True
        buttons = {
            say("Save"): ("save", Role.AcceptRole),
            say("Don't save"): ("drop", Role.DestructiveRole),
            say("Cancel"): ("stay", Role.RejectRole),
        }
        text = say("“{name}” has changes that are not saved.", name=project.name)
        answer = ask(self.shell, say("Unsaved changes"), text, buttons)
        return self.save() if answer == "save" else answer == "drop"

    def leave(self) -> None:
        """Let go of everything: the window closes, and what is not saved is not wanted."""
        self.keeper.close()
        self.keeper.forget()
        self.presence.release()

    # Copies

    def kept_copies(self) -> list[Copy]:
        """List the copies of this project that earlier runs left behind, the newest first."""
        folder = self.session.project.folder
        return [each for each in waiting_copies(self.memory.recovery)
                if folder is not None and each.home == folder.absolute()]  # fmt: skip

    def _tell_no_copy(self, why: str) -> None:
        """Unsaved work is in memory only: somebody should know."""
        self.session.offer(
            say("No copy of what is not saved can be kept: {why}", why=why),
            {say("Save now"): self.save},
        )

    def offer_copies(self) -> bool:
        """Offer the newest copy that was left behind; returns whether it is open now."""
        copies = waiting_copies(self.memory.recovery)
        if not copies:
            return False
        copy = copies[0]
        when = datetime.fromtimestamp(copy.saved_at).strftime("%d %B, %H:%M")
        where = (
            say("It lies in {home}.", home=copy.home) if copy.home else say("It was never saved.")
        )
        more = say(" {count} more wait.", count=len(copies) - 1) if len(copies) > 1 else ""
        buttons = {
            say("Take up the copy"): ("take", Role.AcceptRole),
            say("Throw it away"): ("drop", Role.DestructiveRole),
            say("Later"): ("later", Role.RejectRole),
        }
        answer = ask(
            self.shell,
            say("A copy was kept"),
            say("“{name}” was not saved when the program ended.", name=copy.name),
            buttons,
            say("A copy of {when} was kept. {where}{more}", when=when, where=where, more=more),
            copy.picture,
        )
        if answer == "take":
            return self.recover(copy)
        if answer == "drop":
            drop_copy(copy)
        return False

    def recover(self, copy: Copy) -> bool:
        """Open a copy as the project that it is of, with changes not saved."""
        try:
            opened = open_project(copy.folder)
        except KnitError as error:
            self.session.warn(say("The copy can not be opened: {error}", error=error))
            return False
        project = opened.project
        project.folder = copy.home
        project.known = {}
        if copy.home is not None:
            # What lies at home now is what the copy may be saved over, unless it changes again.
            try:
                project.known = open_project(copy.home).project.known
            except KnitError:
                project.known = {}
        self.keeper.slot.adopt(copy)
        self.take(opened)
        self.session.doc.history.mark_unsaved()
        self.session.steps.emit()
        if copy.home is not None:
            self._claim(copy.home)
        return True


def _unkept(error: KnitError) -> None:
    LOG.warning("no picture was kept for the start page: %s", error)
