"""The document: a project, its history, and the only way in which it changes."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass

from psygnal import Signal

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.base.window import Box
from knitground.core.edit.atoms import Atom, SetField
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.grower import Grower
from knitground.core.edit.history import History, Step
from knitground.core.edit.knitter import Gives, Knitter
from knitground.core.edit.rewriter import Rewriter
from knitground.core.edit.room import check_room
from knitground.core.model.layers import Cells, GroundLayer, GrownLayer, Layer
from knitground.core.model.map import Map, grid_of
from knitground.core.model.project import Project


@dataclass(frozen=True, eq=False)
class Edit:
    """A named change, planned but not done: atoms in the order in which they are to be done.

    `gives` are cells that are known to come of it: who planned it has knitted them.
    """

    name: str
    atoms: tuple[Atom, ...]
    gives: Gives | None = None


class Document:
    """A project that is being worked on.

    `changed` is sent once for each change, after it is made; `steps_changed` whenever the history
    or the saved mark is different. `revision` counts changes. While work beside the interface reads
    the project it holds a lease: edits are refused then, and what can wait is handed to
    `when_free`.
    """

    changed = Signal(Changed)
    steps_changed = Signal()

    def __init__(self, project: Project) -> None:
        self.project = project
        self.history = History()
        self.knitter = Knitter(project)
        self.rewriter = Rewriter(project, self.knitter)
        self.grower = Grower(project)
        self.revision = 0
        self._stroke: Step | None = None
        self._amending: tuple[Step, object] | None = None
        self.planned: tuple[object, object] | None = None
        """The last dab that was planned, by all that it depends on: ghost and press share it."""
        self._leases = 0
        self._waiting: list[Callable[[], object]] = []

    @property
    def is_saved(self) -> bool:
        """Whether what is on disk is what is here now; what an open stroke has laid is not."""
        return self.history.is_saved and not (self._stroke is not None and self._stroke.atoms)

    @property
    def is_leased(self) -> bool:
        """Whether work beside the interface reads the project now."""
        return self._leases > 0

    @contextmanager
    def lease(self) -> Iterator[None]:
        """Keep the project as it is while a block, or what it stands for, reads it."""
        self.take_lease()
        try:
            yield
        finally:
            self.end_lease()

    def take_lease(self) -> None:
        """Begin to read the project beside the interface: it does not change until that ends."""
        self._leases += 1

    def end_lease(self, *, settled: bool = True) -> None:
        """Note that the reading has ended; what waited for that is done now.

        Parameters
        ----------
        settled : whether what was made of the reading lies in the project; if not, what waits is
            done when `work_off_waiting` is called
        """
        self._leases -= 1
        if settled:
            self.work_off_waiting()

    def when_free(self, action: Callable[[], object]) -> None:
        """Do something as soon as nobody reads the project and no stroke is open: perhaps now."""
        self._waiting.append(action)
        self.work_off_waiting()

    def work_off_waiting(self) -> None:
        """Do what has waited, as far as nobody reads the project and no stroke is open."""
        while self._waiting and not self._leases and self._stroke is None:
            self._waiting.pop(0)()

    @property
    def in_stroke(self) -> bool:
        """Whether a stroke is open."""
        return self._stroke is not None

    def apply(self, edit: Edit) -> None:
        """Make a change; it becomes a step of the history, or part of the open stroke.

        If an atom fails, those before it are taken back and the error goes on: nothing changed.
        """
        if not edit.atoms:
            return
        self._refuse_while_read(edit.name)
        done: list[Atom] = []
        try:
            for atom in edit.atoms:
                atom.do()
                done.append(atom)
            check_room(self.project, edit.atoms)
        except BaseException:
            for atom in reversed(done):
                atom.undo()
            raise
        if self._stroke is not None:
            self._stroke.atoms.extend(done)
        else:
            self.history.add(Step(edit.name, done))
        gives = edit.gives
        self._tell(edit.atoms, gives if gives and gives.revision == self.revision else None)
        if self._stroke is None or len(self._stroke.atoms) == len(done):
            self.steps_changed.emit()

    def _refuse_while_read(self, name: str) -> None:
        if self._leases:
            raise EditError(
                say("“{name}” has to wait: the project is being read, do it again then", name=name)
            )

    def amend(self, edit: Edit, key: object) -> None:
        """Make a change that stands in for the last one made with the same key.

        For sliders and the like: however often the value changes while it is held, it is one step.
        """
        before: Step | None = None
        if self._stroke is None and self._amending is not None:
            step, last_key = self._amending
            before = step if last_key is key and self.history.can_join(step) else None
        if not edit.atoms:
            return  # nothing is different: what the gesture has done so far stays
        self.apply(edit)
        last = self.history.last
        if before is not None and last is not None and last is not before:
            last = Step(edit.name, _absorbed(before.atoms, last.atoms))
            self.history.join_last(before, last)
        self._amending = (last, key) if last is not None and self._stroke is None else None

    def begin_stroke(self, name: str) -> None:
        """Open a stroke: all edits until it ends are one step."""
        if self._stroke is not None:
            raise EditError(
                say("“{name}” is still being drawn: finish it first", name=self._stroke.name)
            )
        self._refuse_while_read(name)
        self._stroke = Step(name)

    def commit_stroke(self) -> None:
        """End the stroke; it becomes one step, or none if it changed nothing."""
        stroke, self._stroke = self._stroke, None
        if stroke is not None and stroke.atoms:
            self.history.add(stroke)
            self.steps_changed.emit()
        self.work_off_waiting()

    def cancel_stroke(self) -> None:
        """End the stroke and take back all of it."""
        stroke, self._stroke = self._stroke, None
        if stroke is not None:
            self._take_back(stroke)
            if stroke.atoms:
                self.steps_changed.emit()
        self.work_off_waiting()

    @contextmanager
    def stroke(self, name: str) -> Iterator[None]:
        """Run a block as one stroke; an error in it takes back all of it."""
        self.begin_stroke(name)
        try:
            yield
        except BaseException:
            self.cancel_stroke()
            raise
        self.commit_stroke()

    def undo(self) -> str | None:
        """Take back the last step; returns its name, None if there is none."""
        if self._stroke is not None:
            self.cancel_stroke()
            return None
        self._refuse_while_read(say("Undo"))
        step = self.history.take_back()
        if step is None:
            return None
        self._take_back(step)
        self.steps_changed.emit()
        return step.name

    def redo(self) -> str | None:
        """Do the last undone step again; returns its name, None if there is none."""
        self._refuse_while_read(say("Redo"))
        step = self.history.bring_back() if self._stroke is None else None
        if step is None:
            return None
        for atom in step.atoms:
            atom.do()
        self._tell(step.atoms)
        self.steps_changed.emit()
        return step.name

    def mark_saved(self) -> None:
        """Note that what is on disk is what is here now."""
        self.history.mark_saved()
        self.steps_changed.emit()

    def cells(self, map_: Map, layer: Layer, box: Box) -> Cells:
        """Copy a layer's cells, knitted where they have to be; the box may wrap."""
        if isinstance(layer, GroundLayer):
            self.knitter.ensure(map_, layer, box)
        elif isinstance(layer, GrownLayer):
            self.rewriter.ensure(map_, layer, box)
        return grid_of(map_, layer).lattice.read(layer.cells, box)

    def work_off(self, blocks: int = 16) -> bool:
        """Knit a few blocks that nobody has looked at yet; returns whether any are left."""
        return any(
            self.knitter.work_off(map_, blocks) or self.rewriter.work_off(map_, blocks)
            for map_ in self.project.maps
        )

    def ensure_all(self, map_: Map) -> None:
        """Knit and rewrite all of a map."""
        self.knitter.ensure_all(map_)
        self.rewriter.ensure_all(map_)

    def _take_back(self, step: Step) -> None:
        for atom in reversed(step.atoms):
            atom.undo()
        self._tell(step.atoms[::-1])

    def _tell(self, atoms: tuple[Atom, ...] | list[Atom], gives: Gives | None = None) -> None:
        self.revision += 1
        told: set[tuple[object, ...]] = set()
        for change in _merged([atom.changed for atom in atoms]):
            key = (change.what, id(change.map), id(change.layer), change.box, id(change.tileset))
            if key in told:
                continue
            told.add(key)
            follow_ups = self.knitter.follow(change, gives)
            follow_ups += self.rewriter.follow([change, *follow_ups])
            self.grower.follow(change)
            self.changed.emit(change)
            for made in follow_ups:
                self.changed.emit(made)


