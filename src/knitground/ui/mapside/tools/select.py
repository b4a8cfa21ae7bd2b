"""Select: choose cells by box, by lasso or by what they show; drag what is chosen elsewhere."""

from __future__ import annotations

from PySide6.QtCore import Qt

from knitground.core.base.tongue import say
from knitground.core.base.window import Box
from knitground.core.edit.desk import Pointer
from knitground.core.edit.laying import Plan
from knitground.core.edit.planning import fill_region, outside
from knitground.core.edit.selecting import (
    Selection,
    combined,
    plan_move,
    select_box,
    select_ground,
    select_like,
    select_outline,
)
from knitground.core.edit.selecting import trimmed as selection_of
from knitground.core.model.map import Map
from knitground.ui.mapside.tools.tool import Tool
from knitground.ui.session import Session

_QUIET_CELLS = 512 * 512


class Select(Tool):
    """Chooses cells; Shift adds to what is chosen, Ctrl takes away."""

    key, name, shortcut, icon = "select", "Select", "S", "mdi6.selection-drag"
    tip = say("Select cells (Shift adds, Ctrl takes away); drag what is selected to move it")
    drags = True

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._from: Pointer | None = None
        self._at: Pointer | None = None
        self._way: list[Pointer] = []
        self._moving = False
        self._before: Selection | None = None
        self._plan: Plan | None = None

    @property
    def preview(self) -> Plan | None:
        return self._plan

    def press(self, at: Pointer) -> bool:
        map_, chosen = self.desk.grid, self.session.selection
        if map_ is None:
            return False
        self._from = self._at = at
        self._way = [at]
        self._before = chosen
        plain = self.how() == "new"
        self._moving = plain and chosen is not None and chosen.holds(*at.cell(map_))
        self._plan = None
        if not self._moving:
            self._choose(map_)
        return True

    def how(self) -> str:
        """What the modifiers ask for: “new”, “add” or “less”."""
        if self.modifiers & Qt.KeyboardModifier.ShiftModifier:
            return "add"
        return "less" if self.modifiers & Qt.KeyboardModifier.ControlModifier else "new"

    def move(self, at: Pointer) -> None:
        map_ = self.desk.grid
        if map_ is None or self._from is None:
            return
        self._at = at
        self._way.append(at)
        if self._moving:
            self._plan = self._move_plan(map_)
        elif self.desk.options.select_way in ("box", "lasso"):
            self._choose(map_)

    def release(self) -> None:
        map_, chosen = self.desk.grid, self._before
        plan, self._plan = self._plan, None
        if self._moving and plan is not None and chosen is not None and map_ is not None:
            down, across = self._step(map_)
            if self.session.apply(plan.edit):
                box = chosen.box
                moved = Box(box.top + down, box.left + across, box.bottom + down,
                            box.right + across)  # fmt: skip
                inner = moved.clipped(map_.height, map_.width)
                top, left = inner.top - moved.top, inner.left - moved.left
                mask = chosen.mask[top : top + inner.height, left : left + inner.width]
                self.session.select(selection_of(inner, mask) if mask.size else None)
        elif self._moving and self._from is not None:
            self.session.select(None)  # a click inside drops the selection
        self._from = None
        self._moving = False

    def cancel(self) -> None:
        self.session.select(self._before)
        self._from, self._plan, self._moving = None, None, False

    def _step(self, map_: Map) -> tuple[int, int]:
        assert self._from is not None
        assert self._at is not None
        (row, col), (to_row, to_col) = self._from.cell(map_), self._at.cell(map_)
        return to_row - row, to_col - col

    def _move_plan(self, map_: Map) -> Plan | None:
        layer, chosen = self.desk.layer, self._before
        step = self._step(map_)
        if layer is None or chosen is None or step == (0, 0):
            return None
        if layer.locked or not layer.visible:
            return None
        return plan_move(self.desk.doc, map_, layer, chosen, *step)

    def _choose(self, map_: Map) -> None:
        before, how = self._before, self.how()
        looks_at_all = self.desk.options.select_way not in ("box", "lasso")
        if looks_at_all and map_.height * map_.width > _QUIET_CELLS:
            self.session.run_long(
                say("Selecting…"),
                lambda _: self._found(map_),
                lambda new: self.session.select(combined(before, new, how)),
            )
        else:
            self.session.select(combined(before, self._found(map_), how))

    def _found(self, map_: Map) -> Selection | None:
        start, at = self._way[0], self._way[-1]
        way, layer = self.desk.options.select_way, self.desk.layer
        row, col = start.cell(map_)
        if way == "lasso":
            points = [map_.lattice.places(p.x, p.y) for p in self._way]
            return select_outline(map_, [(row, col) for col, row in points])
        if way == "box" or layer is None:
            return select_box(map_, *map_.lattice.spanned((start.x, start.y), (at.x, at.y)))
        if outside(map_, start):
            return None
        if way == "same tile":
            return select_like(self.session.doc, map_, layer, row % map_.height, col % map_.width)
        if way == "same terrain":
            return select_ground(map_, layer, row % map_.height, col % map_.width)
        region = fill_region(self.desk, map_, layer, start, None, cells=True)
        return selection_of(region.box, region.mask)
