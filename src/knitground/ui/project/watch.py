"""Watches the sheets of the project on disk and reads them again when they change."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QFileSystemWatcher, QObject, QTimer

from knitground.core.base.errors import KnitError, PlaceError
from knitground.core.base.progress import Progress
from knitground.core.base.tongue import say
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Document, Edit
from knitground.core.edit.reslice import Losses, moved_tiles, read_again
from knitground.core.edit.sheets import set_relief
from knitground.core.files.images import read_sheet, relief_name
from knitground.core.files.opening import digest
from knitground.core.files.places import inside
from knitground.core.model.tileset import At, SheetFile, Tileset
from knitground.ui.common.tasks import Job
from knitground.ui.session import Session

_SETTLE_MS = 250
_TRIES = 6
Moves = list[dict[At, At]]
"""Of each tileset of a sheet: the tiles that moved."""


class SheetWatcher(QObject):
    """Follows each sheet's file, also when the program that saves it puts another in its place.

    Folders are watched along with files: a file that was replaced is a new one to the system. A
    file that can not be read is tried again a few times, for it may be half written. All tilesets
    of one sheet follow together, as one step; while the project is read, or drawn on, that waits.
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
        """Where a tileset's sheet lies on disk; None if it was never there, or is not its own."""
        if tileset.unsaved:
            return None
        if tileset.origin is not None:
            return tileset.origin
        folder = self.session.project.folder
        if folder is None:
            return None
        try:
            return inside(folder, tileset.sheet)
        except PlaceError:  # a link that leads out of the folder by now
            return None

    def watch_all(self) -> None:
        """Watch the sheets of the project as it is now; what lies there counts as known."""
        paths = list(self._tilesets())
        wanted = {str(p) for p in paths if p.exists()} | {
            str(p.parent) for p in paths if p.parent.exists()
        }
        have = {*self._watcher.files(), *self._watcher.directories()}
        if have - wanted:
            self._watcher.removePaths(sorted(have - wanted))
        if wanted - have:
            self._watcher.addPaths(sorted(wanted - have))
        for path in [*paths, *(each.with_name(relief_name(each.name)) for each in paths)]:
            if path not in self._stamps:
                self._stamps[path] = _stamp(path)

    def look_again(self) -> None:
        """Look at every sheet once more, as if each had changed."""
        self._stamps = dict.fromkeys(self._stamps, (-1, 0))
        self._settle.start()

    def _tilesets(self) -> dict[Path, list[Tileset]]:
        """List the tilesets of each sheet that lies on disk."""
        out: dict[Path, list[Tileset]] = {}
        for tileset in self.session.project.tilesets:
            path = self.sheet_path(tileset)
            if path is not None:
                out.setdefault(path, []).append(tileset)
        return out

    def _follow(self, change: Changed) -> None:
        if change.what in (What.TILESETS, What.SLICING):
            self.watch_all()

    def _stir(self, _path: str) -> None:
        self._settle.start()

    def _look(self) -> None:
        self.watch_all()
        for path, tilesets in self._tilesets().items():
            if self._is_other(path):
                self._read(path, tilesets)
            relief = path.with_name(relief_name(path.name))
            if self._is_other(relief):
                self._read_relief(relief, tilesets[0])

    def _is_other(self, path: Path) -> bool:
        """Whether a file is not what it was when this was asked last."""
        stamp = _stamp(path)
        if stamp in (self._stamps.get(path), (0, 0)):
            return False
        self._stamps[path] = stamp
        return True

    def _read_relief(self, path: Path, tileset: Tileset) -> None:
        doc, known = self.session.doc, tileset.relief_data

        def done(sheet: SheetFile) -> None:
            self._tries[path] = 0
            now = digest(sheet.data)
            if doc.project.known.get(str(path.absolute())) == now:
                return  # saved by this window: a relief that was undone since stays undone
            if known is None or now != digest(known):
                doc.when_free(lambda: self._take_relief(doc, path, tileset, sheet))

        Job(lambda _: read_sheet(path), done, lambda error: self._fail(path, error),
            owner=self.session).start()  # fmt: skip

    def _take_relief(self, doc: Document, path: Path, tileset: Tileset, sheet: SheetFile) -> None:
        if doc is not self.session.doc or tileset not in doc.project.tilesets:
            return
        old = tileset.relief
        if old is not None and old.shape == sheet.picture.shape and (old == sheet.picture).all():
            return
        try:
            edit = set_relief(doc.project, tileset, sheet.picture, sheet.data)
            self.session.finish_gesture()
            doc.apply(Edit(say("Read “{name}” again", name=path.name), edit.atoms))
        except KnitError as error:
            self.session.warn(
                say(
                    "{name} changed on disk, but: {error}; it is left out",
                    name=path.name,
                    error=error,
                )
            )
            return
        self.session.note(say("{name} changed on disk and was read again", name=path.name))
        doc.project.known[str(path.absolute())] = digest(sheet.data)

    def _read(self, path: Path, tilesets: list[Tileset]) -> None:
        before = [(each.slicing, each.picture) for each in tilesets]
        known, doc = tilesets[0].data, self.session.doc

        def work(_progress: Progress) -> tuple[SheetFile, Moves] | None:
            sheet = read_sheet(path)
            if known is not None and digest(sheet.data) == digest(known):
                return None
            return sheet, [moved_tiles(cut, old, sheet.picture) for cut, old in before]

        def done(found: tuple[SheetFile, Moves] | None) -> None:
            self._tries[path] = 0
            if found is not None:
                doc.when_free(lambda: self._take(doc, path, tilesets, *found))

        Job(work, done, lambda error: self._fail(path, error), owner=self.session).start()

    def _fail(self, path: Path, error: KnitError) -> None:
        tries = self._tries.get(path, 0) + 1
        self._tries[path] = tries
        if tries < _TRIES:
            self._stamps[path] = (-1, tries)
            self._settle.start()
        else:
            self._tries[path] = 0
            self.session.warn(
                say("{name} changed on disk, but: {error}", name=path.name, error=error)
            )

    def _take(
        self, doc: Document, path: Path, tilesets: list[Tileset], sheet: SheetFile, moves: Moves
    ) -> None:
        if doc is not self.session.doc:
            return  # another project is open by now
        there = [pair for pair in zip(tilesets, moves) if pair[0] in doc.project.tilesets]
        old = there[0][0].picture if there else None
        same = (
            old is not None
            and old.shape == sheet.picture.shape
            and bool((old == sheet.picture).all())
        )
        if not there or same:
            return
        try:
            count, losses = self._apply(doc, there, sheet, path)
        except KnitError as error:
            self.session.warn(
                say(
                    "{name} changed on disk, but: {error}; the old one is kept",
                    name=path.name,
                    error=error,
                )
            )
            return
        lines = [line for each in losses for line in each.lines()]
        text = say("{name} changed on disk and was read again", name=path.name)
        text += say("; {count} tiles had moved and were followed", count=count) if count else ""
        if lines:
            self.session.warn(
                say(
                    "{told}; not to be followed: {words}; undo brings it back",
                    told=text,
                    words=", ".join(lines),
                )
            )
        else:
            self.session.note(text)
        doc.project.known[str(path.absolute())] = digest(sheet.data)

    def _apply(
        self,
        doc: Document,
        there: list[tuple[Tileset, dict[At, At]]],
        sheet: SheetFile,
        path: Path,
    ) -> tuple[int, list[Losses]]:
        """Let all tilesets of a sheet take it, as one step."""
        self.session.finish_gesture()
        losses: list[Losses] = []
        with doc.stroke(say("Read “{name}” again", name=path.name)):
            for tileset, moved in there:
                edit, lost = read_again(doc.project, tileset, sheet, moved)
                doc.apply(Edit(edit.name, edit.atoms))
                losses.append(lost)
        return sum(len(moved) for _, moved in there), losses


def _stamp(path: Path) -> tuple[int, int]:
    try:
        facts = path.stat()
    except OSError:
        return 0, 0
    return facts.st_mtime_ns, facts.st_size
