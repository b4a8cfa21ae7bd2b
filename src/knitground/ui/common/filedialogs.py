"""Asking for files and folders: each kind of question begins where it was answered last."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache
from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QWidget

from knitground.core.base.tongue import say
from knitground.core.files.images import SUFFIXES

PICTURES = say("Pictures ({words})", words=" ".join(f"*{suffix}" for suffix in SUFFIXES))


class FilePlaces:
    """Where files of each kind were chosen last.

    The window lets it keep them from run to run: `get` gives what is kept under a key, `keep` keeps
    it. Until then they are known for as long as the program runs.
    """

    def __init__(self) -> None:
        self._known: dict[str, str] = {}
        self.get: Callable[[str], str] = lambda key: self._known.get(key, "")
        self.keep: Callable[[str, str], object] = self._known.__setitem__

    def of(self, kind: str) -> str:
        """Give the folder in which files of a kind were chosen last; "" if it is gone."""
        folder = self.get(f"folder of {kind}")
        try:
            return folder if folder and Path(folder).is_dir() else ""
        except (OSError, ValueError):
            return ""

    def chosen(self, kind: str, folder: Path) -> None:
        """Note where files of a kind were chosen."""
        self.keep(f"folder of {kind}", str(folder))


@cache
def file_places() -> FilePlaces:
    """Give what is known of the places."""
    return FilePlaces()


def ask_file(parent: QWidget, title: str, kind: str, wanted: str = PICTURES) -> Path | None:
    """Ask for a file that is there.

    Parameters
    ----------
    kind : of question, by which the folder is remembered: “sheets”, “projects”, “recipes” …
    wanted : endings, as Qt's file dialogs take them
    """
    name, _ = QFileDialog.getOpenFileName(parent, title, file_places().of(kind), wanted)
    return _noted(kind, name)


def ask_files(parent: QWidget, title: str, kind: str, wanted: str = PICTURES) -> list[Path]:
    """Ask for files that are there."""
    names, _ = QFileDialog.getOpenFileNames(parent, title, file_places().of(kind), wanted)
    return [path for name in names if (path := _noted(kind, name)) is not None]


def ask_new_file(parent: QWidget, title: str, kind: str, name: str, wanted: str) -> Path | None:
    """Ask for a file that is to be written; the dialog asks before one that is there is replaced.

    Parameters
    ----------
    name : that is proposed
    """
    folder = file_places().of(kind)
    begin = str(Path(folder) / name) if folder else name
    found, _ = QFileDialog.getSaveFileName(parent, title, begin, wanted)
    return _noted(kind, found)


def ask_folder(parent: QWidget, title: str, kind: str, begin: str = "") -> Path | None:
    """Ask for a folder.

    Parameters
    ----------
    begin : where it begins; "" where it was answered last
    """
    name = QFileDialog.getExistingDirectory(parent, title, begin or file_places().of(kind))
    if not name:
        return None
    file_places().chosen(kind, Path(name))
    return Path(name)


def _noted(kind: str, name: str) -> Path | None:
    if not name:
        return None
    path = Path(name)
    file_places().chosen(kind, path.parent)
    return path
