"""Paint and Erase: dabs along the pointer's way, one step from press to release."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from itertools import pairwise

from PySide6.QtCore import Qt

from knitground.core.base.errors import KnitError
from knitground.core.base.tongue import say
from knitground.core.edit.desk import Pointer, places_along
from knitground.core.edit.hand import PatchInHand
from knitground.core.edit.layerplans import Cover
from knitground.core.edit.laying import Plan
from knitground.core.edit.planning import (
    brush,
    plan_dab,
    plan_dabs,
    plan_way,
    refusal,
    releases_pins,
)
from knitground.core.knit.sides import sides_along
from knitground.core.model.map import Map
from knitground.ui.mapside.growing import must_grow, once_grown
from knitground.ui.mapside.tools.tool import Tool
from knitground.ui.session import Session


class _Brush(Tool):
    """Dabs along the way. A fast drag leaves no holes: places in between are laid too.

    What comes of a stroke never depends on how fast it was drawn.
    """

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._last: Pointer | None = None
        self._anchor: tuple[int, int] | None = None
        self._end: Pointer | None = None
        self._cover: Cover | None = None
        self._path = False
        self._crossed = False
        self._pins = False

    def press(self, at: Pointer) -> bool:
        self._pins = releases_pins(self.desk, at)
        grid, layer = self.desk.grid, self.desk.layer
        if self._pins and must_grow(self.session, grid, layer):
            once_grown(self.session, grid, layer, lambda: self._release_alone(at))
            return False  # the pointer has gone on when it is known
        plan = self._planned(at)
        name = plan.edit.name if plan else say(self.name)
        if not self.session.attempt(lambda: self.session.doc.begin_stroke(name)):
            return False
        self._last = at
        self._path, self._crossed = self.desk.draws_path, False
        self._anchor = None
        map_ = self.desk.grid
        self._cover = Cover(map_) if map_ is not None and self.desk.is_soft else None
        if self.desk.grid is not None and isinstance(self.desk.hand, PatchInHand):
            box, _ = brush(self.desk, self.desk.grid, at)
            self._anchor = (box.top, box.left)
        straight = bool(self.modifiers & Qt.KeyboardModifier.ShiftModifier)
        if straight and self._end is not None:
            self._last = self._end
            self.move(at)  # from where the last stroke ended
        elif not self._path:
            self._dab(at)
        return self.session.doc.in_stroke

    def move(self, at: Pointer) -> None:
        map_, last = self.desk.grid, self._last
        if map_ is None or last is None or not self.session.doc.in_stroke:
            return
        self._desk = replace(self.desk, pressure=self.session.tools.pressure)
        if self._path:
            self._go(map_, last, at)
            return
        self._last = at
        places = places_along(map_, last, at)
        pins = self._pins if self.desk.tool == "erase" else None
        self._lay(plan_dabs(self.desk, places, self._anchor, self._cover, pins=pins))

    def _go(self, map_: Map, last: Pointer, at: Pointer) -> None:
        """Lay the sides that the way from one place to the next crosses, cell by cell."""
        cells = [last.cell(map_)]
        for each in places_along(map_, last, at):
            if each.cell(map_) != cells[-1]:
                cells.append(each.cell(map_))
        self._last = at
        if len(cells) > 1 and refusal(self.desk, at) is None:
            self._crossed = True
            self._lay(plan_way(self.desk, [sides_along(each) for each in pairwise(cells)]))

    def release(self) -> None:
        if self._path and not self._crossed and self._last is not None:
            self._dab(self._last)  # a click alone: the nearest side, as the ghost shows it
        self._end = self._last
        self.session.doc.commit_stroke()

    def cancel(self) -> None:
        self.session.doc.cancel_stroke()

    def _planned(self, at: Pointer) -> Plan | None:
        try:
            return plan_dab(self.desk, at)
        except KnitError:
            return None  # said when it is laid

    def _dab(self, at: Pointer) -> None:
        pins = self._pins if self.desk.tool == "erase" else None
        self._lay(plan_dab(self.desk, each, self._anchor, self._cover, pins=pins) for each in (at,))

    def _release_alone(self, at: Pointer) -> None:
        """Release what a press was on."""
        plan = plan_dab(self.session.desk(), at, pins=True)
        if plan is not None:
            self.session.apply(plan.edit)

    def _lay(self, plans: Iterable[Plan | None]) -> None:
        """Lay plans, each of which is made when the one before it has been laid."""
        try:
            for plan in plans:
                if plan is not None:
                    self.session.doc.apply(plan.edit)
        except KnitError as error:
            self.session.doc.cancel_stroke()
            self.session.warn(str(error))


class Paint(_Brush):
    """Lays what is in hand."""

    key, name, shortcut, icon = "paint", "Paint", "P", "mdi6.brush"
    tip = say("Paint: lay what is in hand along the drag")


class Erase(_Brush):
    """Takes away: pins first, then terrain or tiles."""

    key, name, shortcut, icon = "erase", "Erase", "E", "mdi6.eraser"
    tip = say("Erase: pins first, then what lies beneath")
