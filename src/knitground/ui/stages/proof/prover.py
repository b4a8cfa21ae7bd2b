"""Checks run one after the other beside the window, and are made again where something changed."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from enum import Enum, auto

from PySide6.QtCore import QObject, QTimer, Signal

from knitground.core.base.errors import KnitError
from knitground.core.base.progress import Progress
from knitground.core.base.tongue import say
from knitground.core.edit.changed import Changed, What
from knitground.core.model.map import Map
from knitground.core.proof.finding import Finding
from knitground.core.proof.proof import CHECKS, Proof, run_check, sorted_out
from knitground.core.proof.sheets import CHANGED
from knitground.ui.common.question import Question
from knitground.ui.session import Session

_SOON_MS, _LATER_MS = 350, 2500
"""How long nothing must change before it is checked again: while the stage is seen, and else."""
_NOTHING = {What.LOCK, What.ORDER, What.TRAY, What.PROOF, What.SHIPPING}
"""Changes that no check reads."""
_DRAWN = {What.TERRAIN, What.CELLS, What.MARKERS}
"""Those of what lies on maps."""
_LARGE = 1 << 22
"""Cells of a map that is checked only while somebody looks at Proof: it takes room."""


class _DrawnError(KnitError):
    """Something is drawn while a check runs."""


class State(Enum):
    """How far a check is."""

    WAITS = auto()
    RUNS = auto()
    DONE = auto()
    FAILED = auto()


@dataclass
class Checked:
    """A check, how far it is, and what it found last."""

    state: State = State.WAITS
    findings: tuple[Finding, ...] = ()
    words: str = ""


class Prover(QObject):
    """Keeps what checks found of the map that is shown, and of the project."""

    changed = Signal()
    """A check began or ended, or something is no fault now."""

    def __init__(self, session: Session, parent: QObject) -> None:
        super().__init__(parent)
        self.session = session
        self.checks: dict[str, Checked] = {key: Checked() for key in CHECKS}
        self.watched = False
        """Whether somebody looks at it: then it is made again soon."""
        self.by_itself = True
        """Whether it is made also while nobody looks at it, for the rail's count."""
        self._map: Map | None = None
        self._proof: Proof | None = None
        self._question = Question(lambda: session.doc, self)
        self._timer = QTimer(self, singleShot=True)
        self._timer.timeout.connect(self._next)
        session.changed.connect(self._follow)
        session.opened.connect(self._reopen)
        session.saved.connect(lambda: self._wait([CHANGED.key], _LATER_MS))
        session.choice.map_changed.connect(self._another_map)

    @property
    def proof(self) -> Proof:
        """All that is known by now; sorted once, until something else is known."""
        if self._proof is not None:
            return self._proof
        found = [each for one in self.checks.values() for each in one.findings]
        failed = {key: one.words for key, one in self.checks.items()
                  if one.state is State.FAILED}  # fmt: skip
        self._proof = sorted_out(self.session.doc, found, failed)
        return self._proof

    @property
    def is_busy(self) -> bool:
        """Whether checks run or wait."""
        return any(each.state in (State.WAITS, State.RUNS) for each in self.checks.values())

    def watch(self, on: bool) -> None:
        """Take note whether somebody looks at it."""
        self.watched = on
        if on and self.is_busy:
            self._timer.start(0)

    def again(self) -> None:
        """Check everything anew."""
        self._wait(CHECKS, 0)

    def _reopen(self) -> None:
        self._question.forget()
        self._map, self._proof = self.session.map, None
        for key in self.checks:
            self.checks[key] = Checked()
        self._wait(CHECKS, _SOON_MS if self.watched else _LATER_MS)

    def _another_map(self) -> None:
        if self.session.map is self._map:
            return
        self._question.forget()
        self._map, self._proof = self.session.map, None
        cut_short = [key for key, one in self.checks.items() if one.state is State.RUNS]
        of_map = [key for key, check in CHECKS.items() if check.of_map]
        for key in of_map:
            self.checks[key] = Checked()
        self._wait({*of_map, *cut_short}, _SOON_MS if self.watched else _LATER_MS)

    def _follow(self, change: Changed) -> None:
        if change.what is What.PROOF:
            self._proof = None
            self.changed.emit()
        elif change.what not in _NOTHING:
            elsewhere = change.map is not None and change.map is not self._map
            drawn = change.what in _DRAWN
            own = [key for key, check in CHECKS.items() if not (check.of_map and elsewhere)]
            some = [key for key in own if CHECKS[key].of_cells or not drawn]
            self._wait(some, _SOON_MS if self.watched else _LATER_MS)

    def _wait(self, keys: Iterable[str], ms: int) -> None:
        for key in keys:
            self.checks[key].state = State.WAITS
        if self.by_itself or self.watched:
            self._timer.start(ms)
        self.changed.emit()

    def _next(self) -> None:
        """Run the next check that waits, unless something goes on in the window."""
        if self.session.in_gesture:
            self._timer.start(_SOON_MS)
            return
        large = self._map is not None and self._map.height * self._map.width > _LARGE
        if large and not self.watched:
            return
        key = next((key for key, one in self.checks.items() if one.state is State.WAITS), None)
        if key is None or any(one.state is State.RUNS for one in self.checks.values()):
            return
        doc, map_, one, check = self.session.doc, self._map, self.checks[key], CHECKS[key]
        if check.of_map and map_ is None:
            self._take(one, [])
            return
        one.state = State.RUNS
        self.changed.emit()

        def work(progress: Progress) -> list[Finding] | None:
            def told(part: float) -> None:
                if self.session.in_gesture:
                    raise _DrawnError(say("it is checked after what is drawn"))
                progress(part)

            try:
                return run_check(doc, check, map_ if check.of_map else None, told)
            except _DrawnError:
                return None

        self._question.ask(
            work,
            lambda found: self._take(one, found),
            lambda error: self._fail(one, error),
            lambda: self._stale(one),
        )

    def _take(self, one: Checked, found: list[Finding] | None) -> None:
        if found is None:
            self._stale(one)
            return
        one.state, one.findings, one.words = State.DONE, tuple(found), ""
        self._go_on()

    def _fail(self, one: Checked, error: KnitError) -> None:
        one.state, one.words = State.FAILED, str(error)
        self._go_on()

    def _stale(self, one: Checked) -> None:
        one.state = State.WAITS
        self._timer.start(_SOON_MS)

    def _go_on(self) -> None:
        self._proof = None
        self.changed.emit()
        self._timer.start(0)
