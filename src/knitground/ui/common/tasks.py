"""Long work beside the interface thread, with progress and Cancel."""

from __future__ import annotations

import gc
import sys
from collections.abc import Callable
from importlib import import_module
from threading import Event
from typing import Any, Generic, TypeVar

from PySide6.QtCore import QEventLoop, QObject, QRunnable, Qt, QThreadPool, QTimer, Signal, Slot
from PySide6.QtWidgets import QApplication, QProgressDialog, QWidget
from shiboken6 import isValid

from knitground.core.base.errors import Cancelled, Fault, KnitError
from knitground.core.base.progress import Progress
from knitground.core.edit.document import Document

Result = TypeVar("Result")
SHOW_AFTER_MS = 300
_SWITCH_SECONDS = 0.0005
"""How long work beside the interface keeps it waiting when it wants Python: each call that draws
waits so long, and there are hundreds in a frame; Python's own 5 ms make pauses that are felt."""


class _Relay(QObject):
    """Brings what a thread says into the interface thread, in which this object lives."""

    said = Signal(float)
    ended = Signal(object, object)

    def __init__(
        self, on_said: Callable[[float], Any], on_ended: Callable[[Any, Any], Any]
    ) -> None:
        super().__init__()
        self._on_said, self._on_ended = on_said, on_ended
        self.said.connect(self._say, Qt.ConnectionType.QueuedConnection)
        self.ended.connect(self._end, Qt.ConnectionType.QueuedConnection)

    @Slot(float)
    def _say(self, part: float) -> None:
        self._on_said(part)

    @Slot(object, object)
    def _end(self, result: object, error: object) -> None:
        self._on_ended(result, error)


class Job(QRunnable, Generic[Result]):
    """Work in a thread of its own; it always ends as done, failed or called off.

    `done` gets the result, `failed` an error of ours; both are called in the interface thread, and
    `ended` before either, whatever has happened. An error that is not ours is a fault of the
    program: it goes to the crash handler, and `failed` gets a `Fault`. Work that was called off
    ends in `failed` with `Cancelled`, even if it had got to its end: its result is thrown away.
    `done` and `failed` are not called once `owner` is gone.
    """

    def __init__(
        self,
        work: Callable[[Progress], Result],
        done: Callable[[Result], Any],
        failed: Callable[[KnitError], Any],
        progressed: Callable[[float], Any] = lambda _part: None,
        owner: QObject | None = None,
        ended: Callable[[], Any] = lambda: None,
    ) -> None:
        super().__init__()
        self._owner = owner
        self._work = work
        self._done = done
        self._failed = failed
        self._ended = ended
        self._stop = Event()
        self._relay = _Relay(progressed, self._end)
        self.setAutoDelete(False)
        _running.add(self)

    def cancel(self) -> None:
        """Ask the work to stop at its next report of progress."""
        self._stop.set()

    def start(self) -> None:
        """Begin."""
        QThreadPool.globalInstance().start(self)

    def run(self) -> None:
        try:
            result = self._work(self._report)
        except BaseException as error:  # noqa: BLE001 - goes on in the interface thread
            self._relay.ended.emit(None, error)
        else:
            self._relay.ended.emit(result, None)

    def _report(self, part_done: float) -> None:
        if self._stop.is_set():
            raise Cancelled("called off; nothing has changed")
        self._relay.said.emit(part_done)

    def _end(self, result: Result, error: BaseException | None) -> None:
        _running.discard(self)
        try:
            self._ended()
        finally:
            self._tell(result, error)

    def _tell(self, result: Result, error: BaseException | None) -> None:
        if self._owner is not None and not isValid(self._owner):
            return  # the window it was for has been closed meanwhile
        if error is None and self._stop.is_set():
            error = Cancelled("called off; nothing has changed")
        if error is None:
            self._done(result)
        elif isinstance(error, KnitError):
            self._failed(error)
        else:
            sys.excepthook(type(error), error, error.__traceback__)
            self._failed(Fault(error))


_running: set[Job[Any]] = set()


def warm_up() -> None:
    """Import what is slow to import, beside the interface thread: the first fill must not wait."""

    def work(_progress: Progress) -> None:
        for name in ("scipy.ndimage", "scipy.fft"):
            import_module(name)

    Job(work, lambda _: None, lambda _: None).start()


def spare_frames() -> None:
    """Look for garbage now, and leave all that is there out of later looks.

    A look through the whole window's objects takes some 50 ms, and Python takes one whenever it
    likes: in the middle of a stroke too. What is made later is still looked through. Work beside
    the interface is told to make room for it at once.
    """
    gc.unfreeze()
    gc.collect()
    gc.freeze()
    gc.set_threshold(5_000, 20, 50)
    sys.setswitchinterval(_SWITCH_SECONDS)


def call_off_jobs() -> None:
    """Ask all work beside the window to stop: for closing. What it makes is wanted no more."""
    for job in list(_running):
        job.cancel()


def wait_for_jobs(timeout_ms: int = 30_000) -> None:
    """Wait until no job runs and all results have arrived: for tests and for closing."""
    for _ in range(100):
        QThreadPool.globalInstance().waitForDone(timeout_ms)
        QApplication.processEvents()
        if not _running:
            return


def run_with_progress(
    parent: QWidget,
    title: str,
    work: Callable[[Progress], Result],
    done: Callable[[Result], Any],
    failed: Callable[[KnitError], Any],
    doc: Document | None = None,
) -> Job[Result]:
    """Run work with a progress window that shows itself after 0.3 s; Cancel changes nothing.

    The window takes no input meanwhile, and with `doc` the document is leased: nothing changes it,
    so the work can read it. Whatever happens, the window is usable again when it ends.
    """
    dialog = QProgressDialog(title, "Cancel", 0, 1000, parent)
    dialog.setWindowModality(Qt.WindowModality.ApplicationModal)
    dialog.setMinimumDuration(2**30)
    dialog.setAutoClose(False)
    dialog.setAutoReset(False)
    dialog.setMinimumWidth(360)
    show_later = QTimer(dialog, singleShot=True, interval=SHOW_AFTER_MS)
    show_later.timeout.connect(dialog.show)
    focus = QApplication.focusWidget()
    parent.setEnabled(False)
    if doc is not None:
        doc.take_lease()

    def close() -> None:
        show_later.stop()
        parent.setEnabled(True)
        dialog.hide()
        dialog.deleteLater()
        if focus is not None and isValid(focus) and focus.isVisible():
            focus.setFocus()
        if doc is not None:
            doc.end_lease()

    job = Job(
        work, done, failed, lambda part: dialog.setValue(int(part * 1000)), parent, ended=close
    )
    dialog.canceled.connect(job.cancel)
    show_later.start()
    job.start()
    return job


def wait_for(job: Job[Any]) -> None:
    """Wait for one job, the interface going on meanwhile."""
    loop = QEventLoop()
    timer = QTimer(interval=5)
    timer.timeout.connect(lambda: None if job in _running else loop.quit())
    timer.start()
    if job in _running:
        loop.exec()
