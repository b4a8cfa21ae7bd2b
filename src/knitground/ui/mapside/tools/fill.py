"""Fill: a whole region at one click."""

from __future__ import annotations

from knitground.core.base.tongue import say
from knitground.core.edit.desk import Pointer
from knitground.core.edit.flood import Region
from knitground.core.edit.laidmix import with_laid
from knitground.core.edit.laying import Plan
from knitground.core.edit.planning import plan_fill
from knitground.ui.mapside.tools.tool import Tool

_QUIET_CELLS = 512 * 512


class Fill(Tool):
    """Lays what is in hand on all connected cells, or vertices, that hold the same."""

    key, name, shortcut, icon = "fill", "Fill", "F", "mdi6.texture-box"
    tip = say("Fill: lay what is in hand on the region under the pointer")

    def press(self, at: Pointer) -> bool:
        desk = self.desk
        map_ = desk.grid
        if map_ is not None and map_.height * map_.width > _QUIET_CELLS:
            self.session.run_long(say("Filling…"), lambda _: plan_fill(desk, at), self._lay)
        else:
            self.session.attempt(lambda: self._lay(plan_fill(desk, at)))
        return False

    def _lay(self, found: tuple[Plan, Region] | None) -> None:
        if found is not None:
            self.session.apply(with_laid(self.desk, *found))
