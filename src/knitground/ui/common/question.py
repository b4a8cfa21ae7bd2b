"""What a view wants to know is worked out beside the interface, the last question only."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QObject

from knitground.core.base.errors import Cancelled, KnitError
from knitground.core.base.progress import Progress
from knitground.core.edit.document import Document
from knitground.ui.common.tasks import Job

Work = Callable[[Progress], Any]
Done = Callable[[Any], object]


@dataclass(frozen=True, eq=False)
class _Asked:
    work: Work
    done: Done
    failed: Callable[[KnitError], object] | None
    changed: Callable[[], object] | None


class Question(QObject):
    """Answers one question at a time; of those that come meanwhile only the last one.

    An answer to what was true before a change is thrown away, and the question put again. Work
    whose answer nobody wants any more is called off where it tells its progress.
    """

    def __init__(self, document: Callable[[], Document], owner: QObject) -> None:
        super().__init__(owner)
        self._document = document
        self._job: Job[Any] | None = None
        self._next: _Asked | None = None
        self._asked = 0

    @property
    def is_busy(self) -> bool:
        """Whether an answer is on its way."""
        return self._job is not None or self._next is not None

    def ask(
        self,
        work: Work,
        done: Done,
        failed: Callable[[KnitError], object] | None = None,
        changed: Callable[[], object] | None = None,
    ) -> None:
        """Ask.

        Parameters
        ----------
        done : gets the answer, in the interface thread; None if there is none and no `failed`
        failed : gets the error of ours for which there is no answer
        changed : is called instead of asking again if the document has changed meanwhile
        """
        self._call_off()
        self._next = _Asked(work, done, failed, changed)
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
        asked, self._next = self._next, None
        doc = self._document()
        revision, number = doc.revision, self._asked

        def checked(progress: Progress) -> Any:
            try:
                return asked.work(progress)
            except Exception:
                if doc.revision != revision:
                    return None  # it was changed while it was read
                raise

        def is_wanted() -> bool:
            return doc is self._document() and number == self._asked

        def answer(found: Any) -> None:
            if not is_wanted():
                return
            if doc.revision == revision:
                asked.done(found)
            elif asked.changed is not None:
                asked.changed()
            else:
                self.ask(asked.work, asked.done, asked.failed)

        def fail(error: KnitError) -> None:
            if asked.failed is None or doc.revision != revision:
                answer(None)
            elif is_wanted() and not isinstance(error, Cancelled):
                asked.failed(error)

        self._job = Job(checked, answer, fail, owner=self, ended=self._ended)
        self._job.start()

    def _ended(self) -> None:
        self._job = None
        self._start()
