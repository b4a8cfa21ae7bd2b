"""Line and Box: a shape drawn by one drag, shown as it will be and laid when it is let go."""

from __future__ import annotations

from abc import abstractmethod

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import KnitError
from knitground.core.base.tongue import say
from knitground.core.base.window import Box as Area
from knitground.core.edit.desk import Desk, Pointer, between
from knitground.core.edit.flood import Region
from knitground.core.edit.laying import Plan
from knitground.core.edit.planning import brush, plan_path, plan_region, refusal
from knitground.core.knit.sides import sides_along
from knitground.core.model.map import Map
from knitground.core.model.standing import standing_of
from knitground.ui.mapside.tools.tool import Tool
from knitground.ui.session import Session


def line_cells(start: tuple[int, int], end: tuple[int, int]) -> list[tuple[int, int]]:
    """List the cells of a straight line, both ends included (Bresenham, 1965).

    Examples
    --------
    >>> line_cells((0, 0), (1, 3))
    [(0, 0), (0, 1), (1, 2), (1, 3)]
    """
    (row, col), (to_row, to_col) = start, end
    down, across = abs(to_row - row), abs(to_col - col)
    step_row, step_col = (1 if to_row > row else -1), (1 if to_col > col else -1)
    error = across - down
    out = []
    while True:
        out.append((row, col))
        if (row, col) == end:
            return out
        twice = 2 * error
        if twice > -down:
            error -= down
            col += step_col
        if twice < across:
            error += across
            row += step_row


def swept(
    places: list[tuple[int, int]], brush: NDArray[np.bool_]
) -> tuple[Area, NDArray[np.bool_]]:
    """Give what a brush covers whose upper left goes over places: a box and a mask."""
    size = brush.shape[0]
    rows, cols = [row for row, _ in places], [col for _, col in places]
    box = Area(min(rows), min(cols), max(rows) + size, max(cols) + size)
    mask = np.zeros((box.height, box.width), np.bool_)
    for row, col in places:
        top, left = row - box.top, col - box.left
        mask[top : top + size, left : left + size] |= brush
    return box, mask


_QUIET_CELLS = 40_000
"""Larger shapes take longer than a frame: they are not worked out while they are dragged."""


class _Shape(Tool):
    """A shape between the press and the pointer."""

    drags = True

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._from: Pointer | None = None
        self._plan: Plan | None = None
        self._late: tuple[Area, Pointer] | None = None

    @property
    def area(self) -> Area | None:
        return self._late[0] if self._late is not None else None

    @property
    def preview(self) -> Plan | None:
        return self._plan

    def press(self, at: Pointer) -> bool:
        self._from = at
        self.move(at)
        return True

    def move(self, at: Pointer) -> None:
        map_ = self.desk.grid
        self._plan = None
        self._late = None
        if self._from is None or map_ is None or refusal(self.desk, self._from) is not None:
            return
        area = between(map_, self._from, at)
        if area.height * area.width > _QUIET_CELLS:
            self._late = (area, at)  # outlined now, worked out beside the interface when let go
            return
        try:
            self._plan = self.plan(map_, self._from, at)
        except KnitError as error:
            self.session.warn(str(error))

    def release(self) -> None:
        plan, late, start, desk = self._plan, self._late, self._from, self.desk
        self.cancel()
        if late is not None and start is not None:
            self.session.run_long(
                say("Laying…"), lambda _: self._plan_on(desk, start, late[1]), self._lay
            )
        self._lay(plan)

    def _lay(self, plan: Plan | None) -> None:
        if plan is not None:
            self.session.apply(plan.edit)

    def _plan_on(self, desk: Desk, start: Pointer, end: Pointer) -> Plan | None:
        """Plan the shape beside the interface, on the desk that it was drawn on."""
        return self.on_desk(desk).plan(desk.grid, start, end) if desk.grid is not None else None

    def cancel(self) -> None:
        self._plan = self._from = self._late = None

    def anchor(self, map_: Map, start: Pointer) -> tuple[int, int]:
        """Where a patch that repeats begins."""
        return (0, 0) if self.desk.options.pattern_on_map else start.cell(map_)

    @abstractmethod
    def plan(self, map_: Map, start: Pointer, end: Pointer) -> Plan | None:
        """Plan the shape between two places."""


class Line(_Shape):
    """Lays what is in hand along a straight line."""

    key, name, shortcut, icon = "line", "Line", "L", "mdi6.vector-line"
    tip = say("Line: lay what is in hand along a straight line")

    def plan(self, map_: Map, start: Pointer, end: Pointer) -> Plan | None:
        if self.desk.draws_path:
            cells = line_cells(start.cell(map_), end.cell(map_))
            return plan_path(self.desk, sides_along(cells) if len(cells) > 1 else end.side(map_))
        first, round_it = brush(self.desk, map_, start)
        last, _ = brush(self.desk, map_, end)
        places = line_cells((first.top, first.left), (last.top, last.left))
        box, mask = swept(places, round_it)
        return plan_region(self.desk, Region(box, mask), say("Line of"), self.anchor(map_, start))


class Box(_Shape):
    """Lays what is in hand on a rectangle, all of it or its outline."""

    key, name, shortcut, icon = "box", "Box", "B", "mdi6.vector-square"
    tip = say("Box: lay what is in hand on a rectangle; “outline” lays its rim")

    def plan(self, map_: Map, start: Pointer, end: Pointer) -> Plan | None:
        if self.desk.draws_path:
            return self._path(map_, start, end)
        first, _ = brush(self.desk, map_, start)
        last, _ = brush(self.desk, map_, end)
        box = first.joined(last)
        mask = np.ones((box.height, box.width), np.bool_)
        size = self.desk.size
        spanned, among = map_.lattice.spanned((start.x, start.y), (end.x, end.y))
        if among is not None:
            return self._counted(map_, start, (spanned, among))
        if self.desk.options.outline and min(mask.shape) > 2 * size:
            mask[size:-size, size:-size] = False
        return plan_region(self.desk, Region(box, mask), say("Box of"), self.anchor(map_, start))

    def _counted(
        self, map_: Map, start: Pointer, cells: tuple[Area, NDArray[np.bool_]]
    ) -> Plan | None:
        """Plan a rectangle of rows and columns that are counted otherwise than they are kept."""
        box, mask = cells
        if self.desk.options.outline:
            around = np.pad(mask, 1)
            beside = (around[:-2, 1:-1], around[2:, 1:-1], around[1:-1, :-2], around[1:-1, 2:])
            mask = mask & ~np.logical_and.reduce(beside)
        if self.desk.lays_terrain and self.desk.set_kind is not None:
            box, mask = standing_of(self.desk.set_kind).on_cells(box, mask)
        return plan_region(self.desk, Region(box, mask), say("Box of"), self.anchor(map_, start))

    def _path(self, map_: Map, start: Pointer, end: Pointer) -> Plan | None:
        """Draw the rim as a path, or join all cells of the rectangle."""
        (top, left), (bottom, right) = start.cell(map_), end.cell(map_)
        if (top, left) == (bottom, right):
            return plan_path(self.desk, end.side(map_))
        if self.desk.options.outline:
            corners = [(top, left), (top, right), (bottom, right), (bottom, left), (top, left)]
            return plan_path(self.desk, sides_along(corners))
        top, bottom = sorted((top, bottom))
        left, right = sorted((left, right))
        box = Area(top, left, bottom + 2, right + 2)
        north = np.zeros((box.height, box.width), np.bool_)
        west = north.copy()
        north[1:-1, :-1] = True
        west[:-1, 1:-1] = True
        return plan_path(self.desk, (box, north, west))
