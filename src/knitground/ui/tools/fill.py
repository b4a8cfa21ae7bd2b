"""Fill: a whole region at one click."""

from __future__ import annotations

from knitground.ui.planning import Pointer, plan_fill
from knitground.ui.tools.tool import Tool


class Fill(Tool):
    """Lays what is in hand on all connected cells, or vertices, that hold the same."""

    key, name, shortcut, icon = "fill", "Fill", "F", "mdi6.format-color-fill"
    tip = "Fill: lay what is in hand on the region under the pointer"

    def press(self, at: Pointer) -> bool:
        self.session.attempt(lambda: self._fill(at))
        return False

    def _fill(self, at: Pointer) -> None:
        found = plan_fill(self.session, at)
        if found is not None:
            self.session.doc.apply(found[0].edit)
