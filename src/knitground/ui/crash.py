"""When something goes wrong that should not: save what there is, say so, go on."""

from __future__ import annotations

import shutil
import sys
import traceback
from collections.abc import Callable
from pathlib import Path
from types import TracebackType

from knitground.core.base.errors import KnitError
from knitground.core.files.project_io import save_project
from knitground.core.model.project import Project
from knitground.ui.memory import recovery_folder


def save_recovery(project: Project, folder: Path | None = None) -> Path | None:
    """Save a copy of the project for the next start; None if that was not possible either."""
    target = folder or recovery_folder()
    sheets = [(each, each.sheet) for each in project.tilesets]
    try:
        save_project(project, target)
        home = project.folder.absolute() if project.folder else ""
        (target / "home.txt").write_text(str(home), encoding="utf-8")
    except (KnitError, OSError):
        return None
    finally:
        for tileset, sheet in sheets:
            tileset.sheet = sheet
    return target


def waiting_recovery(folder: Path | None = None) -> Path | None:
    """Return the folder of a saved copy, if the last run left one."""
    target = folder or recovery_folder()
    return target if (target / "project.knit.json").exists() else None


def recovery_home(folder: Path) -> Path | None:
    """Where the project of a saved copy used to lie; None if it never was saved."""
    try:
        text = (folder / "home.txt").read_text(encoding="utf-8").strip()
    except OSError:
        return None
    return Path(text) if text else None


def forget_recovery(folder: Path | None = None) -> None:
    """Throw the saved copy away."""
    shutil.rmtree(folder or recovery_folder(), ignore_errors=True)


class CrashHandler:
    """Takes the place of `sys.excepthook` while the window is open.

    Errors of ours become notes. Anything else is a fault of the program: the project is saved to
    the recovery folder first, then the fault is told, and the window stays open.
    """

    def __init__(
        self,
        project: Callable[[], Project],
        tell: Callable[[str], object],
        folder: Path | None = None,
    ) -> None:
        self._project = project
        self._tell = tell
        self._folder = folder
        self._busy = False

    def install(self) -> None:
        """Catch what nobody else catches."""
        sys.excepthook = self.handle

    def handle(
        self,
        kind: type[BaseException],
        error: BaseException,
        trace: TracebackType | None,
    ) -> None:
        """Deal with one error."""
        if issubclass(kind, KeyboardInterrupt):
            sys.__excepthook__(kind, error, trace)
            return
        if isinstance(error, KnitError):
            self._tell(str(error))
            return
        if self._busy:
            return
        self._busy = True
        try:
            traceback.print_exception(kind, error, trace)
            saved = save_recovery(self._project(), self._folder)
            where = f"a copy of the project is in {saved}" if saved else "no copy could be saved"
            self._tell(f"Something went wrong in the program ({kind.__name__}: {error}); {where}")
        finally:
            self._busy = False
