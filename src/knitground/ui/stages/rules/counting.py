"""Counting, beside the interface, what rules take on the map and what nobody takes."""

from __future__ import annotations

from PySide6.QtCore import QObject, QTimer, Signal

from knitground.core.base.errors import KnitError
from knitground.core.base.progress import Progress
from knitground.core.base.tongue import say, say_many
from knitground.core.edit.rulehome import RuleHome
from knitground.core.edit.rulestats import (
    RuleStats,
    Situations,
    find_untaken,
    rule_stats,
    set_report,
)
from knitground.core.model.rules import Rule
from knitground.core.model.terrain import Terrain
from knitground.core.rules.analyse import RuleReport
from knitground.ui.common.question import Question
from knitground.ui.session import Session
from knitground.ui.stages.rules.rulelist import RuleNote

_LATER_MS = 150
Answer = tuple[RuleStats, RuleReport | None, Situations | None]


class RuleCounter(QObject):
    """Knows what the rules of a list do, as of the last time that was counted."""

    counted = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.home: RuleHome | None = None
        self.stats = RuleStats()
        self.report: RuleReport | None = None
        self.untaken: Situations | None = None
        self._terrains: tuple[Terrain, ...] = ()
        self._question = Question(lambda: session.doc, self)
        self._later = QTimer(self, singleShot=True, interval=_LATER_MS)
        self._later.timeout.connect(self._count)

    def show_list(self, home: RuleHome | None) -> None:
        """Count for another list; what is known of the last one is forgotten.

        So is what was told with other terrains: a situation names them by their numbers.
        """
        terrains = home.kit.terrains if home is not None and home.kit is not None else ()
        same = home is not None and home.same_as(self.home) and home.project is self._project()
        if not same or terrains != self._terrains:
            self.stats, self.report, self.untaken = RuleStats(), None, None
        self.home, self._terrains = home, terrains

    def _project(self) -> object:
        return self.home.project if self.home else None

    def soon(self, wait: int = _LATER_MS) -> None:
        """Count again in a while; later on large maps, where it takes longer."""
        area = sum(each.height * each.width for each in self.session.project.maps)
        self._later.start(wait + area // 1000)

    @property
    def is_done(self) -> bool:
        """Whether nothing is waiting to be counted."""
        return not self._question.is_busy and not self._later.isActive()

    def _count(self) -> None:
        home, map_ = self.home, self.session.map
        if home is None or not home.is_there:
            return
        if self.session.in_gesture:
            self.soon()
            return
        maps = self.session.project.maps

        def work(progress: Progress) -> Answer:
            stats = rule_stats(home, map_, progress) if map_ is not None else RuleStats()
            if home.kit is None:
                return stats, None, None
            report, _ = set_report(home)
            return stats, report, find_untaken(home, maps, progress)

        def done(found: Answer) -> None:
            if home.same_as(self.home):
                self.stats, self.report, self.untaken = found
                self.counted.emit()
            else:
                self.soon()

        self._question.ask(work, done, self._failed, self.soon)

    def _failed(self, error: KnitError) -> None:
        self.stats, self.report, self.untaken = RuleStats(), None, None
        self.session.warn(str(error))

    # In words

    def notes(self) -> dict[int, RuleNote]:
        """Say of each rule of the list what it takes, or why it does nothing."""
        home = self.home
        return {r.number: self._note_of(home, r) for r in home.rules.rules} if home else {}

    def _note_of(self, home: RuleHome, rule: Rule) -> RuleNote:
        fired = self.stats.fired.get(rule.number)
        cells = fired.count if fired else 0
        fact = self.report.facts.get(rule.number) if self.report else None
        problem = self.stats.problems.get(rule.number, "")
        if fact is not None:
            problem = fact.problem or problem
        if problem:
            return RuleNote(warning=problem, cells=cells)
        if fact is not None and fact.never_fires and rule.on:
            words = _hiding_words(home, fact.hidden_by, marks=fact.marks_hide)
            return RuleNote(warning=say("never fires: {words}", words=words), can_lift=True)
        counted = (
            say_many("{count} cell", "{count} cells", cells)
            if home.kit is not None
            else say_many("{count} place", "{count} places", cells)
        )
        if fact is not None:
            many = "" if self.report and self.report.exact else say("about ")
            some = say_many(
                "{takes} of {count} situation",
                "{takes} of {count} situations",
                fact.could,
                takes=fact.takes,
            )
            counted = say("takes {about}{some}\n{counted}", about=many, some=some, counted=counted)
        elif fired is not None and fired.state_words():
            counted += f"\n{fired.state_words()}"
        return RuleNote(counted, cells=cells)

    def warning(self) -> str:
        """Say why the list as a whole does not do what it should; “” if it does."""
        if 0 in self.stats.problems:
            return self.stats.problems[0]
        if self.stats.loops:
            return say(
                "These rules come back to an earlier state instead of coming to rest: try fewer "
                "passes, or take out one that undoes another."
            )
        return ""


def _hiding_words(home: RuleHome, numbers: tuple[int, ...], *, marks: bool) -> str:
    places = {each.number: n for n, each in enumerate(home.rules.rules, 1)}
    named = [say("rule {places}", places=places[n]) for n in numbers if n in places]
    named += [say("the marks")] if marks else []
    some = ", ".join(named[:4]) + (" …" if len(named) > 4 else "")
    one = len(named) == 1 and not marks
    if one:
        return say("{some} takes all that it fits", some=some)
    return say("{some} take all that it fits", some=some)
