"""Keeps a copy of unsaved work: after so many changes or seconds, beside the interface."""

from __future__ import annotations

from pathlib import Path
from time import monotonic

from PySide6.QtCore import QObject, QTimer, Signal

from knitground.core.base.errors import KnitError
from knitground.core.base.progress import Progress
from knitground.core.base.tongue import say
from knitground.core.files.copies import CopySlot, StaleError
from knitground.ui.common.tasks import Job
from knitground.ui.project.crash import LOG
from knitground.ui.session import Session

CHANGES = 20
"""So many changes after the last copy another one is written, whatever the clock says."""
SECONDS = 60.0
_LOOK_MS = 2000
_TRIES = 5


class Keeper(QObject):
    """Writes copies of the session's project into a slot, and forgets them once it is saved.

    `failed` says why unsaved work can not be copied: once, until it can be again.
    """

    failed = Signal(str)

    def __init__(self, session: Session, root: Path) -> None:
        super().__init__()
        self.session = session
        self.slot = CopySlot(root)
        self.written = 0
        self._kept_revision = 0
        self._kept_at = monotonic()
        self._tries = 0
        self._told = False
        self._job: Job[Path | None] | None = None
        self._timer = QTimer(self, interval=_LOOK_MS)
        self._timer.timeout.connect(self.look)
        self._timer.start()
        session.opened.connect(self._reopen)

    def _reopen(self) -> None:
        self._kept_revision, self._kept_at, self._tries = 0, monotonic(), 0

    def look(self) -> None:
        """Write a copy if it is time for one and nothing is being drawn."""
        doc = self.session.doc
        changes = doc.revision - self._kept_revision
        enough = changes >= CHANGES and not self._told
        due = enough or (changes and monotonic() - self._kept_at >= SECONDS)
        if not due or doc.is_saved or doc.in_stroke or doc.is_leased or self._job is not None:
            return
        if self._tries >= _TRIES:
            self.keep()  # someone draws without a pause: a short wait is better than lost work
            return
        revision, project = doc.revision, doc.project

        def work(_: Progress) -> Path | None:
            try:
                return self.slot.write(
                    project, project.folder, same=lambda: doc.revision == revision
                )
            except StaleError:
                return None

        self._job = Job(work, lambda path: self._kept(revision, path), self._failed, owner=self)
        self._job.start()

    def _kept(self, revision: int, path: Path | None) -> None:
        self._job = None
        if path is None:
            self._tries += 1
            return
        self._note(revision)

    def _note(self, revision: int) -> None:
        self.written += 1
        self._tries = 0
        self._told = False
        self._kept_revision, self._kept_at = revision, monotonic()

    def _failed(self, error: KnitError) -> None:
        self._job = None
        self._kept_at = monotonic()
        LOG.warning("no copy could be kept: %s", error)
        if not self._told:
            self._told = True
            self.failed.emit(str(error))

    def keep(self, *, fault: bool = False) -> Path | None:
        """Write a copy now; None if that is not possible."""
        doc = self.session.doc
        if doc.is_saved:
            return None
        try:
            path = self.slot.write(doc.project, doc.project.folder, fault=fault)
        except KnitError as error:
            self._failed(error)
            return None
        self._note(doc.revision)
        return path

    def keep_at_fault(self) -> str:
        """Write a copy after a fault, if there is anything unsaved; says in words what it did."""
        if self.session.doc.is_saved:
            return say("everything is saved")
        path = self.keep(fault=True)
        return (
            say("a copy of the project is in {path}", path=path)
            if path
            else say("no copy could be kept")
        )

    def forget(self) -> None:
        """Throw the copy away: the project is saved, or its changes are not wanted."""
        self.slot.forget()
        self._kept_revision, self._kept_at = self.session.doc.revision, monotonic()

    def close(self) -> None:
        """Stop looking: the window closes."""
        self._timer.stop()
