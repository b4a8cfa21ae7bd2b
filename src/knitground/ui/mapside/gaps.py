"""Gaps: counted in the status line; a click leads to the first and names what is missing."""

from __future__ import annotations

import numpy as np
from PySide6.QtWidgets import QToolButton

from knitground.core.base.progress import Progress
from knitground.core.base.tongue import say, say_many
from knitground.core.knit.keys import Key
from knitground.core.knit.missing import key_words, missing_keys
from knitground.core.model.layers import GAP, GroundLayer
from knitground.ui.common.notices import Notices
from knitground.ui.session import Session

_NAMED = 3
Found = tuple[GroundLayer, tuple[int, int], list[tuple[Key, int]]]


class GapButton(QToolButton):
    """Tells how many cells of the map have no tile; a click shows the first of them."""

    def __init__(
        self,
        session: Session,
        notices: Notices,
    ) -> None:
        super().__init__()
        self.session, self.notices = session, notices
        self.setProperty("flat", "true")
        self.setToolTip(say("Show the first gap, and name the tile that is missing there"))
        self.clicked.connect(self.show_first)
        self.hide()

    def refresh(self) -> None:
        """Count the gaps of the map that is shown, as far as it has been knitted."""
        map_ = self.session.map
        knitter = self.session.doc.knitter
        layers = [each for each in map_.layers if isinstance(each, GroundLayer)] if map_ else []
        count = sum(knitter.gaps(layer)[0] for layer in layers)
        self.setText(say_many("{count} gap", "{count} gaps", count))
        self.setVisible(count > 0)

    def show_first(self) -> None:
        """Lead to the first gap; name the most frequent combinations that have no tile."""
        map_, doc = self.session.map, self.session.doc
        if map_ is None:
            return

        def look(_: Progress) -> Found | None:
            for layer in map_.layers:
                if not isinstance(layer, GroundLayer):
                    continue
                doc.ensure_all(map_)
                places = np.argwhere(layer.cells == GAP)
                if len(places):
                    missing = missing_keys(doc.knitter.table(map_, layer), layer, map_.wrap)
                    return layer, (int(places[0][0]), int(places[0][1])), missing
            return None

        self.session.run_long(say("Looking for gaps…"), look, self._tell)

    def _tell(self, found: Found | None) -> None:
        if found is None:
            self.refresh()
            return
        layer, cell, missing = found
        self.session.choose_layer(layer)
        self.session.cell_wanted.emit(*cell)
        owner = self.session.project.set_of(layer.tileset, layer.set_name)
        if owner is None:
            self.session.warn(
                say("The terrain set of “{name}” is not there: choose another", name=layer.name)
            )
            return
        named = "; ".join(
            say("{key_words} ({n} cells)", key_words=key_words(owner[1], key), n=n)
            for key, n in missing[:_NAMED]
        )
        more = (
            say(" and {count} more", count=len(missing) - _NAMED) if len(missing) > _NAMED else ""
        )
        self.notices.tell(
            say(
                "“{name}” asks for tiles that “{name2}” lacks: {named}{more}",
                name=layer.name,
                name2=owner[1].name,
                named=named,
                more=more,
            ),
            "warning",
            {say("Make them…"): lambda: self.session.missing_wanted.emit(*owner)},
        )
