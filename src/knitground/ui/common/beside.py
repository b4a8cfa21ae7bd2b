"""What a view wants to know is worked out beside the interface, the last question only."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject

from knitground.core.base.progress import Progress
from knitground.core.edit.document import Document
from knitground.ui.common.tasks import Job

Work = Callable[[Progress], Any]
Done = Callable[[Any], object]


class Beside(QObject):
    """Answers one question at a time; of those that come meanwhile only the last one.

    An answer to what was true before a change is thrown away, and the question put again. What can
    not be answered is answered with None. Work whose answer nobody wants any more is called off
    where it tells its progress.
    """

    def __init__(self, document: Callable[[], Document], owner: QObject) -> None:
        super().__init__(owner)
        self._document = document
        self._job: Job[Any] | None = None
        self._next: tuple[Work, Done] | None = None
        self._asked = 0

    @property
    def is_busy(self) -> bool:
        """Whether an answer is on its way."""
        return self._job is not None or self._next is not None

    def ask(self, work: Work, done: Done) -> None:
        """Ask; `done` gets the answer, in the interface thread."""
        self._call_off()
        self._next = (work, done)
        if self._job is None:
            self._start()

    def forget(self) -> None:
        """Want no answer any more."""
        self._call_off()
        self._next = None

    def _call_off(self) -> None:
        self._asked += 1
        if self._job is not None:
            self._job.cancel()

    def _start(self) -> None:
        if self._next is None:
            return
        (work, done), self._next = self._next, None
        doc = self._document()
        revision, number = doc.revision, self._asked

        def checked(progress: Progress) -> Any:
            try:
                return work(progress)
            except Exception:
                if doc.revision != revision:
                    return None  # it was changed while it was read
                raise

        def answer(found: Any) -> None:
            if doc is not self._document() or number != self._asked:
                return
            if doc.revision == revision:
                done(found)
            else:
                self.ask(work, done)

        self._job = Job(checked, answer, lambda _: answer(None), owner=self, ended=self._ended)
        self._job.start()

    def _ended(self) -> None:
        self._job = None
        self._start()
