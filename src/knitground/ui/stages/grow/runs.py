"""Running the recipe beside the window: one run at a time, the newest wanted one next."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from time import monotonic
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QTimer
from PySide6.QtGui import QPixmap

from knitground.core.base.errors import Cancelled, KnitError
from knitground.core.base.progress import Progress
from knitground.core.base.window import Box
from knitground.core.edit.document import Document, Edit
from knitground.core.edit.laying import plan_unpin
from knitground.core.edit.maps import lay_grown
from knitground.core.edit.recipes import (
    Over,
    cells_painted,
    grow_over,
    painted_over,
    put_steps,
)
from knitground.core.edit.selecting import Selection
from knitground.core.grow.looks import Small, step_picture
from knitground.core.grow.plainless import Plainless, find_plainless, left_out
from knitground.core.grow.runner import Grown, run_recipe
from knitground.core.model.layers import GroundLayer, GrownLayer
from knitground.core.model.map import Map
from knitground.core.model.recipe import Recipe, Step
from knitground.core.model.solvestep import SolveFrom, SolveStep
from knitground.ui.common.asking import Role, ask
from knitground.ui.common.tasks import Job
from knitground.ui.mapside.canvas.chunks import image_of
from knitground.ui.mapside.growing import once_grown
from knitground.ui.stages.grow.standin import off_words, with_recipe
from knitground.ui.stages.grow.stepcard import Told

if TYPE_CHECKING:
    from knitground.ui.stages.grow.bench import GrowBench

_PICTURE = (30, 44)
_SUPERSEDED_SECONDS = 3.0


@dataclass
class _Ran:
    """What a run gave: the edit, what each step made, and which steps could not run."""

    grown: list[Grown]
    edit: Edit
    skipped: list[str]
    pictures: list[Small]
    plainless: list[Plainless]


class Runs:
    """Runs the recipe of a bench."""

    def __init__(self, bench: GrowBench) -> None:
        self.bench = bench
        self._begun = 0.0
        self.job: Job[_Ran | None] | None = None
        self.again = False
        self._again_for: Map | None = None
        self.wished: tuple[Step, ...] | None = None
        """The steps that cards have asked for, until they have been run."""
        self._wished_for: Map | None = None
        self._plainless: list[tuple[object, ...]] = []
        self.until: int | None = None
        self.anew: int | None = None

    def wish(self, map_: Map, steps: tuple[Step, ...]) -> None:
        """Note what cards ask for; it is not run yet."""
        self.wished, self._wished_for = steps, map_

    def settle_wish(self) -> None:
        """Put what was asked for in the recipe of a map that is no longer shown; nothing runs."""
        map_, steps = self._wished_for, self.wished
        if steps is not None and map_ is not self.bench.session.map:
            self.wished = None
            if map_ in self.bench.session.project.maps:
                session = self.bench.session
                session.doc.when_free(lambda: session.apply(put_steps(map_, steps)))

    def _wanted(self) -> Recipe | None:
        """Give the recipe as the cards ask for it."""
        map_ = self.bench.session.map
        if map_ is None:
            return None
        self.settle_wish()
        steps, self.wished = self.wished or map_.recipe.steps, None
        seed = self.bench.seed.value() if self.bench.shows(map_) else map_.recipe.seed
        return replace(map_.recipe, seed=seed, steps=steps) if steps else None

    def run_new(self) -> None:
        """Run the recipe as a step of its own."""
        self.bench.catch_up()
        self.bench.new_key()
        self.run()

    def run(self) -> None:
        """Run the recipe beside the interface thread and lay what it made; latest wish wins."""
        map_ = self.bench.session.map
        if self.job is not None:
            self.again, self._again_for = True, map_
            if monotonic() - self._begun > _SUPERSEDED_SECONDS:
                self.job.cancel()  # nobody waits for the rest of a long run that is out of date
            return
        wanted = self._wanted()
        if map_ is None or wanted is None:
            return
        recipe = self._asked(map_, wanted)
        if recipe is None:
            self.bench.refresh_later()  # its fields show what holds
            return
        until, self.until = self.until, None
        anew, self.anew = self.anew, None
        key, doc, kept = self.bench.change_key, self.bench.session.doc, self.bench.kept
        trial = with_recipe(map_, recipe)
        revision = doc.revision

        def work(progress: Progress) -> _Ran | None:
            try:
                skipped: list[str] = []
                grown = run_recipe(
                    doc.project, trial, progress, kept=kept, until=until, skipped=skipped,
                    show=self.bench.running.take, anew=anew,
                )  # fmt: skip
                small = [step_picture(doc.project, trial, each, *_PICTURE) for each in grown]
                plainless = find_plainless(doc.project, trial, grown)
                return _Ran(grown, lay_grown(map_, grown, recipe), skipped, small, plainless)
            except Exception:
                if doc.revision != revision:
                    return None  # the map changed under it: run once more
                raise

        def done(found: _Ran | None) -> None:
            if doc is not self.bench.session.doc or map_ not in doc.project.maps:
                return
            if found is None or doc.revision != revision:
                self.again, self._again_for = True, map_
            else:
                doc.when_free(lambda: self._lay(doc, revision, map_, found, key, until))

        self.bench.step_note.setText("growing…")
        self.bench.running.begin(doc, trial)
        self.job = Job(
            work, done, self._fail, self.bench.running.tell, owner=self.bench, ended=self._ended
        )
        self._begun = monotonic()
        self.job.start()

    def _asked(self, map_: Map, recipe: Recipe) -> Recipe | None:
        """Ask what becomes of what was painted since layers were grown; None calls the run off."""
        for layer in painted_over(map_, recipe):
            answers = {
                "Round what is painted": (Over.ROUND.name, Role.AcceptRole),
                "Grow on a layer of its own": (Over.OWN.name, Role.ActionRole),
                "Instead of it": (Over.INSTEAD.name, Role.DestructiveRole),
                "Cancel": ("", Role.RejectRole),
            }
            count = int(cells_painted(layer).sum())
            answer = ask(
                self.bench.window(), "Terrain was painted there",
                f"“{layer.name}” was painted in {count} cells since it was grown.", answers,
                "The recipe lays its terrain anew.",
            )  # fmt: skip
            if not answer:
                return None
            edit, recipe = grow_over(map_, layer, Over[answer], recipe)
            both = (*edit.atoms, *put_steps(map_, recipe.steps).atoms)
            self.bench.session.apply(Edit(edit.name, both), self.bench.change_key)
        return recipe

    def call_off(self) -> None:
        """Stop the run that is under way; nothing changes."""
        self.again = False
        if self.job is not None:
            self.job.cancel()

    def _ended(self) -> None:
        self.job = None
        self.bench.running.end()
        QTimer.singleShot(0, self.bench, self._go_on)

    def _lay(
        self, doc: Document, revision: int, map_: Map, found: _Ran, key: object, until: int | None
    ) -> None:
        if doc is not self.bench.session.doc or map_ not in doc.project.maps:
            return
        if doc.revision != revision:
            self.run()  # something was drawn while it waited
            return
        if self.bench.shows(map_):
            self._tell(map_, found, until)
        self.bench.session.apply(found.edit, key)
        self.bench.refresh_later()

    def _tell(self, map_: Map, found: _Ran, until: int | None) -> None:
        """Note what each step made, for its card."""
        first = next(
            (e for e in found.grown if isinstance(e.layer, GroundLayer) and e.shares), None
        )
        self.bench.laid = {name: (a, b) for name, a, b in first.shares} if first else {}
        told: dict[int, Told] = {}
        for each, small in zip(found.grown, found.pictures):
            words = f"{each.seconds * 1000:.0f} ms" if self.bench.show_times else ""
            words = " · ".join(part for part in (words, each.words) if part)
            picture = QPixmap.fromImage(image_of(small).copy())
            if each.step not in told:
                told[each.step] = Told(words, each.shares, picture, "", each.spots)
        for line in found.skipped:
            number = line.split(":")[0].split()[1]
            if number.isdecimal():
                told[int(number) - 1] = Told(problem=line)
        last = max(told, default=-1)
        if until is not None:  # what later steps made is still there
            told |= {place: each for place, each in self.bench.told.items() if place > last}
        self.bench.told = told
        took = sum(each.seconds for each in found.grown)
        text = f"{took * 1000:.0f} ms · " if self.bench.show_times else ""
        self.bench.step_note.setText(text + off_words(found.grown))
        spot = next((each.spots for each in found.grown if each.spots), ())
        if found.skipped:
            self.bench.session.warn(" · ".join(found.skipped[:3]))
        elif spot:
            self._offer_spot(map_, found, spot)
        self._tell_plainless(map_, found.plainless)

    def _tell_plainless(self, map_: Map, found: list[Plainless]) -> None:
        """Say of each terrain once that it has no plain tile, for as long as it has none."""
        session = self.bench.session
        keys: list[tuple[object, ...]] = [
            (session.project, each.owner.name, each.kit.name, each.terrain) for each in found
        ]
        new = [each for key, each in zip(keys, found) if key not in self._plainless]
        self._plainless = keys
        if not new:
            return
        first, layer = new[0], new[0].layer
        cures: dict[str, Callable[[], object]] = {
            "Mark one…": lambda: session.marks_wanted.emit(first.owner, first.kit, first.terrain),
            "Make one…": lambda: session.missing_wanted.emit(first.owner, first.kit),
        }

        def leave_out() -> None:
            recipe = left_out(map_.recipe, layer, first.name)
            if recipe is not None and map_ in session.project.maps:
                session.apply(put_steps(map_, recipe.steps))
                self.run_new()

        if left_out(map_.recipe, layer, first.name) is not None:
            cures[f"Leave “{first.name}” out"] = leave_out
        more = f" ({len(new) - 1} more such terrains)" if len(new) > 1 else ""
        session.offer(f"The {first.words}{more}", cures)

    def _offer_spot(self, map_: Map, found: _Ran, spot: tuple[tuple[int, int], ...]) -> None:
        """Say where a solve could not go on, and offer what helps."""
        made = next(each for each in found.grown if each.spots)
        place, layer = made.step, made.layer

        rows, cols = [r for r, _ in spot], [c for _, c in spot]
        box = Box(min(rows), min(cols), max(rows) + 1, max(cols) + 1)
        mask = np.zeros((box.height, box.width), np.bool_)
        mask[np.array(rows) - box.top, np.array(cols) - box.left] = True

        def show() -> None:
            self.bench.session.choose_layer(layer)
            self.bench.session.select(Selection(box, mask))

        def free() -> None:
            if isinstance(layer, GrownLayer):
                once_grown(self.bench.session, map_, layer, partial(free_cells, layer))

        def free_cells(layer: GrownLayer) -> None:
            session = self.bench.session
            session.apply(plan_unpin(session.doc, map_, layer, box, mask, "Free those cells").edit)
            self.run_new()

        words = f"Step {place + 1}: {made.words}"
        cures: dict[str, Callable[[], object]] = {"Show": show, "Free those cells": free}
        step = map_.recipe.steps[place] if place < len(map_.recipe.steps) else None
        if isinstance(step, SolveStep) and made.words.startswith("impossible"):
            new = replace(step, gaps=True)
            cures["Leave gaps"] = lambda: self.bench.put_recipe(place, new)
            found_set = self.bench.session.project.set_of(step.tileset, step.set_name)
            if step.source is SolveFrom.MARKS and found_set is not None:
                owner, kit = found_set
                cures["Make the tile…"] = lambda: self.bench.session.missing_wanted.emit(owner, kit)
        self.bench.session.offer(words, cures)

    def _fail(self, error: KnitError) -> None:
        self.bench.step_note.setText("")
        if not (self.again and isinstance(error, Cancelled)):  # else the newer run follows at once
            self.bench.session.warn(str(error))

    def _go_on(self) -> None:
        if self.again:
            self.again = False
            if self._again_for is self.bench.session.map:  # else nobody has asked for that one
                self.run()
            self.settle_wish()
