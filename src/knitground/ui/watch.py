"""Watches the sheets of the project on disk and reads them again when they change."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QFileSystemWatcher, QObject, QTimer

from knitground.core.base.errors import KnitError
from knitground.core.base.progress import Progress
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.reslice import moved_tiles, read_again
from knitground.core.files.images import read_picture
from knitground.core.model.tileset import Picture, Tileset
from knitground.core.slicing.follow import Place
from knitground.ui.session import Session
from knitground.ui.tasks import Job

_SETTLE_MS = 250
_TRIES = 6


class SheetWatcher(QObject):
    """Follows each sheet's file, also when the program that saves it puts another in its place.

    Folders are watched along with files: a file that was replaced is a new one to the system. A
    file that can not be read is tried again a few times, for it may be half written.
    """

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._watcher = QFileSystemWatcher(self)
        self._watcher.fileChanged.connect(self._stir)
        self._watcher.directoryChanged.connect(self._stir)
        self._stamps: dict[Path, tuple[int, int]] = {}
        self._tries: dict[Path, int] = {}
        self._settle = QTimer(self, singleShot=True, interval=_SETTLE_MS)
        self._settle.timeout.connect(self._look)
        session.opened.connect(self.watch_all)
        session.changed.connect(self._follow)
        session.steps.connect(self.watch_all)

    def sheet_path(self, tileset: Tileset) -> Path | None:
        """Where a tileset's sheet lies on disk; None if it was never there."""
        if tileset.unsaved:
            return None
        if tileset.origin is not None:
            return tileset.origin
        folder = self.session.project.folder
        return folder / tileset.sheet if folder else None

    def watch_all(self) -> None:
        """Watch the sheets of the project as it is now; what lies there counts as known."""
        paths = [p for t in self.session.project.tilesets if (p := self.sheet_path(t)) is not None]
        wanted = {str(p) for p in paths if p.exists()} | {
            str(p.parent) for p in paths if p.parent.exists()
        }
        have = {*self._watcher.files(), *self._watcher.directories()}
        if have - wanted:
            self._watcher.removePaths(sorted(have - wanted))
        if wanted - have:
            self._watcher.addPaths(sorted(wanted - have))
        for path in paths:
            if path not in self._stamps:
                self._stamps[path] = _stamp(path)

    def _follow(self, change: Changed) -> None:
        if change.what in (What.TILESETS, What.SLICING):
            self.watch_all()

    def _stir(self, _path: str) -> None:
        self._settle.start()

    def _look(self) -> None:
        self.watch_all()
        for tileset in self.session.project.tilesets:
            path = self.sheet_path(tileset)
            if path is None:
                continue
            stamp = _stamp(path)
            if stamp != self._stamps.get(path) and stamp != (0, 0):
                self._stamps[path] = stamp
                self._read(tileset, path)

    def _read(self, tileset: Tileset, path: Path) -> None:
        slicing, old = tileset.slicing, tileset.picture

        def work(_progress: Progress) -> tuple[Picture, dict[Place, Place]]:
            picture = read_picture(path)
            return picture, moved_tiles(slicing, old, picture)

        job: Job[tuple[Picture, dict[Place, Place]]] = Job(
            work,
            lambda found: self._take(tileset, path, *found),
            lambda error: self._fail(path, error),
            owner=self.session,
        )
        job.start()

    def _fail(self, path: Path, error: KnitError) -> None:
        tries = self._tries.get(path, 0) + 1
        self._tries[path] = tries
        if tries < _TRIES:
            self._stamps[path] = (-1, tries)
            self._settle.start()
        else:
            self._tries[path] = 0
            self.session.warn(f"{path.name} changed on disk, but: {error}")

    def _take(
        self, tileset: Tileset, path: Path, picture: Picture, moved: dict[Place, Place]
    ) -> None:
        self._tries[path] = 0
        if tileset not in self.session.project.tilesets or self.session.doc.in_stroke:
            self._stamps[path] = (-1, 0)
            self._settle.start()
            return
        old = tileset.picture
        if old is not None and old.shape == picture.shape and (old == picture).all():
            return
        try:
            edit = read_again(self.session.project, tileset, picture, moved)
        except KnitError as error:
            self.session.warn(f"{path.name} changed on disk, but: {error}; the old one is kept")
            return
        if self.session.apply(edit):
            more = f"; {len(moved)} tiles had moved and were followed" if moved else ""
            self.session.note(f"{path.name} changed on disk and was read again{more}")


def _stamp(path: Path) -> tuple[int, int]:
    try:
        facts = path.stat()
    except OSError:
        return 0, 0
    return facts.st_mtime_ns, facts.st_size
