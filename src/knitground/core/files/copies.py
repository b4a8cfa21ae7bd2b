"""Copies of unsaved work, for the next start: one folder for each running program.

A folder is locked by the program that writes it for as long as that runs, so that what is left
unlocked is of a program that came to a bad end.
"""

from __future__ import annotations

import fcntl
import json
import os
import re
import shutil
import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from secrets import token_hex
from typing import IO

from knitground.core.base.errors import KnitError
from knitground.core.base.tongue import say
from knitground.core.files.images import png_bytes
from knitground.core.files.places import PROJECT_NAME
from knitground.core.files.saving import project_bytes
from knitground.core.files.vault import waiting, write_together
from knitground.core.model.project import Project
from knitground.core.render.atlas import Atlas
from knitground.core.render.pixels import straight
from knitground.core.render.small import small_picture

ABOUT, PICTURE, _LOCK = "about.json", "picture.png", ".lock"
_SLOT = re.compile(r"\d+-[0-9a-f]{8}")
_FRESH_SECONDS = 60
"""A folder that has just been made is locked only in a moment."""


class StaleError(Exception):
    """The project changed while it was read: what was read may be mixed."""


@dataclass(frozen=True)
class Copy:
    """A copy that a program left behind.

    `home` is the folder of the project that it is of, None if that never was saved; `saved_at` is
    in seconds since 1970.
    """

    folder: Path
    name: str
    home: Path | None
    saved_at: float
    fault: bool

    @property
    def picture(self) -> Path | None:
        """A small picture of what it holds."""
        path = self.folder / PICTURE
        return path if path.exists() else None


class CopySlot:
    """The folder into which this program writes its copies; made when there is one to write."""

    def __init__(self, root: Path) -> None:
        self.root = root
        self.folder: Path | None = None
        self._lock: IO[bytes] | None = None

    def write(
        self,
        project: Project,
        home: Path | None,
        *,
        fault: bool = False,
        same: Callable[[], bool] = lambda: True,
    ) -> Path:
        """Write a copy of a project in the place of the last one.

        Parameters
        ----------
        home : where the project lies
        fault : whether the program has come to a bad end
        same : asked when all has been read: whether the project is still what it was

        Raises
        ------
        StaleError
            It is not; the last copy stays.
        KnitError
            The folder can not be written.
        """
        try:
            files = project_bytes(project)
            picture = _small(project)
        except Exception as error:
            if not same():
                raise StaleError from error
            raise
        if not same():
            raise StaleError
        about = {
            "name": project.name,
            "home": str(home.absolute()) if home else "",
            "saved_at": time.time(),
            "fault": fault,
        }
        files[ABOUT] = json.dumps(about).encode()
        if picture is not None:
            files[PICTURE] = picture
        folder = self._own()
        there = [each.name for each in folder.iterdir() if each.is_file() and each.name != _LOCK]
        gone = dict.fromkeys(name for name in there if name not in files)
        write_together(folder, {**files, **gone})
        return folder

    def adopt(self, copy: Copy) -> bool:
        """Go on with a copy that was left behind: it is this program's own now."""
        self.forget()
        self.folder = copy.folder
        return self._hold()

    def forget(self) -> None:
        """Throw the copy away: its work is saved, or not wanted."""
        folder, self.folder = self.folder, None
        if self._lock is not None:
            self._lock.close()
            self._lock = None
        if folder is not None:
            shutil.rmtree(folder, ignore_errors=True)

    def let_go(self) -> None:
        """Leave the copy for the next start."""
        self.folder = None
        if self._lock is not None:
            self._lock.close()
            self._lock = None

    def _own(self) -> Path:
        if self.folder is None:
            self.folder = self.root / f"{os.getpid()}-{token_hex(4)}"
            try:
                self.folder.mkdir(parents=True)
            except OSError as error:
                folder, self.folder = self.folder, None
                raise KnitError(
                    say(
                        "{folder} can not be made ({strerror})",
                        folder=folder,
                        strerror=error.strerror,
                    )
                ) from error
            self._hold()
        return self.folder

    def _hold(self) -> bool:
        assert self.folder is not None
        try:
            self._lock = (self.folder / _LOCK).open("wb")
            fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            return False
        return True


def waiting_copies(root: Path) -> list[Copy]:
    """List the copies that programs left behind, the newest first.

    What is left of copies that never became whole is taken away.
    """
    found = []
    with suppress(OSError):
        for folder in root.iterdir():
            if not _SLOT.fullmatch(folder.name) or folder.is_symlink() or _is_held(folder):
                continue
            if (folder / PROJECT_NAME).exists() or waiting(folder).instead.get(PROJECT_NAME):
                found.append(_read(folder))
            elif time.time() - folder.stat().st_mtime > _FRESH_SECONDS:
                shutil.rmtree(folder, ignore_errors=True)
    return sorted(found, key=lambda each: -each.saved_at)


def drop_copy(copy: Copy) -> None:
    """Throw a copy away that was left behind."""
    shutil.rmtree(copy.folder, ignore_errors=True)


def _is_held(folder: Path) -> bool:
    try:
        with (folder / _LOCK).open("rb") as file:
            fcntl.flock(file, fcntl.LOCK_SH | fcntl.LOCK_NB)
    except FileNotFoundError:
        return False
    except OSError:
        return True
    return False


def _read(folder: Path) -> Copy:
    about: dict[str, object] = {}
    with suppress(OSError, ValueError):
        loaded = json.loads((folder / ABOUT).read_bytes())
        about = loaded if isinstance(loaded, dict) else {}
    when, home = about.get("saved_at"), about.get("home")
    return Copy(
        folder,
        str(about.get("name") or say("a project")),
        Path(home) if isinstance(home, str) and home else None,
        float(when) if isinstance(when, int | float) else folder.stat().st_mtime,
        bool(about.get("fault")),
    )


def _small(project: Project) -> bytes | None:
    """Draw the first map small; a copy without a picture is better than none."""
    if not project.maps:
        return None
    map_ = project.maps[0]
    return png_bytes(straight(small_picture(map_, Atlas(project, map_))))
