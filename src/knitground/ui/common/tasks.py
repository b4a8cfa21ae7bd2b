"""Long work beside the interface thread, with progress and Cancel."""

from __future__ import annotations

import sys
from collections import deque
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor, wait
from functools import cache
from importlib import import_module
from threading import Event
from typing import Any, Generic, TypeVar

from PySide6.QtCore import QEventLoop, QObject, Qt, QThread, QTimer, Signal, Slot
from PySide6.QtWidgets import QApplication, QProgressDialog, QWidget
from shiboken6 import isValid

from knitground.core.base.errors import Cancelled, EditError, Fault, KnitError
from knitground.core.base.progress import Progress
from knitground.core.base.tongue import say
from knitground.core.edit.document import Document
from knitground.ui.common.taskbar import tell_taskbar

Result = TypeVar("Result")
SHOW_AFTER_MS = 300
_SWITCH_SECONDS = 0.0005
"""How long work beside the interface keeps it waiting when it wants Python: each call that draws
waits so long, and there are hundreds in a frame; Python's own 5 ms make pauses that are felt."""
_threads = ThreadPoolExecutor(max(2, QThread.idealThreadCount()), "beside")


class _Bell(QObject):
    """Calls the interface thread, in which this object lives, to what other threads leave here.

    Nothing else of Qt is touched beside the interface, and nothing that is handed over stays held
    there: the last one to let go of a widget must be the interface thread.
    """

    _rung = Signal()

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._left: deque[list[Any]] = deque()
        self._rung.connect(self._come, Qt.ConnectionType.QueuedConnection)

    def leave(self, call: list[Any]) -> None:
        """Have the first of a list called with the others; the list is emptied."""
        self._left.append(call)
        self._rung.emit()

    @Slot()
    def _come(self) -> None:
        call = self._left.popleft()  # one at a time: it may open a dialog, the others go on
        function, *words = call
        call.clear()
        function(*words)


class Job(Generic[Result]):
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
        progressed: Callable[[float], Any] | None = None,
        owner: QObject | None = None,
        ended: Callable[[], Any] = lambda: None,
    ) -> None:
        self._owner = owner
        self._work = work
        self._done = done
        self._failed = failed
        self._ended = ended
        self._progressed = progressed
        self._stop = Event()
        self._bell = _bell()
        self._over: list[Callable[[], object]] = []
        self._future: Future[None] | None = None
        _running.add(self)

    def cancel(self) -> None:
        """Ask the work to stop at its next report of progress."""
        self._stop.set()

    def when_over(self, call: Callable[[], object]) -> None:
        """Have something called when it has ended and its result has arrived; now, if it has."""
        if self in _running:
            self._over.append(call)
        else:
            call()

    def start(self) -> None:
        """Begin."""
        self._future = _threads.submit(_run, [self])

    def wait(self, seconds: float) -> bool:
        """Wait until the work has ended; its result may not have arrived."""
        return self._future is None or not wait([self._future], seconds).not_done

    def run(self) -> tuple[_Bell, list[Any]]:
        """Do the work, beside the interface; returns what is to be left, and where."""
        try:
            return self._bell, [self._end, self._work(self._report), None]
        except BaseException as error:  # noqa: BLE001 - goes on in the interface thread
            return self._bell, [self._end, None, error]

    def _report(self, part_done: float) -> None:
        if self._stop.is_set():
            raise Cancelled(say("called off; nothing has changed"))
        if self._progressed is not None:
            self._bell.leave([self._progressed, part_done])

    def _end(self, result: Result, error: BaseException | None) -> None:
        _running.discard(self)
        try:
            self._ended()
        finally:
            try:
                self._tell(result, error)
            finally:
                for call in self._over:
                    call()

    def _tell(self, result: Result, error: BaseException | None) -> None:
        if self._owner is not None and not isValid(self._owner):
            return  # the window it was for has been closed meanwhile
        if error is None and self._stop.is_set():
            error = Cancelled(say("called off; nothing has changed"))
        if error is None:
            self._done(result)
        elif isinstance(error, KnitError):
            self._failed(error)
        else:
            sys.excepthook(type(error), error, error.__traceback__)
            self._failed(Fault(error))