def _absorbed(first: list[Atom], then: list[Atom]) -> list[Atom]:
    """Join the atoms of two changes; a field that both set goes back to before the first."""
    again = {(id(a.owner), a.name) for a in then if isinstance(a, SetField)}
    starts: dict[tuple[int, str], object] = {}
    kept: list[Atom] = []
    for atom in first:
        key = (id(atom.owner), atom.name) if isinstance(atom, SetField) else None
        if key is None or key not in again:
            kept.append(atom)
        elif isinstance(atom, SetField):
            starts.setdefault(key, atom.old)
    for atom in then:
        key = (id(atom.owner), atom.name) if isinstance(atom, SetField) else None
        if key in starts and isinstance(atom, SetField):
            atom.starts_from(starts.pop(key))
    return [*kept, *then]


def _merged(changes: list[Changed]) -> list[Changed]:
    """Join neighbouring changes of one layer into one with the box round both.

    A long stroke is undone with one repaint, not with one for each dab.
    """
    out: list[Changed] = []
    for change in changes:
        last = out[-1] if out else None
        same = (
            last is not None
            and last.what is change.what
            and last.layer is change.layer
            and last.box is not None
            and change.box is not None
            and change.what in (What.TERRAIN, What.CELLS)
        )
        if same and last is not None and last.box is not None and change.box is not None:
            joined = last.box.joined(change.box)
            grown = joined.height * joined.width
            parts = last.box.height * last.box.width + change.box.height * change.box.width
            if grown <= 4 * parts + 4096:
                out[-1] = Changed(change.what, change.map, change.layer, joined)
                continue
        out.append(change)
    return out
