"""What the Rules stage does on the map: shows a rule's cells, copies a cell, takes a lesson."""

from __future__ import annotations

from collections.abc import Callable, Iterable

import numpy as np

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.edit.desk import Pointer
from knitground.core.edit.hand import TileInHand
from knitground.core.edit.laying import Plan
from knitground.core.edit.lesson import Lesson, Proposal
from knitground.core.edit.rulestats import Fired
from knitground.core.model.lattice import Cell
from knitground.core.model.map import Map
from knitground.core.rules.rewriterun import DONE
from knitground.ui.session import Session


class RuleCells:
    """Marks the cells that a rule took."""

    def __init__(self, map_: Map, fired: Fired) -> None:
        self._map, self._fired = map_, fired

    def cells(self, map_: Map) -> Iterable[tuple[Cell, str]]:
        """Give the cells that the rule took."""
        if map_ is not self._map:
            return
        for n, (row, col) in enumerate(zip(self._fired.rows.tolist(), self._fired.cols.tolist())):
            if self._fired.states is None or self._fired.states[n] == DONE:
                yield (row, col), "changes"


class CellPicker:
    """Takes one click: the cell whose surroundings are to be copied."""

    def __init__(self, session: Session, picked: Callable[[Map, Cell], object]) -> None:
        self._session, self._picked = session, picked

    def click(self, at: Pointer, *, other: bool) -> bool:
        """Hand the cell on."""
        map_ = self._session.map
        if map_ is None:
            return False
        row, col = at.cell(map_)
        self._session.take_clicks(None)
        if not other and 0 <= row < map_.height and 0 <= col < map_.width:
            self._picked(map_, (row, col))
        return True

    def ghost(self, map_: Map) -> Plan | None:
        """Nothing would change."""
        return None

    def label(self) -> str:
        """Say what a click does."""
        return say("Copy the stencil from this cell · right button calls it off")


class Teacher:
    """Takes clicks on cells with the wrong tile, and shows what the rule would change."""

    def __init__(self, session: Session, lesson: Lesson, changed: Callable[[], object]) -> None:
        self.session, self.lesson = session, lesson
        self.proposal: Proposal | None = None
        self._changed = changed
        self._plan: Plan | None = None

    def click(self, at: Pointer, *, other: bool) -> bool:
        """Show a cell: it has the wrong tile, or, with `other`, it is to stay as it is."""
        map_ = self.session.map
        if map_ is not self.lesson.map or map_ is None:
            return False
        row, col = at.cell(map_)
        if not (0 <= row < map_.height and 0 <= col < map_.width):
            return True
        if self.session.tool == "pick" and not other:
            return False  # the right tile is taken from the map
        if other:
            self.lesson.show_right((row, col))
        else:
            self.lesson.show_wrong((row, col))
        self.look()
        return True

    def take_hand(self) -> None:
        """Take the tile in hand as the right one."""
        hand = self.session.hand
        if isinstance(hand, TileInHand):
            self.lesson.tile = hand.tile
            self.look()

    def look(self) -> None:
        """Work out the proposal anew."""
        try:
            self.proposal = self.lesson.propose()
        except EditError as error:
            self.proposal = None
            self.session.warn(str(error))
        self._plan = self.lesson.plan(self.proposal) if self.proposal else None
        self._changed()
        self.session.marks_changed.emit()

    def ghost(self, map_: Map) -> Plan | None:
        """Give what the rule would change."""
        return self._plan if map_ is self.lesson.map else None

    def cells(self, map_: Map) -> Iterable[tuple[Cell, str]]:
        """Mark what was shown, and what would change."""
        if map_ is not self.lesson.map:
            return
        for cell in self.lesson.wrong:
            yield cell, "wrong"
        for cell in self.lesson.right:
            yield cell, "right"
        found = self.proposal
        if found is not None:
            for row, col in np.argwhere(found.changed).tolist():
                cell = (row + found.box.top, col + found.box.left)
                if cell not in self.lesson.wrong:
                    yield cell, "changes"

    def label(self) -> str:
        """Say what a click does."""
        if self.lesson.tile is None:
            return say("Teach · take the right tile in hand first (sheet, or Pick from the map)")
        return say("Teach · this cell should show it; Ctrl+click: stays as it is")
