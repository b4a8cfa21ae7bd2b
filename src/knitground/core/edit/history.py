"""One history of named steps, bounded by the memory that it takes."""

from __future__ import annotations

from dataclasses import dataclass, field

from knitground.core.edit.atoms import Atom

LIMIT_BYTES = 512 * 1024 * 1024


@dataclass(eq=False)
class Step:
    """A named step: the atoms that were done, in order."""

    name: str
    atoms: list[Atom] = field(default_factory=list)
    held: int = 0
    """Bytes that the history counts for it, from when it came in."""

    @property
    def nbytes(self) -> int:
        """Memory that undoing it takes."""
        return sum(atom.nbytes for atom in self.atoms)


class History:
    """Steps done and steps taken back; only steps that succeeded get in here."""

    def __init__(self, limit_bytes: int = LIMIT_BYTES) -> None:
        self._limit = limit_bytes
        self._done: list[Step] = []
        self._undone: list[Step] = []
        self._bytes = 0
        self._saved: Step | None = None
        self._saved_lost = False

    @property
    def undo_name(self) -> str | None:
        """Name of the step that undo would take back."""
        return self._done[-1].name if self._done else None

    @property
    def redo_name(self) -> str | None:
        """Name of the step that redo would do again."""
        return self._undone[-1].name if self._undone else None

    @property
    def names(self) -> list[str]:
        """Names of all steps done, oldest first."""
        return [step.name for step in self._done]

    def add(self, step: Step) -> None:
        """Add a step that has been done; what had been undone can not be redone any more."""
        if self._saved in self._undone:
            self._saved_lost = True
        self._undone.clear()
        self._done.append(step)
        step.held = step.nbytes
        self._bytes += step.held
        while self._bytes > self._limit and len(self._done) > 1:
            oldest = self._done.pop(0)
            self._bytes -= oldest.held
            if self._saved is None or oldest is self._saved:
                self._saved_lost = oldest is not self._saved or self._saved_lost

    @property
    def last(self) -> Step | None:
        """The last step done."""
        return self._done[-1] if self._done else None

    def can_join(self, step: Step) -> bool:
        """Whether what comes next may become one with a step: the last one done, and not saved."""
        return self.last is step and self._saved is not step

    def join_last(self, before: Step, joined: Step) -> None:
        """Let one step stand for the last two done, if `before` is the first of them."""
        if len(self._done) < 2 or self._done[-2] is not before:
            return
        for _ in range(2):
            self._bytes -= self._done.pop().held
        joined.held = joined.nbytes
        self._bytes += joined.held
        self._done.append(joined)

    def take_back(self) -> Step | None:
        """Move the last step to those undone and return it; the caller undoes it."""
        if not self._done:
            return None
        step = self._done.pop()
        self._bytes -= step.held
        self._undone.append(step)
        return step

    def bring_back(self) -> Step | None:
        """Move the last undone step to those done and return it; the caller does it."""
        if not self._undone:
            return None
        step = self._undone.pop()
        self._bytes += step.held
        self._done.append(step)
        return step

    def mark_saved(self) -> None:
        """Note that what is on disk is what is here now."""
        self._saved = self._done[-1] if self._done else None
        self._saved_lost = False

    def mark_unsaved(self) -> None:
        """Note that what is here is nowhere on disk as it should be."""
        self._saved_lost = True

    @property
    def is_saved(self) -> bool:
        """Whether nothing has changed since `mark_saved`."""
        return not self._saved_lost and self._saved is (self._done[-1] if self._done else None)
