"""What is offered when a recipe has run and something stands in its way."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

import numpy as np
from PySide6.QtCore import QObject, Signal

from knitground.core.base.tongue import say
from knitground.core.base.window import Box
from knitground.core.edit.laying import plan_unpin
from knitground.core.edit.recipes import put_steps
from knitground.core.edit.selecting import Selection
from knitground.core.grow.plainless import Plainless, left_out
from knitground.core.grow.work import Grown
from knitground.core.model.layers import GrownLayer
from knitground.core.model.map import Map
from knitground.core.model.solvestep import SolveFrom, SolveStep
from knitground.ui.mapside.growing import once_grown
from knitground.ui.session import Session


class Offers(QObject):
    """Says what stands in a recipe's way, with buttons that cure it."""

    run_wanted = Signal()
    step_wanted = Signal(int, object)
    """Another step in the place of one; it is to run then."""

    def __init__(self, session: Session, parent: QObject) -> None:
        super().__init__(parent)
        self.session = session
        self._plainless: list[tuple[object, ...]] = []

    def tell_plainless(self, map_: Map, found: list[Plainless]) -> None:
        """Say of each terrain once that it has no plain tile, for as long as it has none."""
        session = self.session
        keys: list[tuple[object, ...]] = [
            (session.project, each.owner.name, each.kit.name, each.terrain) for each in found
        ]
        new = [each for key, each in zip(keys, found) if key not in self._plainless]
        self._plainless = keys
        if not new:
            return
        first, layer = new[0], new[0].layer
        cures: dict[str, Callable[[], object]] = {
            say("Mark one…"): lambda: session.marks_wanted.emit(
                first.owner, first.kit, first.terrain
            ),
            say("Make one…"): lambda: session.missing_wanted.emit(first.owner, first.kit),
        }

        def leave_out() -> None:
            recipe = left_out(map_.recipe, layer, first.name)
            if recipe is not None and map_ in session.project.maps:
                session.apply(put_steps(map_, recipe.steps))
                self.run_wanted.emit()

        if left_out(map_.recipe, layer, first.name) is not None:
            cures[say("Leave “{name}” out", name=first.name)] = leave_out
        more = say(" ({count} more such terrains)", count=len(new) - 1) if len(new) > 1 else ""
        session.offer(say("The {words}{more}", words=first.words, more=more), cures)

    def tell_spot(self, map_: Map, made: Grown) -> None:
        """Say where a solve could not go on, and offer what helps."""
        place, layer, session = made.step, made.layer, self.session
        rows, cols = [r for r, _ in made.spots], [c for _, c in made.spots]
        box = Box(min(rows), min(cols), max(rows) + 1, max(cols) + 1)
        mask = np.zeros((box.height, box.width), np.bool_)
        mask[np.array(rows) - box.top, np.array(cols) - box.left] = True

        def show() -> None:
            session.choose_layer(layer)
            session.select(Selection(box, mask))

        def free() -> None:
            if isinstance(layer, GrownLayer):
                once_grown(session, map_, layer, partial(free_cells, layer))

        def free_cells(layer: GrownLayer) -> None:
            session.apply(
                plan_unpin(session.doc, map_, layer, box, mask, say("Free those cells")).edit
            )
            self.run_wanted.emit()

        words = say("Step {place}: {words}", place=place + 1, words=made.words)
        cures: dict[str, Callable[[], object]] = {say("Show"): show, say("Free those cells"): free}
        step = map_.recipe.steps[place] if place < len(map_.recipe.steps) else None
        if isinstance(step, SolveStep) and not step.gaps:
            new = replace(step, gaps=True)
            cures[say("Leave gaps")] = lambda: self.step_wanted.emit(place, new)
            found_set = session.project.set_of(step.tileset, step.set_name)
            if step.source is SolveFrom.MARKS and found_set is not None:
                owner, kit = found_set
                cures[say("Make the tile…")] = lambda: session.missing_wanted.emit(owner, kit)
        session.offer(words, cures)
