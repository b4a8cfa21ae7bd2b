"""The ghost: what the next click lays, worked out once for each place and state."""

from __future__ import annotations

from time import perf_counter

from PySide6.QtWidgets import QWidget

from knitground.core.base.errors import KnitError
from knitground.core.edit.desk import Desk, Pointer
from knitground.core.edit.flood import Region
from knitground.core.edit.laying import Plan
from knitground.core.edit.planning import brush, plan_dab, plan_fill, releases_pins
from knitground.core.model.layers import Cells, GrownLayer
from knitground.ui.common.question import Question
from knitground.ui.mapside.growing import must_grow
from knitground.ui.session import Session

HOVER_LIMIT = 512
"""A fill's ghost looks at a window of so many cells a side; the click itself has no limit."""
_FIRST_LIMIT, _LEAST_LIMIT = 64, 16
_SECONDS = 0.02
"""Where working out a fill takes longer, bridges above all, the next ghost looks less far."""
_FAST_SECONDS = _SECONDS / 4
"""Where it takes less, it looks twice as far in the next turn: four times as many cells."""


class Ghost:
    """Keeps the plan under the pointer until something changes that it depends on."""

    def __init__(self, session: Session, view: QWidget) -> None:
        self._session = session
        self._view = view
        self._beside = Question(lambda: session.doc, view)
        self._key: object = None
        self._plan: Plan | None = None
        self._region: Region | None = None
        self._region_key: object = None
        self._limits: dict[object, int] = {}
        """How far to look, by what kind of fill it is."""
        self._looks_further = False

    def plan(self, at: Pointer | None) -> Plan | None:
        """Return the plan of a click at a place; None if it would do nothing."""
        desk = self._session.desk()
        if at is None or desk.map is None:
            return None
        if desk.tool == "fill":
            return self._fill(desk, at)
        if desk.tool not in ("paint", "line", "box", "erase"):
            return None
        grid = desk.grid or desk.map
        under = at.side(grid) if desk.draws_path else None
        where = (under[0], bool(under[1].any())) if under else brush(desk, grid, at)[0]
        key = (desk.state, where)
        if key != self._key:
            self._key = key
            self._plan = self._try(desk, at)
        return self._plan

    @property
    def fill_goes_on(self) -> bool:
        """Whether the fill shown reaches further than the ghost looked."""
        return self._region is not None and not self._region.complete

    def _try(self, desk: Desk, at: Pointer) -> Plan | None:
        if self._has_to_grow(desk, at):
            return None
        try:
            return plan_dab(desk, at)
        except KnitError:
            return None

    def _has_to_grow(self, desk: Desk, at: Pointer) -> bool:
        """Whether it is not known yet what grows under pins; it is found out beside."""
        map_, doc = desk.grid, desk.doc
        layer = must_grow(self._session, map_, desk.layer) if releases_pins(desk, at) else None
        if map_ is None or layer is None:
            return False
        if not self._beside.is_busy:
            self._beside.ask(
                lambda progress: doc.grower.grow(map_, layer, progress),
                lambda cells: self._grown(layer, cells),
            )
        return True

    def _grown(self, layer: GrownLayer, cells: Cells | None) -> None:
        if cells is not None:
            self._session.doc.grower.keep(layer, cells)
            self._key = None
            self._view.update()

    def _fill(self, desk: Desk, at: Pointer) -> Plan | None:
        grid, state = desk.grid, desk.state
        assert grid is not None
        place = at.vertex(grid) if desk.lays_terrain else at.cell(grid)
        if (
            self._region_key == state
            and self._region is not None
            and self._region.complete
            and self._region.holds(*place)
        ):
            return self._plan
        key = (state, place)
        if key != self._key:
            self._key = key
            kind = (type(desk.layer), desk.lays_terrain, desk.options.fill_by)
            limit = self._limits.get(kind, _FIRST_LIMIT)
            begun = perf_counter()
            try:
                found = plan_fill(desk, at, limit)
            except KnitError:
                found = None
            seconds = perf_counter() - begun
            self._plan, self._region = found if found else (None, None)
            self._region_key = state
            if seconds > _SECONDS:  # of a small map it has seen less than it was allowed to
                limit = max(_LEAST_LIMIT, min(limit, 2 * max(grid.height, grid.width)) // 2)
            elif seconds < _FAST_SECONDS and self.fill_goes_on and limit < HOVER_LIMIT:
                self._looks_further, limit = True, limit * 2
            self._limits[kind] = limit
        return self._plan

    def look_further(self) -> bool:
        """Let the ghost of a fill reach further when it is next asked for; whether it will."""
        if self._looks_further:
            self._looks_further, self._key = False, None
            return True
        return False
