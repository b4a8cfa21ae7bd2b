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
from knitground.ui.common.beside import Beside
from knitground.ui.mapside.growing import must_grow
from knitground.ui.session import Session

HOVER_LIMIT = 512
"""A fill's ghost looks at a window of so many cells a side; the click itself has no limit."""
_LEAST_LIMIT = 16
_SECONDS = 0.02
"""Where working out a fill takes longer, bridges above all, the next ghost looks less far."""


class Ghost:
    """Keeps the plan under the pointer until something changes that it depends on."""

    def __init__(self, session: Session, view: QWidget) -> None:
        self._session = session
        self._view = view
        self._beside = Beside(lambda: session.doc, view)
        self._key: object = None
        self._plan: Plan | None = None
        self._region: Region | None = None
        self._region_key: object = None
        self._limit = HOVER_LIMIT

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
            begun = perf_counter()
            try:
                found = plan_fill(desk, at, self._limit)
            except KnitError:
                found = None
            self._look_further_or_less(perf_counter() - begun)
            self._plan, self._region = found if found else (None, None)
            self._region_key = state
        return self._plan

    def _look_further_or_less(self, seconds: float) -> None:
        if seconds > _SECONDS:
            self._limit = max(_LEAST_LIMIT, self._limit // 2)
        elif seconds < _SECONDS / 8:
            self._limit = min(HOVER_LIMIT, self._limit * 2)
