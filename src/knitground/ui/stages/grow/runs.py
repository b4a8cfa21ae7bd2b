"""Running a recipe beside the window: one run at a time, the newest wanted one next."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from time import monotonic

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtWidgets import QWidget

from knitground.core.base.errors import Cancelled, KnitError
from knitground.core.base.progress import Progress
from knitground.core.base.tongue import say
from knitground.core.edit.document import Edit
from knitground.core.edit.maps import lay_grown
from knitground.core.edit.recipes import (
    Over,
    cells_painted,
    grow_over,
    painted_over,
    put_steps,
)
from knitground.core.grow.looks import Small, step_picture
from knitground.core.grow.plainless import Plainless, find_plainless
from knitground.core.grow.runner import Kept, run_recipe
from knitground.core.grow.work import Grown
from knitground.core.model.map import Map
from knitground.core.model.recipe import Recipe, Step
from knitground.ui.common.asking import Role, ask
from knitground.ui.common.tasks import Job
from knitground.ui.session import Session
from knitground.ui.stages.grow.standin import with_recipe

_PICTURE = (30, 44)
_SUPERSEDED_SECONDS = 3.0


@dataclass(frozen=True)
class Order:
    """What is to run: a recipe for a map, and the key of the step that comes of it.

    `before` are the steps that the map had when it was wished.
    """

    map_: Map
    recipe: Recipe
    key: object
    before: tuple[Step, ...]


@dataclass(frozen=True)
class Ran:
    """What a run gave: the edit, what each step made, and which steps could not run."""

    grown: list[Grown]
    edit: Edit
    skipped: list[str]
    pictures: list[Small]
    plainless: list[Plainless]


class Runs(QObject):
    """Runs what is wished when it comes to it.

    Parameters
    ----------
    wished : gives what is to run now; None if there is nothing
    take : takes what a step that runs long has made so far, in the thread that makes it
    home : a question comes up over its window
    """

    began = Signal(object, object)
    """A run of a document begins; the second is the map as it is tried."""
    progressed = Signal(float)
    ended = Signal()
    ran = Signal(object, object, object)
    """A map, what has run (`Ran`), and how many steps of it if not all: before it is laid."""
    settled = Signal()
    """What was made is laid, or the run was called off before it began."""
    outdated = Signal(object)
    """The order could not be laid, for the map has changed meanwhile: it is to run once more."""
    failed = Signal(str)
    gone_on = Signal()
    """The next run has begun, if one was wished meanwhile."""

    def __init__(
        self,
        session: Session,
        wished: Callable[[], Order | None],
        take: Callable[[Grown], object],
        home: QWidget,
    ) -> None:
        super().__init__(home)
        self.session, self._home = session, home
        self._wished, self._take = wished, take
        self.kept = Kept()
        self.job: Job[Ran | None] | None = None
        self._begun = 0.0
        self._again = False
        self._again_for: Map | None = None
        self.until: int | None = None
        self.anew: int | None = None

    def run(self) -> None:
        """Run what is wished beside the interface thread and lay it; the latest wish wins."""
        if self.job is not None:
            self._again, self._again_for = True, self.session.map
            if monotonic() - self._begun > _SUPERSEDED_SECONDS:
                self.job.cancel()  # nobody waits for the rest of a long run that is out of date
            return
        order = self._wished()
        if order is None:
            return
        recipe = self._asked(order)
        if recipe is None:
            self.settled.emit()  # fields show what holds
            return
        self._begin(order, recipe)

    def _begin(self, order: Order, recipe: Recipe) -> None:
        map_, doc, kept = order.map_, self.session.doc, self.kept
        until, self.until = self.until, None
        anew, self.anew = self.anew, None
        trial = with_recipe(map_, recipe)
        revision = doc.revision

        def work(progress: Progress) -> Ran | None:
            try:
                skipped: list[str] = []
                grown = run_recipe(
                    doc.project, trial, progress, kept=kept, until=until, skipped=skipped,
                    show=self._take, anew=anew,
                )  # fmt: skip
                small = [step_picture(doc.project, trial, each, *_PICTURE) for each in grown]
                plainless = find_plainless(doc.project, trial, grown)
                return Ran(grown, lay_grown(map_, grown, recipe), skipped, small, plainless)
            except Exception:
                if doc.revision != revision:
                    return None  # the map changed under it: run once more
                raise

        def lay(found: Ran) -> None:
            if doc is not self.session.doc or map_ not in doc.project.maps:
                return
            if doc.revision != revision:
                self.outdated.emit(order)
                self.run()  # something was drawn while it waited
                return
            self.ran.emit(map_, found, until)
            self.session.apply(found.edit, order.key)
            self.settled.emit()

        def done(found: Ran | None) -> None:
            if doc is not self.session.doc or map_ not in doc.project.maps:
                return
            if found is None or doc.revision != revision:
                self.outdated.emit(order)
                self._again, self._again_for = True, map_
            else:
                doc.when_free(lambda: lay(found))

        self.began.emit(doc, trial)
        self.job = Job(
            work, done, self._fail, self.progressed.emit, owner=self, ended=self._ended
        )  # fmt: skip
        self._begun = monotonic()
        self.job.start()

    def _asked(self, order: Order) -> Recipe | None:
        """Ask what becomes of what was painted since layers were grown; None calls the run off."""
        map_, recipe = order.map_, order.recipe
        for layer in painted_over(map_, recipe):
            answers = {
                say("Round what is painted"): (Over.ROUND.name, Role.AcceptRole),
                say("Grow on a layer of its own"): (Over.OWN.name, Role.ActionRole),
                say("Instead of it"): (Over.INSTEAD.name, Role.DestructiveRole),
                say("Cancel"): ("", Role.RejectRole),
            }
            count = int(cells_painted(layer).sum())
            answer = ask(
                self._home.window(),
                say("Terrain was painted there"),
                say(
                    "“{name}” was painted in {count} cells since it was grown.",
                    name=layer.name,
                    count=count,
                ),
                answers,
                say("The recipe lays its terrain anew."),
            )
            if not answer:
                return None
            edit, recipe = grow_over(map_, layer, Over[answer], recipe)
            both = (*edit.atoms, *put_steps(map_, recipe.steps).atoms)
            self.session.apply(Edit(edit.name, both), order.key)
        return recipe

    def call_off(self) -> None:
        """Stop the run that is under way; nothing changes."""
        self._again = False
        if self.job is not None:
            self.job.cancel()

    def _ended(self) -> None:
        self.job = None
        self.ended.emit()
        QTimer.singleShot(0, self, self._go_on)

    def _fail(self, error: KnitError) -> None:
        if self._again and isinstance(error, Cancelled):
            self.failed.emit("")  # the newer run follows at once
        else:
            self.failed.emit(str(error))

    def _go_on(self) -> None:
        if self._again:
            self._again = False
            if self._again_for is self.session.map:  # else nobody has asked for that one
                self.run()
            self.gone_on.emit()