_running: set[Job[Any]] = set()


def _run(only: list[Job[Any]]) -> None:
    """Do the work of one job, and hold nothing of it when its result is left."""
    bell, call = only.pop().run()
    bell.leave(call)


@cache
def _bell() -> _Bell:
    sys.setswitchinterval(_SWITCH_SECONDS)
    app = QApplication.instance()
    assert app is not None, say("work beside the interface needs one")
    return _Bell(app)


def warm_up() -> None:
    """Import what is slow to import, beside the interface thread: the first fill must not wait."""

    def work(_progress: Progress) -> None:
        for name in ("scipy.ndimage", "scipy.fft"):
            import_module(name)

    Job(work, lambda _: None, lambda _: None).start()


def call_off_jobs() -> None:
    """Ask all work beside the window to stop: for closing. What it makes is wanted no more."""
    for job in list(_running):
        job.cancel()


def wait_for_jobs(timeout_ms: int = 30_000) -> bool:
    """Wait until no job runs and all results have arrived: for tests and for closing.

    Returns whether that came in time.
    """
    for _ in range(100):
        if not all(job.wait(timeout_ms / 1000) for job in list(_running)):
            return False
        QApplication.processEvents()
        if not _running:
            return True
    return False


_titles: list[str] = []


def work_title() -> str:
    """Name the work with a progress window that goes on; empty if none does."""
    return _titles[-1] if _titles else ""


def run_with_progress(
    parent: QWidget,
    title: str,
    work: Callable[[Progress], Result],
    done: Callable[[Result], Any],
    failed: Callable[[KnitError], Any],
    doc: Document | None = None,
) -> Job[Result] | None:
    """Run work with a progress window that shows itself after 0.3 s; Cancel changes nothing.

    With `doc` the document is leased: nothing changes it, so the work can read it. Edits that come
    meanwhile are made when `done` or `failed` has settled what the work has given. One piece of
    such work goes on at a time; another one fails at once, and None is returned.
    """
    focus = QApplication.focusWidget()
    if focus is not None:  # what is being written in a field is part of what is worked on
        focus.clearFocus()
        focus.setFocus()
    if _titles:  # it may have begun just now: what was written asked for it
        words = title.rstrip("…")
        failed(
            EditError(
                say(
                    "“{words}” has to wait: “{work_title}” still goes on",
                    words=words,
                    work_title=work_title().rstrip("…"),
                )
            )
        )
        return None
    shown: list[QProgressDialog] = []
    _titles.append(title)
    if doc is not None:
        doc.take_lease()

    def show() -> None:
        shown.append(_progress_window(parent, title))
        shown[0].canceled.connect(job.cancel)
        shown[0].show()

    def progressed(part: float) -> None:
        for dialog in shown:
            dialog.setValue(int(part * 1000))
            tell_taskbar(part)

    def close() -> None:
        _titles.remove(title)
        if isValid(show_later):
            show_later.stop()
            show_later.deleteLater()
        if shown:
            tell_taskbar(None)
        for dialog in shown:
            if isValid(dialog):
                dialog.hide()
                dialog.deleteLater()
        shown.clear()
        if doc is not None:
            doc.end_lease(settled=False)

    def over() -> None:
        if doc is not None:
            doc.work_off_waiting()

    job = Job(work, done, failed, progressed, parent, ended=close)
    job.when_over(over)
    show_later = QTimer(parent, singleShot=True, interval=SHOW_AFTER_MS)
    show_later.timeout.connect(show)
    show_later.start()
    job.start()
    return job


def _progress_window(parent: QWidget, title: str) -> QProgressDialog:
    dialog = QProgressDialog(title, say("Cancel"), 0, 1000, parent)
    dialog.setWindowModality(Qt.WindowModality.ApplicationModal)
    dialog.setMinimumDuration(2**30)
    dialog.setAutoClose(False)
    dialog.setAutoReset(False)
    dialog.setMinimumWidth(360)
    return dialog


def wait_for(job: Job[Any] | None) -> None:
    """Wait until one job is over, the interface going on meanwhile."""
    loop = QEventLoop()
    if job is not None:
        job.when_over(loop.quit)
    if job in _running:
        loop.exec()
